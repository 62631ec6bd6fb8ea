"""Machines and how fast recipes ran on them."""

from collections.abc import Callable, Sequence
from dataclasses import asdict

from mistline.core.frame import Size
from mistline.core.methods.recipe import Recipe, digest
from mistline.core.setup import read_setup
from mistline.core.timing.forecast import Speed
from mistline.core.timing.machine import Machine
from mistline.store import database
from mistline.store.database import Connection, Row, queries

__all__ = ["add", "around", "best", "expected", "expected_of", "seen"]

SQL = queries("speeds")
AROUND, AROUND_A_MEGAPIXEL = 1.5, 0.8  # seconds of loading, writing and measuring


def around(megapixels: float) -> float:
    """Seconds that loading, writing and measuring a take of so many megapixels (of all frames) need, about.

    >>> around(10.0)
    9.5
    """
    return AROUND + AROUND_A_MEGAPIXEL * megapixels


def seen(connection: Connection, machine: Machine) -> None:
    """Note the machine a worker runs on."""
    connection.execute(SQL["seen"], {"id": machine.id, "profile": database.json(asdict(machine))})


def add(connection: Connection, recipe: Recipe, machine_id: str, basis: str, seconds_per_megapixel: float) -> None:
    """Note a measured speed; `basis` is "take" or "crop"."""
    values = {"recipe_key": digest(recipe.identity()), "machine_id": machine_id, "basis": basis}
    connection.execute(SQL["add"], {**values, "seconds_per_megapixel": seconds_per_megapixel})


def best(connection: Connection, recipe: Recipe) -> Speed | None:
    """The best figure there is for a recipe on a machine that works now: the slowest if several do."""
    row = connection.execute(SQL["best"], {"recipe_key": digest(recipe.identity())}).fetchone()
    return Speed(row["seconds_per_megapixel"], row["basis"], row["count"]) if row else None


def expected(connection: Connection, take: Row) -> float | None:
    """Seconds that a take will need, all in all; None if nobody knows the speed of its recipe here."""
    return expected_of(connection, [take])[0]


def expected_of(connection: Connection, takes: Sequence[Row]) -> list[float | None]:
    """`expected` for many takes, asking for the speed of each recipe once."""
    known: dict[str, Speed | None] = {}

    def speed_of(recipe: Recipe) -> Speed | None:
        key = digest(recipe.identity())
        if key not in known:
            known[key] = best(connection, recipe)
        return known[key]

    return [_expected(take, speed_of) for take in takes]


def _expected(take: Row, speed_of: Callable[[Recipe], Speed | None]) -> float | None:
    facts = take["source_facts"]
    size = read_setup(take["setup"]).plan(Size(facts["width"], facts["height"])).target
    megapixels = size.megapixels * take["frames"]
    if take["recipe"] is None:
        return around(megapixels)
    speed = speed_of(Recipe.model_validate(take["recipe"]))
    return speed.seconds_per_megapixel * megapixels * take["repeats"] + around(megapixels) if speed else None
