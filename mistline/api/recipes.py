"""Methods and recipes over HTTP: the catalogue, and chains of passes with names."""

from uuid import UUID

from fastapi import APIRouter, Response

from mistline.api import schemas
from mistline.core.methods import METHODS
from mistline.core.methods.recipe import Recipe
from mistline.store import recipes
from mistline.store.database import Row, connect

__all__ = ["router"]

router = APIRouter(tags=["recipes"])


@router.get("/methods", operation_id="methods")
def list_methods() -> list[schemas.MethodShown]:
    """All methods, by family."""
    return [
        schemas.MethodShown(
            **{
                field: getattr(method, field)
                for field in ("id", "version", "name", "family", "summary", "reference")
            },
            form=method.settings.model_json_schema(),
            defaults=method.settings().model_dump(),
            limits=method.limits.words(resizes=method.resizes),
            resizes=method.resizes,
        )
        for method in METHODS.values()
    ]


def _item(row: Row) -> schemas.RecipeItem:
    recipe = Recipe(name=row["name"], passes=row["passes"])
    shipped = row["position"] < recipes.OWN
    return schemas.RecipeItem(
        id=row["id"], name=recipe.name, words=recipe.words(), passes=recipe.passes, shipped=shipped
    )


@router.get("/recipes", operation_id="recipes")
def list_recipes() -> list[schemas.RecipeItem]:
    """All recipes with their passes in words."""
    with connect() as connection:
        return [_item(row) for row in recipes.every(connection)]


@router.post("/recipes", status_code=201, operation_id="addRecipe")
def add_recipe(recipe: Recipe) -> schemas.RecipeItem:
    """Add a recipe; settings that are wrong are refused with the method's name."""
    recipe.words()
    with connect() as connection:
        return _item(recipes.add(connection, recipe))


@router.put("/recipes/{recipe_id}", status_code=204, operation_id="replaceRecipe")
def replace_recipe(recipe_id: UUID, recipe: Recipe) -> None:
    """Change a recipe of one's own."""
    recipe.words()
    with connect() as connection:
        recipes.replace(connection, str(recipe_id), recipe)


@router.delete("/recipes/{recipe_id}", status_code=204, operation_id="removeRecipe")
def remove_recipe(recipe_id: UUID) -> None:
    """Remove a recipe of one's own."""
    with connect() as connection:
        recipes.delete(connection, str(recipe_id))


@router.get("/recipes/{recipe_id}/file", operation_id="recipeFile")
def recipe_file(recipe_id: UUID, response: Response) -> Recipe:
    """The recipe as a JSON file, in the form that `POST /recipes` takes."""
    with connect() as connection:
        [row] = recipes.some(connection, [str(recipe_id)])
    response.headers["Content-Disposition"] = f'attachment; filename="recipe-{recipe_id}.json"'
    return Recipe(name=row["name"], passes=row["passes"])
