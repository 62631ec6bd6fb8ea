"""The use cases of the job: import a source, plan and run a trial, cancel and retry. No web in here."""

import asyncio
import contextlib
import re
import time
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import BinaryIO

from procrastinate.exceptions import AlreadyEnqueued

from mistline.core.choose.suggest import Suggestion, suggest_recipe
from mistline.core.colour import ReadAs
from mistline.core.frame import Size
from mistline.core.media.archive import in_order, write_archive
from mistline.core.media.plate import SHARD, shards_of
from mistline.core.methods import Traits
from mistline.core.methods.recipe import Recipe, digest
from mistline.core.setup import CHAIN_VERSION, AnySetup, NativeSetup, Plan, Setup, read_setup
from mistline.core.timing.forecast import Forecast, forecast
from mistline.errors import Conflict, MistlineError, OutOfLimits
from mistline.store import fingerprints, models, pictures, recipes, sources, speeds, takes, trials
from mistline.store.database import Connection, Row, connect
from mistline.store.files import media
from mistline.store.settings import settings
from mistline.work import tasks
from mistline.work.lane import Lane
from mistline.work.making import reading, source_footage
from mistline.work.queue import queue
from mistline.work.requests import AlignPair, Axis, PreviewInput, PreviewMade, View
from mistline.work.sandbox import run_child

__all__ = [
    "LETTERS",
    "Outlook",
    "aligned",
    "cancel_take",
    "cancel_trial",
    "cut_slice",
    "cut_view",
    "import_model",
    "import_original",
    "import_sequence",
    "inspect_again",
    "mend",
    "move_take",
    "outlook",
    "preview",
    "purge_removed",
    "queue_take",
    "read_again",
    "read_otherwise",
    "ready",
    "remove_trial",
    "repeats_of",
    "requeue_adrift",
    "restore_trial",
    "retry_failed",
    "retry_take",
    "start_trial",
    "start_trial_of",
]

REPEATS = 3
ASKED, AHEAD = 10, -10  # priorities of what is looked at, and of what is made before somebody looks
MAX_FRAMES = 600
PATIENCE, UNKNOWN_A_MEGAPIXEL, LONGEST_SECONDS = 4.0, 6.0, 24 * 3600.0
LETTERS = "ABCDEFGHIJKLMOPQRSUVWXYZ"  # N and T are the controls'
MAX_ENTRIES = len(LETTERS)
PREVIEWS = Lane(3)  # of this process; each holds gigabytes while it works
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


def import_sequence(frames: Sequence[tuple[str, BinaryIO]], rate: str) -> tuple[Row, bool]:
    """Keep numbered frames together in one archive and queue its reading; return as `import_original` does."""
    ordered = in_order(frames)
    with media().workspace() as folder:
        path = folder / "frames.zip"
        write_archive(path, ordered, rate)
        first, last = Path(ordered[0][0]), Path(ordered[-1][0])
        number = re.search(r"\d+$", last.stem)
        name = f"{first.stem}-{number[0]}{first.suffix}" if number and len(ordered) > 1 else first.name
        with path.open("rb") as stream:
            return import_original(stream, name)


def read_again(source_id: str) -> None:
    """Queue the reading of a source that has not been read."""
    with connect() as connection:
        if not sources.read_again(connection, source_id):
            return
    job = tasks.read_source.defer(source_id=source_id)
    with connect() as connection:
        sources.set_job(connection, source_id, job)


def read_otherwise(source_id: str, how: ReadAs) -> None:
    """Read a clip by another matrix and range than its tags say; refused where trials rest on what was read."""
    with connect() as connection:
        source = sources.get(connection, source_id)
        used = trials.count_for_source(connection, source_id)
        if used:
            raise Conflict(
                f"{source['name']} is used by {used} trial{'s'[: used != 1]}, which would change; remove them first."
            )
        if not (source["facts"] or {}).get("read_as"):
            raise OutOfLimits(
                f"{source['name']} is not a clip of luma and colour difference; there is no matrix to set."
            )
        if not sources.read_as(connection, source_id, how.model_dump()):
            raise Conflict(f"{source['name']} is being read; wait until it is there.")
    read_again(source_id)


