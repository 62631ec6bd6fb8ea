"""Make pictures in child processes: a source as read, the plates of a set-up, a take. What is damaged is made again."""

import asyncio
import itertools
import logging
import time
from collections.abc import Callable, Iterable
from dataclasses import asdict
from pathlib import Path
from typing import Any, TypeVar

import psutil
from pydantic import BaseModel

from mistline.core.frame import Size
from mistline.core.media.plate import SHARD, shards_of
from mistline.core.methods.recipe import Recipe, digest
from mistline.core.setup import read_setup
from mistline.errors import BadMedia, Damaged
from mistline.store import models, pictures, sources, takes
from mistline.store.database import Row, connect
from mistline.store.files import media, original_key
from mistline.store.settings import settings
from mistline.work.requests import (
    Axis,
    CutSlice,
    Delivered,
    Footage,
    LocalModel,
    MakeShard,
    MakeViews,
    Original,
    Prepare,
    Progress,
    ReadOriginal,
    Request,
    ShardMade,
    View,
)  # fmt: skip
from mistline.work.sandbox import run_child

__all__ = [
    "child",
    "cut_shard_views", "cut_slice", "cut_view", "footage_of", "local_models", "make_shard", "mend",
    "original", "read_original", "reading",
    "sound", "source_footage", "stored",
]  # fmt: skip

log = logging.getLogger("mistline.work")
T = TypeVar("T")
A = TypeVar("A", bound=BaseModel)
READER_VERSION = 1
SPARE_BYTES = 4 * 2**20
SLOWEST_READING = 4e6  # bytes a second, of a large file beside other work
FRAME_BYTES, VIEW_BYTES = 6, 8  # of a pixel of 16 bits, and of its tiles, at most
MOST_READ = 3 * 2**30  # bytes that reading an original writes, at most: of a clip only small pictures
MODEL_SECONDS, MODEL_SECONDS_A_MEGAPIXEL = 120.0, 600.0
LOOK_AGAIN = 1.0  # seconds between two looks at a full disk


def _silent(stage: str, share: float) -> None: ...


async def stored(step: Callable[..., T], *args: Any, **named: Any) -> T:
    """Run a function of the store in a thread, with a connection of its own."""

    def run() -> T:
        with connect() as connection:
            return step(connection, *args, **named)

    return await asyncio.to_thread(run)


async def sound(picture_id: str, folder: Path, frames: Iterable[int] | None = None) -> list[Path]:
    """Paths of the shards that hold a picture's frames; damaged or missing ones are made again first."""
    try:
        return await asyncio.to_thread(pictures.shard_files, picture_id, folder, frames)
    except Damaged:
        await mend(picture_id)
        return await asyncio.to_thread(pictures.shard_files, picture_id, folder, frames)


async def original(row: Row, folder: Path) -> Path:
    """The file of a source, of a model or of a result from elsewhere, proven to be what came in."""
    path = await asyncio.to_thread(media().fetch, original_key(row["hash"]), row["hash"], folder)
    if path is None:
        raise BadMedia(f"The file of {row['name']} was damaged in the media store or removed; import it again.")
    return path


def reading(source: Row) -> Row:
    """What a source is read by, besides its file: another reading makes other pictures."""
    return {"reader": READER_VERSION, **({"read_as": source["read_as"]} if source["read_as"] else {})}


async def source_footage(row: Row, folder: Path, frames: Iterable[int] | None = None) -> Footage:
    """Where the frames of a source come from."""
    picture = await stored(pictures.get, row["picture_id"])
    if picture["from_original"]:
        return Footage(original=await original(row, folder), name=row["name"], read_as=row["read_as"])
    return Footage(shards=await sound(row["picture_id"], folder, frames), name=row["name"])


def _bytes(size: Size, frames: int) -> int:
    """What frames may take at most, with the view of the first of them."""
    return SPARE_BYTES + size.pixels * (FRAME_BYTES * frames + VIEW_BYTES)


async def _room(need: int, report: Progress) -> None:
    """Wait until the disk of the media store has room; what waits is not lost for want of it."""
    while (free := media().room()) < need:
        report(f"waiting for disk space: {free / 1e6:.0f} MB free, {need / 1e6:.0f} MB needed", 0.0)
        await asyncio.sleep(LOOK_AGAIN)


