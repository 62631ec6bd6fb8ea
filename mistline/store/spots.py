"""What is marked on pictures: spots of a source with what takes score at them, and remarks on entries."""

from mistline.errors import NotFound
from mistline.store import database
from mistline.store.database import Connection, Row, queries

__all__ = [
    "add", "add_remark", "edit", "edit_remark", "get", "keep_scores", "of_source", "remarks", "scores",
]  # fmt: skip

SQL = queries("spots")


def add(connection: Connection, spot: Row) -> str:
    """Add a spot, its place in pixels and frames of the source; return its id."""
    return str(database.one(connection.execute(SQL["add"], spot))["id"])


def get(connection: Connection, spot_id: str) -> Row:
    """One spot, also one that was removed, or `NotFound`."""
    row = connection.execute(SQL["get"], {"id": spot_id}).fetchone()
    if row is None:
        raise NotFound("There is no such spot.")
    return row


def of_source(connection: Connection, source_id: str) -> list[Row]:
    """The spots of a source, oldest first, without those that were removed."""
    return connection.execute(SQL["of_source"], {"source_id": source_id}).fetchall()


def edit(connection: Connection, spot_id: str, edit: Row) -> None:
    """Set name, note or whether it is removed; None leaves a field as it is."""
    if connection.execute(SQL["edit"], {**edit, "id": spot_id}).fetchone() is None:
        raise NotFound("There is no such spot.")


def scores(connection: Connection, spot_id: str, trial_id: str) -> dict[str, Row]:
    """What the takes of a trial score at a spot, by take, as far as it was measured."""
    rows = connection.execute(SQL["scores"], {"id": spot_id, "trial_id": trial_id})
    return {row["take_key"]: row["scores"] for row in rows}


def keep_scores(connection: Connection, spot_id: str, found: dict[str, Row]) -> None:
    """Keep what takes score at a spot."""
    for key, values in found.items():
        connection.execute(SQL["keep_scores"], {"id": spot_id, "take_key": key, "scores": database.json(values)})


def remarks(connection: Connection, trial_id: str) -> list[Row]:
    """The remarks of a trial, oldest first, without those that were removed."""
    return connection.execute(SQL["remarks"], {"trial_id": trial_id}).fetchall()


def add_remark(connection: Connection, remark: Row) -> str:
    """Add a remark on an entry; return its id."""
    return str(database.one(connection.execute(SQL["add_remark"], remark))["id"])


def edit_remark(connection: Connection, remark_id: str, edit: Row) -> None:
    """Set defect, severity, note or whether it is removed; None leaves a field as it is."""
    if connection.execute(SQL["edit_remark"], {**edit, "id": remark_id}).fetchone() is None:
        raise NotFound("There is no such remark.")
