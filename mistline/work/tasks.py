"""The jobs: read a source, make a take, time a crop. Each may be killed at any point and run again."""

import asyncio
import logging
import time
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any, TypeVar

import psutil
import psycopg
from procrastinate import Blueprint, JobContext

from mistline.core.degrade.downsample import plan
from mistline.core.frame import Size
from mistline.core.methods.recipe import Recipe, digest
from mistline.core.timing.machine import Machine
from mistline.errors import MistlineError, ProcessingFailed
from mistline.store import models, pictures, sources, speeds, takes
from mistline.store.database import Row, connect
from mistline.store.files import media, original_key
from mistline.store.settings import settings
from mistline.work.sandbox import run_child

__all__ = ["QUICK", "TAKES", "inspect_model", "jobs", "make_take", "read_source", "time_crop"]

log = logging.getLogger("mistline.work")
T = TypeVar("T")
jobs = Blueprint()
TAKES, QUICK = "takes", "quick"
READER_VERSION = 1
REPORT_EVERY = 0.25


async def _store(step: Callable[..., T], *args: Any) -> T:
    """Run a function of the store in a thread, with a connection of its own."""

    def run() -> T:
        with connect() as connection:
            return step(connection, *args)

    return await asyncio.to_thread(run)


async def _with_outcome(step: Awaitable[None], fail: Callable[[str], Awaitable[None]]) -> None:
    """Run a step; whatever goes wrong is told in a sentence, but a lost database just means: later."""
    try:
        await step
    except MistlineError as error:
        await fail(str(error))
    except OSError as error:
        reason = error.strerror or str(error)
        await fail(f"The media store could not be used ({reason}); free space or check it, then retry.")
    except psycopg.Error:
        raise
    except Exception as error:
        log.exception("a job failed")
        await fail(f"Mistline itself failed ({type(error).__name__}: {error}); retry, and report it if it stays.")


@jobs.task(name="read_source", queue=QUICK)
async def read_source(source_id: str) -> None:
    """Decode an original in a child process and put what was read on the Shelf."""
    row = await _store(sources.claim, source_id)
    if row is not None:
        await _with_outcome(_read(row), lambda error: _store(sources.fail, source_id, error))


async def _read(row: Row) -> None:
    with media().workspace() as folder:
        request = {
            "step": "read",
            "path": str(await asyncio.to_thread(media().fetch, original_key(row["hash"]), folder)),
            "name": row["name"],
            "out": str(folder),
            "picture_id": digest({"original": row["hash"], "reader": READER_VERSION}),
        }
        found = await run_child(
            request,
            what=row["name"],
            memory_bytes=settings().reader_memory_bytes,
            seconds=settings().reader_seconds,
        )
        picture = await _store(pictures.keep, folder / "picture", found["picture"])
        await _store(sources.finish, str(row["id"]), found["facts"], found["traits"], picture)


@jobs.task(name="inspect_model", queue=QUICK)
async def inspect_model(key: str) -> None:
    """Look into a dropped-in model in a child process; it becomes a method, or it is said why not."""
    row = await _store(models.claim, key)
    if row is not None:
        await _with_outcome(_inspect(row), lambda error: _store(models.fail, key, error))


async def _inspect(row: Row) -> None:
    with media().workspace() as folder:
        path = await asyncio.to_thread(media().fetch, original_key(row["hash"]), folder)
        request = {"step": "inspect", "name": row["name"], "id": row["id"], "path": str(path)}
        card = await run_child(
            request, what=row["name"], memory_bytes=settings().reader_memory_bytes,
            seconds=settings().model_seconds, remedy="choose a lighter model",
        )  # fmt: skip
        await _store(models.finish, row["id"], card)


async def _models(recipe: Row | None, folder: Path) -> list[Row]:
    """Cards and local files of the dropped-in models of a recipe, for the child process."""
    if recipe is None:
        return []
    found = await _store(models.files_of, recipe)
    paths = [await asyncio.to_thread(media().fetch, original_key(row["hash"]), folder) for row in found]
    return [{"card": row["card"], "path": str(path)} for row, path in zip(found, paths, strict=True)]


@jobs.task(name="make_take", queue=TAKES, pass_context=True)
async def make_take(context: JobContext, key: str) -> None:
    """Make a take: prepare its plates if need be, process, write, measure."""
    await _store(models.learn)
    row = await _store(takes.get, key)
    expected = await _expected_seconds(row)
    if not await _store(takes.claim, key, expected):
        return
    try:
        await _with_outcome(_take(row, expected), lambda error: _store(takes.fail, key, error))
    except asyncio.CancelledError:
        # Cancelled by people: the row says so already. Worker stopping: somebody else goes on.
        await asyncio.shield(_store(takes.release, key))
        raise


async def _expected_seconds(row: Row) -> float | None:
    if row["recipe"] is None:
        return None
    speed = await _store(speeds.best, Recipe.model_validate(row["recipe"]))
    source = await _store(sources.get, str(row["source_id"]))
    if speed is None or source["facts"] is None:
        return None
    size = plan(Size(source["facts"]["width"], source["facts"]["height"]), row["setup"]["factor"]).truth
    return speed.seconds_per_megapixel * size.megapixels * row["repeats"] + 1.5 + 0.8 * size.megapixels


