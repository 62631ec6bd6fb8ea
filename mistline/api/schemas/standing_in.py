"""Stand-ins for a truth on the wire."""

from uuid import UUID

from pydantic import BaseModel, Field

from mistline.core.choose.analogy import Analogy
from mistline.core.choose.stand_in import Compared
from mistline.core.setup import TruthSetup
from mistline.core.typed import Typed

__all__ = ["MeasureNamed", "StandInCandidate", "StandInRequest", "StandInShown", "StandIns"]


class StandInCandidate(BaseModel):
    """Material on the Shelf that can stand in, and a word why."""

    source_id: UUID
    name: str
    kind: str | None
    picture_id: str | None
    why: str


class StandInShown(BaseModel):
    """A trial that stands in."""

    trial_id: UUID
    source_name: str
    words: str
    done: int
    takes: int
    failed: int
    compared: list[Compared] = Field(description="traits of the real source and of this one's input")
    values: dict[str, float | None] = Field(
        description="the measure by the letters of the real trial; none where it is infinite"
    )


class MeasureNamed(BaseModel):
    """A measure by which stand-ins can foretell."""

    id: str
    name: str
    unit: str
    digits: int


class StandIns(BaseModel):
    """What could stand in for the truth of a trial that has none, what does, and what that foretells."""

    setup: TruthSetup = Field(description="damages as the real source seems to be damaged")
    words: str
    reasons: list[str]
    left_out: list[str] = Field(description="what the set-up does not imitate")
    candidates: list[StandInCandidate]
    stand_ins: list[StandInShown]
    measure: str
    measures: list[MeasureNamed]
    analogy: Analogy


class StandInRequest(Typed):
    """Material to try a trial's recipes on, and how to damage it."""

    source_ids: list[UUID] = Field(min_length=1, max_length=12)
    setup: TruthSetup
    soft: bool = Field(True, description="blur each so far that its edges rise as those of the real source do")
