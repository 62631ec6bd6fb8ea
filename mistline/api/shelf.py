"""The Shelf over HTTP: kinds, sources, uploads, and the pixels of pictures."""

import re
from collections.abc import Iterator
from typing import Annotated, Any
from uuid import UUID

from fastapi import APIRouter, Form, Query, Response, UploadFile
from fastapi.responses import StreamingResponse

from mistline.api import schemas
from mistline.errors import Conflict
from mistline.store import pictures, sources, trials
from mistline.store.database import connect
from mistline.store.files import media, original_key
from mistline.work import trials as use_cases

__all__ = ["clean_name", "router"]

router = APIRouter(tags=["shelf"])
FOREVER = {"Cache-Control": "public, max-age=31536000, immutable"}


@router.get("/kinds", operation_id="kinds")
def kinds() -> list[schemas.Kind]:
    """All kinds of footage."""
    with connect() as connection:
        return [schemas.Kind(**row) for row in sources.kinds(connection)]


@router.get("/sources", operation_id="sources")
def list_sources(cursor: str | None = None, limit: Annotated[int, Query(ge=1, le=200)] = 60) -> schemas.SourcePage:
    """Sources on the Shelf, newest first."""
    with connect() as connection:
        rows, following = sources.page(connection, cursor, limit)
    return schemas.SourcePage(items=[schemas.Source(**row) for row in rows], next_cursor=following)


def clean_name(name: str | None) -> str:
    """The name of an upload without folders and control characters."""
    base = re.split(r"[\\/]", name or "")[-1]
    return re.sub(r"[\x00-\x1f\x7f]", "", base).strip()[:200] or "unnamed"


@router.post("/sources", status_code=201, operation_id="importSource")
def import_source(file: UploadFile, kind: Annotated[str | None, Form()] = None) -> schemas.Imported:
    """Keep one file; it is read by the worker. A file that is on the Shelf already is not kept twice."""
    row, new = use_cases.import_original(file.file, clean_name(file.filename), kind)
    return schemas.Imported(source=schemas.Source(**row), new=new)


@router.get("/sources/{source_id}", operation_id="source")
def get_source(source_id: UUID) -> schemas.Source:
    """One source."""
    with connect() as connection:
        return schemas.Source(**sources.get(connection, str(source_id)))


@router.patch("/sources/{source_id}", operation_id="editSource")
def edit_source(source_id: UUID, edit: schemas.SourceEdit) -> schemas.Source:
    """Set name, kind or story."""
    with connect() as connection:
        return schemas.Source(**sources.edit(connection, str(source_id), **edit.model_dump()))


@router.delete("/sources/{source_id}", status_code=204, operation_id="removeSource")
def remove_source(source_id: UUID) -> None:
    """Take a source off the Shelf; refused while a trial uses it."""
    with connect() as connection:
        row = sources.get(connection, str(source_id))
        used = trials.count_for_source(connection, str(source_id))
        if used:
            raise Conflict(f"{row['name']} is used by {used} trial{'s'[: used != 1]}; remove them first.")
        sources.delete(connection, str(source_id))


@router.post("/sources/{source_id}/read", status_code=202, operation_id="readAgain")
def read_again(source_id: UUID) -> None:
    """Read a source again that failed."""
    with connect() as connection:
        sources.get(connection, str(source_id))
    use_cases.read_again(str(source_id))


@router.get("/sources/{source_id}/original", operation_id="original", response_class=StreamingResponse)
def original(source_id: UUID) -> StreamingResponse:
    """The untouched original file."""
    with connect() as connection:
        row = sources.get(connection, str(source_id))
    file = media().open(original_key(row["hash"]))

    def pieces() -> Iterator[bytes]:
        with file:
            while piece := file.read(1 << 20):
                yield piece

    plain = re.sub(r"[^\w. -]", "_", row["name"], flags=re.ASCII)
    headers = {
        "Content-Disposition": f'attachment; filename="{plain}"',
        "Content-Length": str(row["file_bytes"]),
    }
    return StreamingResponse(pieces(), media_type="application/octet-stream", headers=headers)


@router.get("/pictures/{picture_id}", operation_id="picture")
def picture(picture_id: str) -> schemas.Picture:
    """Size and levels of a picture."""
    with connect() as connection:
        row = pictures.get(connection, picture_id)
    return schemas.Picture(**row, tile=pictures.TILE)


PNG: dict[int | str, dict[str, Any]] = {200: {"content": {"image/png": {}}}}


def _png(picture_id: str, name: str) -> Response:
    data = media().read(pictures.file_key(_known(picture_id), name))
    return Response(data, media_type="image/png", headers=FOREVER)


def _known(picture_id: str) -> str:
    """Ids are hexadecimal digests; anything else never reaches the media store."""
    if not re.fullmatch(r"[0-9a-f]{64}", picture_id):
        with connect() as connection:
            pictures.get(connection, picture_id)
    return picture_id


@router.get(
    "/pictures/{picture_id}/tiles/{level}/{column}/{row}",
    operation_id="tile",
    responses=PNG,
    response_class=Response,
)
def tile(picture_id: str, level: int, column: int, row: int) -> Response:
    """One tile of the view: 8-bit PNG, exactly the picture's values at level 0."""
    return _png(picture_id, f"view/{level}/{column}_{row}.png")


@router.get("/pictures/{picture_id}/thumbnail", operation_id="thumbnail", responses=PNG, response_class=Response)
def thumbnail(picture_id: str) -> Response:
    """A small picture for lists."""
    return _png(picture_id, "view/thumbnail.png")


@router.get("/pictures/{picture_id}/plate", operation_id="plate", responses=PNG, response_class=Response)
def plate(picture_id: str) -> Response:
    """The whole lossless plate, at its own bit depth."""
    response = _png(picture_id, "plate.png")
    response.headers["Content-Disposition"] = f'attachment; filename="{picture_id[:12]}.png"'
    return response
