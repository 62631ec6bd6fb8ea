"""The use cases of looking: measure a part, keep what takes score at spots, suggest spots, make maps of faults."""

import asyncio
import math
import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel

from mistline.core.frame import Region, Size
from mistline.core.measure import MEASURES
from mistline.core.measure.maps import MAPS
from mistline.core.methods.recipe import digest
from mistline.core.setup import Plan, read_setup
from mistline.core.threads import WORTH
from mistline.errors import Conflict, Damaged, NotFound, OutOfLimits
from mistline.store import pictures, spots, trials
from mistline.store.database import Row, connect
from mistline.store.files import media
from mistline.store.settings import settings
from mistline.work.lane import Lane
from mistline.work.making import stored
from mistline.work.requests import (
    CutCrops,
    MakeMap,
    MeasureRegion,
    PixelRead,
    ReadPixels,
    Request,
    SpotFound,
    SuggestSpots,
)
from mistline.work.sandbox import run_child
from mistline.work.scoreboard import spot_sentences
from mistline.work.trials import mend

__all__ = [
    "add_remark",
    "add_spot",
    "cut_crops",
    "fault_map",
    "measure_region",
    "read_pixels",
    "sound_shards",
    "spot_scores",
    "spots_in_words",
    "spots_of",
    "suggest_spots",
]

A = TypeVar("A", bound=BaseModel)
LARGEST_REGION = 16_000_000
SMALLEST = 11  # pixels a side, the window of SSIM
# Of this process; each holds gigabytes while it works. A part that is measured for the moment gives way to the next;
# what is kept is worth waiting for.
MOMENTS, KEPT = Lane(3), Lane(100)


@dataclass(frozen=True)
class _Looked:
    """A trial with its finished entries, and its sizes."""

    trial: Row
    done: list[Row]
    sizes: Plan
    has_truth: bool
    sight: float

    @property
    def size(self) -> Size:
        """Of the results."""
        return self.sizes.target

    @property
    def in_the_race(self) -> list[str]:
        """The ids of the pictures of those that are neither controls nor retired."""
        rows = (row for row in self.done if row["control"] is None and row["standing"] != "retired")
        return sorted({row["picture_id"] for row in rows})

    @property
    def truth(self) -> str | None:
        """The id of its truth's picture, if it has one."""
        return str(self.trial["truth_picture"]) if self.has_truth else None


def _looked(trial_id: str) -> _Looked:
    with connect() as connection:
        trial = trials.get(connection, trial_id)
        done = [row for row in trials.entries(connection, trial_id) if row["state"] == "done"]
    whole = Size(trial["facts"]["width"], trial["facts"]["height"])
    setup = read_setup(trial["setup"])
    sizes = setup.plan(whole)
    return _Looked(trial, done, sizes, setup.has_truth, setup.sight(sizes.target))


def _begun(trial_id: str) -> _Looked:
    """The same, of a trial that has a result to judge."""
    looked = _looked(trial_id)
    if not looked.done or not looked.trial["input_picture"]:
        raise Conflict("Nothing of this trial is done yet; wait for the first result.")
    return looked


def _check(looked: _Looked, frame: int, region: Region | None = None) -> None:
    """Refuse a frame, or a part, that is not there."""
    if region:
        region.check(looked.size)
    frames = looked.trial["frames"]
    if not 0 <= frame < frames:
        raise OutOfLimits(f"The trial has {frames} frames; choose one of 0 to {frames - 1}.")


async def sound_shards(picture_id: str | None, folder: Path, frames: Iterable[int]) -> list[Path]:
    """What holds frames, nothing of no picture; a damaged shard is queued to be made again, and that is said."""
    if picture_id is None:
        return []
    try:
        return await asyncio.to_thread(pictures.shard_files, picture_id, folder, frames)
    except Damaged:
        await asyncio.to_thread(mend, picture_id)
        raise


