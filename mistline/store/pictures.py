"""Pictures (plates with view tiles) and the truth and input plates of a test set-up."""

from pathlib import Path

from mistline.core.media.plate import TILE
from mistline.errors import NotFound
from mistline.store import database
from mistline.store.database import Connection, Row, queries
from mistline.store.files import media

__all__ = ["TILE", "add_plate", "file_key", "get", "keep", "plate", "plate_file"]

SQL = queries("pictures")


def file_key(picture_id: str, name: str) -> str:
    """Where a file of a picture lies in the media store."""
    return f"pictures/{picture_id[:2]}/{picture_id}/{name}"


def plate_file(picture_id: str, folder: Path) -> Path:
    """The picture itself as a local file, fetched into the folder where the media store is not one."""
    return media().fetch(file_key(picture_id, "plate.png"), folder)


def keep(connection: Connection, folder: Path, facts: Row) -> str:
    """Take over a finished picture folder (plate.png, view/) and note it; return its id."""
    size = (folder / "plate.png").stat().st_size
    media().adopt(folder, file_key(facts["id"], "").rstrip("/"))
    connection.execute(SQL["add"], {**facts, "file_bytes": size})
    return str(facts["id"])


def get(connection: Connection, picture_id: str) -> Row:
    """One picture, or `NotFound`."""
    row = connection.execute(SQL["get"], {"id": picture_id}).fetchone()
    if row is None:
        raise NotFound("There is no such picture; the take it belongs to may have been removed.")
    return row


def plate(connection: Connection, key: str) -> Row | None:
    """Truth, input and input traits of a set-up, if they were made."""
    return connection.execute(SQL["plate"], {"key": key}).fetchone()


def add_plate(connection: Connection, key: str, truth: str, small: str, traits: Row) -> None:
    """Note the plates of a set-up; the first to note them wins, all are equal."""
    values = {"key": key, "truth_picture": truth, "input_picture": small, "traits": database.json(traits)}
    connection.execute(SQL["add_plate"], values)