def mend(picture_id: str) -> None:
    """Queue the making again of a picture whose frames are damaged, once however many ask."""
    with contextlib.suppress(AlreadyEnqueued):
        tasks.mend_picture.configure(queueing_lock=f"mend:{picture_id}").defer(picture_id=picture_id)


def cut_view(picture_id: str, frame: int, view: View) -> None:
    """Queue the cutting of a view of a frame, once however many ask.

    Who looks at a frame will look at those beside it: small pictures are cut for its shard, and the tiles of the others
    follow, behind all that is asked for.
    """
    shard = frame - frame % SHARD
    frame = shard if view == "small" else frame
    lock = f"view:{picture_id}:{frame}:{view}"
    with contextlib.suppress(AlreadyEnqueued):
        tasks.cut_view.configure(queueing_lock=lock, priority=ASKED).defer(
            picture_id=picture_id, frame=frame, view=view
        )
    with contextlib.suppress(AlreadyEnqueued):
        if view == "tiles":
            tasks.cut_shard_views.configure(queueing_lock=f"views:{picture_id}:{shard}", priority=AHEAD).defer(
                picture_id=picture_id, first=shard
            )


def cut_slice(picture_id: str, axis: Axis, at: int) -> None:
    """Queue the cutting of a row or column over all frames, once however many ask."""
    with contextlib.suppress(AlreadyEnqueued):
        lock = f"slice:{picture_id}:{axis}:{at}"
        tasks.cut_slice.configure(queueing_lock=lock, priority=ASKED).defer(
            picture_id=picture_id, axis=axis, at=at
        )


def ready(source: Row) -> Row:
    """A source that was read, or `Conflict`."""
    if source["state"] != "ready":
        raise Conflict(f"{source['name']} has not been read yet; wait until the Shelf shows its size.")
    return source


def _measurable(source: Row) -> Row:
    if refused := ready(source)["facts"].get("refused"):
        raise OutOfLimits(refused)
    return source


def _completed(connection: Connection, setup: AnySetup) -> AnySetup:
    """The set-up with what is known of the other source that holds the truth, if one does."""
    if not setup.truth_source:
        return setup
    native = _measurable(sources.get(connection, setup.truth_source))
    facts = native["facts"]
    known = {
        "width": facts["width"],
        "height": facts["height"],
        "hash": digest({"original": native["hash"], **reading(native)}),
    }
    return setup.model_copy(update={**known, "frames": facts.get("frames", 1)})


async def aligned(source_id: str, native_id: str, frame: int) -> NativeSetup:
    """How a larger version lies on a source, as a set-up of a test against it.

    Raises
    ------
    OutOfLimits
        If they do not show the same scene.
    """

    def both() -> tuple[Row, Row]:
        with connect() as connection:
            return _measurable(sources.get(connection, source_id)), _measurable(sources.get(connection, native_id))

    row, native = await asyncio.to_thread(both)
    frame = min(frame, row["facts"].get("frames", 1) - 1, native["facts"].get("frames", 1) - 1)
    async with PREVIEWS.turn():
        with media().workspace() as folder:
            request = AlignPair(
                name=row["name"], source=await source_footage(row, folder, [frame]), frame=frame,
                native=await source_footage(native, folder, [frame]), native_name=native["name"],
            )  # fmt: skip
            found = await run_child(
                request, what=row["name"], memory_bytes=settings().reader_memory_bytes,
                seconds=settings().reader_seconds,
            )  # fmt: skip
    setup = NativeSetup.model_validate(
        {
            "native": native_id,
            "factor": 1,
            "gains": [asdict(gain) for gain in found.gains],
            "alignment": asdict(found.alignment),
        }
    )
    with connect() as connection:
        completed = _completed(connection, setup)
    assert isinstance(completed, NativeSetup)
    return completed


@dataclass(frozen=True)
class Outlook:
    """What a trial of so many frames will do, in numbers; a recipe whose speed is not known has the forecast None.

    `frame_bytes` is what a frame of one take will take in the media store, by the takes so far; `around_seconds` is
    what all beside the processing needs. `suggested` holds the recipes worth trying, by id, also those that were not
    chosen; `ways` how the chosen ones come to a factor that they do not do by themselves.
    """

    sizes: Plan
    takes: int
    repeats: int
    frames: int
    forecasts: dict[str, Forecast | None]
    frame_bytes: float | None
    around_seconds: float
    suggested: dict[str, Suggestion]
    ways: dict[str, str]


