"""How many of what there are, for those who watch over an installation."""

from mistline.store import database
from mistline.store.database import Connection, Row, queries

__all__ = ["jobs", "takes", "workers"]

SQL = queries("counts")


def takes(connection: Connection) -> list[Row]:
    """Number of takes by state."""
    return connection.execute(SQL["takes"]).fetchall()


def jobs(connection: Connection) -> list[Row]:
    """Number of jobs by lane, that wait (todo) or run (doing)."""
    return connection.execute(SQL["jobs"]).fetchall()


def workers(connection: Connection) -> int:
    """Number of lanes whose worker lives."""
    return int(database.one(connection.execute(SQL["workers"]))["number"])
