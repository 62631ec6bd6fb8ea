"""The use cases of the job: import a source, plan and run a trial, cancel and retry. No web in here."""

import contextlib
from collections.abc import Sequence
from dataclasses import dataclass
from string import ascii_uppercase
from typing import Any, BinaryIO

from procrastinate.exceptions import AlreadyEnqueued

from mistline.core.degrade.downsample import Plan, Setup, plan
from mistline.core.frame import Size
from mistline.core.methods.recipe import Recipe, digest
from mistline.core.timing.forecast import Forecast, forecast
from mistline.errors import Conflict, OutOfLimits
from mistline.store import recipes, sources, speeds, takes, trials
from mistline.store.database import Row, connect
from mistline.store.files import media
from mistline.work import tasks
from mistline.work.queue import queue

__all__ = [
    "Outlook",
    "cancel_take",
    "cancel_trial",
    "import_original",
    "outlook",
    "read_again",
    "requeue_adrift",
    "retry_take",
    "start_trial",
]

REPEATS = 3
MAX_ENTRIES = 12
NEAREST = Recipe.model_validate({"name": "Nearest neighbour", "passes": [{"method": "nearest"}]})


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


def _recipe(row: Row) -> Recipe:
    return Recipe(name=row["name"], passes=row["passes"])


def _ready(source: Row) -> Row:
    if source["state"] != "ready":
        raise Conflict(f"{source['name']} has not been read yet; wait until the Shelf shows its size.")
    return source


@dataclass(frozen=True)
class Outlook:
    """What a trial will do, in numbers; a recipe whose speed is not known yet has the forecast None."""

    sizes: Plan
    takes: int
    repeats: int
    forecasts: dict[str, Forecast | None]


def outlook(source_id: str, setup: Setup, recipe_ids: Sequence[str], *, time_crops: bool) -> Outlook:
    """Work out what a trial would do; recipes with no known speed are timed on a crop if wanted."""
    with connect() as connection:
        source = _ready(sources.get(connection, source_id))
        chosen = {str(row["id"]): _recipe(row) for row in recipes.some(connection, list(recipe_ids))}
        known = {key: speeds.best(connection, recipe) for key, recipe in chosen.items()}
    sizes = plan(Size(source["facts"]["width"], source["facts"]["height"]), setup.factor)
    for key, recipe in chosen.items():
        recipe.check(sizes.input, sizes.truth)
        if known[key] is None and time_crops:
            identity = {"source_id": source_id, "factor": setup.factor, "recipe": recipe.model_dump()}
            _defer_once(f"crop:{digest(recipe.identity())}", identity)
    forecasts = {
        key: forecast(speed, sizes.truth.megapixels, REPEATS) if speed else None for key, speed in known.items()
    }
    return Outlook(sizes, len(chosen) + 2, REPEATS, forecasts)


def _defer_once(lock: str, values: dict[str, Any]) -> None:
    with contextlib.suppress(AlreadyEnqueued):
        tasks.time_crop.configure(queueing_lock=lock).defer(**values)


def start_trial(source_id: str, name: str, setup: Setup, recipe_ids: Sequence[str]) -> str:
    """Enter the recipes and the controls, queue every take that does not exist yet; return the trial's id.

    Raises
    ------
    OutOfLimits
        If no recipe or too many were chosen, or one cannot reach the truth's size.
    """
    if not 1 <= len(set(recipe_ids)) <= MAX_ENTRIES:
        raise OutOfLimits(f"Choose 1 to {MAX_ENTRIES} recipes; {len(set(recipe_ids))} were chosen.")
    with connect() as connection:
        source = _ready(sources.get(connection, source_id))
        chosen = recipes.some(connection, list(recipe_ids))
        sizes = plan(Size(source["facts"]["width"], source["facts"]["height"]), setup.factor)
        shape = setup.model_dump()
        plate_key = digest({"source": source["hash"], "reader": tasks.READER_VERSION, "setup": shape})
        trial_id = trials.add(
            connection, name.strip() or f"{source['name']}, {setup.words()}", source_id, shape, plate_key
        )
        field: list[tuple[str, str, str | None, Row | None, Recipe | None]] = [
            (ascii_uppercase[index], row["name"], None, row, _recipe(row)) for index, row in enumerate(chosen)
        ]
        field += [
            ("N", NEAREST.name, "nearest", None, NEAREST),
            ("T", "Truth, written and read", "truth", None, None),
        ]
        new: list[str] = []
        for position, (letter, title, control, row, recipe) in enumerate(field):
            if recipe:
                recipe.check(sizes.input, sizes.truth)
            key = digest(
                {"plate": plate_key, "recipe": recipe.identity() if recipe else "truth", "repeats": REPEATS}
            )
            content = recipe.model_dump() if recipe else None
            take = {
                "key": key,
                "source_id": source_id,
                "setup": shape,
                "plate_key": plate_key,
                "recipe": content,
                "repeats": REPEATS,
            }
            if takes.add(connection, take):
                new.append(key)
            trials.add_entry(
                connection,
                {
                    "trial_id": trial_id,
                    "letter": letter,
                    "position": position,
                    "name": title,
                    "control": control,
                    "recipe_id": row["id"] if row else None,
                    "recipe": content,
                    "take_key": key,
                },
            )
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
    for key in lost_takes:
        _queue_take(key)
    for source_id in lost_sources:
        read_again(source_id)
