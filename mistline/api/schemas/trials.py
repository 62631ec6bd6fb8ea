"""Trials, their entries and scores on the wire."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, Field

from mistline.api.schemas.looking import Standing
from mistline.api.schemas.plans import PlanAnswer, PlanRequest
from mistline.api.schemas.prices import TrialCost
from mistline.api.schemas.shelf import Picture
from mistline.core.choose.arrival import Finding
from mistline.core.choose.ranking import Mark
from mistline.core.methods import Traits
from mistline.core.setup import Setup
from mistline.core.timing.machine import Machine
from mistline.work.delivering import Stated
from mistline.work.requests import Timing

__all__ = [
    "BreakEven",
    "Created",
    "Delivered",
    "Enlarging",
    "Entry",
    "MeasureShown",
    "Pair",
    "PassShown",
    "Score",
    "SettingShown",
    "SideBySide",
    "State",
    "Trial",
    "TrialItem",
    "TrialPage",
    "TrialRequest",
    "Verdict",
    "VerdictRequest",
]

State = Literal["waiting", "running", "done", "failed", "cancelled"]


class TrialRequest(PlanRequest):
    """A trial to run."""

    name: str = Field("", max_length=120)


class Delivered(BaseModel):
    """The letter of an entry that was made elsewhere."""

    letter: str


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
    standing: Standing | None
    standing_reason: str
    sentence: str = Field(description="what the result does to the picture, each statement with its number")
    stated: Stated | None = Field(
        description="what is said of a result made elsewhere; none for what was made here"
    )
    other_size: bool = Field(description="a result made elsewhere that was refused for its size")
    findings: list[Finding] = Field(description="what was found of a result made elsewhere when it arrived")


class MeasureShown(BaseModel):
    """A measure as the table's head shows it."""

    id: str
    name: str
    unit: str
    better: str = Field(description="which side is better; empty where nobody can tell")
    heading: str
    meaning: str
    source: str
    digits: int
    tie: float


class SettingShown(BaseModel):
    """A setting of two entries; empty where one has none."""

    name: str
    first: str
    second: str
    differs: bool


class SideBySide(BaseModel):
    """How two entries were made, what differs first; and by measure (and "time") the better one's letter, or "tied"."""

    settings: list[SettingShown]
    better: dict[str, str]


class Pair(BaseModel):
    """Two entries by their letters."""

    first: str
    second: str


class Verdict(BaseModel):
    """A decision with its reasons."""

    id: int
    kind: str
    pick: str
    pick_name: str
    fallback: str | None
    fallback_name: str | None
    reasons: str
    author: str = Field(description="a nickname; empty where none was given")
    created_at: datetime


class VerdictRequest(BaseModel):
    """A verdict to write."""

    kind: str
    pick: str = Field(min_length=1, max_length=2)
    fallback: str | None = None
    reasons: str = Field(min_length=1, max_length=4000)
    author: str = Field("", max_length=40, description="a nickname")
    view: str = Field(
        "", max_length=1000, pattern=r"^[\w=&%.,*+-]*$", description="how it was looked at, as a query"
    )


class Enlarging(BaseModel):
    """What an entry takes for a frame, beside the native way."""

    letter: str
    seconds: float
    stated: bool = Field(description="said by people, not measured")
    share: float = Field(description="all of the shortcut over the native way; it pays below 1")
    used: float | None = Field(
        description="of what the shortcut leaves for enlarging; none where it leaves nothing"
    )


class BreakEven(BaseModel):
    """Does it pay to make the picture small and enlarge it? Seconds a frame."""

    native: float
    small: float
    transfer: float
    left: float
    entries: list[Enlarging]


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
    has_truth: bool
    factor: float = Field(
        description="target over input; for a target that is not a factor, what it comes to across"
    )
    truth_picture: str | None
    input_picture: str | None
    input_traits: Traits | None
    pictures: list[Picture] = Field(description="of truth, input and entries, as far as they are made")
    entries: list[Entry]
    measures: list[MeasureShown]
    lead: str = Field(description="the measure that is looked at first")
    evidence: list[str] = Field(description="measures that speak for an entry, by the kind of footage")
    fronts: dict[str, list[str]] = Field(
        description="by measure, the entries that none beats in it and in time, the fastest first"
    )
    beaten: dict[str, list[str]] = Field(
        description="for an entry those that are no worse in any figure, better in one and not slower"
    )
    stands_in_for: UUID | None = Field(description="the trial without a truth that this one stands in for")
    break_even: BreakEven | None = Field(
        description="for a test against a native version of which the times were said"
    )
    cost: TrialCost
    same: list[Pair] = Field(description="pairs of entries that no eye can tell apart")
    verdicts: list[Verdict]
    created_at: datetime
