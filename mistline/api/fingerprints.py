"""Fingerprints of methods over HTTP: what each does in general, and how two of them differ."""

from fastapi import APIRouter, Depends, Response

from mistline.api import schemas
from mistline.api.recipes import known_models
from mistline.api.shelf import FOREVER, PNG
from mistline.core.fingerprint import Difference, Fingerprint, differences
from mistline.core.methods import METHODS
from mistline.errors import Conflict
from mistline.store import fingerprints
from mistline.store.database import connect
from mistline.work.fingerprinting import measure_methods

__all__ = ["router"]

router = APIRouter(tags=["fingerprints"], dependencies=[Depends(known_models)])


@router.get("/fingerprints", operation_id="fingerprints")
def list_fingerprints() -> list[schemas.FingerprintShown]:
    """What methods do in general, of every version that was measured, newest first."""
    with connect() as connection:
        return [
            schemas.FingerprintShown(**row) for row in fingerprints.every(connection) if row["method"] in METHODS
        ]


@router.post("/fingerprints", status_code=202, operation_id="measureMethods")
def measure(asked: schemas.ToMeasure) -> schemas.Count:
    """Measure methods, or all of them, that have not been measured in their version; how many will be."""
    return schemas.Count(count=measure_methods(asked.methods))


def _found(method: str, version: int) -> Fingerprint:
    with connect() as connection:
        shown = schemas.FingerprintShown(**fingerprints.get(connection, method, version))
    if shown.found is None:
        raise Conflict("This version of the method is not measured yet; wait until it is, or measure it again.")
    return shown.found


@router.get("/fingerprints/{method}/{version}/beside/{other}/{other_version}", operation_id="compareMethods")
def compare(method: str, version: int, other: str, other_version: int) -> list[Difference]:
    """All figures of two methods or versions, and in words what changes from the first to the second."""
    return differences(_found(method, version), _found(other, other_version))


@router.get(
    "/fingerprints/{method}/{version}/{plate}.png",
    operation_id="methodPlate",
    response_class=Response,
    responses=PNG,
)
def plate(method: str, version: int, plate: fingerprints.Plate, charts: int = 0) -> Response:
    """The standard plate or the rings, as the method was given them or made them; `charts` only names the version."""
    with connect() as connection:
        fingerprints.get(connection, method, version)
    return Response(fingerprints.plate(method, version, plate), media_type="image/png", headers=FOREVER)
