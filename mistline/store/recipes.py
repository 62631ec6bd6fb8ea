"""Recipes: data that names methods and their settings."""

from mistline.core.methods.recipe import Pass, Recipe
from mistline.errors import NotFound
from mistline.store import database
from mistline.store.database import Connection, Row, queries

__all__ = ["SHIPPED", "every", "seed", "some"]

SQL = queries("recipes")


def _recipe(name: str, *passes: str | Pass) -> Recipe:
    return Recipe(name=name, passes=[step if isinstance(step, Pass) else Pass(method=step) for step in passes])


SHIPPED = [
    _recipe("Nearest neighbour", "nearest"),
    _recipe("Bilinear", "bilinear"),
    _recipe("Bicubic", "bicubic"),
    _recipe("Lanczos 3", "lanczos"),
    _recipe("Bicubic, sharpened", "bicubic", "unsharp_mask"),
    _recipe("Denoised, Lanczos 3", "non_local_means", "lanczos"),
]


def seed(connection: Connection) -> None:
    """Put the shipped recipes there, once."""
    for position, recipe in enumerate(SHIPPED):
        passes = [step.model_dump() for step in recipe.passes]
        values = {"name": recipe.name, "passes": database.json(passes), "position": position}
        connection.execute(SQL["add"], values)


def every(connection: Connection) -> list[Row]:
    """All recipes in their order."""
    return connection.execute(SQL["all"]).fetchall()


def some(connection: Connection, ids: list[str]) -> list[Row]:
    """The recipes with these ids, or `NotFound`."""
    rows = connection.execute(SQL["some"], {"ids": ids}).fetchall()
    if len(rows) != len(set(ids)):
        raise NotFound("One of the recipes chosen is gone; open the set-up again.")
    return rows
