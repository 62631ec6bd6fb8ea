"""The use cases of the job: import a source, plan and run a trial, cancel and retry. No web in here."""

import asyncio
import contextlib
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from string import ascii_uppercase
from typing import BinaryIO

from procrastinate.exceptions import AlreadyEnqueued

from mistline.core.choose.suggest import Suggestion, suggest_recipe
from mistline.core.degrade.downsample import Plan, plan
from mistline.core.degrade.setup import CHAIN_VERSION, Setup
from mistline.core.frame import Region, Size
from mistline.core.methods import Traits
from mistline.core.methods.recipe import Recipe, digest
from mistline.core.timing.forecast import Forecast, forecast
from mistline.errors import Conflict, OutOfLimits
from mistline.store import models, pictures, recipes, sources, speeds, takes, trials
from mistline.store.database import Row, connect
from mistline.store.files import media
from mistline.store.settings import settings
from mistline.work import tasks
from mistline.work.queue import queue
from mistline.work.sandbox import run_child

__all__ = [
    "Outlook",
    "cancel_take",
    "cancel_trial",
    "import_model",
    "import_original",
    "inspect_again",
    "measure_region",
    "outlook",
    "preview",
    "read_again",
    "requeue_adrift",
    "retry_take",
    "start_trial",
]

REPEATS = 3
LARGEST_REGION = 16_000_000
MAX_ENTRIES = 12
NEAREST = Recipe.model_validate({"name": "Nearest neighbour", "passes": [{"method": "nearest"}]})


def import_model(stream: BinaryIO, name: str) -> tuple[Row, bool]:
    """Keep a model that was dropped in and queue its inspection; return its row and whether it is new."""
    content_hash, size = media().keep_original(stream)
    with connect() as connection:
        row, new = models.add(connection, name, content_hash, size)
    if new or row["state"] == "failed":
        inspect_again(row["id"])
    return row, new


def inspect_again(model_id: str) -> None:
    """Queue the inspection of a model that is not ready."""
    with connect() as connection:
        if not models.await_inspection(connection, model_id):
            return
    job = tasks.inspect_model.defer(key=model_id)
    with connect() as connection:
        models.set_job(connection, model_id, job)


def import_original(stream: BinaryIO, name: str, kind: str | None = None, story: str = "") -> tuple[Row, bool]:
    """Keep an upload and queue its reading; return its row and whether it is new on the Shelf."""
    content_hash, size = media().keep_original(stream)
    with connect() as connection:
        row, new = sources.add(connection, name, content_hash, size, kind, story)
    if new or row["state"] == "failed":
        read_again(str(row["id"]))
    return row, new


def read_again(source_id: str) -> None:
    """Queue the reading of a source that has not been read."""
    with connect() as connection:
        if not sources.read_again(connection, source_id):
            return
    job = tasks.read_source.defer(source_id=source_id)
    with connect() as connection:
        sources.set_job(connection, source_id, job)


def _ready(source: Row) -> Row:
    if source["state"] != "ready":
        raise Conflict(f"{source['name']} has not been read yet; wait until the Shelf shows its size.")
    return source


@dataclass(frozen=True)
class Outlook:
    """What a trial will do, in numbers; a recipe whose speed is not known yet has the forecast None.

    `suggested` holds the recipes worth trying, by id, also those that were not chosen.
    """

    sizes: Plan
    takes: int
    repeats: int
    forecasts: dict[str, Forecast | None]
    suggested: dict[str, Suggestion]


def outlook(source_id: str, setup: Setup, recipe_ids: Sequence[str]) -> Outlook:
    """Work out what a trial would do; recipes with no known speed get timed on a crop."""
    with connect() as connection:
        source = _ready(sources.get(connection, source_id))
        chosen = {str(row["id"]): recipes.recipe_of(row) for row in recipes.some(connection, list(recipe_ids))}
        every = {str(row["id"]): recipes.recipe_of(row) for row in recipes.every(connection)}
        known = {key: speeds.best(connection, recipe) for key, recipe in chosen.items()}
    sizes = plan(Size(source["facts"]["width"], source["facts"]["height"]), setup.factor)
    for recipe in chosen.values():
        recipe.check(sizes.input, sizes.truth)
    _time_crops(source_id, setup, [chosen[key] for key, speed in known.items() if speed is None])
    forecasts = {
        key: forecast(speed, sizes.truth.megapixels, REPEATS) if speed else None for key, speed in known.items()
    }
    traits = Traits(**source["traits"])
    suggested = {key: suggest_recipe(recipe, traits, setup) for key, recipe in every.items()}
    return Outlook(
        sizes, len(chosen) + 2, REPEATS, forecasts, {key: found for key, found in suggested.items() if found}
    )


