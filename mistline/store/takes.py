"""Takes: results that are computed once, their states, scores and timings."""

from mistline.core.measure import MEASURES
from mistline.errors import NotFound
from mistline.store import database
from mistline.store.database import Connection, Row, queries

__all__ = [
    "add", "adrift", "beside", "cancel", "claim", "fail", "failed", "finish", "finish_shard", "get", "move",
    "note_other_size", "progress", "queue", "release", "set_job", "unfinished_of_trial", "unmade_shards", "wait_again",
]  # fmt: skip

SQL = queries("takes")


def add(connection: Connection, take: Row, shards: list[tuple[int, int]]) -> bool:
    """Add a take with its shards (first frame, frames) unless it exists, and hold it; True if it is new."""
    values = {**take, "setup": database.json(take["setup"])}
    for field in ("recipe", "delivered"):
        values[field] = database.json(take[field]) if take[field] else None
    new = False
    while not new and not connection.execute(SQL["hold"], values).rowcount:
        new = connection.execute(SQL["add"], values).rowcount == 1
    for first, frames in shards if new else ():
        connection.execute(SQL["add_shard"], {"key": take["key"], "first": first, "frames": frames})
    return new


def get(connection: Connection, key: str) -> Row:
    """One take with its source, or `NotFound`."""
    row = connection.execute(SQL["get"], {"key": key}).fetchone()
    if row is None:
        raise NotFound("There is no such take.")
    return row


def set_job(connection: Connection, key: str, first: int, job_id: int) -> None:
    """Note the job that makes a shard of a take."""
    connection.execute(SQL["set_job"], {"key": key, "first": first, "job_id": job_id})


def unmade_shards(connection: Connection, key: str) -> list[Row]:
    """First frame and number of frames of the shards that are still to be made."""
    return connection.execute(SQL["unmade_shards"], {"key": key}).fetchall()


def claim(connection: Connection, key: str, first: int, seconds_left: float | None) -> int | None:
    """Take a shard that waits (or that a dead worker left) for running.

    Return the number of its frames; None if there is nothing to do.
    """
    row = connection.execute(SQL["claim"], {"key": key, "first": first, "seconds_left": seconds_left}).fetchone()
    return row["frames"] if row else None


def progress(
    connection: Connection, key: str, first: int, stage: str, share: float, seconds_left: float | None,
    expected: float | None,
) -> None:  # fmt: skip
    """Note how far a running shard is; `expected` seconds is what the whole take would need."""
    values = {"key": key, "first": first, "stage": stage, "progress": share}
    connection.execute(SQL["progress"], {**values, "seconds_left": seconds_left, "expected": expected})


def finish_shard(connection: Connection, key: str, first: int, result: Row) -> list[Row] | None:
    """Note what was found of a shard, once; return the results of all in their order if this was the last.

    The take stays locked until the transaction ends, so that one of them is the last.
    """
    values = {"key": key, "first": first, "result": database.json(result)}
    connection.execute(SQL["lock"], values)
    if connection.execute(SQL["finish_shard"], values).fetchone() is None:
        return None
    rows = connection.execute(SQL["shard_results"], values).fetchall()
    return [row["result"] for row in rows] if all(row["state"] == "done" for row in rows) else None


def finish(connection: Connection, key: str, result: Row, scores: dict[str, Row], alike: dict[str, Row]) -> bool:
    """Write the result with its scores and its likeness to other takes, once; False if it no longer runs."""
    values = {"key": key, **result}
    for field in ("settings", "timing", "findings"):
        values[field] = database.json(result[field])
    if connection.execute(SQL["finish"], values).fetchone() is None:
        return False
    for measure, score in scores.items():
        row = {"take_key": key, "measure": measure, "version": MEASURES[measure].version, **score}
        connection.execute(SQL["add_score"], {**row, "parts": database.json(score["parts"])})
    connection.execute(SQL["forget_results"], values)
    for other, found in alike.items():
        connection.execute(SQL["add_sameness"], {"one": key, "other": other, **found})
    return True


def beside(connection: Connection, key: str, plate_key: str) -> list[Row]:
    """Finished takes on the same plate, controls left out: what a new one is compared with."""
    return connection.execute(SQL["beside"], {"key": key, "plate_key": plate_key}).fetchall()


def fail(connection: Connection, key: str, error: str) -> None:
    """Note why a take failed."""
    connection.execute(SQL["fail"], {"key": key, "error": error})


def note_other_size(connection: Connection, key: str) -> None:
    """Note that a result made elsewhere has another size than wanted, so that it can be resampled."""
    connection.execute(SQL["note_other_size"], {"key": key})


def release(connection: Connection, key: str, first: int) -> None:
    """Put a running shard back to waiting."""
    connection.execute(SQL["release"], {"key": key, "first": first})


def cancel(connection: Connection, key: str) -> list[int] | None:
    """Cancel a take that waits or runs; return its jobs, None if there was nothing to cancel."""
    if connection.execute(SQL["cancel"], {"key": key}).fetchone() is None:
        return None
    return [row["job_id"] for row in connection.execute(SQL["jobs"], {"key": key})]


def wait_again(connection: Connection, key: str) -> bool:
    """Put a failed or cancelled take back to waiting; False if it is neither."""
    return connection.execute(SQL["wait_again"], {"key": key}).fetchone() is not None


def queue(connection: Connection) -> list[Row]:
    """What runs and what waits."""
    return connection.execute(SQL["queue"]).fetchall()


def move(connection: Connection, key: str, before: str | None) -> bool:
    """Let a take that waits come directly before another one, or last; False if one of them does not wait."""
    jobs = connection.execute(SQL["waiting_jobs"]).fetchall()
    mine, others = [job for job in jobs if job["key"] == key], [job for job in jobs if job["key"] != key]
    place = next((at for at, job in enumerate(others) if job["key"] == before), None if before else len(others))
    if not mine or place is None:
        return False
    # Those ahead of it make room: two, since priorities are whole numbers. Beside seconds of waiting that is nothing.
    wanted = others[place]["priority"] + 1 if before else min(job["priority"] for job in jobs) - 1
    connection.execute(
        SQL["set_priority"], {"ids": [job["id"] for job in others[:place]] if before else [], "more": 2}
    )
    for job in mine:
        connection.execute(SQL["set_priority"], {"ids": [job["id"]], "more": wanted - job["priority"]})
    connection.execute(SQL["touch"], {"key": key})
    return True


def unfinished_of_trial(connection: Connection, trial_id: str, *, alone: bool = False) -> list[str]:
    """Keys of a trial's takes that wait or run; of those that no other trial shows, if asked for that `alone`."""
    values = {"trial_id": trial_id, "alone": alone}
    return [row["key"] for row in connection.execute(SQL["unfinished_of_trial"], values)]


def failed(connection: Connection) -> list[str]:
    """Keys of the takes that failed and that a trial still shows."""
    return [row["key"] for row in connection.execute(SQL["failed"])]


def adrift(connection: Connection) -> list[tuple[str, int]]:
    """Takes and first frames of shards whose job is gone."""
    return [(row["key"], row["first"]) for row in connection.execute(SQL["adrift"])]
