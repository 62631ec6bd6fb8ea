"""Trials with their entries, verdicts with their history, and the Playbook drawn from them."""

from mistline.errors import NotFound
from mistline.store import database, paging
from mistline.store.database import Connection, Row, queries

__all__ = [
    "add",
    "add_entry",
    "add_verdict",
    "count_for_source",
    "entries",
    "get",
    "page",
    "playbook",
    "purge",
    "remove",
    "restore",
    "same",
    "set_standing",
    "verdicts",
]

SQL = queries("trials")


def add(connection: Connection, trial: Row) -> str:
    """Add a trial; return its id."""
    values = {**trial, "setup": database.json(trial["setup"])}
    return str(database.one(connection.execute(SQL["add"], values))["id"])


def add_entry(connection: Connection, entry: Row) -> None:
    """Enter a recipe or a control into a trial."""
    recipe = database.json(entry["recipe"]) if entry["recipe"] else None
    connection.execute(SQL["add_entry"], {**entry, "recipe": recipe})


def get(connection: Connection, trial_id: str) -> Row:
    """One trial with its source and plates, or `NotFound`."""
    row = connection.execute(SQL["get"], {"id": trial_id}).fetchone()
    if row is None:
        raise NotFound("There is no such trial; it may have been removed.")
    return row


def entries(connection: Connection, trial_id: str) -> list[Row]:
    """All entries of a trial with takes and scores."""
    return connection.execute(SQL["entries"], {"id": trial_id}).fetchall()


def same(connection: Connection, trial_id: str) -> list[Row]:
    """Pairs of letters whose results are the same picture to the eye."""
    return connection.execute(SQL["same"], {"id": trial_id}).fetchall()


def set_standing(connection: Connection, trial_id: str, letter: str, standing: str | None, reason: str) -> None:
    """Say what is thought of an entry ("kept", "retired", "finalist" or nothing) and why."""
    values = {"trial_id": trial_id, "letter": letter, "standing": standing, "reason": reason}
    if connection.execute(SQL["set_standing"], values).fetchone() is None:
        raise NotFound(f"There is no entry {letter} in this trial.")


def page(connection: Connection, cursor: str | None, limit: int) -> tuple[list[Row], str | None]:
    """One page of trials, newest first, and the cursor of the next page."""
    rows = connection.execute(SQL["page"], {**paging.after(cursor), "limit": limit}).fetchall()
    return rows, paging.next_cursor(rows, limit)


def count_for_source(connection: Connection, source_id: str) -> int:
    """How many trials use a source."""
    return int(database.one(connection.execute(SQL["count_for_source"], {"source_id": source_id}))["trials"])


def remove(connection: Connection, trial_id: str) -> None:
    """Remove a trial; for a day it can come back. Its takes stay, since others may use them."""
    if connection.execute(SQL["remove"], {"id": trial_id}).fetchone() is None:
        raise NotFound("There is no such trial; it may have been removed already.")


def restore(connection: Connection, trial_id: str) -> list[str]:
    """Bring a removed trial back; return the keys of its takes that were cancelled with it."""
    row = connection.execute(SQL["restore"], {"id": trial_id}).fetchone()
    if row is None:
        raise NotFound("This trial was not removed, or more than a day ago; then it is gone.")
    return list(row["cancelled"])


def purge(connection: Connection) -> None:
    """Delete what was removed a day ago."""
    connection.execute(SQL["purge"])


def add_verdict(connection: Connection, verdict: Row) -> None:
    """Write a verdict; earlier ones stay as history."""
    connection.execute(SQL["add_verdict"], verdict)


def verdicts(connection: Connection, trial_id: str) -> list[Row]:
    """All verdicts of a trial, the one in force first."""
    return connection.execute(SQL["verdicts"], {"id": trial_id}).fetchall()


def playbook(connection: Connection) -> list[Row]:
    """Every kind with the verdicts in force, newest first; a kind without one has a row without."""
    return connection.execute(SQL["playbook"]).fetchall()
