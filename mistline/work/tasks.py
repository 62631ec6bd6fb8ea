"""The jobs: read a source, look into a model, make a take, time a crop, mend a picture.

Each may be killed at any point and run again.
"""

import asyncio
import contextlib
import errno
import logging
import time
from collections.abc import Awaitable, Callable
from dataclasses import asdict
from typing import Any

import psycopg
from procrastinate import Blueprint, JobContext
from procrastinate.exceptions import ConnectorException

from mistline.core.fingerprint import of_method
from mistline.core.frame import Size
from mistline.core.methods import METHODS
from mistline.core.methods.recipe import Recipe
from mistline.errors import BadMedia, BadModel, ChildDied, MistlineError, NotFound, OtherSize, ProcessingFailed
from mistline.store import fingerprints, models, sources, speeds, takes
from mistline.store.database import Connection, Row, connect
from mistline.store.files import media
from mistline.store.settings import settings
from mistline.work import making
from mistline.work.joining import joined_alike, joined_scores, joined_timing
from mistline.work.making import stored
from mistline.work.requests import Axis, InspectModel, ShardMade, SurveyClip, TakeFingerprint, TimeCrop, View
from mistline.work.sandbox import run_child

__all__ = [
    "ERRANDS", "LANES", "cut_shard_views", "cut_slice", "cut_view", "inspect_model", "jobs", "make_shard",
    "mend_picture", "queue_fingerprint", "read_source", "survey_source", "take_fingerprint", "time_crop",
    "with_outcome",
]  # fmt: skip

log = logging.getLogger("mistline.work")
jobs = Blueprint()
TAKES, READING, FORECASTS, FINGERPRINTS, ERRANDS = "takes", "reading", "forecasts", "fingerprints", "errands"
# Each works by itself: what is quick never waits for what is long.
LANES = (TAKES, READING, FORECASTS, FINGERPRINTS, ERRANDS)
REPORT_EVERY = 0.25
BEHIND = -20  # priority of what nobody waits for


async def with_outcome(step: Awaitable[None], fail: Callable[[str], Awaitable[None]]) -> None:
    """Run a step; whatever goes wrong is told in a sentence, but a database or store that is away just means: later.

    A job that raises is given to somebody again (`requeue_adrift`), so only what passes by itself may be raised.
    """
    try:
        await step
    except MistlineError as error:
        await fail(str(error))
    except OSError as error:
        if error.errno == errno.EHOSTUNREACH:  # another machine may reach it
            raise
        reason = error.strerror or str(error)
        await fail(f"The media store could not be used ({reason}); free space or check it, then retry.")
    except (psycopg.OperationalError, psycopg.InterfaceError, ConnectorException):
        raise
    except psycopg.Error as error:
        log.exception("the database refused a result")
        await fail(
            f"The database refused what was found ({str(error).splitlines()[0]}); report it, retrying will not help."
        )
    except Exception:
        log.exception("a job failed")
        await fail("Mistline itself failed here; the worker's log says more. Retry, and report it if it stays.")


@jobs.task(name="read_source", queue=READING)
async def read_source(source_id: str) -> None:
    """Decode an original in a child process and put what was read on the Shelf."""
    row = await stored(sources.claim, source_id)
    if row is not None:
        await with_outcome(_read(row), lambda error: stored(sources.fail, source_id, error))


async def _read(row: Row) -> None:
    try:
        found, picture = await making.read_original(row)
    except ChildDied:
        raise BadMedia(
            f"{row['name']} ends the process that reads it; export it again and import that file."
        ) from None
    await stored(sources.finish, str(row["id"]), found.facts, asdict(found.traits), picture)
    if found.picture.frames > 1:
        await asyncio.to_thread(survey_source.configure(priority=BEHIND).defer, source_id=str(row["id"]))


@jobs.task(name="survey_source", queue=READING)
async def survey_source(source_id: str) -> None:
    """Look through a clip that was read; where that fails the source stays as it is."""
    with contextlib.suppress(MistlineError):
        row = await stored(sources.get, source_id)
        with media().workspace() as folder:
            found = await run_child(
                SurveyClip(name=row["name"], source=await making.source_footage(row, folder)), what=row["name"],
                memory_bytes=settings().reader_memory_bytes, seconds=settings().take_seconds,
            )  # fmt: skip
        await stored(sources.surveyed, source_id, asdict(found.found))


