"""Machines and how fast recipes ran on them."""

from dataclasses import asdict

from mistline.core.methods.recipe import Recipe, digest
from mistline.core.timing.forecast import Speed
from mistline.core.timing.machine import Machine
from mistline.store import database
from mistline.store.database import Connection, queries

__all__ = ["add", "best", "seen"]

SQL = queries("speeds")


def seen(connection: Connection, machine: Machine) -> None:
    """Note the machine a worker runs on."""
    connection.execute(SQL["seen"], {"id": machine.id, "profile": database.json(asdict(machine))})


def add(connection: Connection, recipe: Recipe, machine_id: str, basis: str, seconds_per_megapixel: float) -> None:
    """Note a measured speed; `basis` is "take" or "crop"."""
    values = {"recipe_key": digest(recipe.identity()), "machine_id": machine_id, "basis": basis}
    connection.execute(SQL["add"], {**values, "seconds_per_megapixel": seconds_per_megapixel})


def best(connection: Connection, recipe: Recipe) -> Speed | None:
    """The best figure there is for a recipe on the machine seen last."""
    row = connection.execute(SQL["best"], {"recipe_key": digest(recipe.identity())}).fetchone()
    return Speed(row["seconds_per_megapixel"], row["basis"], row["count"]) if row else None
