"""Results that were made elsewhere: the exact input is given out, files come in as entries."""

from collections.abc import Sequence
from pathlib import Path
from typing import BinaryIO

from pydantic import ConfigDict, Field

from mistline.core.media.archive import in_order, write_archive
from mistline.core.media.plate import shards_of
from mistline.core.methods.recipe import digest
from mistline.core.setup import read_setup
from mistline.core.typed import Typed
from mistline.errors import Conflict, OutOfLimits
from mistline.store import pictures, takes, trials
from mistline.store.database import Connection, Row, connect
from mistline.store.files import media
from mistline.store.settings import settings
from mistline.work.making import footage_of, stored
from mistline.work.requests import WriteFrames
from mistline.work.sandbox import run_child
from mistline.work.trials import LETTERS, queue_take

__all__ = ["Stated", "deliver", "resample", "restate", "take_away", "write_input"]


USUAL_RATE = "24"


class Stated(Typed):
    """What people say of how a result was made; nothing of it was measured."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True)
    tool: str = Field("", max_length=80)
    version: str = Field("", max_length=40)
    settings: str = Field("", max_length=2000)
    machine: str = Field("", max_length=120)
    seconds: float | None = Field(None, ge=0, le=1e7, description="for all of the trial's part")
    fee: float | None = Field(None, ge=0, le=1e9)
    currency: str = Field("", max_length=12, description="what the fee is counted in")

    @property
    def name(self) -> str:
        """Tool and version.

        >>> Stated(tool="Plover", version="2.1").name
        'Plover 2.1'
        """
        return f"{self.tool} {self.version}".strip()

    def words(self) -> str:
        """What is shown in place of a recipe.

        >>> Stated(tool="Plover", settings="strength 20").words(), Stated().words()
        ('Made elsewhere with Plover: strength 20', 'Made elsewhere')
        """
        made = f"Made elsewhere with {self.name}" if self.name else "Made elsewhere"
        return f"{made}: {self.settings}" if self.settings else made


def _kept(files: Sequence[tuple[str, BinaryIO]], rate: str) -> tuple[str, int]:
    """Keep one file, or frames together in an archive; return the hash and the bytes."""
    if len(files) == 1:
        return media().keep_original(files[0][1])
    with media().workspace() as folder:
        path = folder / "frames.zip"
        write_archive(path, files, rate)
        with path.open("rb") as stream:
            return media().keep_original(stream)


def _take(trial: Row, file: Row) -> Row:
    """The take of a file on a trial's plates."""
    scored = read_setup(trial["setup"]).score_identity(trial["plate_key"])
    made_of = {**scored, "delivered": file["hash"], "resample": file["resample"]}
    shared = {name: trial[name] for name in ("source_id", "setup", "plate_key", "first", "frames")}
    return {**shared, "key": digest(made_of), "recipe": None, "delivered": file, "repeats": 1}


def _add(connection: Connection, trial: Row, take: Row) -> bool:
    """Add a take unless there is one, or let one wait again that came to nothing; True if it is to be queued."""
    new = takes.add(connection, take, shards_of(trial["frames"]))
    return takes.wait_again(connection, take["key"]) or new


def deliver(
    trial_id: str, files: Sequence[tuple[str, BinaryIO]], stated: Stated, *, resample: bool = False
) -> str:
    """Enter a result that was made elsewhere: one file, or the frames of a clip; return its letter.

    Raises
    ------
    Conflict
        If the trial has it already, or has no letter left.
    """
    with connect() as connection:
        trial = trials.get(connection, trial_id)
    if trial["frames"] == 1 and len(files) > 1:
        raise OutOfLimits(
            f"This trial is about one still, and {len(files)} files were given; give its one result."
        )
    files = in_order(files)
    content, size = _kept(files, trial["facts"].get("rate") or USUAL_RATE)
    first = files[0][0]
    take = _take(trial, {"name": first, "hash": content, "file_bytes": size, "resample": resample})
    with connect() as connection:
        there = next((row for row in trials.entries(connection, trial_id) if row["take_key"] == take["key"]), None)
        if there and there["state"] not in ("failed", "cancelled"):
            raise Conflict(f"{first} is in this trial already, as entry {there['letter']}.")
        waits = _add(connection, trial, take)
        if there:
            letter = str(there["letter"])
            trials.restate(connection, trial_id, letter, stated.name or first, stated.model_dump())
        else:
            entry = {"trial_id": trial_id, "name": stated.name or first, "take_key": take["key"]}
            letter = trials.add_delivered(connection, {**entry, "stated": stated.model_dump()}, LETTERS)
    if waits:
        queue_take(take["key"])
    return letter


def resample(trial_id: str, letter: str) -> None:
    """Have a result that was refused for its size brought to the size of the others.

    Raises
    ------
    Conflict
        If it was not refused for that, or the trial has it resampled already.
    """
    with connect() as connection:
        trial, rows = trials.get(connection, trial_id), trials.entries(connection, trial_id)
        row = next((row for row in rows if row["letter"] == letter), None)
        if row is None or row["state"] != "failed" or not (row["delivered"] or {}).get("other_size"):
            raise Conflict(f"{letter} was not refused for its size; only such a result can be resampled.")
        file = {name: row["delivered"][name] for name in ("name", "hash", "file_bytes")}
        take = _take(trial, {**file, "resample": True})
        there = next((other for other in rows if other["take_key"] == take["key"]), None)
        if there:
            raise Conflict(f"{file['name']} is in this trial already, resampled, as entry {there['letter']}.")
        waits = _add(connection, trial, take)
        trials.retake(connection, trial_id, letter, take["key"])
    if waits:
        queue_take(take["key"])


def restate(trial_id: str, letter: str, stated: Stated) -> None:
    """Say anew how a result that was made elsewhere was made."""
    with connect() as connection:
        row = next((row for row in trials.entries(connection, trial_id) if row["letter"] == letter), None)
        file = (row["delivered"] or {}) if row else {}
        trials.restate(connection, trial_id, letter, stated.name or file.get("name", ""), stated.model_dump())


def take_away(trial_id: str, letter: str) -> None:
    """Take an entry out of its trial that was made elsewhere and could not be read."""
    with connect() as connection:
        trials.take_away(connection, trial_id, letter)


async def write_input(trial_id: str, folder: Path) -> tuple[Path, str]:
    """The exact input of a trial, losslessly and tagged, as a file in the folder; and the name to give it.

    Raises
    ------
    Conflict
        If it is not made yet.
    """
    trial = await stored(trials.get, trial_id)
    if trial["input_picture"] is None:
        raise Conflict("The input of this trial is not made yet; it is there once the first entry runs.")
    picture = await stored(pictures.get, trial["input_picture"])
    frames = picture["frames"]
    suffix = "png" if frames == 1 else "zip"
    out = folder / f"input.{suffix}"
    request = WriteFrames(
        name="input", footage=await footage_of(picture["id"], folder, range(frames)), frames=frames, out=out,
        rate=picture["rate"] or USUAL_RATE,
    )  # fmt: skip
    await run_child(
        request, what=trial["name"], memory_bytes=settings().reader_memory_bytes, seconds=settings().take_seconds
    )
    return out, f"{trial['name']}, input.{suffix}"
