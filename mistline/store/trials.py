"""Trials with their entries, verdicts with their history, and the Playbook drawn from them."""

from mistline.errors import Conflict, NotFound
from mistline.store import database, paging
from mistline.store.database import Connection, Row, queries

__all__ = [
    "add",
    "add_delivered",
    "add_entry",
    "add_verdict",
    "count_for_source",
    "entries",
    "get",
    "lock",
    "page",
    "playbook",
    "purge",
    "remove",
    "restate",
    "restore",
    "retake",
    "same",
    "set_standing",
    "stand_ins",
    "take_away",
    "verdicts",
]

SQL = queries("trials")


def add(connection: Connection, trial: Row) -> str:
    """Add a trial; return its id."""
    values = {"stands_in_for": None, **trial, "setup": database.json(trial["setup"])}
    return str(database.one(connection.execute(SQL["add"], values))["id"])


def add_entry(connection: Connection, entry: Row) -> None:
    """Enter a recipe, a control or a result made elsewhere into a trial."""
    documents = {name: database.json(entry[name]) if entry.get(name) else None for name in ("recipe", "stated")}
    connection.execute(SQL["add_entry"], {**entry, **documents})


def add_delivered(connection: Connection, entry: Row, letters: str) -> str:
    """Enter a result made elsewhere after all others, under the first free letter; return that.

    Raises
    ------
    Conflict
        If no letter is free.
    """
    trial_id = entry["trial_id"]
    lock(connection, trial_id)
    rows = entries(connection, trial_id)
    taken = {row["letter"] for row in rows}
    letter = next((letter for letter in letters if letter not in taken), None)
    if letter is None:
        raise Conflict(f"A trial holds {len(letters)} entries and all are taken; start another one.")
    position = min((row["position"] for row in rows if row["control"]), default=len(rows))
    connection.execute(SQL["make_room"], {"trial_id": trial_id, "position": position})
    unmade = {"control": None, "recipe_id": None, "recipe": None}
    add_entry(connection, {**entry, **unmade, "letter": letter, "position": position})
    return letter


def lock(connection: Connection, trial_id: str) -> None:
    """Let nobody else change what belongs to a trial until this is through."""
    connection.execute(SQL["lock"], {"id": trial_id})


def restate(connection: Connection, trial_id: str, letter: str, name: str, stated: Row) -> None:
    """Say anew how a result that was made elsewhere was made."""
    values = {"trial_id": trial_id, "letter": letter, "name": name, "stated": database.json(stated)}
    if connection.execute(SQL["restate"], values).fetchone() is None:
        raise NotFound(f"There is no entry {letter} that was made elsewhere in this trial.")


def retake(connection: Connection, trial_id: str, letter: str, take_key: str) -> None:
    """Show another take of the same file as an entry that was made elsewhere."""
    connection.execute(SQL["retake"], {"trial_id": trial_id, "letter": letter, "take_key": take_key})


def take_away(connection: Connection, trial_id: str, letter: str) -> None:
    """Take an entry that was made elsewhere and could not be read out of its trial."""
    if connection.execute(SQL["take_away"], {"trial_id": trial_id, "letter": letter}).fetchone() is None:
        raise NotFound(f"Only a result made elsewhere that could not be read can be taken away; retire {letter}.")


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


def stand_ins(connection: Connection, trial_id: str) -> list[Row]:
    """Ids of the trials whose truth stands in for that of another, the oldest first."""
    return connection.execute(SQL["stand_ins"], {"id": trial_id}).fetchall()


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
    connection.execute(SQL["add_verdict"], {"author": "", "view": "", **verdict})


def verdicts(connection: Connection, trial_id: str) -> list[Row]:
    """All verdicts of a trial, the one in force first."""
    return connection.execute(SQL["verdicts"], {"id": trial_id}).fetchall()


def playbook(connection: Connection, limit: int, kind: str | None = None, before: int | None = None) -> list[Row]:
    """So many of the newest verdicts in force of every kind, or one, before that of an id; `number` counts all.

    A kind without any has a row without.
    """
    return connection.execute(SQL["playbook"], {"kind": kind, "before": before, "limit": limit}).fetchall()
