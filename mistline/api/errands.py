"""Remote services over HTTP: what they offer for a trial, and errands to them."""

from uuid import UUID

from fastapi import APIRouter, Depends

from mistline.api import schemas
from mistline.api.recipes import known_models
from mistline.errors import Conflict
from mistline.store import errands, trials
from mistline.store.database import connect
from mistline.work import errands as use_cases

__all__ = ["router"]

router = APIRouter(tags=["services"], dependencies=[Depends(known_models)])


@router.get("/trials/{trial_id}/errands", operation_id="errands")
def get_errands(trial_id: UUID) -> schemas.Errands:
    """What services would do for a trial, and what has been sent to them."""
    found = use_cases.offers(str(trial_id))
    with connect() as connection:
        budget = trials.get(connection, str(trial_id))["budget"]
        rows = errands.of_trial(connection, str(trial_id))
        spent = errands.spent(connection, str(trial_id))
    return schemas.Errands(
        offers=[
            schemas.Offer(
                connector=one.connector.id, name=one.connector.name, fee=one.fee, currency=one.connector.fee.currency,
                refused=one.refused, takes=schemas.ErrandTakes(**vars(one.takes)) if one.takes else None,
            )
            for one in found
        ],
        errands=[schemas.Errand(**row) for row in rows], budget=budget, spent=spent,
    )  # fmt: skip


@router.post("/trials/{trial_id}/errands", status_code=202, operation_id="sendErrand")
def send(trial_id: UUID, asked: schemas.ErrandRequest) -> schemas.Created:
    """Send the input of a trial to a service; its result becomes an entry."""
    return schemas.Created(id=UUID(use_cases.send(str(trial_id), asked.connector)))


@router.put("/trials/{trial_id}/budget", status_code=204, operation_id="setBudget")
def set_budget(trial_id: UUID, asked: schemas.Budget) -> None:
    """Say what a trial may spend on services."""
    with connect() as connection:
        errands.set_budget(connection, str(trial_id), asked.budget)


@router.post("/errands/{errand_id}/cancel", status_code=204, operation_id="cancelErrand")
def cancel(errand_id: UUID) -> None:
    """Give an errand up; what the service has begun it may charge all the same."""
    if not use_cases.cancel(str(errand_id)):
        raise Conflict("This errand is over already, so there is nothing to cancel.")
