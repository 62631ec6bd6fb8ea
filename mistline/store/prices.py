"""The price book, and the job that a trial is about."""

from mistline.core.timing.cost import Job, PriceBook
from mistline.errors import Conflict, NotFound
from mistline.store import database
from mistline.store.database import Connection, queries

__all__ = ["get", "put", "set_job"]

SQL = queries("prices")


def get(connection: Connection) -> tuple[PriceBook, int]:
    """The book and its version; an empty one of version 0 where nobody has written any."""
    row = connection.execute(SQL["get"]).fetchone()
    return (PriceBook.model_validate(row["book"]), row["version"]) if row else (PriceBook(), 0)


def put(connection: Connection, book: PriceBook, version: int) -> int:
    """Write the book that was read at a version; return the new one.

    Raises
    ------
    Conflict
        If it has been changed since.
    """
    values = {"book": database.json(book.model_dump()), "version": version}
    row = connection.execute(SQL["put"], values).fetchone()
    if row is None:
        raise Conflict("The price book was changed elsewhere meanwhile; load it again and repeat your change.")
    return int(row["version"])


def set_job(connection: Connection, trial_id: str, job: Job) -> None:
    """Say what work a trial is about."""
    values = {"id": trial_id, "job": database.json(job.model_dump())}
    if connection.execute(SQL["set_job"], values).fetchone() is None:
        raise NotFound("There is no such trial; it may have been removed.")