@jobs.task(name="inspect_model", queue=READING)
async def inspect_model(key: str) -> None:
    """Look into a dropped-in model in a child process; it becomes a method, or it is said why not."""
    row = await stored(models.claim, key)
    if row is not None:
        await with_outcome(_inspect(row), lambda error: stored(models.fail, key, error))


async def _inspect(row: Row) -> None:
    with media().workspace() as folder:
        path = await making.original(row, folder)
        try:
            card = await run_child(
                InspectModel(name=row["name"], id=row["id"], path=path), what=row["name"],
                memory_bytes=settings().reader_memory_bytes, seconds=settings().model_seconds,
                remedy="choose a lighter model",
            )  # fmt: skip
        except ChildDied:
            raise BadModel(f"{row['name']} ends the process that tries it; choose another model.") from None
        await stored(models.finish, row["id"], card.model_dump())
    await stored(models.learn)
    version = METHODS[row["id"]].version
    if await stored(fingerprints.ask, row["id"], version):
        await asyncio.to_thread(queue_fingerprint, row["id"], version)


def queue_fingerprint(method: str, version: int) -> None:
    """Give a fingerprint that waits a job, behind everything that somebody waits for."""
    job = take_fingerprint.configure(priority=BEHIND).defer(method=method, version=version)
    with connect() as connection:
        fingerprints.set_job(connection, method, version, job)


@jobs.task(name="take_fingerprint", queue=FINGERPRINTS)
async def take_fingerprint(method: str, version: int) -> None:
    """Measure what a method does in general; it waits for the timing lane."""
    await stored(models.learn)
    if await stored(fingerprints.claim, method, version) is None:
        return

    def fail(error: str) -> Awaitable[None]:
        return stored(fingerprints.fail, method, version, error)

    await with_outcome(_fingerprint(method, version), fail)


async def _fingerprint(method: str, version: int) -> None:
    if method not in METHODS or METHODS[method].version != version:
        raise NotFound("This version of the method is no longer there.")
    recipe = of_method(method)
    with media().workspace() as folder:
        plates = folder / "plates"
        plates.mkdir()
        made = await making.child(
            TakeFingerprint(
                name=recipe.name, method=method, out=plates, lane=settings().timing_lane,
                models=await making.local_models(recipe.model_dump(), folder),
            ), seconds=settings().take_seconds,
        )  # fmt: skip
        await asyncio.to_thread(fingerprints.keep_plates, plates, method, version)
        await stored(fingerprints.finish, method, version, asdict(made.found))


@jobs.task(name="make_shard", queue=TAKES, pass_context=True)
async def make_shard(context: JobContext, key: str, first: int) -> None:
    """Make frames of a take: prepare its plates if need be, process, write, measure; the last shard joins them."""
    await stored(models.learn)
    row = await stored(takes.get, key)
    expected = await stored(speeds.expected, row)
    frames = await stored(takes.claim, key, first, expected)
    if frames is None:
        return
    try:
        await with_outcome(_shard(row, first, frames, expected), lambda error: stored(takes.fail, key, error))
    except asyncio.CancelledError:
        # Cancelled by people: the row says so already. Worker stopping: somebody else goes on.
        await asyncio.shield(stored(takes.release, key, first))
        raise


class _Reporter:
    """Writes a shard's progress to the database, a few times a second at most."""

    def __init__(self, row: Row, first: int, frames: int, expected: float | None) -> None:
        self.key, self.first, self.of_take = row["key"], first, expected
        self.expected = expected * frames / row["frames"] if expected else None
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
                await stored(takes.progress, self.key, self.first, *now, self._left(), self.of_take)
                told = now
            await asyncio.sleep(REPORT_EVERY)


