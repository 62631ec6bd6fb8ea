"""The Shelf over HTTP: kinds, sources, uploads, and the pixels of pictures."""

import asyncio
import re
import time
from base64 import b64encode
from collections.abc import Callable, Coroutine
from typing import Annotated, Any
from uuid import UUID

from fastapi import APIRouter, Form, Query, Request, Response, UploadFile
from fastapi.responses import StreamingResponse
from fastapi.routing import APIRoute

from mistline.api import schemas
from mistline.api.download import as_file, in_pieces
from mistline.core.colour import ReadAs
from mistline.core.frame import Region
from mistline.core.plain import plain
from mistline.errors import Conflict, Damaged, NotFound
from mistline.store import pictures, sources, trials
from mistline.store.database import Row, connect
from mistline.store.files import media, original_key
from mistline.work import parts
from mistline.work import trials as use_cases
from mistline.work.requests import Axis, View

__all__ = ["FOREVER", "PNG", "ManyFiles", "clean_name", "of_frame", "router"]

MAKING_SECONDS = 20.0
MOST_THUMBNAILS = 60  # in one answer
MOST_FRAMES = 10_000  # in one request
VIEWS: dict[str, View] = {pictures.WHOLE: "whole", pictures.THUMBNAIL: "small"}
FOREVER = {"Cache-Control": "public, max-age=31536000, immutable"}


class ManyFiles(APIRoute):
    """A route whose forms may hold as many files as a sequence has frames."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        """Read the form with the higher limit first; the request keeps it for whoever asks after."""
        handle = super().get_route_handler()

        async def handle_form(request: Request) -> Response:
            await request.form(max_files=MOST_FRAMES)
            return await handle(request)

        return handle_form


router = APIRouter(tags=["shelf"])
sequence_router = APIRouter(tags=["shelf"], route_class=ManyFiles)


@router.get("/kinds", operation_id="kinds")
def kinds() -> list[schemas.Kind]:
    """All kinds of footage."""
    with connect() as connection:
        return [schemas.Kind(**row) for row in sources.kinds(connection)]


@router.get("/sources", operation_id="sources")
def list_sources(asked: Annotated[schemas.SourceAsked, Query()]) -> schemas.SourcePage:
    """Sources on the Shelf that answer what is asked, newest first."""
    with connect() as connection:
        rows, following = sources.page(connection, asked.model_dump(), asked.cursor, asked.limit)
    return schemas.SourcePage(items=[schemas.Source(**row) for row in rows], next_cursor=following)


# The version of something that was read and is to be changed.
ReadAt = Annotated[int | None, Query(ge=1, lt=2**31)]


def clean_name(name: str | None) -> str:
    """The name of an upload without folders and control characters."""
    return plain(re.split(r"[\\/]", name or "")[-1], 200) or "unnamed"


@router.post("/sources", status_code=201, operation_id="importSource")
def import_source(file: UploadFile, kind: Annotated[str | None, Form()] = None) -> schemas.Imported:
    """Keep one file; it is read by the worker. A file that is on the Shelf already is not kept twice."""
    row, new = use_cases.import_original(file.file, clean_name(file.filename), kind)
    return schemas.Imported(source=schemas.Source(**row), new=new)


@sequence_router.post("/sequences", status_code=201, operation_id="importSequence")
def import_sequence(
    files: list[UploadFile], rate: Annotated[str, Form(pattern=r"^\d{1,6}(/\d{1,6}|\.\d{1,3})?$")] = "24"
) -> schemas.Imported:
    """Keep numbered frames as one source, a clip of so many frames a second ("24", "24000/1001")."""
    frames = [(clean_name(file.filename), file.file) for file in files]
    row, new = use_cases.import_sequence(frames, rate)
    return schemas.Imported(source=schemas.Source(**row), new=new)


@router.get("/sources/{source_id}", operation_id="source")
def get_source(source_id: UUID) -> schemas.Source:
    """One source."""
    with connect() as connection:
        return schemas.Source(**sources.get(connection, str(source_id)))


@router.patch("/sources/{source_id}", operation_id="editSource")
def edit_source(source_id: UUID, edit: schemas.SourceEdit, version: ReadAt = None) -> schemas.Source:
    """Set name, kind or story; refused where name or story is no longer of the version named."""
    with connect() as connection:
        return schemas.Source(**sources.edit(connection, str(source_id), edit.model_dump(), version))


@router.delete("/sources/{source_id}", status_code=204, operation_id="removeSource")
def remove_source(source_id: UUID) -> None:
    """Take a source off the Shelf; refused while a trial uses it. For a day it can be restored."""
    with connect() as connection:
        row = sources.get(connection, str(source_id))
        used = trials.count_for_source(connection, str(source_id))
        if used:
            raise Conflict(f"{row['name']} is used by {used} trial{'s'[: used != 1]}; remove them first.")
        sources.remove(connection, str(source_id))


@router.post("/sources/{source_id}/restore", status_code=204, operation_id="restoreSource")
def restore_source(source_id: UUID) -> None:
    """Put a removed source back on the Shelf."""
    with connect() as connection:
        sources.restore(connection, str(source_id))


@router.post("/sources/{source_id}/read", status_code=202, operation_id="readAgain")
def read_again(source_id: UUID) -> None:
    """Read a source again that failed."""
    with connect() as connection:
        sources.get(connection, str(source_id))
    use_cases.read_again(str(source_id))


@router.put("/sources/{source_id}/colour", status_code=202, operation_id="readOtherwise")
def read_otherwise(source_id: UUID, how: ReadAs) -> None:
    """Read a clip by this matrix and range, where its tags are missing or wrong; refused while trials use it."""
    use_cases.read_otherwise(str(source_id), how)


@router.post("/sources/{source_id}/parts", status_code=201, operation_id="importPart")
async def import_part(source_id: UUID, place: schemas.Place) -> schemas.Source:
    """Put a part of a still on the Shelf as a source of its own, cut losslessly."""
    part = Region(place.left, place.top, place.width, place.height)
    return schemas.Source(**await parts.import_part(str(source_id), part))


@router.get("/sources/{source_id}/original", operation_id="original", response_class=StreamingResponse)
def original(source_id: UUID) -> StreamingResponse:
    """The untouched original file."""
    with connect() as connection:
        row = sources.get(connection, str(source_id))
    file = media().open(original_key(row["hash"]))
    headers = {**as_file(row["name"]), "Content-Length": str(row["file_bytes"])}
    return StreamingResponse(in_pieces(file), media_type="application/octet-stream", headers=headers)


@router.get("/pictures/{picture_id}", operation_id="picture")
def picture(picture_id: str) -> schemas.Picture:
    """Size and levels of a picture."""
    with connect() as connection:
        row = pictures.get(connection, picture_id)
    return schemas.Picture(**row, tile=pictures.TILE)


PNG: dict[int | str, dict[str, Any]] = {200: {"content": {"image/png": {}}}}


async def of_frame(picture_id: str, frame: int, name: str) -> Response:
    """A file of a frame's view."""

    def make() -> None:
        use_cases.cut_view(picture_id, frame, VIEWS.get(name, "tiles"))

    return await _png(
        picture_id, f"{frame}/{name}", lambda picture: pictures.has(picture, f"{frame}/{name}"), make
    )


