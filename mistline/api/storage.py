"""What takes space over HTTP."""

from fastapi import APIRouter

from mistline.api import schemas
from mistline.work import storage

__all__ = ["router"]

router = APIRouter(prefix="/storage", tags=["storage"])


@router.get("", operation_id="storage")
def get_storage() -> schemas.Storage:
    """What takes space, what could go, what is being cleared."""
    found = storage.what_takes_space()
    kept = found.pop("kept")
    sorts = ("originals", "sources", "plates", "takes", "views", "fingerprints", "unneeded", "retired")
    return schemas.Storage(**found, **{sort: kept.get(sort, {}) for sort in sorts})


@router.post("/clear/{what}", status_code=202, operation_id="clearStorage")
def clear_storage(what: storage.What) -> None:
    """Let something go: what was removed, what nothing needs, views, or the frames of retired takes."""
    storage.clear(what)
