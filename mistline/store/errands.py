"""Inputs of trials that are sent to remote services."""

from mistline.errors import Conflict, NotFound
from mistline.store import database
from mistline.store.database import Connection, Row, queries

__all__ = [
    "add", "adrift", "begin_anew", "cancel", "claim", "fail", "finish", "get", "known_times", "of_trial", "progress",
    "set_budget", "set_job", "spent",
]  # fmt: skip

SQL = queries("errands")


def of_trial(connection: Connection, trial_id: str) -> list[Row]:
    """All of a trial, the oldest first."""
    return connection.execute(SQL["of_trial"], {"trial_id": trial_id}).fetchall()


def get(connection: Connection, errand_id: str) -> Row:
    """One, or `NotFound`."""
    row = connection.execute(SQL["get"], {"id": errand_id}).fetchone()
    if row is None:
        raise NotFound("There is no such errand; its trial may have been removed.")
    return row


def add(connection: Connection, errand: Row) -> Row:
    """Note one that is to be run; the same input goes to the same service once.

    Raises
    ------
    Conflict
        If it has been there already or is on its way.
    """
    row = connection.execute(SQL["add"], errand).fetchone()
    if row is None:
        raise Conflict(f"{errand['name']} has this input already; its result is, or will be, an entry.")
    return row


def set_job(connection: Connection, errand_id: str, job_id: int) -> None:
    """Note the job that runs it."""
    connection.execute(SQL["set_job"], {"id": errand_id, "job_id": job_id})


def claim(connection: Connection, errand_id: str) -> Row | None:
    """One that is not over; None if there is nothing to do."""
    return connection.execute(SQL["claim"], {"id": errand_id}).fetchone()


def progress(
    connection: Connection, errand_id: str, state: str, share: float, remote_id: str | None, fee: float | None
) -> bool:
    """Note how far it is; False where it was cancelled."""
    values = {"id": errand_id, "state": state, "progress": share, "remote_id": remote_id, "fee": fee}
    return connection.execute(SQL["progress"], values).fetchone() is not None


def finish(connection: Connection, errand_id: str, letter: str, times: Row, fee: float | None) -> None:
    """Note the entry that came of it, and what it took."""
    values = {"id": errand_id, "letter": letter, "times": database.json(times), "fee": fee}
    connection.execute(SQL["finish"], values)


def fail(connection: Connection, errand_id: str, error: str) -> None:
    """Note why nothing came of it."""
    connection.execute(SQL["fail"], {"id": errand_id, "error": error})


def begin_anew(connection: Connection, errand_id: str) -> None:
    """Note that the service gave the job up, so that a repetition is another one."""
    connection.execute(SQL["begin_anew"], {"id": errand_id})


def cancel(connection: Connection, errand_id: str) -> bool:
    """Give it up; False if it is over already."""
    return connection.execute(SQL["cancel"], {"id": errand_id}).fetchone() is not None


def spent(connection: Connection, trial_id: str, besides: str | None = None) -> float:
    """What the errands of a trial cost or will cost, all of them or all but the one of a key."""
    values = {"trial_id": trial_id, "besides": besides}
    return float(database.one(connection.execute(SQL["spent"], values))["spent"])


def set_budget(connection: Connection, trial_id: str, budget: float | None) -> None:
    """Say what a trial may spend on services; None for no limit."""
    if connection.execute(SQL["set_budget"], {"id": trial_id, "budget": budget}).fetchone() is None:
        raise NotFound("There is no such trial; it may have been removed.")


def known_times(connection: Connection, connector: str) -> list[Row]:
    """What the newest errands to a service took."""
    return connection.execute(SQL["known_times"], {"connector": connector}).fetchall()


def adrift(connection: Connection) -> list[str]:
    """Ids of those that wait for a job that is gone."""
    return [row["id"] for row in connection.execute(SQL["adrift"])]