def outlook(
    source_id: str, setup: AnySetup, recipe_ids: Sequence[str], first: int = 0, frames: int | None = None
) -> Outlook:
    """Work out what a trial would do; recipes with no known speed get timed on a crop."""
    with connect() as connection:
        source = _measurable(sources.get(connection, source_id))
        setup = _completed(connection, setup)
        _, count = _part(source, setup, first, frames)
        chosen = {str(row["id"]): recipes.recipe_of(row) for row in recipes.some(connection, list(recipe_ids))}
        every = {str(row["id"]): recipes.recipe_of(row) for row in recipes.every(connection)}
        known = {key: speeds.best(connection, recipe) for key, recipe in chosen.items()}
        a_pixel = pictures.bytes_a_pixel(connection, moving=count > 1)
    size = Size(source["facts"]["width"], source["facts"]["height"])
    setup, sizes = setup.at(size), setup.plan(size)
    for recipe in chosen.values():
        recipe.check(sizes.input, sizes.target)
    _time_crops(source_id, setup, [chosen[key] for key, speed in known.items() if speed is None])
    forecasts = {
        key: forecast(speed, sizes.target.megapixels * count, repeats_of(count)) if speed else None
        for key, speed in known.items()
    }
    traits = Traits(**source["traits"])
    suggested = {key: suggest_recipe(recipe, traits, setup, count) for key, recipe in every.items()}
    takes_made = len(chosen) + len(_controls(setup))
    return Outlook(
        sizes,
        takes_made,
        repeats_of(count),
        count,
        forecasts,
        a_pixel * sizes.target.pixels if a_pixel else None,
        takes_made * speeds.around(sizes.target.megapixels * count),
        {key: found for key, found in suggested.items() if found},
        {key: recipe.way(setup.factor) for key, recipe in chosen.items()},
    )


async def preview(source_id: str, setup: Setup, frame: int, centre: tuple[float, float]) -> PreviewMade:
    """Make the input of a set-up on a small crop of a frame, in a child process."""
    if not setup.makes_input:
        raise OutOfLimits("In this test the input is the source itself; there is nothing else to show.")

    def source() -> Row:
        with connect() as connection:
            return ready(sources.get(connection, source_id))

    row = await asyncio.to_thread(source)
    async with PREVIEWS.turn():
        return await _preview(row, setup, frame, centre)


async def _preview(row: Row, setup: Setup, frame: int, centre: tuple[float, float]) -> PreviewMade:
    with media().workspace() as folder:
        request = PreviewInput(
            name=row["name"], source=await source_footage(row, folder, [frame]), frame=frame, setup=setup,
            centre=centre,
        )  # fmt: skip
        return await run_child(
            request, what=row["name"], memory_bytes=settings().reader_memory_bytes,
            seconds=settings().reader_seconds,
        )  # fmt: skip


def _time_crops(source_id: str, setup: AnySetup, unknown: Sequence[Recipe]) -> None:
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


def _entrants(chosen: Sequence[Row], setup: AnySetup) -> list[_Entrant]:
    racing = [
        _Entrant(letter, row["name"], recipes.recipe_of(row), row["id"])
        for letter, row in zip(LETTERS, chosen, strict=False)
    ]
    return racing + _controls(setup)


def _controls(setup: AnySetup) -> list[_Entrant]:
    nearest = _Entrant("N", NEAREST.name, NEAREST, control="nearest")
    return (
        [nearest, _Entrant("T", "Truth, written and read", None, control="truth")]
        if setup.has_truth
        else [nearest]
    )