async def read_original(row: Row, *, anew: bool = False) -> tuple[Original, str]:
    """Read a source's original; return what was found and the id of its picture."""
    await _room(SPARE_BYTES + min(2 * row["file_bytes"], MOST_READ), _silent)
    identity = digest({"original": row["hash"], **reading(row)})
    with media().workspace() as folder:
        found = await run_child(
            ReadOriginal(
                name=row["name"], path=await original(row, folder), out=folder, read_as=row["read_as"],
            ), what=row["name"], memory_bytes=settings().reader_memory_bytes,
            seconds=settings().reader_seconds + row["file_bytes"] / SLOWEST_READING,
        )  # fmt: skip
        await stored(pictures.keep, identity, folder / "picture", found.picture.model_dump(), anew=anew)
        return found, identity


async def local_models(recipe: Row | None, folder: Path) -> list[LocalModel]:
    """Cards and local files of the dropped-in models of a recipe, for the child process."""
    if recipe is None:
        return []
    found = await stored(models.files_of, recipe)
    paths = [await original(row, folder) for row in found]
    return [LocalModel(card=row["card"], path=path) for row, path in zip(found, paths, strict=True)]


async def child(request: Request[A], report: Progress = _silent, *, seconds: float) -> A:
    """Run a step in a child process that may use most of the machine's memory."""
    return await run_child(
        request, what=request.name, memory_bytes=int(psutil.virtual_memory().total * 0.8), seconds=seconds,
        report=report, remedy="choose a lighter recipe or a smaller picture",
    )  # fmt: skip


async def _make_plates(row: Row, report: Progress = _silent, *, anew: bool = False) -> Row:
    """Truth, if there is one, and input of a take's set-up, made now if nobody has made them yet, or `anew`."""
    plate = await stored(pictures.plate, row["plate_key"])
    if plate is not None and not anew:
        return plate
    source = await stored(sources.get, str(row["source_id"]))
    picture = await stored(pictures.get, source["picture_id"])
    frames = range(row["first"], row["first"] + row["frames"])
    size = Size(picture["width"], picture["height"])
    setup = read_setup(row["setup"])
    await _room(2 * _bytes(size, len(frames)), report)
    with media().workspace() as folder:
        native = await stored(sources.get, setup.truth_source) if setup.truth_source else None
        made = await child(
            Prepare(
                name=row["source_name"], native=await source_footage(native, folder, frames) if native else None,
                source=await source_footage(source, folder, frames), size=size,
                setup=row["setup"], first=frames[0], frames=len(frames), rate=picture["rate"], out=folder,
            ), report, seconds=settings().take_seconds,
        )  # fmt: skip
        kept = {"truth": source["picture_id"] if setup.has_truth else None, "input": source["picture_id"]}
        for part, facts in (("truth", made.truth), ("input", made.input)):
            if facts:
                identity = digest({"plate": row["plate_key"], "part": part})
                kept[part] = await stored(pictures.keep, identity, folder / part, facts.model_dump(), anew=anew)
    await stored(pictures.add_plate, row["plate_key"], kept["truth"], kept["input"], asdict(made.traits))
    plate = await stored(pictures.plate, row["plate_key"])
    assert plate is not None
    return plate


async def _delivered(file: Row | None, folder: Path) -> Delivered | None:
    """The file of a result that was made elsewhere."""
    if file is None:
        return None
    return Delivered(name=file["name"], path=await original(file, folder), resample=file["resample"])


async def make_shard(
    row: Row, first: int, frames: int, report: Progress = _silent, *, anew: bool = False
) -> tuple[ShardMade, str]:
    """Process, write and measure frames of a take; return what was found and the id of the take's picture."""
    plate = await _make_plates(row, report)
    source, key = Size(row["source_facts"]["width"], row["source_facts"]["height"]), row["key"]
    setup, numbers = read_setup(row["setup"]), range(first, first + frames)
    target = setup.plan(source).target
    reach = Recipe.model_validate(row["recipe"]).reach if row["recipe"] else 0
    around = range(max(0, first - 1 - reach), min(row["frames"], first + frames + reach))
    await _room(_bytes(target, frames), report)
    control = not (row["recipe"] or row["delivered"])
    beside = await stored(takes.beside, key, row["plate_key"]) if not (control or anew) else []
    with media().workspace() as folder:
        request = MakeShard(
            name=row["source_name"], recipe=row["recipe"], delivered=await _delivered(row["delivered"], folder),
            setup=setup, traits=plate["traits"],
            repeats=1 if anew else row["repeats"], models=await local_models(row["recipe"], folder),
            length=row["frames"], first=first, frames=frames,
            truth=await sound(plate["truth_picture"], folder, around) if setup.has_truth else [],
            input=await sound(plate["input_picture"], folder, around), target=target,
            others={other["key"]: await sound(other["picture_id"], folder, numbers) for other in beside},
            out=folder, lane=settings().timing_lane,
        )  # fmt: skip
        seconds = settings().take_seconds
        if request.models:  # of others: one may never end on a picture of this size
            limit = MODEL_SECONDS_A_MEGAPIXEL * request.repeats * frames * target.megapixels
            seconds = min(seconds, MODEL_SECONDS + limit)
        made = await child(request, report, seconds=seconds)
        rate = (await stored(pictures.get, plate["input_picture"]))["rate"]
        facts = {**made.picture.model_dump(), "frames": row["frames"], "rate": rate}
        return made, await stored(pictures.keep, key, folder / "picture", facts, anew=anew)


