"""Looking over HTTP: measure a part, spots and their scores, remarks, what is thought of entries, maps of faults."""

import asyncio
import re
from contextlib import ExitStack
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Depends, Query, Response
from fastapi.responses import StreamingResponse
from pydantic import Field

from mistline.api import schemas
from mistline.api.download import as_file, in_pieces
from mistline.api.recipes import known_models
from mistline.api.shelf import FOREVER, PNG
from mistline.api.trials import within
from mistline.core.choose.defects import DEFECTS
from mistline.core.frame import Region
from mistline.core.measure.maps import MAPS
from mistline.errors import NotFound
from mistline.store import pictures, spots, trials
from mistline.store.database import connect
from mistline.store.files import media
from mistline.work import looking
from mistline.work.requests import PixelRead
from mistline.work.sheets import sheet

__all__ = ["router"]

router = APIRouter(tags=["look"], dependencies=[Depends(known_models)])


def _region(place: schemas.Place) -> Region:
    return Region(place.left, place.top, place.width, place.height)


@router.post("/trials/{trial_id}/regions", operation_id="measureRegion")
async def measure_region(trial_id: UUID, place: schemas.PartRequest) -> list[schemas.Entry]:
    """The finished entries with the scores that they have within a region; nothing is kept."""
    found = await looking.measure_region(str(trial_id), _region(place), place.frame, place.measures)
    return await asyncio.to_thread(within, str(trial_id), found)


@router.post("/trials/{trial_id}/pixels", operation_id="readPixels")
async def read_pixels(trial_id: UUID, pixel: schemas.PixelRequest) -> dict[str, PixelRead]:
    """The exact values at a pixel of the truth: of truth, input and every finished entry by its letter."""
    return await looking.read_pixels(str(trial_id), pixel.x, pixel.y, pixel.frame)


@router.get("/trials/{trial_id}/crops.zip", operation_id="crops", response_class=StreamingResponse)
async def get_crops(trial_id: UUID, place: Annotated[schemas.Place, Query()]) -> StreamingResponse:
    """A part of truth, input and every finished entry: lossless PNG at their own depth, in a ZIP archive."""
    with ExitStack() as stack:
        folder = stack.enter_context(media().workspace())
        path = await looking.cut_crops(str(trial_id), _region(place), place.frame, folder)
        kept = stack.pop_all()
    name = f"crops {place.left}-{place.top} {place.width}x{place.height}.zip"
    headers = {**as_file(name), "Content-Length": str(path.stat().st_size)}
    return StreamingResponse(in_pieces(path.open("rb"), kept), media_type="application/zip", headers=headers)


PART = r"^[0-9a-f]{64}-\d{1,6}/\d{1,6},\d{1,6},\d{1,6},\d{1,6}$"
Part = Annotated[str, Field(pattern=PART, description="<picture>-<frame>/<left>,<top>,<width>,<height>")]


@router.get("/sheet", operation_id="sheet", responses=PNG, response_class=Response)
async def get_sheet(part: Annotated[list[Part], Query(min_length=1, max_length=64)]) -> Response:
    """Parts of pictures, in their own pixels, below one another: one 8-bit PNG with the values that the tiles have."""
    wanted = []
    for each in part:
        picture, _, place = each.partition("/")
        picture_id, _, frame = picture.partition("-")
        wanted.append((picture_id, int(frame), Region(*(int(side) for side in place.split(",")))))
    return Response(await sheet(tuple(wanted)), media_type="image/png", headers=FOREVER)


@router.get("/trials/{trial_id}/spots", operation_id="spots")
def get_spots(trial_id: UUID) -> list[schemas.Spot]:
    """The spots of the trial's source that lie in what the trial is about."""
    return [schemas.Spot(**row) for row in looking.spots_of(str(trial_id))]


@router.post("/trials/{trial_id}/spots", status_code=201, operation_id="addSpot")
def add_spot(trial_id: UUID, spot: schemas.SpotRequest) -> schemas.Spot:
    """Mark a spot; every trial of the same source has it."""
    row = looking.add_spot(str(trial_id), spot.name.strip(), spot.note.strip(), _region(spot), spot.frame)
    return schemas.Spot(**row)


@router.patch("/spots/{spot_id}", status_code=204, operation_id="editSpot")
def edit_spot(spot_id: UUID, edit: schemas.SpotEdit) -> None:
    """Rename a spot, note something, remove it or bring it back; its place stays."""
    with connect() as connection:
        spots.edit(connection, str(spot_id), edit.model_dump())


