"""Models that people dropped in: their files, what was found out about them, and the methods they become."""

from mistline.core.methods import METHODS, ModelCard, register
from mistline.core.methods.recipe import Recipe
from mistline.errors import Conflict, NotFound
from mistline.store import database
from mistline.store.database import Connection, Row, queries

__all__ = [
    "add", "adrift", "await_inspection", "claim", "every", "fail", "files_of", "finish", "get", "learn", "purge",
    "remove", "restore", "set_job",
]  # fmt: skip

SQL = queries("models")


def add(connection: Connection, name: str, content_hash: str, size: int) -> tuple[Row, bool]:
    """Note a file; return its row and whether it is new (the same content is one model)."""
    key = f"model_{content_hash[:16]}"
    values = {"id": key, "name": name, "hash": content_hash, "file_bytes": size}
    added = connection.execute(SQL["add"], values).fetchone()
    return (added, True) if added else (get(connection, key), False)


def get(connection: Connection, key: str) -> Row:
    """One model, or `NotFound`."""
    row = connection.execute(SQL["get"], {"id": key}).fetchone()
    if row is None:
        raise NotFound("There is no such model; it may have been removed.")
    return row


def every(connection: Connection) -> list[Row]:
    """All models, newest first."""
    return connection.execute(SQL["all"]).fetchall()


def learn(connection: Connection) -> None:
    """Make methods of the models that are ready, so that recipes may name them in this process."""
    for row in connection.execute(SQL["cards"]):
        if row["id"] not in METHODS:
            register(ModelCard.model_validate(row["card"]))


def files_of(connection: Connection, recipe: Row) -> list[Row]:
    """Id, content hash and card of the dropped-in models that a recipe runs."""
    named = {step.method for step in Recipe.model_validate(recipe).every_pass()}
    return [row for row in connection.execute(SQL["cards"]) if row["id"] in named]


def set_job(connection: Connection, key: str, job_id: int) -> None:
    """Note the job that inspects this model."""
    connection.execute(SQL["set_job"], {"id": key, "job_id": job_id})


def await_inspection(connection: Connection, key: str) -> bool:
    """Put a model back to waiting; False if it is ready already."""
    return connection.execute(SQL["await_inspection"], {"id": key}).fetchone() is not None


def claim(connection: Connection, key: str) -> Row | None:
    """Take a waiting model for inspection; None if there is nothing to do."""
    return connection.execute(SQL["claim"], {"id": key}).fetchone()


def finish(connection: Connection, key: str, card: Row) -> None:
    """Store what was found out."""
    connection.execute(SQL["finish"], {"id": key, "card": database.json(card)})


def fail(connection: Connection, key: str, error: str) -> None:
    """Store why the file cannot be used."""
    connection.execute(SQL["fail"], {"id": key, "error": error})


def remove(connection: Connection, key: str) -> None:
    """Remove a model that nothing uses, or `Conflict`; for a day it can come back."""
    row = get(connection, key)
    named = database.json([{"method": key}])
    uses = database.one(connection.execute(SQL["uses"], {"named": named}))["uses"]
    if uses:
        raise Conflict(f"{row['name']} is used by {uses} recipes or takes and stays, so that they can run again.")
    connection.execute(SQL["remove"], {"id": key})
    METHODS.pop(key, None)


def restore(connection: Connection, key: str) -> None:
    """Bring a removed model back."""
    if connection.execute(SQL["restore"], {"id": key}).fetchone() is None:
        raise NotFound("This model was not removed, or more than a day ago; then it is gone.")


def purge(connection: Connection) -> list[str]:
    """Delete what was removed a day ago; return the ids."""
    return [row["id"] for row in connection.execute(SQL["purge"])]


def adrift(connection: Connection) -> list[str]:
    """Ids of models that wait for a job that is gone."""
    return [row["id"] for row in connection.execute(SQL["adrift"])]
