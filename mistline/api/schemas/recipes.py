"""Recipes, methods and models on the wire."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel, Field

from mistline.core.methods import ModelCard
from mistline.core.methods.recipe import Blend, Pass

__all__ = ["ImportedModel", "MethodShown", "Model", "RecipeItem"]


class RecipeItem(BaseModel):
    """A recipe, its passes, and the passes in words."""

    id: UUID
    name: str
    words: str
    passes: list[Pass]
    blend: Blend | None
    over_size: float
    resizes: bool
    reach: int = Field(description="frames before and after that it looks at; 0 where it works on each by itself")
    shipped: bool
    version: int = Field(description="a change names it, so that nothing is overwritten unseen")


class MethodShown(BaseModel):
    """A method as the catalogue and the recipe editor show it; `form` is the JSON Schema of its settings."""

    id: str
    version: int
    name: str
    family: str
    summary: str
    reference: str
    form: dict[str, object]
    defaults: dict[str, object]
    limits: str
    resizes: bool
    card: ModelCard | None


class Model(BaseModel):
    """A model that was dropped in; once ready it is a method of the same id."""

    id: str
    name: str
    file_bytes: int
    state: Literal["waiting", "inspecting", "ready", "failed"]
    error: str | None
    created_at: datetime


class ImportedModel(BaseModel):
    """The answer to a dropped-in model: the model, and whether its content was not there yet."""

    model: Model
    new: bool
