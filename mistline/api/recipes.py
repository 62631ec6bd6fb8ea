"""Methods and recipes over HTTP: the catalogue, and chains of passes with names."""

from uuid import UUID

from fastapi import APIRouter, Depends, Response, UploadFile

from mistline.api import schemas
from mistline.api.download import as_file
from mistline.api.shelf import ReadAt, clean_name
from mistline.core.methods import METHODS
from mistline.core.methods.recipe import Recipe
from mistline.store import models, recipes
from mistline.store.database import Row, connect
from mistline.work import trials as use_cases

__all__ = ["known_models", "router"]


def known_models() -> None:
    """Learn the models that became methods since this process last looked."""
    with connect() as connection:
        models.learn(connection)


router = APIRouter(tags=["recipes"], dependencies=[Depends(known_models)])


@router.get("/methods", operation_id="methods")
def list_methods() -> list[schemas.MethodShown]:
    """All methods, by family."""
    return [
        schemas.MethodShown(
            **{
                field: getattr(method, field)
                for field in ("id", "version", "name", "family", "summary", "reference", "card")
            },
            form=method.settings.model_json_schema(),
            defaults=method.settings().model_dump(),
            limits=method.limits.words(resizes=method.resizes),
            resizes=method.resizes,
        )
        for method in METHODS.values()
    ]


@router.get("/models", operation_id="models")
def list_models() -> list[schemas.Model]:
    """All models that were dropped in, newest first."""
    with connect() as connection:
        return [schemas.Model(**row) for row in models.every(connection)]


@router.post("/models", status_code=201, operation_id="importModel")
def import_model(file: UploadFile) -> schemas.ImportedModel:
    """Keep an ONNX file; the worker looks into it and makes it a method, or says why not."""
    row, new = use_cases.import_model(file.file, clean_name(file.filename))
    return schemas.ImportedModel(model=schemas.Model(**row), new=new)


@router.post("/models/{model_id}/inspect", status_code=202, operation_id="inspectAgain")
def inspect_again(model_id: str) -> None:
    """Look again into a model that was refused."""
    with connect() as connection:
        models.get(connection, model_id)
    use_cases.inspect_again(model_id)


@router.delete("/models/{model_id}", status_code=204, operation_id="removeModel")
def remove_model(model_id: str) -> None:
    """Remove a model; refused while a recipe or a take uses it. For a day it can come back."""
    with connect() as connection:
        models.remove(connection, model_id)


@router.post("/models/{model_id}/restore", status_code=204, operation_id="restoreModel")
def restore_model(model_id: str) -> None:
    """Bring a removed model back."""
    with connect() as connection:
        models.restore(connection, model_id)


def _item(row: Row) -> schemas.RecipeItem:
    recipe = recipes.recipe_of(row)
    return schemas.RecipeItem(
        id=row["id"],
        words=recipe.words(),
        resizes=recipe.resizes,
        reach=recipe.reach,
        shipped=row["position"] < recipes.OWN,
        version=row["version"],
        **dict(recipe),
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


@router.put("/recipes/{recipe_id}", operation_id="replaceRecipe")
def replace_recipe(recipe_id: UUID, recipe: Recipe, version: ReadAt = None) -> schemas.RecipeItem:
    """Change a recipe of one's own; refused where it is no longer of the version named."""
    recipe.words()
    with connect() as connection:
        return _item(recipes.replace(connection, str(recipe_id), recipe, version))


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
    response.headers.update(as_file(f"{row['name']}.json"))
    return recipes.recipe_of(row)