async def mend(picture_id: str) -> None:
    """Make the damaged or missing frames of a picture again from what it was made of.

    A take is a pure function of its key, so its timing and scores stay.
    """
    begun, origin = time.monotonic(), await stored(pictures.origin, picture_id)
    if origin["source_id"]:
        await read_original(await stored(sources.get, origin["source_id"]), anew=True)
    elif origin["any_take"]:
        await _make_plates(await stored(takes.get, origin["any_take"]), anew=True)
    elif origin["take_key"]:
        row = await stored(takes.get, origin["take_key"])
        for first, frames in shards_of(row["frames"]):
            await make_shard(row, first, frames, anew=True)
    else:
        raise BadMedia("A stored picture is damaged and nothing is known of what made it; remove its trial.")
    log.warning("Picture %s was damaged; it was made again in %.1f s.", picture_id[:12], time.monotonic() - begun)


async def footage_of(picture_id: str, folder: Path, frames: Iterable[int]) -> Footage:
    """Where the frames of a picture come from, whatever it is."""
    origin = await stored(pictures.origin, picture_id)
    if origin["source_id"]:
        source = await stored(sources.get, origin["source_id"])
        return await source_footage(source, folder, frames)
    return Footage(shards=await sound(picture_id, folder, frames))


async def _cut(picture_id: str, frames: list[int], view: View) -> None:
    with media().workspace() as folder:
        request = MakeViews(
            name="a picture", footage=await footage_of(picture_id, folder, frames), frames=frames, out=folder / "view",
            view=view,
        )  # fmt: skip
        await run_child(
            request, what="a picture", memory_bytes=settings().reader_memory_bytes,
            seconds=settings().reader_seconds,
        )  # fmt: skip
        for frame in frames:
            made = request.out / str(frame)
            parts = [(made, "")] if view == "tiles" else [(path, path.name) for path in made.iterdir()]
            for path, name in parts:
                await stored(pictures.keep_view, path, picture_id, frame, name)


async def cut_view(picture_id: str, frame: int, view: View) -> None:
    """Cut a view of a frame, or small ones of a whole shard that begins with it, and keep them in the media store."""
    count = (await stored(pictures.get, picture_id))["frames"]
    await _cut(picture_id, list(range(frame, min(frame + SHARD, count) if view == "small" else frame + 1)), view)


async def cut_slice(picture_id: str, axis: Axis, at: int) -> None:
    """Cut a row or column over all frames of a picture, and keep it in the media store."""
    picture = await stored(pictures.get, picture_id)
    with media().workspace() as folder:
        request = CutSlice(
            name="a picture", footage=await footage_of(picture_id, folder, range(picture["frames"])),
            frames=picture["frames"], axis=axis, at=at, out=folder / "slice.png",
        )  # fmt: skip
        await run_child(
            request, what="a picture", memory_bytes=settings().reader_memory_bytes, seconds=settings().take_seconds
        )
        await stored(pictures.keep_slice, request.out, picture_id, axis, at)


async def cut_shard_views(picture_id: str, first: int) -> None:
    """Cut the tiles of those frames of a shard that have none yet."""
    picture = await stored(pictures.get, picture_id)
    frames = [
        frame for frame in range(first, min(first + SHARD, picture["frames"]))
        if pictures.part(picture_id, f"{frame}/{picture['levels'] - 1}/0_0.png") is None
    ]  # fmt: skip
    for _, rest in itertools.groupby(enumerate(frames), lambda pair: pair[1] - pair[0]):
        await _cut(picture_id, [frame for _, frame in rest], "tiles")