async def preview(source_id: str, setup: Setup, centre: tuple[float, float]) -> Row:
    """Make the input of a set-up on a small crop, in a child process: two PNG in base 64 and their size."""

    def source() -> Row:
        with connect() as connection:
            return _ready(sources.get(connection, source_id))

    row = await asyncio.to_thread(source)
    with media().workspace() as folder:
        plate = await asyncio.to_thread(pictures.plate_file, row["picture_id"], folder)
        request = {"step": "preview", "name": row["name"], "source": str(plate), "setup": setup.model_dump(),
                   "centre": centre}  # fmt: skip
        return await run_child(
            request, what=row["name"], memory_bytes=settings().reader_memory_bytes,
            seconds=settings().reader_seconds,
        )  # fmt: skip


def _truth_size(picture_id: str) -> Size:
    with connect() as connection:
        picture = pictures.get(connection, picture_id)
    return Size(picture["width"], picture["height"])


async def measure_region(trial_id: str, region: Region) -> dict[str, Row]:
    """The scores of every finished entry within a region of the truth, by letter, measured in a child process."""
    if region.width * region.height > LARGEST_REGION:
        raise OutOfLimits("The part is too large to be measured at once; zoom in to 16 megapixels or less.")

    def rows() -> tuple[Row, list[Row]]:
        with connect() as connection:
            trial = trials.get(connection, trial_id)
            return trial, [row for row in trials.entries(connection, trial_id) if row["state"] == "done"]

    trial, done = await asyncio.to_thread(rows)
    if not done or not trial["truth_picture"]:
        raise Conflict("Nothing of this trial is done yet; wait for the first result.")

    whole = await asyncio.to_thread(_truth_size, trial["truth_picture"])
    if region == Region(0, 0, whole.width, whole.height):
        return {row["letter"]: row["scores"] for row in done}

    async def fetch(picture_id: str) -> str:
        return str(await asyncio.to_thread(pictures.plate_file, picture_id, folder))

    with media().workspace() as folder:
        request = {
            "step": "region", "name": trial["source_name"], "region": asdict(region),
            "factor": trial["setup"]["factor"], "truth": await fetch(trial["truth_picture"]),
            "plates": {row["letter"]: await fetch(row["picture_id"]) for row in done},
        }  # fmt: skip
        return await run_child(
            request, what=trial["source_name"], memory_bytes=settings().reader_memory_bytes,
            seconds=settings().reader_seconds, remedy="zoom in to a smaller part",
        )  # fmt: skip


def _time_crops(source_id: str, setup: Setup, unknown: Sequence[Recipe]) -> None:
    """Queue the timing of recipes whose speed nobody knows, each once."""
    for recipe in unknown:
        with contextlib.suppress(AlreadyEnqueued):
            tasks.time_crop.configure(queueing_lock=f"crop:{digest(recipe.identity())}").defer(
                source_id=source_id, factor=setup.factor, recipe=recipe.model_dump()
            )


@dataclass(frozen=True)
class _Entrant:
    """Who competes in a trial, or stands beside it as a control; the truth control has no recipe."""

    letter: str
    name: str
    recipe: Recipe | None
    recipe_id: str | None = None
    control: str | None = None


def _entrants(chosen: Sequence[Row]) -> list[_Entrant]:
    racing = [
        _Entrant(letter, row["name"], recipes.recipe_of(row), row["id"])
        for letter, row in zip(ascii_uppercase, chosen, strict=False)
    ]
    controls = [
        _Entrant("N", NEAREST.name, NEAREST, control="nearest"),
        _Entrant("T", "Truth, written and read", None, control="truth"),
    ]
    return racing + controls


