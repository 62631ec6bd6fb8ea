"""Pictures for other viewers: the open IIIF Image API 3, level 0 with PNG, over the tiles that Look draws.

References
----------
.. [1] IIIF Image API 3.0, https://iiif.io/api/image/3.0/: image requests (4), the description (5), tiles (5.4).
"""

import asyncio
import re
from typing import Any

from fastapi import APIRouter, Request, Response
from fastapi.responses import JSONResponse, RedirectResponse

from mistline.api.shelf import PNG, of_frame
from mistline.errors import NotFound, OutOfLimits
from mistline.store import pictures
from mistline.store.database import Row, connect

__all__ = ["router", "tile_of"]

router = APIRouter(prefix="/iiif/3", tags=["pictures for other viewers"])
TYPE = 'application/ld+json;profile="http://iiif.io/api/image/3/context.json"'


def tile_of(picture: Row, region: str, size: str) -> str | None:
    """The file of a frame's view that an image request asks for; None if it is none of those that are there.

    >>> picture = {"width": 1300, "height": 700, "levels": 3}
    >>> tile_of(picture, "0,0,512,512", "512,512"), tile_of(picture, "1024,0,276,700", "138,350")
    ('0/0_0.png', '1/1_0.png')
    >>> tile_of(picture, "full", "325,175"), tile_of(picture, "full", "max"), tile_of(picture, "1,0,512,512", "max")
    ('2/0_0.png', 'whole.png', None)
    """
    whole = (picture["width"], picture["height"])
    if region == "full" and size in ("max", f"{whole[0]},{whole[1]}"):
        return pictures.WHOLE
    asked = re.fullmatch(r"(\d{1,6}),(\d{1,6}),(\d{1,6}),(\d{1,6})", region)
    x, y, width, height = (int(part) for part in asked.groups()) if asked else (0, 0, *whole)
    if not asked and region != "full":
        return None
    for level in range(picture["levels"]):
        step = pictures.TILE * 2**level
        fits = x % step == y % step == 0 and x < whole[0] and y < whole[1]
        cut = (min(step, whole[0] - x), min(step, whole[1] - y))
        small = tuple(-(-length // 2**level) for length in cut)
        sizes = (f"{small[0]},{small[1]}", f"{small[0]},", *(["max"] if level == 0 else []))
        if fits and (width, height) == cut and size in sizes:
            return f"{level}/{x // step}_{y // step}.png"
    return None


def _parts(identifier: str) -> tuple[str, int]:
    """Picture and frame of an identifier, "<picture>-<frame>"."""
    picture_id, _, frame = identifier.partition("-")
    if not (pictures.is_id(picture_id) and re.fullmatch(r"[0-9]{1,6}", frame)):
        raise NotFound("There is no such picture; its name is the picture's id, a hyphen and the frame.")
    return picture_id, int(frame)


def _picture(identifier: str) -> tuple[Row, int]:
    picture_id, frame = _parts(identifier)
    with connect() as connection:
        picture = pictures.get(connection, picture_id)
    if frame >= picture["frames"]:
        raise NotFound(f"The picture has {picture['frames']} frames, counted from 0.")
    return picture, frame


@router.get("/{identifier}", operation_id="iiifBase", status_code=303, response_class=RedirectResponse)
def base(identifier: str) -> RedirectResponse:
    """The way to the description."""
    _parts(identifier)
    return RedirectResponse(f"/api/iiif/3/{identifier}/info.json", 303)


@router.get("/{identifier}/info.json", operation_id="iiifInfo")
def info(identifier: str, request: Request) -> JSONResponse:
    """Size, tiles and sizes of a frame, for viewers that read IIIF."""
    picture, frame = _picture(identifier)
    last = picture["levels"] - 1
    described: dict[str, Any] = {
        "@context": "http://iiif.io/api/image/3/context.json",
        "id": f"{str(request.base_url).rstrip('/')}/api/iiif/3/{picture['id']}-{frame}",
        "type": "ImageService3",
        "protocol": "http://iiif.io/api/image",
        "profile": "level0",
        "width": picture["width"],
        "height": picture["height"],
        "sizes": [
            {"width": -(-picture["width"] // 2**last), "height": -(-picture["height"] // 2**last)},
            {"width": picture["width"], "height": picture["height"]},
        ],
        "tiles": [{"width": pictures.TILE, "scaleFactors": [2**level for level in range(picture["levels"])]}],
        "preferredFormats": ["png"],
        "extraFormats": ["png"],
    }
    return JSONResponse(described, media_type=TYPE)


@router.get(
    "/{identifier}/{region}/{size}/{rotation}/{file}",
    operation_id="iiifImage",
    responses=PNG,
    response_class=Response,
)
async def image(identifier: str, region: str, size: str, rotation: str, file: str) -> Response:
    """A tile, the smallest level, or all of a frame (at its own depth); other parts and sizes are not made here."""
    picture, frame = await asyncio.to_thread(_picture, identifier)
    name = tile_of(picture, region, size) if rotation == "0" and file in ("default.png", "color.png") else None
    if name is None:
        raise OutOfLimits(
            "This is none of the tiles and sizes that info.json lists; others, turned or in another format, "
            "are not made here."
        )
    return await of_frame(picture["id"], frame, name)
