"""Sources, their kinds and pictures on the wire."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, Field, computed_field

from mistline.core.choose.suggest import suggest_kind
from mistline.core.colour import ReadAs
from mistline.core.degrade.compression import Jpeg
from mistline.core.measure.survey import Stretch
from mistline.core.methods import Traits

__all__ = [
    "Facts",
    "Imported",
    "Kind",
    "KindSuggested",
    "Picture",
    "Source",
    "SourceAsked",
    "SourceEdit",
    "SourcePage",
    "Thumbnails",
    "Tried",
]


class Kind(BaseModel):
    """A kind of footage."""

    id: str
    name: str


class Facts(BaseModel):
    """What was read of a source."""

    width: int
    height: int
    megapixels: float
    bit_depth: int
    channels: str
    colour: str
    file_type: str
    notes: list[str]
    jpeg: Jpeg | None = Field(None, description="what the tables of a JPEG say; none for other files")
    frames: int = 1
    rate: str | None = Field(
        None, description='frames a second as an exact fraction, "24000/1001"; none for a still'
    )
    codec: str = ""
    scan: str = ""
    bits_a_second: float | None = None
    sound: list[str] = []
    read_as: ReadAs | None = Field(None, description="matrix and range; none for what is R'G'B' already")
    strip: list[int] = Field([0], description="frames that are there as small pictures")
    refused: str = Field("", description="why nothing can be measured on it; empty if it can")
    shots: list[int] | None = Field(
        None, description="first frame of each shot; none until a clip was looked through"
    )
    stretches: list[Stretch] = Field([], description="parts of a clip worth trying")
    motion: float | None = Field(
        None, description="median motion from frame to frame, pixels; 0 where too little moves to be told"
    )
    temporal_noise: float | None = Field(
        None, description="sigma of luma noise that is new on each frame, 8-bit code values, in calm parts"
    )
    flicker: float | None = Field(
        None, description="sigma of the mean level that is new on each frame, 8-bit code values"
    )


class KindSuggested(BaseModel):
    """The kind that the traits of a source point to, and why."""

    kind: str
    reason: str


class Tried(BaseModel):
    """A trial on a source, and the recipe that its verdict picked."""

    id: UUID
    name: str
    pick: str | None


class Source(BaseModel):
    """A source on the Shelf."""

    id: UUID
    name: str
    file_bytes: int
    kind: str | None
    story: str
    state: Literal["waiting", "reading", "ready", "failed"]
    error: str | None
    facts: Facts | None
    traits: Traits | None
    picture_id: str | None
    created_at: datetime
    version: int = Field(description="of name and story: a change names it, so that nothing is overwritten unseen")
    tried: int = Field(0, description="how many trials are about it; told in the list only")
    trials: list[Tried] = Field([], description="the newest of them")

    @computed_field  # type: ignore[prop-decorator]
    @property
    def suggested(self) -> KindSuggested | None:
        """A kind to set, as long as none is."""
        found = suggest_kind(self.traits) if self.traits and self.kind is None else None
        return KindSuggested(kind=found.choice, reason=found.reason) if found else None


class Imported(BaseModel):
    """The answer to an upload: the source, and whether the Shelf did not have it yet."""

    source: Source
    new: bool


class SourceAsked(BaseModel):
    """Which sources to list, and from where on; what is left out asks nothing."""

    words: str | None = Field(None, max_length=200, description="in the name or the story, capitals or not")
    kind: str | None = Field(None, max_length=60, description='"none" for those that have no kind')
    least_mp: float | None = Field(None, ge=0, le=1e6, allow_inf_nan=False)
    most_mp: float | None = Field(None, ge=0, le=1e6, allow_inf_nan=False)
    least_noise: float | None = Field(None, ge=0, le=255, allow_inf_nan=False)
    most_noise: float | None = Field(None, ge=0, le=255, allow_inf_nan=False)
    tried: Literal["new", "tried", "decided"] | None = None
    cursor: str | None = None
    limit: int = Field(60, ge=1, le=200)


class SourcePage(BaseModel):
    """A page of the Shelf."""

    items: list[Source]
    next_cursor: str | None


class SourceEdit(BaseModel):
    """Fields to change; what is left out stays."""

    name: str | None = Field(None, min_length=1, max_length=200)
    kind: str | None = None
    story: str | None = Field(None, max_length=400)


class Thumbnails(BaseModel):
    """Small pictures of a list."""

    png: dict[str, str] = Field(description="by picture, in base64")


class Picture(BaseModel):
    """Size and tile levels of a picture."""

    id: str
    width: int
    height: int
    bit_depth: int
    levels: int
    tile: int
    frames: int
    rate: str | None = Field(description='frames a second as an exact fraction, "24000/1001"; none for a still')
    file_bytes: int