def _take(entrant: _Entrant, source: Row, setup: Row, plate_key: str) -> Row:
    """The take that an entrant needs; its key hashes everything that makes it."""
    recipe = entrant.recipe
    made_of = {"plate": plate_key, "recipe": recipe.identity() if recipe else "truth", "repeats": REPEATS}
    return {
        "key": digest(made_of),
        "source_id": source["id"],
        "setup": setup,
        "plate_key": plate_key,
        "recipe": recipe.model_dump() if recipe else None,
        "repeats": REPEATS,
    }


def start_trial(source_id: str, name: str, setup: Setup, recipe_ids: Sequence[str]) -> str:
    """Enter the recipes and the controls, queue every take that does not exist yet; return the trial's id.

    Raises
    ------
    OutOfLimits
        If no recipe or too many were chosen, or one cannot reach the truth's size.
    """
    if not 1 <= len(set(recipe_ids)) <= MAX_ENTRIES:
        raise OutOfLimits(f"Choose 1 to {MAX_ENTRIES} recipes; {len(set(recipe_ids))} were chosen.")
    if setup.harmless:
        raise OutOfLimits("The input would be the truth itself; choose a factor above 1 or some damage.")
    new: list[str] = []
    unknown: list[Recipe] = []
    with connect() as connection:
        source = _ready(sources.get(connection, source_id))
        sizes = plan(Size(source["facts"]["width"], source["facts"]["height"]), setup.factor)
        shape = setup.model_dump()
        plate_key = digest({"source": source["hash"], "reader": tasks.READER_VERSION, "chain": CHAIN_VERSION,
                            "setup": shape})  # fmt: skip
        title = name.strip() or f"{source['name']}, {setup.words()}"
        trial_id = trials.add(connection, title, source_id, shape, plate_key)
        for position, entrant in enumerate(_entrants(recipes.some(connection, list(recipe_ids)))):
            if entrant.recipe:
                entrant.recipe.check(sizes.input, sizes.truth)
            take = _take(entrant, source, shape, plate_key)
            if takes.add(connection, take):
                new.append(take["key"])
                if entrant.recipe and speeds.best(connection, entrant.recipe) is None:
                    unknown.append(entrant.recipe)
            entry = {**vars(entrant), "trial_id": trial_id, "position": position, "take_key": take["key"]}
            trials.add_entry(connection, {**entry, "recipe": take["recipe"]})
    _time_crops(source_id, setup, unknown)
    for key in new:
        _queue_take(key)
    return trial_id


def _queue_take(key: str) -> None:
    job = tasks.make_take.defer(key=key)
    with connect() as connection:
        takes.set_job(connection, key, job)


def cancel_take(key: str) -> bool:
    """Cancel a take that waits or runs; its child process is killed. False if there was nothing to cancel."""
    with connect() as connection:
        row = takes.cancel(connection, key)
    if row is None:
        return False
    if row["job_id"] is not None:
        queue().job_manager.cancel_job_by_id(row["job_id"], abort=True)
    return True


def cancel_trial(trial_id: str) -> int:
    """Cancel everything of a trial that waits or runs; return how many takes."""
    with connect() as connection:
        keys = takes.unfinished_of_trial(connection, trial_id)
    return sum(cancel_take(key) for key in keys)


def retry_take(key: str) -> None:
    """Queue a failed or cancelled take again."""
    with connect() as connection:
        takes.get(connection, key)
        if not takes.wait_again(connection, key):
            raise Conflict("This take is not failed or cancelled, so there is nothing to retry.")
    _queue_take(key)


def requeue_adrift() -> None:
    """Give a new job to everything that waits for one that is gone (a crash between two steps)."""
    with connect() as connection:
        lost_takes, lost_sources = takes.adrift(connection), sources.adrift(connection)
        lost_models = models.adrift(connection)
    for key in lost_takes:
        _queue_take(key)
    for source_id in lost_sources:
        read_again(source_id)
    for model_id in lost_models:
        inspect_again(model_id)
