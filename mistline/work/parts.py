"""A part of a still as a source of its own: what is tried on it first takes a fraction of the time."""

import asyncio
import zipfile
from pathlib import Path

from mistline.core.frame import Region, Size
from mistline.errors import OutOfLimits
from mistline.store import pictures, sources
from mistline.store.database import Row, connect
from mistline.store.files import media
from mistline.store.settings import settings
from mistline.work.making import sound
from mistline.work.requests import CutCrops
from mistline.work.sandbox import run_child
from mistline.work.trials import PREVIEWS, import_original, ready

__all__ = ["import_part"]

PART = "part.png"


async def import_part(source_id: str, region: Region) -> Row:
    """Cut a part out of a still losslessly and put it on the Shelf; return its row.

    Raises
    ------
    OutOfLimits
        If the source is a clip, or the part does not lie within it.
    """

    def asked() -> tuple[Row, Row]:
        with connect() as connection:
            row = ready(sources.get(connection, source_id))
            return row, pictures.get(connection, row["picture_id"])

    row, picture = await asyncio.to_thread(asked)
    if picture["frames"] > 1:
        raise OutOfLimits(f"{row['name']} is a clip; choose a part of its frames instead.")
    size = Size(picture["width"], picture["height"])
    region.check(size)
    name = f"{Path(row['name']).stem}, {region.width} x {region.height} at {region.left}, {region.top}.png"
    async with PREVIEWS.turn():
        with media().workspace() as folder:
            request = CutCrops(
                name=row["name"], region=region, frame=0, size=size, out=folder / "part.zip",
                pictures={PART: await sound(picture["id"], folder)},
            )  # fmt: skip
            await run_child(
                request, what=row["name"], memory_bytes=settings().reader_memory_bytes,
                seconds=settings().reader_seconds,
            )  # fmt: skip
            with zipfile.ZipFile(request.out) as archive:
                path = Path(archive.extract(PART, folder))
            with path.open("rb") as stream:
                made, _ = await asyncio.to_thread(
                    import_original, stream, name, row["kind"], f"A part of {row['name']}."
                )
    return made
