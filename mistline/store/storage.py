"""What takes space, what needs it, and what can go."""

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from datetime import timedelta
from itertools import islice

from mistline.errors import NotFound
from mistline.store import database, pictures
from mistline.store.database import Connection, Row, queries
from mistline.store.files import media, original_key

__all__ = [
    "OWNER", "alone", "bin_of", "clearing", "count_views", "drop_frames", "drop_jobs", "drop_picture", "drop_strays",
    "drop_unneeded_rows", "drop_views", "empty_bin", "is_idle", "is_store_of", "owns_store", "retired", "space",
    "unneeded", "with_views",
]  # fmt: skip

SQL = queries("storage")
MOST = 1000
OWNER = "owner.txt"  # in the media store
CARE = 0x63617265  # of the advisory lock


@contextmanager
def alone(connection: Connection, *, wait: bool = True) -> Iterator[bool]:
    """Whether nobody else removes files or copies them all meanwhile; true once that is so if it waits."""
    with database.alone(connection, CARE, wait=wait) as held:
        yield held


def space(connection: Connection) -> dict[str, Row]:
    """Number and bytes of what is kept, by what it is; the names are those of the query and of the API."""
    found = {row["role"]: row for row in connection.execute(SQL["space"])}
    found["fingerprints"]["bytes"] = media().bytes_below("fingerprints")
    return found


def bin_of(connection: Connection) -> Row:
    """How many trials and sources were removed and can still come back."""
    return database.one(connection.execute(SQL["bin"]))


def empty_bin(connection: Connection) -> None:
    """Let what was removed go for good; the worker purges the sources."""
    connection.execute(SQL["empty_bin"])


def is_idle(connection: Connection) -> bool:
    """Whether nothing is being made."""
    return bool(database.one(connection.execute(SQL["idle"]))["idle"])


def clearing(connection: Connection) -> list[str]:
    """What is being cleared, or waits to be."""
    return [row["what"] for row in connection.execute(SQL["clearing"])]


def drop_unneeded_rows(connection: Connection, grace: timedelta) -> None:
    """Forget takes that no trial shows and plates that no take and no trial has."""
    connection.execute(SQL["drop_takes"], {"grace": grace})
    connection.execute(SQL["drop_plates"])


def unneeded(connection: Connection, grace: timedelta, picture_id: str | None = None) -> list[Row]:
    """Pictures (or one) that nothing has needed for so long."""
    return connection.execute(SQL["unneeded"], {"grace": grace, "id": picture_id}).fetchall()


def drop_picture(connection: Connection, picture_id: str, grace: timedelta) -> None:
    """Remove a picture that nothing needs, also at this moment, with its files."""
    connection.execute(pictures.SQL["lock"], {"id": picture_id})
    if unneeded(connection, grace, picture_id):
        connection.execute(SQL["drop_picture"], {"id": picture_id})
        media().remove(pictures.file_key(picture_id, "").rstrip("/"))


def count_views(connection: Connection) -> None:
    """Note what the views take of pictures from before that was noted."""
    for row in connection.execute(SQL["uncounted"]).fetchall():
        size = media().bytes_below(pictures.file_key(row["id"], "view"))
        connection.execute(SQL["counted"], {"id": row["id"], "bytes": size})


def with_views(connection: Connection) -> list[str]:
    """Ids of the pictures that have views."""
    return [row["id"] for row in connection.execute(SQL["with_views"])]


def drop_views(connection: Connection, picture_id: str) -> None:
    """Remove the views of a picture; they are cut again when somebody looks."""
    connection.execute(SQL["no_views"], {"id": picture_id})
    media().remove(pictures.file_key(picture_id, "view"))


def retired(connection: Connection) -> list[Row]:
    """Finished takes that every trial has retired and whose frames are kept."""
    return connection.execute(SQL["retired"]).fetchall()


def drop_frames(connection: Connection, picture_id: str) -> None:
    """Remove the frames and views of a picture that can be made again; what is known of it stays."""
    connection.execute(pictures.SQL["lock"], {"id": picture_id})
    connection.execute(SQL["drop_shards"], {"id": picture_id})
    connection.execute(pictures.SQL["sum_up"], {"id": picture_id})
    drop_views(connection, picture_id)
    media().remove(pictures.file_key(picture_id, "shards"))


def owns_store(connection: Connection) -> bool:
    """Whether the media store belongs to this database; one that belongs to nobody does once a picture was kept there.

    Files of another installation that shares the store, or of a database that was lost, are strays to this one only.
    """
    row = database.one(connection.execute(SQL["installation"]))
    try:
        return media().read(OWNER).decode() == row["id"]
    except NotFound:
        pass
    mine = row["has_pictures"] and any(
        pictures.some(connection, some) for some in _some(media().names("pictures"))
    )
    if mine:
        with media().workspace() as folder:
            (folder / OWNER).write_text(row["id"])
            media().adopt(folder / OWNER, OWNER)
    return bool(mine)


def is_store_of(connection: Connection) -> bool:
    """Whether the media store can be this database's: it holds its pictures, or there are none yet."""
    row = database.one(connection.execute(SQL["installation"]))
    return not row["has_pictures"] or owns_store(connection)


def drop_strays(connection: Connection, before: float) -> None:
    """Remove files that nothing is noted of, as a killed process leaves them; originals from before a time only."""
    media().drop_uploads(before)
    for some in _some(media().names("pictures")):
        noted = {row["id"] for row in pictures.some(connection, some)}
        for picture_id in set(some) - noted:
            connection.execute(pictures.SQL["lock"], {"id": picture_id})  # who keeps it at this moment holds it
            if not pictures.some(connection, [picture_id]):
                media().remove(pictures.file_key(picture_id, "").rstrip("/"))
    for some in _some(media().names("originals")):
        for content_hash in set(some) - _needed(connection, some):
            key = original_key(
                content_hash
            )  # it may have come again, and be needed, since the others were looked at
            if media().changed(key) < before and not _needed(connection, [content_hash]):
                media().remove(key)


def _needed(connection: Connection, hashes: list[str]) -> set[str]:
    """Those of the hashes of originals that a source, a model or a result from elsewhere came from."""
    return {row["hash"] for row in connection.execute(SQL["originals"], {"hashes": hashes})}


def _some(names: Iterable[str]) -> Iterator[list[str]]:
    """So many at a time."""
    left = iter(names)
    while some := list(islice(left, MOST)):
        yield some


def drop_jobs(connection: Connection) -> None:
    """Forget the jobs that ended badly a day ago."""
    connection.execute(SQL["drop_jobs"])
