"""What is marked on pictures, on the wire; places are in pixels of the truth and frames of the trial's part."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, Field

from mistline.core.typed import Typed

__all__ = [
    "FaultMapShown",
    "MapAnswer",
    "PartRequest",
    "PixelRequest",
    "Place",
    "Remark",
    "RemarkEdit",
    "RemarkRequest",
    "Spot",
    "SpotEdit",
    "SpotRequest",
    "Standing",
    "StandingRequest",
    "SuggestedSpot",
]  # fmt: skip

Standing = Literal["kept", "retired", "finalist"]


class Place(Typed):
    """A rectangle of a frame."""

    left: int = Field(ge=0, lt=2**31)
    top: int = Field(ge=0, lt=2**31)
    width: int = Field(ge=11, lt=2**31, description="11 at least, the window of SSIM")
    height: int = Field(ge=11, lt=2**31)
    frame: int = Field(0, ge=0, lt=2**31, description="of the trial's part")


class PartRequest(Place):
    """A part to measure, and by which measures (ids); by all where none are named."""

    measures: list[str] | None = Field(None, max_length=100)


class SpotRequest(Place):
    """A spot to mark."""

    name: str = Field(min_length=1, max_length=80, pattern=r"\S")
    note: str = Field("", max_length=500)


class Spot(SpotRequest):
    """A named place that every entry is judged at; it belongs to the source."""

    id: UUID


class SpotEdit(Typed):
    """What to change of a spot; what is removed can come back."""

    name: str | None = Field(None, min_length=1, max_length=80, pattern=r"\S")
    note: str | None = Field(None, max_length=500)
    removed: bool | None = None


class SuggestedSpot(Place):
    """A place worth looking at, and why."""

    name: str
    why: str


class RemarkRequest(Typed):
    """A remark to write; a point has no width and height."""

    letter: str = Field(min_length=1, max_length=2)
    left: int = Field(ge=0, lt=2**31)
    top: int = Field(ge=0, lt=2**31)
    width: int = Field(0, ge=0, lt=2**31)
    height: int = Field(0, ge=0, lt=2**31)
    frame: int = Field(0, ge=0, lt=2**31)
    defect: str = Field(min_length=1, max_length=60, pattern=r"\S")
    severity: int = Field(ge=1, le=3)
    note: str = Field("", max_length=500)


class Remark(RemarkRequest):
    """A note on a defect at a place of an entry."""

    id: UUID
    created_at: datetime


class RemarkEdit(Typed):
    """What to change of a remark; what is removed can come back."""

    defect: str | None = Field(None, min_length=1, max_length=60, pattern=r"\S")
    severity: int | None = Field(None, ge=1, le=3)
    note: str | None = Field(None, max_length=500)
    removed: bool | None = None


class StandingRequest(BaseModel):
    """What is thought of an entry, and why; none takes it back."""

    standing: Standing | None
    reason: str = Field("", max_length=500)


class PixelRequest(Typed):
    """A pixel of the truth."""

    x: int = Field(ge=0, lt=2**31)
    y: int = Field(ge=0, lt=2**31)
    frame: int = Field(0, ge=0, lt=2**31)


class FaultMapShown(BaseModel):
    """A kind of fault that can be seen as a map: white is `most`, in `unit`."""

    id: str
    name: str
    unit: str
    most: float
    meaning: str
    of_all: bool = Field(description="one of the trial, not of an entry")


class MapAnswer(BaseModel):
    """A map that is there: where its pixels are, its size, its worst place and the mean of the map in it."""

    picture_id: str
    name: str
    width: int
    height: int
    worst: Place
    value: float
