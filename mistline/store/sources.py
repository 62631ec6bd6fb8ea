"""The Shelf: sources, what was read and measured of each, and their kinds."""

from mistline.errors import Conflict, NotFound
from mistline.store import database, paging
from mistline.store.database import Connection, Row, queries

__all__ = [
    "add",
    "adrift",
    "claim",
    "edit",
    "fail",
    "finish",
    "get",
    "kinds",
    "like",
    "page",
    "purge",
    "read_again",
    "read_as",
    "remove",
    "restore",
    "set_job",
    "surveyed",
]

SQL = queries("sources")


def kinds(connection: Connection) -> list[Row]:
    """All kinds of footage in their order."""
    return connection.execute(SQL["kinds"]).fetchall()


def add(
    connection: Connection, name: str, content_hash: str, size: int, kind: str | None, story: str
) -> tuple[Row, bool]:
    """Put a file on the Shelf; return its row and whether it is new there.

    The same content is kept once, and comes back if it was removed.
    """
    values = {"name": name, "hash": content_hash, "file_bytes": size, "kind": kind, "story": story}
    added = connection.execute(SQL["add"], values).fetchone()
    if added:
        return added, True
    return database.one(connection.execute(SQL["by_hash"], {"hash": content_hash})), False


def get(connection: Connection, source_id: str) -> Row:
    """One source, or `NotFound`."""
    row = connection.execute(SQL["get"], {"id": source_id}).fetchone()
    if row is None:
        raise NotFound("This source is not on the Shelf; it may have been removed.")
    return row


def page(connection: Connection, asked: Row, cursor: str | None, limit: int) -> tuple[list[Row], str | None]:
    """One page of the sources that answer what is `asked`, newest first, and the cursor of the next page.

    `asked` are words, a kind ("none" for those without one), least and most of megapixels and noise, and whether a
    source is new, tried or decided; None asks nothing.
    """
    rows = connection.execute(SQL["page"], {**paging.after(cursor), **asked, "limit": limit}).fetchall()
    return rows, paging.next_cursor(rows, limit)


def like(connection: Connection, source_id: str, *, moving: bool) -> list[Row]:
    """Other sources that are read, stills or clips, the newest first."""
    return connection.execute(SQL["like"], {"id": source_id, "moving": moving}).fetchall()


def edit(connection: Connection, source_id: str, values: Row, version: int | None) -> Row:
    """Change name, kind or story of a source that was read at a version; None leaves a field as it is.

    Raises
    ------
    Conflict
        If its name or story was changed since.
    """
    known = get(connection, source_id)
    row = connection.execute(SQL["edit"], {**values, "id": source_id, "version": version}).fetchone()
    if row is None:
        raise Conflict(
            f"Changed elsewhere since it was opened here: the name is {known['name']} now, the story "
            f"{known['story'] or 'empty'}. Save again to replace that."
        )
    return row


def set_job(connection: Connection, source_id: str, job_id: int) -> None:
    """Note the job that reads this source."""
    connection.execute(SQL["set_job"], {"id": source_id, "job_id": job_id})


def read_again(connection: Connection, source_id: str) -> bool:
    """Put a source back to waiting, to be read again; False if it is ready already."""
    return connection.execute(SQL["await_reading"], {"id": source_id}).fetchone() is not None


def claim(connection: Connection, source_id: str) -> Row | None:
    """Take a waiting source for reading; None if there is nothing to do."""
    return connection.execute(SQL["claim"], {"id": source_id}).fetchone()


def finish(connection: Connection, source_id: str, facts: Row, traits: Row, picture_id: str) -> None:
    """Store what was read."""
    values = {"id": source_id, "facts": database.json(facts), "traits": database.json(traits)}
    connection.execute(SQL["finish"], {**values, "picture_id": picture_id})


def read_as(connection: Connection, source_id: str, how: Row) -> bool:
    """Put a source that was read back to waiting, to be read otherwise; False if it is not ready."""
    values = {"id": source_id, "read_as": database.json(how)}
    return connection.execute(SQL["read_as"], values).fetchone() is not None


def surveyed(connection: Connection, source_id: str, found: Row) -> None:
    """Add to the facts what was seen in a clip."""
    values = {"id": source_id, "notes": database.json(found["notes"]), "found": database.json(found)}
    connection.execute(SQL["surveyed"], values)


def fail(connection: Connection, source_id: str, error: str) -> None:
    """Store why the file could not be read."""
    connection.execute(SQL["fail"], {"id": source_id, "error": error})


def remove(connection: Connection, source_id: str) -> None:
    """Take a source off the Shelf; for a day it can come back."""
    connection.execute(SQL["remove"], {"id": source_id})


def restore(connection: Connection, source_id: str) -> None:
    """Put a removed source back on the Shelf."""
    if connection.execute(SQL["restore"], {"id": source_id}).fetchone() is None:
        raise NotFound("This source was not removed, or more than a day ago; then it is gone.")


def purge(connection: Connection) -> None:
    """Delete the sources that were removed a day ago, with the takes that no trial shows any more."""
    connection.execute(SQL["purge_takes"])
    connection.execute(SQL["purge"])


def adrift(connection: Connection) -> list[str]:
    """Ids of sources that wait for a job that is gone."""
    return [row["id"] for row in connection.execute(SQL["adrift"])]
