"""What goes over the wire; the web client's types are generated from these."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, Field, computed_field

from mistline.core.choose.ranking import Mark
from mistline.core.choose.suggest import suggest_kind
from mistline.core.degrade.setup import Setup
from mistline.core.methods import ModelCard, Traits
from mistline.core.methods.recipe import Blend, Pass
from mistline.core.timing.machine import Machine
from mistline.work.requests import Timing

State = Literal["waiting", "running", "done", "failed", "cancelled"]


class Problem(BaseModel):
    """An error, as a problem document (RFC 9457); `detail` is the sentence for people."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str


class Kind(BaseModel):
    """A kind of footage."""

    id: str
    name: str


class Stretch(BaseModel):
    """A part of a clip that is worth trying, and why."""

    first: int
    frames: int
    reason: str


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
    frames: int = 1
    rate: str | None = Field(
        None, description='frames a second as an exact fraction, "24000/1001"; none for a still'
    )
    codec: str = ""
    scan: str = ""
    bits_a_second: float | None = None
    sound: list[str] = []
    strip: list[int] = Field([0], description="frames that are there as small pictures")
    refused: str = Field("", description="why nothing can be measured on it; empty if it can")
    shots: list[int] | None = Field(
        None, description="first frame of each shot; none until a clip was looked through"
    )
    stretches: list[Stretch] = Field([], description="parts of a clip worth trying")


class KindSuggested(BaseModel):
    """The kind that the traits of a source point to, and why."""

    kind: str
    reason: str


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


class SourcePage(BaseModel):
    """A page of the Shelf."""

    items: list[Source]
    next_cursor: str | None


class SourceEdit(BaseModel):
    """Fields to change; what is left out stays."""

    name: str | None = Field(None, min_length=1, max_length=200)
    kind: str | None = None
    story: str | None = Field(None, max_length=400)


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


class RecipeItem(BaseModel):
    """A recipe, its passes, and the passes in words."""

    id: UUID
    name: str
    words: str
    passes: list[Pass]
    blend: Blend | None
    resizes: bool
    reach: int = Field(description="frames before and after that it looks at; 0 where it works on each by itself")
    shipped: bool


class MethodShown(BaseModel):
    """A method as the catalogue and the recipe editor show it; `form` is the JSON Schema of its settings."""

    id: str
    version: int
    name: str
    family: str
    summary: str
    reference: str
    form: dict[str, object]
    defaults: dict[str, object]
    limits: str
    resizes: bool
    card: ModelCard | None


class Model(BaseModel):
    """A model that was dropped in; once ready it is a method of the same id."""

    id: str
    name: str
    file_bytes: int
    state: Literal["waiting", "inspecting", "ready", "failed"]
    error: str | None
    created_at: datetime


class ImportedModel(BaseModel):
    """The answer to a dropped-in model: the model, and whether its content was not there yet."""

    model: Model
    new: bool


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


class Suggested(BaseModel):
    """A recipe worth trying, and why."""

    recipe_id: UUID
    reason: str


class PlanRequest(BaseModel):
    """A trial that somebody thinks of running."""

    source_id: UUID
    setup: Setup
    recipe_ids: list[UUID] = Field(max_length=40)
    first: int = Field(0, ge=0, lt=2**31, description="first frame of the part that is tried")
    frames: int | None = Field(None, ge=1, lt=2**31, description="frames of the part; all there are if empty")


class PlanAnswer(BaseModel):
    """What that trial would do, in numbers."""

    source: Pixels
    truth: Pixels
    input: Pixels
    cropped: list[int] = Field(description="pixels taken off across and down")
    factors: list[float] = Field(description="reached across and down")
    share: float
    takes: int
    repeats: int
    frames: int
    forecasts: list[Outlook]
    suggested: list[Suggested]


class TrialRequest(PlanRequest):
    """A trial to run."""

    name: str = Field("", max_length=120)


class Created(BaseModel):
    """The id of something new."""

    id: UUID


class TrialItem(BaseModel):
    """A trial in the list."""

    id: UUID
    name: str
    words: str
    source_id: UUID
    source_name: str
    kind: str | None
    picture_id: str | None
    takes: int
    done: int
    ended: int
    pick: str | None
    created_at: datetime


