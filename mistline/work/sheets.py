"""Sheets: parts of pictures below one another, for a page that shows many. The newest are kept in memory."""

from collections import OrderedDict

from mistline.core.frame import Region, Size
from mistline.errors import NotFound, OutOfLimits
from mistline.store import pictures
from mistline.store.files import media
from mistline.store.settings import settings
from mistline.work.looking import LARGEST_REGION, sound_shards
from mistline.work.making import stored
from mistline.work.requests import CutSheet, Part
from mistline.work.sandbox import run_child

__all__ = ["Wanted", "sheet"]

Wanted = tuple[str, int, Region]  # a picture's id, a frame of it, and a part of that
ROOM = 64 * 2**20  # bytes
_newest: OrderedDict[tuple[Wanted, ...], bytes] = OrderedDict()  # a picture's pixels never change


async def sheet(parts: tuple[Wanted, ...]) -> bytes:
    """Parts of pictures, below one another, as one 8-bit PNG: exactly the values that the tiles have."""
    found = {row["id"]: row for row in await stored(pictures.some, [picture_id for picture_id, _, _ in parts])}
    for picture_id, frame, region in parts:
        if picture_id not in found or frame >= found[picture_id]["frames"]:
            raise NotFound("There is no such picture, or it has no such frame.")
        region.check(Size(found[picture_id]["width"], found[picture_id]["height"]))
    if sum(region.width * region.height for _, _, region in parts) > LARGEST_REGION:
        raise OutOfLimits("The parts are too large for one sheet; ask for fewer of them.")
    data = _newest.pop(parts, None) or await _cut(parts)
    _newest[parts] = data
    while sum(map(len, _newest.values())) > ROOM:
        _newest.popitem(last=False)
    return data


async def _cut(parts: tuple[Wanted, ...]) -> bytes:
    with media().workspace() as folder:
        shards = {
            (picture_id, frame): await sound_shards(picture_id, folder, [frame])
            for picture_id, frame in dict.fromkeys(part[:2] for part in parts)
        }
        request = CutSheet(
            name="a picture", out=folder / "sheet.png",
            parts=[Part(picture=shards[picture_id, frame], frame=frame, region=region)
                   for picture_id, frame, region in parts],
        )  # fmt: skip
        await run_child(
            request,
            what="a picture",
            memory_bytes=settings().reader_memory_bytes,
            seconds=settings().reader_seconds,
        )
        return request.out.read_bytes()