async def _shard(row: Row, first: int, frames: int, expected: float | None) -> None:
    report = _Reporter(row, first, frames, expected)
    telling = asyncio.create_task(report.keep_telling())
    try:
        made, picture = await making.make_shard(row, first, frames, report)
        log.info("made", extra={"take": row["key"], "first": first, "frames": frames,
                                "seconds": round(time.monotonic() - report.begun, 2)})  # fmt: skip
        await stored(speeds.seen, made.machine)
        await stored(_finish, row, first, made, picture)
    except OtherSize:
        await stored(takes.note_other_size, row["key"])
        raise
    finally:
        telling.cancel()


def _finish(connection: Connection, row: Row, first: int, made: ShardMade, picture: str) -> None:
    """Note a shard; the last one of a take joins all."""
    found = takes.finish_shard(connection, row["key"], first, made.model_dump(mode="json"))
    if found is None:
        return
    shards = [ShardMade.model_validate(result) for result in found]
    timing = joined_timing(shards)
    result = {
        "picture_id": picture, "settings": shards[0].settings, "timing": timing.model_dump(exclude_none=True),
        "clipped": sum(shard.clipped * len(shard.scores) for shard in shards) / row["frames"],
        "findings": [asdict(finding) for finding in shards[0].findings], "machine_id": made.machine.id,
    }  # fmt: skip
    scores = {
        measure: {**score.model_dump(), "frames": frames if row["frames"] > 1 else None}
        for measure, (score, frames) in joined_scores(shards).items()
    }
    alike = {key: pair.model_dump() for key, pair in joined_alike(shards).items()}
    if takes.finish(connection, row["key"], result, scores, alike) and row["recipe"]:
        recipe = Recipe.model_validate(row["recipe"])
        megapixels = Size(made.picture.width, made.picture.height).megapixels
        ran = [(one.machine, one.median) for one in timing.machines] or [(made.machine, timing.median)]
        for machine, median in ran:
            assert median is not None
            speeds.add(connection, recipe, machine.id, "take", median / megapixels)


@jobs.task(name="time_crop", queue=FORECASTS)
async def time_crop(source_id: str, factor: float, recipe: dict[str, Any]) -> None:
    """Time a recipe on a corner of a source, for a forecast."""
    await stored(models.learn)
    source = await stored(sources.get, source_id)
    with media().workspace() as folder:
        request = TimeCrop(
            name=source["name"], models=await making.local_models(recipe, folder),
            recipe=Recipe.model_validate(recipe), factor=factor, traits=source["traits"], lane=settings().timing_lane,
            source=await making.source_footage(source, folder, [0]), frames=source["facts"].get("frames", 1),
        )  # fmt: skip
        try:
            made = await run_child(
                request,
                what=f"{source['name']}, forecast",
                memory_bytes=settings().reader_memory_bytes,
                seconds=settings().reader_seconds,
            )
        except ProcessingFailed:
            return  # no forecast is better than a wrong one; the set-up page says that there is none
        await stored(speeds.seen, made.machine)
        await stored(speeds.add, request.recipe, made.machine.id, "crop", made.seconds_per_megapixel)


@jobs.task(name="mend_picture", queue=READING)
async def mend_picture(picture_id: str) -> None:
    """Make a picture again whose frames are damaged or missing."""
    await stored(models.learn)
    await _or_say(picture_id, making.mend(picture_id))


@jobs.task(name="cut_view", queue=READING)
async def cut_view(picture_id: str, frame: int, view: View) -> None:
    """Cut a view of a frame that nobody has looked at yet, or whose view is damaged."""
    await _or_say(picture_id, making.cut_view(picture_id, frame, view))


@jobs.task(name="cut_slice", queue=READING)
async def cut_slice(picture_id: str, axis: Axis, at: int) -> None:
    """Cut a row or column over all frames that somebody wants to see."""
    await _or_say(picture_id, making.cut_slice(picture_id, axis, at))


@jobs.task(name="cut_shard_views", queue=READING)
async def cut_shard_views(picture_id: str, first: int) -> None:
    """Cut the tiles of all frames of a shard that have none yet."""
    await _or_say(picture_id, making.cut_shard_views(picture_id, first))


async def _or_say(picture_id: str, step: Awaitable[None]) -> None:
    try:
        await step
    except MistlineError as error:
        log.warning("Picture %s cannot be made again: %s", picture_id[:12], error)
