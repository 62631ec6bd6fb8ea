"""What a trial would do, on the wire."""

from uuid import UUID

from pydantic import BaseModel, Field

from mistline.core.setup import Setup
from mistline.core.typed import Typed

__all__ = [
    "AlignRequest",
    "Outlook",
    "Pixels",
    "PlanAnswer",
    "PlanRequest",
    "Preview",
    "PreviewRequest",
    "Suggested",
]


class Pixels(BaseModel):
    """Width and height."""

    width: int
    height: int


class Outlook(BaseModel):
    """Forecast for one recipe; None in `seconds` means that it is being timed."""

    recipe_id: UUID
    seconds: float | None = None
    basis: str | None = None
    count: int | None = None
    way: str = Field("", description="how it comes to a factor that its passes do not do by themselves")


class Suggested(BaseModel):
    """A recipe worth trying, and why."""

    recipe_id: UUID
    reason: str


class PlanRequest(Typed):
    """A trial that somebody thinks of running."""

    source_id: UUID
    setup: Setup
    recipe_ids: list[UUID] = Field(max_length=40)
    first: int = Field(0, ge=0, lt=2**31, description="first frame of the part that is tried")
    frames: int | None = Field(None, ge=1, lt=2**31, description="frames of the part; all there are if empty")


class AlignRequest(Typed):
    """A source and the larger version that it is to be held against."""

    source_id: UUID
    native_id: UUID
    frame: int = Field(0, ge=0)


class PlanAnswer(BaseModel):
    """What that trial would do, in numbers."""

    source: Pixels
    target: Pixels
    input: Pixels
    cropped: list[int] = Field(description="pixels taken off across and down")
    bars: list[int] = Field(description="pixels of a frame beyond the target, across and down")
    rgb_bytes: int = Field(description="a frame of the target as RGB of 8 bits, not compressed")
    factors: list[float] = Field(description="reached across and down")
    share: float
    takes: int
    repeats: int
    frames: int
    forecasts: list[Outlook]
    suggested: list[Suggested]
    frame_bytes: float | None = Field(
        None, description="of a frame of one take in the media store, by the takes so far; none before the first"
    )
    around_seconds: float = Field(description="needed to read, write and measure all takes, about")


class PreviewRequest(Typed):
    """A set-up to show on a crop; `across` and `down` place its centre, as shares of the picture."""

    source_id: UUID
    setup: Setup
    frame: int = Field(0, ge=0, lt=2**31)
    across: float = Field(0.5, ge=0, le=1)
    down: float = Field(0.5, ge=0, le=1)


class Preview(BaseModel):
    """The same crop of truth and input, as PNG in base 64."""

    truth: str
    input: str
    width: int = Field(description="of the truth's crop, in pixels")
    height: int
