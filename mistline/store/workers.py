"""Worker processes on this and on other machines."""

from collections.abc import Sequence

from mistline.core.timing.machine import Machine
from mistline.store import database, speeds
from mistline.store.database import Connection, Row, queries

__all__ = ["every", "forget", "leave", "making", "tell"]

SQL = queries("workers")


def tell(
    connection: Connection, worker_id: str, host: str, machine: Machine, lanes: Sequence[str], doing: Sequence[str]
) -> None:
    """Note that a worker lives, and what it works on."""
    speeds.seen(connection, machine)
    values = {"id": worker_id, "host": host, "machine_id": machine.id, "lanes": list(lanes), "doing": list(doing)}
    connection.execute(SQL["tell"], values)


def leave(connection: Connection, worker_id: str) -> None:
    """A worker stops."""
    connection.execute(SQL["leave"], {"id": worker_id})


def forget(connection: Connection) -> None:
    """Forget workers that have been silent for a day."""
    connection.execute(SQL["forget"])


def every(connection: Connection) -> list[Row]:
    """Workers that were heard of within the hour, with their machines and for how long they have been silent."""
    return connection.execute(SQL["every"]).fetchall()


def making(connection: Connection) -> int:
    """How many workers make takes at this time."""
    return int(database.one(connection.execute(SQL["making"]))["number"])