@router.post("/trials/{trial_id}/spots/suggested", operation_id="suggestSpots")
async def suggest_spots(trial_id: UUID, frame: int = 0) -> list[schemas.SuggestedSpot]:
    """Places worth looking at, each with its reason; nothing is kept."""
    found = await looking.suggest_spots(str(trial_id), frame)
    return [
        schemas.SuggestedSpot(name=spot.name, why=spot.why, frame=frame, **vars(spot.region)) for spot in found
    ]


@router.post("/trials/{trial_id}/spots/{spot_id}/scores", operation_id="spotScores")
async def spot_scores(trial_id: UUID, spot_id: UUID) -> list[schemas.Entry]:
    """The finished entries with the scores that they have at a spot; each is measured once and kept."""
    found = await looking.spot_scores(str(trial_id), str(spot_id))
    return await asyncio.to_thread(within, str(trial_id), found)


@router.get("/trials/{trial_id}/spots/words", operation_id="spotsInWords")
def spots_in_words(trial_id: UUID, measure: str) -> list[str]:
    """Who is best at every spot, and who wins at one and loses at another, by the scores that are kept."""
    return looking.spots_in_words(str(trial_id), measure)


@router.get("/defects", operation_id="defects")
def get_defects() -> list[str]:
    """The defects that remarks usually name."""
    return list(DEFECTS)


@router.get("/trials/{trial_id}/remarks", operation_id="remarks")
def get_remarks(trial_id: UUID) -> list[schemas.Remark]:
    """The remarks of a trial, oldest first."""
    with connect() as connection:
        trials.get(connection, str(trial_id))
        return [schemas.Remark(**row) for row in spots.remarks(connection, str(trial_id))]


@router.post("/trials/{trial_id}/remarks", status_code=201, operation_id="addRemark")
def add_remark(trial_id: UUID, remark: schemas.RemarkRequest) -> schemas.Created:
    """Write a remark on an entry."""
    return schemas.Created(id=UUID(looking.add_remark(str(trial_id), remark.model_dump())))


@router.patch("/remarks/{remark_id}", status_code=204, operation_id="editRemark")
def edit_remark(remark_id: UUID, edit: schemas.RemarkEdit) -> None:
    """Change a remark, remove it or bring it back."""
    with connect() as connection:
        spots.edit_remark(connection, str(remark_id), edit.model_dump())


@router.put("/trials/{trial_id}/entries/{letter}/standing", status_code=204, operation_id="setStanding")
def set_standing(trial_id: UUID, letter: str, request: schemas.StandingRequest) -> None:
    """Keep, retire or shortlist an entry, with the reason; or take that back."""
    with connect() as connection:
        trials.set_standing(connection, str(trial_id), letter, request.standing, request.reason.strip())


@router.get("/maps", operation_id="maps")
def get_maps(has_truth: bool = True) -> list[schemas.FaultMapShown]:
    """The kinds of fault that can be seen as maps, in a test with a truth or without."""
    return [
        schemas.FaultMapShown(
            id=each.id, name=each.name, unit=each.unit, most=each.most, meaning=meaning, of_all=each.of_all
        )
        for each in MAPS.values()
        if (meaning := each.meaning if has_truth else each.without_truth)
    ]


@router.post("/trials/{trial_id}/entries/{letter}/maps/{fault}", operation_id="makeMap")
async def make_map(trial_id: UUID, letter: str, fault: str, frame: int = 0) -> schemas.MapAnswer:
    """Where an entry, or all, have a kind of fault; made once and kept. Its pixels are at `/pictures/…/maps/…`."""
    found = await looking.fault_map(str(trial_id), letter, fault, frame)
    return schemas.MapAnswer(**{**found, "worst": schemas.Place(**found["worst"], frame=frame)})


@router.get(
    "/pictures/{picture_id}/maps/{name}/{frame}",
    operation_id="mapPixels",
    responses=PNG,
    response_class=Response,
)
async def map_pixels(picture_id: str, name: str, frame: int) -> Response:
    """A map that was made: grey PNG, white is the end of its scale."""
    known = pictures.is_id(picture_id) and re.fullmatch("[a-z0-9-]{1,40}", name)
    file = f"{pictures.map_name(name, frame)}/map.png"
    data = await asyncio.to_thread(pictures.part, picture_id, file) if known else None
    if data is None:
        raise NotFound("There is no such map; ask for it on Look.")
    return Response(data, media_type="image/png", headers=FOREVER)
