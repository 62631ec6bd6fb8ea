"""What a child process can be asked and what it answers, a pair for each step; light enough for every process."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any, Generic, Literal, TypeVar

from pydantic import BaseModel

from mistline.core.choose.arrival import Finding
from mistline.core.colour import ReadAs
from mistline.core.fingerprint import Fingerprint
from mistline.core.frame import Region, Size
from mistline.core.measure.alignment import Alignment, Gain
from mistline.core.measure.survey import Survey
from mistline.core.methods import ModelCard, Traits
from mistline.core.methods.recipe import Recipe
from mistline.core.setup import Setup
from mistline.core.timing.machine import Machine

__all__ = [
    "AlignPair",
    "Aligned",
    "Alike",
    "Axis",
    "CropTimed",
    "CutCrops",
    "CutSheet",
    "CutSlice",
    "Delivered",
    "Done",
    "FingerprintMade",
    "Footage",
    "InspectModel",
    "LocalModel",
    "MadePicture",
    "MakeMap",
    "MakeShard",
    "MakeViews",
    "MapMade",
    "MeasureRegion",
    "OnMachine",
    "Original",
    "Part",
    "PixelRead",
    "PixelsRead",
    "Prepare",
    "Prepared",
    "PreviewInput",
    "PreviewMade",
    "Progress",
    "ReadOriginal",
    "ReadPixels",
    "RegionMeasured",
    "Request",
    "Scored",
    "ShardMade",
    "SpotFound",
    "SpotsSuggested",
    "SuggestSpots",
    "SurveyClip",
    "Surveyed",
    "TakeFingerprint",
    "TimeCrop",
    "Timing",
    "View",
    "WriteFrames",
]  # fmt: skip

A = TypeVar("A", bound=BaseModel)
Axis = Literal["row", "column"]
View = Literal["tiles", "small", "whole"]  # the tiles of all levels, one small picture, one PNG at its own depth
Progress = Callable[[str, float], None]  # (stage, share done)


class LocalModel(BaseModel):
    """A dropped-in model: its card and its file on this machine."""

    card: ModelCard
    path: Path


class Request(BaseModel, Generic[A]):
    """Work on local files, about something that people call `name`; answered by an `A`."""

    name: str
    models: list[LocalModel] = []

    @classmethod
    def answer(cls) -> type[A]:
        """The type of the answer."""
        made: type[A] = cls.__mro__[1].__pydantic_generic_metadata__["args"][0]  # type: ignore[attr-defined]
        return made


class Footage(BaseModel):
    """Where the frames of a picture come from: its shards, or the original that they are decoded from."""

    shards: list[Path] = []
    original: Path | None = None
    name: str = ""
    read_as: ReadAs | None = None


class Done(BaseModel):
    """Nothing more to say."""


class MadePicture(BaseModel):
    """A picture that lies finished in a folder; `rate` is an exact fraction, "24000/1001", none for a still.

    Where its frames stay in the original and are decoded from there, the folder holds a few small views only.
    """

    width: int
    height: int
    bit_depth: int
    levels: int
    frames: int = 1
    rate: str | None = None
    from_original: bool = False


class Original(BaseModel):
    """What was read of an original."""

    facts: dict[str, Any]
    traits: Traits
    picture: MadePicture


class ReadOriginal(Request[Original]):
    """Read a file from outside: its facts, first traits and picture, below `out`."""

    path: Path
    out: Path
    read_as: ReadAs | None = None


class Surveyed(BaseModel):
    """What happens in a clip."""

    found: Survey


class SurveyClip(Request[Surveyed]):
    """Look through the frames of a clip."""

    source: Footage


class MakeViews(Request[Done]):
    """Cut views of frames that follow one another into `out/<frame>`: see `View`."""

    footage: Footage
    frames: list[int]
    out: Path
    view: View = "tiles"


class Prepared(BaseModel):
    """Truth and input of a test, none where the source itself is it, and the input's traits."""

    truth: MadePicture | None
    input: MadePicture | None
    traits: Traits


class Prepare(Request[Prepared]):
    """Make truth and input of `frames` frames of a source of some size from `first`, below `out`.

    `native` is another source that holds the truth, if one does.
    """

    source: Footage
    native: Footage | None = None
    size: Size
    setup: Setup
    first: int = 0
    frames: int = 1
    rate: Fraction | None = None
    out: Path


class Aligned(BaseModel):
    """How a larger version lies on a source; times and plus by channel bring its colours to those of the source."""

    alignment: Alignment
    gains: list[Gain]


class AlignPair(Request[Aligned]):
    """Find out how a frame of a larger version lies on that of a source."""

    source: Footage
    native: Footage
    native_name: str
    frame: int = 0


class PreviewMade(BaseModel):
    """Truth and input of a crop, as 8-bit PNG in base 64, and the size of the crop in the truth's pixels."""

    truth: str
    input: str
    width: int
    height: int


class PreviewInput(Request[PreviewMade]):
    """Make the input on a small crop of a frame; `centre` across and down, in shares of the picture."""

    source: Footage
    frame: int = 0
    setup: Setup
    centre: tuple[float, float]


class OnMachine(BaseModel):
    """So many frames of a take were processed on one of several machines, with the median seconds of a run."""

    machine: Machine
    frames: int
    median: float | None


class Timing(BaseModel):
    """Where the time of a take went, in seconds; memory in bytes. The truth control has no process time.

    `process` holds every run: `repeats` of each frame, one frame after another. `machines` tells the machines apart
    where there were several; then the other figures are over all of them.
    """

    load: float | None = None
    warm_up: float | None = None
    process: list[float] = []
    median: float | None = None
    spread: float | None = None
    busy_elsewhere: float | None = None
    peak_bytes: int | None = None
    added_bytes: int | None = None
    write: float | None = None
    machines: list[OnMachine] = []


