"""Is it alive, and is it ready? For those who watch over it; there is no data in the answers."""

from fastapi import APIRouter, Response
from pydantic import BaseModel

from mistline.store.database import connect
from mistline.store.files import media

__all__ = ["router"]

router = APIRouter(prefix="/health", tags=["health"])


class Health(BaseModel):
    """What answers and what does not."""

    ready: bool
    missing: list[str]


@router.get("/live", operation_id="live")
def live() -> Health:
    """The web process answers."""
    return Health(ready=True, missing=[])


@router.get("/ready", operation_id="ready", responses={503: {"model": Health}})
def ready(response: Response) -> Health:
    """The database and the media store answer too; else 503 with what does not."""
    missing = []
    try:
        with connect() as connection:
            connection.execute("select 1")
    except Exception:
        missing.append("database")
    if not media().answers():
        missing.append("media store")
    response.status_code = 503 if missing else 200
    return Health(ready=not missing, missing=missing)
