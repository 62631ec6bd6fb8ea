"""Takes: results that are computed once, their states, scores and timings."""

from mistline.core.measure import MEASURES
from mistline.errors import NotFound
from mistline.store import database
from mistline.store.database import Connection, Row, queries

__all__ = [
    "add", "adrift", "beside", "cancel", "claim", "fail", "finish", "get", "progress", "queue", "release",
    "set_job", "unfinished_of_trial", "wait_again",
]  # fmt: skip

SQL = queries("takes")


def add(connection: Connection, take: Row) -> bool:
    """Add a take unless it exists; True if it is new."""
    values = {**take, "setup": database.json(take["setup"])}
    values["recipe"] = database.json(take["recipe"]) if take["recipe"] else None
    return connection.execute(SQL["add"], values).rowcount == 1


def get(connection: Connection, key: str) -> Row:
    """One take with its source, or `NotFound`."""
    row = connection.execute(SQL["get"], {"key": key}).fetchone()
    if row is None:
        raise NotFound("There is no such take.")
    return row


def set_job(connection: Connection, key: str, job_id: int) -> None:
    """Note the job that makes this take."""
    connection.execute(SQL["set_job"], {"key": key, "job_id": job_id})


def claim(connection: Connection, key: str, seconds_left: float | None) -> bool:
    """Take a waiting take (or one that a dead worker left) for running; False if there is nothing to do."""
    return connection.execute(SQL["claim"], {"key": key, "seconds_left": seconds_left}).fetchone() is not None


def progress(connection: Connection, key: str, stage: str, share: float, seconds_left: float | None) -> None:
    """Note how far a running take is."""
    values = {"key": key, "stage": stage, "progress": share, "seconds_left": seconds_left}
    connection.execute(SQL["progress"], values)


def finish(connection: Connection, key: str, result: Row, scores: dict[str, Row], alike: dict[str, Row]) -> bool:
    """Write the result with its scores and its likeness to other takes, once; False if it no longer runs."""
    values = {"key": key, **result}
    for field in ("settings", "timing"):
        values[field] = database.json(result[field])
    if connection.execute(SQL["finish"], values).fetchone() is None:
        return False
    for measure, score in scores.items():
        row = {"take_key": key, "measure": measure, "version": MEASURES[measure].version, **score}
        connection.execute(SQL["add_score"], {**row, "parts": database.json(score["parts"])})
    for other, found in alike.items():
        connection.execute(SQL["add_sameness"], {"one": key, "other": other, **found})
    return True


def beside(connection: Connection, key: str, plate_key: str) -> list[Row]:
    """Finished takes of recipes on the same plate: what a new one is compared with."""
    return connection.execute(SQL["beside"], {"key": key, "plate_key": plate_key}).fetchall()


def fail(connection: Connection, key: str, error: str) -> None:
    """Note why a take failed."""
    connection.execute(SQL["fail"], {"key": key, "error": error})


def release(connection: Connection, key: str) -> None:
    """Put a running take back to waiting."""
    connection.execute(SQL["release"], {"key": key})


def cancel(connection: Connection, key: str) -> Row | None:
    """Cancel a take that waits or runs; return its job, None if there was nothing to cancel."""
    return connection.execute(SQL["cancel"], {"key": key}).fetchone()


def wait_again(connection: Connection, key: str) -> bool:
    """Put a failed or cancelled take back to waiting; False if it is neither."""
    return connection.execute(SQL["wait_again"], {"key": key}).fetchone() is not None


def queue(connection: Connection) -> list[Row]:
    """What runs and what waits."""
    return connection.execute(SQL["queue"]).fetchall()


def unfinished_of_trial(connection: Connection, trial_id: str) -> list[str]:
    """Keys of a trial's takes that wait or run."""
    return [row["key"] for row in connection.execute(SQL["unfinished_of_trial"], {"trial_id": trial_id})]


def adrift(connection: Connection) -> list[str]:
    """Keys of takes whose job is gone."""
    return [row["key"] for row in connection.execute(SQL["adrift"])]