class Scored(BaseModel):
    """A measure of one frame. Without a value and without a note it is infinite."""

    value: float | None
    parts: dict[str, float] = {}
    note: str = ""


class Alike(BaseModel):
    """How alike two frames are."""

    psnr: float | None
    worst: float
    same: bool


class ShardMade(BaseModel):
    """Frames of a take: what each scored, how alike each is to other takes, and how long it took.

    `findings` tell what to know of a file from outside.
    """

    picture: MadePicture
    settings: list[dict[str, Any]]
    timing: Timing
    clipped: float
    scores: list[dict[str, Scored]]
    alike: dict[str, list[Alike]]
    findings: list[Finding] = []
    machine: Machine


class Delivered(BaseModel):
    """The file of a result that was made elsewhere; one of another size is resampled if that was asked for."""

    name: str
    path: Path
    resample: bool


class MakeShard(Request[ShardMade]):
    """Run a recipe on frames, write them below `out`, measure them.

    In place of a recipe there may be a result that was made elsewhere, which is only read; without both it is the truth
    that goes through the same path.

    They are frames of a take of `length`; `truth` (empty without one) and `input` hold the frame before them too, and
    `input` the neighbours that the recipe looks at.
    """

    recipe: Recipe | None
    delivered: Delivered | None = None
    setup: Setup
    traits: Traits
    repeats: int
    length: int = 1
    first: int = 0
    frames: int = 1
    truth: list[Path]
    input: list[Path]
    target: Size
    others: dict[str, list[Path]] = {}
    out: Path
    lane: Path


class CropTimed(BaseModel):
    """Seconds for each megapixel of result."""

    seconds_per_megapixel: float
    machine: Machine


class TimeCrop(Request[CropTimed]):
    """Time a recipe on a corner of a source of so many frames, for a forecast."""

    frames: int = 1
    recipe: Recipe
    factor: float
    source: Footage
    traits: Traits
    lane: Path


class RegionMeasured(BaseModel):
    """Scores by letter."""

    scores: dict[str, dict[str, Scored]]


class CutSlice(Request[Done]):
    """Write one row or column of pixels over all frames to `out`, a PNG of 8 bits; a pixel along time is a frame."""

    footage: Footage
    frames: int
    axis: Axis
    at: int
    out: Path


class MeasureRegion(Request[RegionMeasured]):
    """Measure a region of a frame of several results; what needs the whole input is not measured there.

    They are held against the truth, or where that is empty against the input. Without `only` every measure is read.
    """

    only: list[str] | None = None

    region: Region
    frame: int = 0
    factor: float
    sight: float
    target: Size
    truth: list[Path]
    input: list[Path]
    results: dict[str, list[Path]]


class PixelRead(BaseModel):
    """Code values of a pixel with their bits, CIE L*a*b* (D65) by the sRGB curve, CIEDE2000 from the truth, if any."""

    codes: list[int]
    bits: int
    lab: list[float]
    from_truth: float | None


class PixelsRead(BaseModel):
    """A pixel of several pictures, by name."""

    pixels: dict[str, PixelRead]


class ReadPixels(Request[PixelsRead]):
    """Read one place of a frame in several pictures; `x` and `y` in pixels of one of `size`."""

    x: int
    y: int
    frame: int
    size: Size
    pictures: dict[str, list[Path]]


class CutCrops(Request[Done]):
    """Write a part of a frame of several pictures, losslessly at their own depth, into a ZIP archive `out`.

    The names are those of the members; the part is in pixels of one of `size`.
    """

    region: Region
    frame: int
    pictures: dict[str, list[Path]]
    size: Size
    out: Path


class Part(BaseModel):
    """A part of a frame of a picture, in its own pixels."""

    picture: list[Path]
    frame: int
    region: Region


class CutSheet(Request[Done]):
    """Write parts of pictures below one another as one 8-bit PNG, for people to look at."""

    parts: list[Part]
    out: Path


class WriteFrames(Request[Done]):
    """Write all frames of a picture to `out`, losslessly and tagged: a PNG, or a ZIP archive of several.

    The rate is an exact fraction, "24000/1001".
    """

    footage: Footage
    frames: int
    rate: str
    out: Path


class MapMade(BaseModel):
    """The size of a map, its worst place in pixels of the frame, and the mean of the map there."""

    width: int
    height: int
    worst: Region
    value: float


class MakeMap(Request[MapMade]):
    """Write where a frame of a result has a fault to `out`: a grey PNG of 8 bits, white is the end of the scale.

    `others` are the results of other entries, for a map of all.
    """

    map: str
    frame: int
    factor: float
    target: Size
    truth: list[Path]
    input: list[Path]
    result: list[Path]
    others: list[list[Path]] = []
    out: Path


class SpotFound(BaseModel):
    """A place worth looking at, and why."""

    name: str
    why: str
    region: Region


class SpotsSuggested(BaseModel):
    """Places worth looking at."""

    spots: list[SpotFound]


class SuggestSpots(Request[SpotsSuggested]):
    """Look for places worth looking at in a frame of the truth (else the input) and the results, by letter."""

    frame: int
    target: Size
    truth: list[Path]
    input: list[Path]
    results: dict[str, list[Path]]


class InspectModel(Request[ModelCard]):
    """Look into a model that was dropped in."""

    id: str
    path: Path


class FingerprintMade(BaseModel):
    """What a method does in general."""

    found: Fingerprint


class TakeFingerprint(Request[FingerprintMade]):
    """Measure what a method does in general; its plates are written to `out`."""

    method: str
    out: Path
    lane: Path
