"""The price book and the job of a trial over HTTP."""

from uuid import UUID

from fastapi import APIRouter

from mistline.api import schemas
from mistline.core.timing.cost import Job
from mistline.store import prices
from mistline.store.database import connect

__all__ = ["router"]

router = APIRouter(tags=["prices"])


@router.get("/prices", operation_id="prices")
def get_prices() -> schemas.PriceBookShown:
    """The price book."""
    with connect() as connection:
        book, version = prices.get(connection)
    return schemas.PriceBookShown(version=version, book=book)


@router.put("/prices", operation_id="putPrices")
def put_prices(changed: schemas.PriceBookShown) -> schemas.PriceBookShown:
    """Change the price book that was read at a version; refused where somebody else has changed it since."""
    with connect() as connection:
        version = prices.put(connection, changed.book, changed.version)
    return schemas.PriceBookShown(version=version, book=changed.book)


@router.put("/trials/{trial_id}/job", status_code=204, operation_id="setJob")
def set_job(trial_id: UUID, job: Job) -> None:
    """Say what work a trial is about: how many frames, how often a year."""
    with connect() as connection:
        prices.set_job(connection, str(trial_id), job)
