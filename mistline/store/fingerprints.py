"""What methods do in general: figures in the database, pictures in the media store."""

from pathlib import Path
from typing import Literal

from mistline.core.fingerprint import VERSION
from mistline.errors import NotFound
from mistline.store import database
from mistline.store.database import Connection, Row, queries
from mistline.store.files import media

__all__ = [
    "Plate", "adrift", "ask", "claim", "every", "fail", "finish", "forget", "get", "keep_plates", "plate", "set_job",
]  # fmt: skip

SQL = queries("fingerprints")
Plate = Literal["plate-before", "plate-after", "rings-before", "rings-after"]


def _values(method: str, version: int, **more: object) -> Row:
    return {"method": method, "version": version, "charts": VERSION, **more}


def every(connection: Connection) -> list[Row]:
    """All that were asked for, newest version of a method first."""
    return connection.execute(SQL["all"], {"charts": VERSION}).fetchall()


def get(connection: Connection, method: str, version: int) -> Row:
    """That of one version of a method, or `NotFound`."""
    row = connection.execute(SQL["get"], _values(method, version)).fetchone()
    if row is None:
        raise NotFound("This version of the method has not been measured; measure it on the Methods page.")
    return row


def ask(connection: Connection, method: str, version: int) -> bool:
    """Note that a version of a method is to be measured; False where it is or will be anyway."""
    return connection.execute(SQL["ask"], _values(method, version)).fetchone() is not None


def set_job(connection: Connection, method: str, version: int, job_id: int) -> None:
    """Note the job that measures it."""
    connection.execute(SQL["set_job"], _values(method, version, job_id=job_id))


def claim(connection: Connection, method: str, version: int) -> Row | None:
    """Take one that waits; None if there is nothing to do."""
    return connection.execute(SQL["claim"], _values(method, version)).fetchone()


def finish(connection: Connection, method: str, version: int, found: Row) -> None:
    """Store what was found."""
    connection.execute(SQL["finish"], _values(method, version, found=database.json(found)))


def fail(connection: Connection, method: str, version: int, error: str) -> None:
    """Store why it cannot be measured."""
    connection.execute(SQL["fail"], _values(method, version, error=error))


def forget(connection: Connection, method: str) -> None:
    """Forget a method that is gone."""
    connection.execute(SQL["forget"], {"method": method})
    media().remove(f"fingerprints/{method}")


def adrift(connection: Connection) -> list[tuple[str, int]]:
    """Those that wait for a job that is gone."""
    return [(row["method"], row["version"]) for row in connection.execute(SQL["adrift"], {"charts": VERSION})]


def _folder(method: str, version: int) -> str:
    return f"fingerprints/{method}/{version}-{VERSION}"


def keep_plates(folder: Path, method: str, version: int) -> None:
    """Take over a folder with a PNG for each `Plate`."""
    media().replace(folder, _folder(method, version))


def plate(method: str, version: int, name: Plate) -> bytes:
    """One of the pictures, as PNG."""
    return media().read(f"{_folder(method, version)}/{name}.png")
