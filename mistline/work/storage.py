"""The use cases of storage: what takes space, what can go, and letting it go."""

import contextlib
import time
from datetime import timedelta
from typing import Literal

from procrastinate import Blueprint
from procrastinate.exceptions import AlreadyEnqueued

from mistline.store import models, storage
from mistline.store.database import Row, connect
from mistline.store.files import media
from mistline.work.tasks import BEHIND, READING
from mistline.work.trials import can_be_made_again

__all__ = ["What", "clear", "collect", "jobs", "low_disk", "what_takes_space"]

jobs = Blueprint()
What = Literal["bin", "unneeded", "views", "retired"]
# What nothing needs stays for a day, in case that it is wanted again; when people want the space, it has to be older
# than what is kept but not noted yet.
GRACE, ASKED_FOR = timedelta(days=1), timedelta(seconds=10)
LOW_BYTES, LOW_SHARE, LOW_AT_MOST = 2 * 2**30, 0.05, 20 * 2**30


def low_disk() -> int | None:
    """Free bytes of the media store's disk where they are few; else None."""
    free, all_bytes = media().free_bytes(), media().all_bytes()
    if free is None or all_bytes is None:
        return None
    return free if free < max(LOW_BYTES, min(LOW_SHARE * all_bytes, LOW_AT_MOST)) else None


def _droppable() -> list[Row]:
    """Takes that everybody has retired and that can be made again."""
    with connect() as connection:
        models.learn(connection)
        return [row for row in storage.retired(connection) if can_be_made_again(row)]


def what_takes_space() -> Row:
    """The disk, what is kept by what it is, what could go, and what is on its way."""
    with connect() as connection:
        kept = {role: {"number": row["number"], "bytes": row["bytes"]}
                for role, row in storage.space(connection).items()}  # fmt: skip
        removed, clearing = storage.bin_of(connection), storage.clearing(connection)
    retired = _droppable()
    kept["retired"] = {"number": len(retired), "bytes": sum(row["file_bytes"] for row in retired)}
    return {
        "kept": kept, "removed": removed, "clearing": clearing, "free_bytes": media().free_bytes(),
        "all_bytes": media().all_bytes(), "is_low": low_disk() is not None,
    }  # fmt: skip


def clear(what: What) -> None:
    """Queue the clearing of something, once however many ask."""
    if what == "bin":
        with connect() as connection:
            storage.empty_bin(connection)
    with contextlib.suppress(AlreadyEnqueued):
        clear_storage.configure(queueing_lock=f"clear:{what}", priority=BEHIND).defer(what=what)


@jobs.task(name="clear_storage", queue=READING)
def clear_storage(what: What) -> None:
    """Let something go; what was begun and killed is gone on with when asked again."""
    if what == "views":
        with connect() as connection:
            ids = storage.with_views(connection)
        for picture_id in ids:
            with connect() as connection:
                storage.drop_views(connection, picture_id)
    elif what == "retired":
        with connect() as guard, storage.alone(guard):
            for row in _droppable():
                with connect() as connection:
                    storage.drop_frames(connection, row["picture_id"])
    else:
        with connect() as guard, storage.alone(guard):
            _collect(ASKED_FOR if storage.is_idle(guard) else GRACE)


def collect() -> None:
    """Remove what nothing has needed for a day, unless somebody else removes something or makes a backup."""
    with connect() as guard, storage.alone(guard, wait=False) as alone:
        if alone:
            _collect(GRACE)


def _collect(grace: timedelta) -> None:
    """Remove what no source, trial or verdict has needed for so long, and what killed processes left."""
    with connect() as connection:
        storage.drop_unneeded_rows(connection, grace)
        storage.drop_jobs(connection)
        storage.count_views(connection)
        found = storage.unneeded(connection, grace)
    for row in found:
        with connect() as connection:
            storage.drop_picture(connection, row["id"], grace)
    with connect() as connection:
        if storage.owns_store(connection):
            storage.drop_strays(connection, time.time() - grace.total_seconds())