async def _ask(request: Request[A], remedy: str = "try a smaller picture") -> A:
    """Have a child process carry out a request."""
    return await run_child(
        request, what=request.name, memory_bytes=settings().reader_memory_bytes, seconds=settings().reader_seconds,
        remedy=remedy,
    )  # fmt: skip


async def measure_region(
    trial_id: str, region: Region, frame: int, only: list[str] | None = None
) -> dict[str, Row]:
    """The scores of every finished entry within a region of the target, by letter, measured in a child process.

    All measures, or those with the ids in `only`.
    """
    looked = await asyncio.to_thread(_begun, trial_id)
    async with MOMENTS.turn():
        return await _measure(looked, looked.done, region, frame, only)


async def _measure(
    looked: _Looked, rows: list[Row], region: Region, frame: int, only: list[str] | None = None
) -> dict[str, Row]:
    trial = looked.trial
    if region.width * region.height > LARGEST_REGION:
        raise OutOfLimits("The part is too large to be measured at once; zoom in to 16 megapixels or less.")
    _check(looked, frame, region)
    if trial["frames"] == 1 and region == Region(0, 0, looked.size.width, looked.size.height):
        return {row["letter"]: row["scores"] for row in rows}
    frames = range(max(0, frame - 1), frame + 1)
    with media().workspace() as folder:
        truth = await sound_shards(looked.truth, folder, frames)
        given = await sound_shards(trial["input_picture"], folder, frames)
        results = {row["letter"]: await sound_shards(row["picture_id"], folder, frames) for row in rows}

        async def some(letters: list[str]) -> Row:
            request = MeasureRegion(
                name=trial["source_name"], region=region, frame=frame, factor=looked.sizes.factors[0], only=only,
                sight=looked.sight,
                target=looked.size, truth=truth, input=given, results={letter: results[letter] for letter in letters},
            )  # fmt: skip
            found = await _ask(request, remedy="zoom in to a smaller part")
            return found.model_dump()["scores"]

        # Somebody waits: two processes share what is too small for threads. Larger parts take gigabytes, one is enough.
        letters, shares = list(results), 2 if region.width * region.height < WORTH else 1
        parts = [part for share in range(shares) if (part := letters[share::shares])]
        found = await asyncio.gather(*(some(part) for part in parts))
        return {letter: scores for part in found for letter, scores in part.items()}


def spots_of(trial_id: str) -> list[Row]:
    """The spots of a trial's source that lie in its target and its part, in pixels and frames of these."""
    looked = _looked(trial_id)
    with connect() as connection:
        rows = spots.of_source(connection, str(looked.trial["source_id"]))
    return [inside for row in rows if (inside := _within(looked, row))]


def _within(looked: _Looked, row: Row) -> Row | None:
    """A spot in pixels and frames of a trial; None where less than the smallest part of it is there."""
    across, down = looked.sizes.grown
    left, top = (row[way] - off for way, off in zip(("left", "top"), looked.sizes.corner, strict=True))
    right, bottom = round((left + row["width"]) * across), round((top + row["height"]) * down)
    left, right = max(0, round(left * across)), min(right, looked.size.width)
    top, bottom = max(0, round(top * down)), min(bottom, looked.size.height)
    frame = row["frame"] - looked.trial["first"]
    if min(right - left, bottom - top) < SMALLEST or not 0 <= frame < looked.trial["frames"]:
        return None
    return {**row, "left": left, "top": top, "width": right - left, "height": bottom - top, "frame": frame}


def add_spot(trial_id: str, name: str, note: str, region: Region, frame: int) -> Row:
    """Mark a part of a trial's target; it belongs to the source, so that every trial of it has the spot.

    Where the target is larger than the source the part grows to whole pixels of the source.
    """
    looked = _looked(trial_id)
    _check(looked, frame, region)
    (across, down), (x, y) = looked.sizes.grown, looked.sizes.corner
    left, top = math.floor(region.left / across), math.floor(region.top / down)
    right = math.ceil((region.left + region.width) / across)
    bottom = math.ceil((region.top + region.height) / down)
    row = {"source_id": looked.trial["source_id"], "name": name, "note": note, "left": left + x, "top": top + y,
           "width": right - left, "height": bottom - top, "frame": frame + looked.trial["first"]}  # fmt: skip
    with connect() as connection:
        row["id"] = spots.add(connection, row)
    return _within(looked, row) or {**row, **vars(region), "frame": frame}