async def _png(picture_id: str, name: str, can_be: Callable[[Row], bool], make: Callable[[], None]) -> Response:
    """A file of a picture's view; one that is missing or damaged is made meanwhile, or that is said."""
    if not pictures.is_id(picture_id):
        raise NotFound("There is no such picture.")
    asked, deadline = False, time.monotonic() + MAKING_SECONDS
    while True:
        data = await asyncio.to_thread(pictures.part, picture_id, name)
        if data is not None:
            return Response(data, media_type="image/png", headers=FOREVER)
        if not asked and not await asyncio.to_thread(_can_be, picture_id, can_be):
            raise NotFound("There is no such picture, or no such part of it.")
        if time.monotonic() > deadline:
            raise Damaged(picture_id)
        if not asked:
            await asyncio.to_thread(make)
        asked = True
        await asyncio.sleep(0.2)


def _can_be(picture_id: str, test: Callable[[Row], bool]) -> bool:
    with connect() as connection:
        return test(pictures.get(connection, picture_id))


@router.get(
    "/pictures/{picture_id}/frames/{frame}/tiles/{level}/{column}/{row}",
    operation_id="tile",
    responses=PNG,
    response_class=Response,
)
async def tile(picture_id: str, frame: int, level: int, column: int, row: int) -> Response:
    """One tile of a frame's view: 8-bit PNG, exactly the frame's values at level 0. A still's frame is 0."""
    return await of_frame(picture_id, frame, f"{level}/{column}_{row}.png")


@router.get(
    "/pictures/{picture_id}/frames/{frame}/thumbnail",
    operation_id="thumbnail",
    responses=PNG,
    response_class=Response,
)
async def thumbnail(picture_id: str, frame: int) -> Response:
    """A small picture for lists."""
    return await of_frame(picture_id, frame, pictures.THUMBNAIL)


@router.get("/thumbnails", operation_id="thumbnails")
def thumbnails(
    of: Annotated[list[str], Query(min_length=1, max_length=MOST_THUMBNAILS)], response: Response
) -> schemas.Thumbnails:
    """The small pictures of a list, each of its first frame; one that has to be made first is left out."""
    found = {each: pictures.part(each, f"0/{pictures.THUMBNAIL}") for each in of if pictures.is_id(each)}
    if len(found) == len(set(of)) and None not in found.values():
        response.headers.update(FOREVER)
    return schemas.Thumbnails(png={each: b64encode(data).decode() for each, data in found.items() if data})


@router.get(
    "/pictures/{picture_id}/frames/{frame}/plate", operation_id="plate", responses=PNG, response_class=Response
)
async def plate(picture_id: str, frame: int) -> Response:
    """The whole lossless frame as PNG, at its own bit depth."""
    response = await of_frame(picture_id, frame, pictures.WHOLE)
    response.headers.update(as_file(f"{picture_id[:12]}-{frame:06d}.png"))
    return response


@router.get(
    "/pictures/{picture_id}/slices/{axis}/{at}", operation_id="slice", responses=PNG, response_class=Response
)
async def slice_over_time(picture_id: str, axis: Axis, at: int) -> Response:
    """One row of a picture over all its frames, time going down; or one column, time going right. 8-bit PNG."""

    def can_be(picture: Row) -> bool:
        length = picture["height"] if axis == "row" else picture["width"]
        return 0 <= at < length and 1 < picture["frames"] <= use_cases.MAX_FRAMES

    name = pictures.slice_name(axis, at)
    return await _png(picture_id, name, can_be, lambda: use_cases.cut_slice(picture_id, axis, at))


router.include_router(sequence_router)
