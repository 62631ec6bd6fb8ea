"""Stand-ins for a truth over HTTP."""

import math
from uuid import UUID

from fastapi import APIRouter, Depends

from mistline.api import schemas
from mistline.api.recipes import known_models
from mistline.core.measure import MEASURES
from mistline.work import standing_in

__all__ = ["router"]

router = APIRouter(tags=["stand-ins"], dependencies=[Depends(known_models)])


def _shown(one: standing_in.StandIn, measure: str) -> schemas.StandInShown:
    sign = 1 if MEASURES[measure].better == "higher" else -1
    values = {letter: sign * worth if math.isfinite(worth) else None for letter, worth in one.values.items()}
    return schemas.StandInShown(
        trial_id=one.row["id"], source_name=one.row["source_name"], words=one.setup.words(), done=one.done,
        takes=one.takes, failed=one.failed, compared=one.compared, values=values,
    )  # fmt: skip


@router.get("/trials/{trial_id}/stand-ins", operation_id="standIns")
def get_stand_ins(trial_id: UUID, measure: str | None = None) -> schemas.StandIns:
    """What could stand in for the truth of a trial without one, what does, and what that foretells by a measure."""
    found = standing_in.outlook(str(trial_id), measure)
    return schemas.StandIns(
        setup=found.damage.setup, words=found.damage.setup.words(), reasons=found.damage.reasons,
        left_out=found.damage.left_out, measure=found.measure, analogy=found.analogy,
        candidates=[
            schemas.StandInCandidate(
                source_id=row["id"], name=row["name"], kind=row["kind"], picture_id=row["picture_id"], why=why
            )
            for row, why in found.candidates
        ],
        stand_ins=[_shown(one, found.measure) for one in found.stand_ins],
        measures=[
            schemas.MeasureNamed(id=one.id, name=one.name, unit=one.unit, digits=one.digits)
            for one in MEASURES.values()
            if one.meaning and one.better
        ],
    )  # fmt: skip


@router.post("/trials/{trial_id}/stand-ins", status_code=201, operation_id="standIn")
def stand_in(trial_id: UUID, request: schemas.StandInRequest) -> list[UUID]:
    """Try the recipes of a trial without a truth on material that has one; the ids of the new trials."""
    ids = [str(key) for key in request.source_ids]
    return [UUID(key) for key in standing_in.start(str(trial_id), ids, request.setup, soft=request.soft)]