def add_remark(trial_id: str, remark: Row) -> str:
    """Write a remark on an entry, at a part or (without width and height) a point of the target; return its id."""
    looked = _looked(trial_id)
    part = Region(remark["left"], remark["top"], max(1, remark["width"]), max(1, remark["height"]))
    _check(looked, remark["frame"], part)
    with connect() as connection:
        if remark["letter"] not in {row["letter"] for row in trials.entries(connection, trial_id)}:
            raise NotFound(f"There is no entry {remark['letter']} in this trial.")
        return spots.add_remark(connection, {**remark, "trial_id": trial_id})


async def spot_scores(trial_id: str, spot_id: str) -> dict[str, Row]:
    """The scores of every finished entry at a spot, by letter; each is measured once and kept."""

    def known() -> tuple[_Looked, Row | None, dict[str, Row]]:
        looked = _begun(trial_id)
        with connect() as connection:
            row = spots.get(connection, spot_id)
            inside = _within(looked, row) if row["source_id"] == str(looked.trial["source_id"]) else None
            return looked, inside, spots.scores(connection, spot_id, trial_id)

    looked, spot, kept = await asyncio.to_thread(known)
    if spot is None:
        raise NotFound("There is no such spot in this trial.")
    missing = [row for row in looked.done if row["take_key"] not in kept]
    if missing:
        region = Region(spot["left"], spot["top"], spot["width"], spot["height"])
        async with KEPT.turn():
            found = await _measure(looked, missing, region, spot["frame"])
        fresh = {row["take_key"]: found[row["letter"]] for row in missing}

        def keep() -> None:
            with connect() as connection:
                spots.keep_scores(connection, spot_id, fresh)

        await asyncio.to_thread(keep)
        kept |= fresh
    return {row["letter"]: kept[row["take_key"]] for row in looked.done}


def spots_in_words(trial_id: str, measure: str) -> list[str]:
    """What the spots that were measured say of the entries by a measure."""
    if measure not in MEASURES:
        raise NotFound(f"There is no measure called {measure}.")
    looked, found = _looked(trial_id), {}
    for spot in spots_of(trial_id):
        with connect() as connection:
            kept = spots.scores(connection, spot["id"], trial_id)
        name = spot["name"] if spot["name"] not in found else f"{spot['name']} at {spot['left']}, {spot['top']}"
        found[name] = [{**row, "scores": kept[row["take_key"]]} for row in looked.done if row["take_key"] in kept]
    return spot_sentences(found, measure)


async def suggest_spots(trial_id: str, frame: int) -> list[SpotFound]:
    """Places of a frame that are worth looking at, by the truth or the input, and the finished candidates."""
    looked = await asyncio.to_thread(_begun, trial_id)
    _check(looked, frame)
    async with KEPT.turn():
        with media().workspace() as folder:
            request = SuggestSpots(
                name=looked.trial["source_name"], frame=frame, target=looked.size,
                truth=await sound_shards(looked.truth, folder, [frame]),
                input=await sound_shards(looked.trial["input_picture"], folder, [frame]),
                results={
                    row["letter"]: await sound_shards(row["picture_id"], folder, [frame])
                    for row in looked.done if row["control"] is None
                },
            )  # fmt: skip
            found = await _ask(request)
            return found.spots


def _pictures(looked: _Looked) -> dict[str, tuple[str, str]]:
    """Id and name of everything that can be looked at: truth, input, entries by letter; not the truth control."""
    trial = looked.trial
    made = {row["letter"]: (row["picture_id"], row["name"]) for row in looked.done if row["control"] != "truth"}
    truth = {"truth": (looked.truth, "Truth")} if looked.truth else {}
    return {**truth, "input": (trial["input_picture"], "Input"), **made}