class TrialPage(BaseModel):
    """A page of trials."""

    items: list[TrialItem]
    next_cursor: str | None


class PassShown(BaseModel):
    """One pass of an entry: name, settings that differ from the defaults, and all settings it ran with."""

    name: str
    changed: dict[str, object]
    settings: dict[str, object]


class Score(BaseModel):
    """A figure and the parts behind it. Without a value it is infinite, or the note says why there is none."""

    value: float | None
    parts: dict[str, float]
    note: str
    frames: list[float | None] | None = Field(None, description="frame by frame, where there are several")


class Entry(BaseModel):
    """An entry of a trial with its take."""

    letter: str
    name: str
    control: Literal["truth", "nearest"] | None
    words: str
    passes: list[PassShown]
    take_key: str
    state: State
    stage: str
    progress: float
    seconds_left: float | None
    error: str | None
    picture_id: str | None
    file_bytes: int | None
    clipped: float | None
    timing: Timing | None
    machine: Machine | None
    scores: dict[str, Score]
    marks: dict[str, Mark]
    sentence: str = Field(description="what the result does to the picture, each statement with its number")


class MeasureShown(BaseModel):
    """A measure as the table's head shows it."""

    id: str
    name: str
    unit: str
    better: str
    heading: str
    meaning: str
    source: str
    digits: int
    tie: float


class Pair(BaseModel):
    """Two entries by their letters."""

    first: str
    second: str


class RegionRequest(BaseModel):
    """A rectangle in pixels of the truth."""

    left: int = Field(ge=0)
    top: int = Field(ge=0)
    width: int = Field(ge=11, description="11 at least, the window of SSIM")
    height: int = Field(ge=11)
    frame: int = Field(0, ge=0, lt=2**31, description="of the trial's part")


class PreviewRequest(BaseModel):
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


class Verdict(BaseModel):
    """A decision with its reasons."""

    id: int
    kind: str
    pick: str
    pick_name: str
    fallback: str | None
    fallback_name: str | None
    reasons: str
    created_at: datetime


class VerdictRequest(BaseModel):
    """A verdict to write."""

    kind: str
    pick: str = Field(min_length=1, max_length=2)
    fallback: str | None = None
    reasons: str = Field(min_length=1, max_length=4000)


class Trial(BaseModel):
    """A whole trial: what its page needs."""

    id: UUID
    name: str
    words: str
    setup: Setup
    plan: PlanAnswer
    source_id: UUID
    source_name: str
    kind: str | None
    bit_depth: int
    first: int
    frames: int
    source_frames: int = Field(description="all frames of the source; the trial is about a part of them")
    rate: str | None = Field(description='frames a second as an exact fraction, "24000/1001"; none for a still')
    truth_picture: str | None
    input_picture: str | None
    input_traits: Traits | None
    entries: list[Entry]
    measures: list[MeasureShown]
    front: list[str]
    same: list[Pair] = Field(description="pairs of entries that no eye can tell apart")
    verdicts: list[Verdict]
    created_at: datetime


class PlaybookVerdict(BaseModel):
    """A verdict as the Playbook shows it."""

    trial_id: UUID
    trial_name: str
    source_name: str
    picture_id: str | None
    setup_words: str
    pick: str
    pick_name: str
    pick_words: str
    pick_seconds: float | None
    pick_ssim: float | None
    fallback: str | None
    fallback_name: str | None
    fallback_seconds: float | None
    reasons: str
    created_at: datetime


class PlaybookKind(BaseModel):
    """The standing choice for a kind: its newest verdict, with the earlier ones behind it."""

    kind: str
    kind_name: str
    verdicts: list[PlaybookVerdict]


class QueueItem(BaseModel):
    """A take that runs or waits."""

    key: str
    state: State
    stage: str
    progress: float
    seconds_left: float | None
    trial_id: UUID
    trial_name: str
    letter: str
    entry_name: str


class Queue(BaseModel):
    """The run dock: what runs and waits, and the time left for all of it (None: not known yet)."""

    items: list[QueueItem]
    seconds_left: float | None
    failed: int = Field(description="takes of any trial that failed and could run again")


class Count(BaseModel):
    """How many things an action touched."""

    count: int