class _Reporter:
    """Writes a take's progress to the database, a few times a second at most."""

    def __init__(self, key: str, expected: float | None) -> None:
        self.key, self.expected = key, expected
        self.begun, self.told, self.stage, self.share = time.monotonic(), 0.0, "starting", 0.0

    def __call__(self, stage: str, share: float) -> None:
        """Hear of progress from the child."""
        self.stage, self.share = stage, share

    def _left(self) -> float | None:
        gone = time.monotonic() - self.begun
        if self.share > 0.3:
            return gone / self.share * (1 - self.share)
        return max(0.0, self.expected - gone) if self.expected else None

    async def keep_telling(self) -> None:
        """Tell the database until cancelled."""
        told = None
        while True:
            now = (self.stage, self.share)
            if now != told or self.expected:
                await _store(takes.progress, self.key, self.stage, self.share, self._left())
                told = now
            await asyncio.sleep(REPORT_EVERY)


async def _take(row: Row, expected: float | None) -> None:
    report = _Reporter(row["key"], expected)
    telling = asyncio.create_task(report.keep_telling())
    try:
        with media().workspace() as folder:
            plate = await _plate(row, folder, report)
            await _process(row, plate, folder, report)
    finally:
        telling.cancel()


async def _child(request: dict[str, Any], row: Row, report: _Reporter) -> dict[str, Any]:
    memory = int(psutil.virtual_memory().total * 0.8)
    what = f"{row['source_name']}, {request['step']}"
    return await run_child(
        {**request, "name": row["source_name"]},
        what=what,
        memory_bytes=memory,
        seconds=settings().take_seconds,
        report=report,
    )


async def _plate(row: Row, folder: Path, report: _Reporter) -> Row:
    """Truth and input of the take's set-up, made now if nobody has made them yet."""
    plate = await _store(pictures.plate, row["plate_key"])
    if plate is not None:
        return plate
    truth_id = digest({"plate": row["plate_key"], "part": "truth"})
    input_id = digest({"plate": row["plate_key"], "part": "input"})
    request = {
        "step": "prepare",
        "setup": row["setup"],
        "out": str(folder),
        "truth_id": truth_id,
        "input_id": input_id,
        "source": str(await asyncio.to_thread(pictures.plate_file, row["source_picture"], folder)),
    }
    made = await _child(request, row, report)
    kept = {part: await _store(pictures.keep, folder / part, facts) for part, facts in made["pictures"].items()}
    truth = kept.get("truth", row["source_picture"])
    await _store(pictures.add_plate, row["plate_key"], truth, kept["input"], made["traits"])
    plate = await _store(pictures.plate, row["plate_key"])
    assert plate is not None
    return plate


async def _process(row: Row, plate: Row, folder: Path, report: _Reporter) -> None:
    truth = await _store(pictures.get, plate["truth_picture"])
    beside = await _store(takes.beside, row["key"], row["plate_key"]) if row["recipe"] else []
    others = {
        other["key"]: str(await asyncio.to_thread(pictures.plate_file, other["picture_id"], folder))
        for other in beside
    }
    request = {
        "step": "take",
        "setup": row["setup"],
        "models": await _models(row["recipe"], folder),
        "others": others,
        "recipe": row["recipe"],
        "repeats": row["repeats"],
        "traits": plate["traits"],
        "truth": str(await asyncio.to_thread(pictures.plate_file, plate["truth_picture"], folder)),
        "input": str(await asyncio.to_thread(pictures.plate_file, plate["input_picture"], folder)),
        "truth_size": {"width": truth["width"], "height": truth["height"]},
        "picture_id": row["key"],
        "out": str(folder),
        "lane": str(settings().timing_lane),
    }
    made = await _child(request, row, report)
    picture = await _store(pictures.keep, folder / "picture", made["picture"])
    machine = await _note_machine(made)
    result = {field: made[field] for field in ("settings", "timing", "clipped")}
    result |= {"picture_id": picture, "machine_id": machine}
    written = await _store(takes.finish, row["key"], result, made["scores"], made["alike"])
    if written and row["recipe"]:
        pixels = Size(truth["width"], truth["height"]).megapixels
        recipe = Recipe.model_validate(row["recipe"])
        await _store(speeds.add, recipe, machine, "take", made["timing"]["median"] / pixels)


async def _note_machine(made: dict[str, Any]) -> str:
    profile = {field: value for field, value in made["machine"].items() if field != "id"}
    await _store(speeds.seen, Machine(**profile))
    return str(made["machine"]["id"])


@jobs.task(name="time_crop", queue=QUICK)
async def time_crop(source_id: str, factor: float, recipe: dict[str, Any]) -> None:
    """Time a recipe on a corner of a source, for a forecast."""
    await _store(models.learn)
    source = await _store(sources.get, source_id)
    with media().workspace() as folder:
        request = {
            "step": "sample",
            "models": await _models(recipe, folder),
            "recipe": recipe,
            "factor": factor,
            "lane": str(settings().timing_lane),
            "name": source["name"],
            "source": str(await asyncio.to_thread(pictures.plate_file, source["picture_id"], folder)),
        }
        try:
            made = await run_child(
                request,
                what=f"{source['name']}, forecast",
                memory_bytes=settings().reader_memory_bytes,
                seconds=settings().reader_seconds,
            )
        except ProcessingFailed:
            return  # no forecast is better than a wrong one; the set-up page says that there is none
        machine = await _note_machine(made)
        await _store(speeds.add, Recipe.model_validate(recipe), machine, "crop", made["seconds_per_megapixel"])