async def read_pixels(trial_id: str, x: int, y: int, frame: int) -> dict[str, PixelRead]:
    """The code values of truth, input and every finished entry at a pixel of the target, by letter."""
    looked = await asyncio.to_thread(_begun, trial_id)
    _check(looked, frame, Region(x, y, 1, 1))
    async with MOMENTS.turn():
        with media().workspace() as folder:
            request = ReadPixels(
                name=looked.trial["source_name"], x=x, y=y, frame=frame, size=looked.size,
                pictures={
                    name: await sound_shards(picture, folder, [frame])
                    for name, (picture, _) in _pictures(looked).items()
                },
            )  # fmt: skip
            found = await _ask(request)
            return found.pixels


async def cut_crops(trial_id: str, region: Region, frame: int, folder: Path) -> Path:
    """A part of truth, input and every finished entry as PNG at its own depth, in a ZIP archive in the folder."""
    looked = await asyncio.to_thread(_begun, trial_id)
    _check(looked, frame, region)
    if region.width * region.height > LARGEST_REGION:
        raise OutOfLimits("The part is too large to be saved at once; mark one of 16 megapixels or less.")
    place = f"{region.left}-{region.top} {region.width}x{region.height}"
    pictures_of = {
        f"{letter} {re.sub('[^A-Za-z0-9 ,.-]', '_', name)}, {place}.png": picture
        for letter, (picture, name) in _pictures(looked).items()
    }
    async with KEPT.turn():
        request = CutCrops(
            name=looked.trial["source_name"], region=region, frame=frame, size=looked.size, out=folder / "crops.zip",
            pictures={
                name: await sound_shards(picture, folder, [frame])
                for name, picture in pictures_of.items()
            },
        )  # fmt: skip
        await _ask(request)
    return request.out


async def fault_map(trial_id: str, letter: str, fault: str, frame: int) -> Row:
    """The facts of a map of faults of an entry; it is made once and kept beside the entry's tiles.

    A map of all entries is kept beside the input's, under a name that tells of which.
    """
    looked = await asyncio.to_thread(_begun, trial_id)
    row = next((row for row in looked.done if row["letter"] == letter), None)
    if row is None or fault not in MAPS:
        raise NotFound("There is no such map, or the entry has no result yet.")
    if not looked.has_truth and not MAPS[fault].without_truth:
        raise OutOfLimits(f"There is no map of {MAPS[fault].name.lower()} in a test without a truth.")
    _check(looked, frame)
    kept_with, name, results = row["picture_id"], fault, [row["picture_id"]]
    if MAPS[fault].of_all:
        kept_with, results = looked.trial["input_picture"], looked.in_the_race
        if len(results) < 2:
            raise OutOfLimits("Two entries must be finished, and not retired, to lie apart.")
        name = f"{fault}-{digest(results)[:16]}"
    kept = await asyncio.to_thread(pictures.map_facts, kept_with, name, frame)
    if kept is None:
        async with KEPT.turn():
            kept = await _make_map(looked, fault, results, frame, (kept_with, name))
    return {**kept, "picture_id": kept_with, "name": name}


async def _make_map(looked: _Looked, fault: str, results: list[str], frame: int, place: tuple[str, str]) -> Row:
    trial = looked.trial
    with media().workspace() as folder:
        made = folder / "map"
        made.mkdir()
        shards = [await sound_shards(picture, folder, [frame]) for picture in results]
        request = MakeMap(
            name=trial["source_name"], map=fault, frame=frame, factor=looked.sizes.factors[0], out=made / "map.png",
            target=looked.size, truth=await sound_shards(looked.truth, folder, [frame]),
            input=await sound_shards(trial["input_picture"], folder, [frame]),
            result=shards[0], others=shards[1:],
        )  # fmt: skip
        found = await _ask(request)
        facts = found.model_dump()
        await stored(pictures.keep_map, made, *place, frame, facts)
        return facts
