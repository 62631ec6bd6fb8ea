"""Recipes: data that names methods and their settings."""

from psycopg.errors import UniqueViolation

from mistline.core.methods.recipe import Pass, Recipe
from mistline.errors import Conflict, NotFound
from mistline.store import database
from mistline.store.database import Connection, Row, queries

__all__ = ["OWN", "SHIPPED", "add", "delete", "every", "own", "recipe_of", "replace", "seed", "some"]

SQL = queries("recipes")
OWN = 100  # position from which on recipes are people's own


def _recipe(name: str, *passes: str | Pass) -> Recipe:
    return Recipe(name=name, passes=[step if isinstance(step, Pass) else Pass(method=step) for step in passes])


SHIPPED = [
    _recipe("Nearest neighbour", "nearest"),
    _recipe("Bilinear", "bilinear"),
    _recipe("Bicubic", "bicubic"),
    _recipe("Lanczos 3", "lanczos"),
    _recipe("Bicubic, sharpened", "bicubic", "unsharp_mask"),
    _recipe("Denoised, Lanczos 3", "non_local_means", "lanczos"),
    _recipe("Faithful network", "faithful_x2"),
    _recipe("Crisp network", "crisp_x2"),
    _recipe("Sturdy network", "mixed_x2"),
    _recipe("Faithful network, 4x", "faithful_x4"),
    _recipe("Lanczos 3, frames joined", "lanczos", "several_frames"),
    _recipe("Faithful network, frames joined", "faithful_x2", "several_frames"),
    _recipe("Non-local means", "non_local_means"),
    _recipe("Sliding-window DCT", "sliding_dct"),
    _recipe("Guided filter", "guided"),
    _recipe("Learned noise reduction", "blind_denoise"),
    _recipe("Guided noise reduction", "guided_denoise"),
    _recipe("Noise reduction over time", "temporal"),
    _recipe("Frames filled along the motion", "fill_frames"),
    _recipe("Frames blended", Pass(method="fill_frames", settings={"way": "blended"})),
    _recipe("Deinterlaced by motion", "deinterlace"),
    _recipe("Deinterlaced by line average", Pass(method="deinterlace", settings={"way": "line average"})),
    _recipe("Fields of film matched", Pass(method="deinterlace", settings={"way": "matching fields"})),
    _recipe("Levels evened out", "even_levels"),
]


def _values(recipe: Recipe) -> Row:
    plain = recipe.model_dump()
    blend = database.json(plain["blend"]) if recipe.blend else None
    return {"name": recipe.name, "passes": database.json(plain["passes"]), "blend": blend,
            "over_size": recipe.over_size}  # fmt: skip


def recipe_of(row: Row) -> Recipe:
    """The recipe that a row holds."""
    return Recipe(name=row["name"], passes=row["passes"], blend=row["blend"], over_size=row["over_size"])


def seed(connection: Connection) -> None:
    """Put the shipped recipes there, once."""
    for position, recipe in enumerate(SHIPPED):
        connection.execute(SQL["add"], {**_values(recipe), "position": position})


def add(connection: Connection, recipe: Recipe) -> Row:
    """Add a recipe of one's own; its name must be new."""
    row = connection.execute(SQL["add"], {**_values(recipe), "position": OWN}).fetchone()
    if row is None:
        raise Conflict(f"There is a recipe named {recipe.name} already; choose another name.")
    return row


def own(connection: Connection, recipe_id: str) -> Row:
    """One recipe that may be changed, or `NotFound`, or `Conflict` for a shipped one."""
    row = connection.execute(SQL["get"], {"id": recipe_id}).fetchone()
    if row is None:
        raise NotFound("There is no such recipe; it may have been removed.")
    if row["position"] < OWN:
        raise Conflict(f"{row['name']} ships with Mistline and stays as it is; duplicate it and change the copy.")
    return row


def replace(connection: Connection, recipe_id: str, recipe: Recipe, version: int | None) -> Row:
    """Change a recipe of one's own that was read at a version, whatever that was if none is named.

    Trials that it entered keep what they ran.

    Raises
    ------
    Conflict
        If it was changed since, or another one has its name.
    """
    own(connection, recipe_id)
    values = {**_values(recipe), "id": recipe_id, "version": version}
    try:
        with connection.transaction():
            row = connection.execute(SQL["replace"], values).fetchone()
    except UniqueViolation:
        raise Conflict(f"There is a recipe named {recipe.name} already; choose another name.") from None
    if row is None:
        raise Conflict(
            f"{recipe.name} was changed elsewhere since it was opened here; duplicate yours to keep both, or reload."
        )
    return row


def delete(connection: Connection, recipe_id: str) -> None:
    """Remove a recipe of one's own; trials that it entered keep their takes."""
    own(connection, recipe_id)
    connection.execute(SQL["delete"], {"id": recipe_id})


def every(connection: Connection) -> list[Row]:
    """All recipes in their order."""
    return connection.execute(SQL["all"]).fetchall()


def some(connection: Connection, ids: list[str]) -> list[Row]:
    """The recipes with these ids, or `NotFound`."""
    rows = connection.execute(SQL["some"], {"ids": ids}).fetchall()
    if len(rows) != len(set(ids)):
        raise NotFound("One of the recipes chosen is gone; open the set-up again.")
    return rows