def repeats_of(frames: int) -> int:
    """How often each frame is processed, so that there are `REPEATS` times or more."""
    return -(-REPEATS // frames)


def _take(entrant: _Entrant, trial: Row) -> Row:
    """The take that an entrant of a trial needs; its key hashes everything that makes it."""
    recipe, repeats = entrant.recipe, repeats_of(trial["frames"])
    scored = read_setup(trial["setup"]).score_identity(trial["plate_key"])
    made_of = {**scored, "recipe": recipe.identity() if recipe else "truth", "repeats": repeats}
    shared = {name: trial[name] for name in ("source_id", "setup", "plate_key", "first", "frames")}
    return {
        **shared,
        "key": digest(made_of),
        "recipe": recipe.model_dump() if recipe else None,
        "delivered": None,
        "repeats": repeats,
    }


def can_be_made_again(take: Row) -> bool:
    """Whether a take made today would be the same: its methods are there, in the versions that made it."""
    if take["delivered"]:
        return True
    scored = read_setup(take["setup"]).score_identity(take["plate_key"])
    try:
        recipe = Recipe.model_validate(take["recipe"]).identity() if take["recipe"] else "truth"
    except (MistlineError, ValueError):
        return False
    return bool(digest({**scored, "recipe": recipe, "repeats": take["repeats"]}) == take["key"])


def _part(source: Row, setup: AnySetup, first: int, frames: int | None) -> tuple[int, int]:
    """First frame and number of frames of a trial, checked against its source; all of them if none are named."""
    there = source["facts"].get("frames", 1)
    count = there - first if frames is None else frames
    if not (first >= 0 and count >= 1 and first + count <= there):
        raise OutOfLimits(f"{source['name']} has {there} frames; choose a part that lies within them.")
    if count > MAX_FRAMES:
        raise OutOfLimits(
            f"A trial takes up to {MAX_FRAMES} frames and {count} were chosen; choose a shorter part."
        )
    if setup.truth_frames is not None and first + count > setup.truth_frames:
        raise OutOfLimits(
            f"The native version has {setup.truth_frames} frames; choose a part of {source['name']} within them."
        )
    setup.check(count)
    return first, count


def start_trial(
    source_id: str,
    name: str,
    setup: AnySetup,
    recipe_ids: Sequence[str],
    first: int = 0,
    frames: int | None = None,
) -> str:
    """Enter the recipes and the controls, queue every take that does not exist yet; return the trial's id.

    The trial is about `frames` frames of the source from `first`; about all if none are named.

    Raises
    ------
    OutOfLimits
        If no recipe or too many were chosen, or one cannot reach the target's size.
    """
    if not 1 <= len(set(recipe_ids)) <= MAX_ENTRIES:
        raise OutOfLimits(f"Choose 1 to {MAX_ENTRIES} recipes; {len(set(recipe_ids))} were chosen.")
    with connect() as connection:
        chosen = recipes.some(connection, list(recipe_ids))
    return start_trial_of(chosen, source_id, name, setup, first, frames)


def start_trial_of(
    chosen: Sequence[Row],
    source_id: str,
    name: str,
    setup: AnySetup,
    first: int,
    frames: int | None,
    stands_in_for: str | None = None,
) -> str:
    """`start_trial` of recipes as rows; it may stand in for the truth of another trial."""
    new: list[str] = []
    unknown: list[Recipe] = []
    with connect() as connection:
        source = _measurable(sources.get(connection, source_id))
        setup = _completed(connection, setup)
        part = _part(source, setup, first, frames)
        size = Size(source["facts"]["width"], source["facts"]["height"])
        sizes = setup.plan(size)
        made_of = {"source": source["hash"], **reading(source), "chain": CHAIN_VERSION,
                   "setup": setup.identity(), "part": part}  # fmt: skip
        trial = {
            "name": name.strip() or f"{source['name']}, {setup.words()}", "source_id": source_id,
            "setup": setup.model_dump(), "plate_key": digest(made_of), "first": part[0], "frames": part[1],
            "stands_in_for": stands_in_for,
        }  # fmt: skip
        trial_id = trials.add(connection, trial)
        for position, entrant in enumerate(_entrants(chosen, setup)):
            if entrant.recipe:
                entrant.recipe.check(sizes.input, sizes.target)
            take = _take(entrant, trial)
            added = takes.add(connection, take, shards_of(part[1]))
            if added or takes.wait_again(connection, take["key"]):  # also what failed or was cancelled for another
                new.append(take["key"])
                if entrant.recipe and speeds.best(connection, entrant.recipe) is None:
                    unknown.append(entrant.recipe)
            entry = {**vars(entrant), "trial_id": trial_id, "position": position, "take_key": take["key"]}
            trials.add_entry(connection, {**entry, "recipe": take["recipe"]})
    _time_crops(source_id, setup.at(size), unknown)
    for key in new:
        queue_take(key)
    return trial_id


def queue_take(key: str) -> None:
    """Queue the shards of a take by the time when they should be done: small before large, long waits first.

    A shard of e seconds that arrives at t stands at t + PATIENCE e, so a later, smaller one passes it only while that
    is still to come: nobody waits for ever.
    """
    with connect() as connection:
        row, waiting = takes.get(connection, key), takes.unmade_shards(connection, key)
        megapixels = row["source_facts"]["megapixels"] * row["frames"]
        expected = speeds.expected(connection, row) or UNKNOWN_A_MEGAPIXEL * megapixels
    for shard in waiting:
        _queue_shard(key, shard["first"], expected * shard["frames"] / row["frames"])


def _queue_shard(key: str, first: int, expected: float = 0.0) -> None:
    due = int(time.time() + PATIENCE * min(expected, LONGEST_SECONDS))
    job = tasks.make_shard.configure(priority=-due).defer(key=key, first=first)
    with connect() as connection:
        takes.set_job(connection, key, first, job)


def cancel_take(key: str) -> bool:
    """Cancel a take that waits or runs; its child processes are killed. False if there was nothing to cancel."""
    with connect() as connection:
        jobs = takes.cancel(connection, key)
    for job in jobs or ():
        queue().job_manager.cancel_job_by_id(job, abort=True)
    return jobs is not None


def move_take(key: str, before: str | None) -> None:
    """Let a take that waits come directly before another one, or last.

    Raises
    ------
    Conflict
        If one of them does not wait any more.
    """
    with connect() as connection:
        if not takes.move(connection, key, before):
            raise Conflict("It does not wait any more, so it keeps its place.")


def cancel_trial(trial_id: str) -> int:
    """Cancel everything of a trial that waits or runs; return how many takes."""
    with connect() as connection:
        keys = takes.unfinished_of_trial(connection, trial_id)
    return sum(cancel_take(key) for key in keys)


def remove_trial(trial_id: str) -> None:
    """Remove a trial with its verdicts; what runs for it alone is cancelled, what another one wants goes on."""
    with connect() as connection:
        keys = takes.unfinished_of_trial(connection, trial_id, alone=True)
        trials.remove(connection, trial_id)
    for key in keys:
        cancel_take(key)


def restore_trial(trial_id: str) -> None:
    """Bring a removed trial back; what was cancelled with it runs again."""
    with connect() as connection:
        keys = trials.restore(connection, trial_id)
        sources.get(
            connection, str(trials.get(connection, trial_id)["source_id"])
        )  # else there is nothing to show
        again = [key for key in keys if takes.wait_again(connection, key)]
    for key in again:
        queue_take(key)


def purge_removed() -> None:
    """Delete what was removed so long ago that it cannot come back."""
    with connect() as connection:
        trials.purge(connection)
        sources.purge(connection)
        for model_id in models.purge(connection):
            fingerprints.forget(connection, model_id)


def retry_failed() -> int:
    """Queue all takes again that failed; return how many."""
    with connect() as connection:
        keys = [key for key in takes.failed(connection) if takes.wait_again(connection, key)]
    for key in keys:
        queue_take(key)
    return len(keys)


def retry_take(key: str) -> None:
    """Queue a failed or cancelled take again."""
    with connect() as connection:
        takes.get(connection, key)
        if not takes.wait_again(connection, key):
            raise Conflict("This take is not failed or cancelled, so there is nothing to retry.")
    queue_take(key)


def requeue_adrift() -> None:
    """Give a new job to everything that waits for one that is gone (a crash between two steps)."""
    with connect() as connection:
        lost_takes, lost_sources = takes.adrift(connection), sources.adrift(connection)
        lost_models, lost_fingerprints = models.adrift(connection), fingerprints.adrift(connection)
    for key, first in lost_takes:
        _queue_shard(key, first)
    for source_id in lost_sources:
        read_again(source_id)
    for model_id in lost_models:
        inspect_again(model_id)
    for method, version in lost_fingerprints:
        tasks.queue_fingerprint(method, version)
