"""A recipe: an ordered chain of passes. Recipes are data, methods are code."""

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from mistline.core.frame import Frame, Size
from mistline.core.methods import METHODS, Method, Traits
from mistline.errors import OutOfLimits

__all__ = ["Cooked", "Pass", "Recipe", "digest", "run_recipe"]


class Pass(BaseModel):
    """One method with the settings given for it; what is not given is automatic or default."""

    model_config = ConfigDict(extra="forbid")
    method: str
    settings: dict[str, object] = Field(default_factory=dict)

    @field_validator("method")
    @classmethod
    def _known(cls, value: str) -> str:
        if value not in METHODS:
            raise ValueError(f"there is no method named {value!r}")
        return value

    @property
    def definition(self) -> Method:
        """The method's own description."""
        return METHODS[self.method]

    def differences(self) -> dict[str, object]:
        """Settings that differ from the method's defaults."""
        try:
            given = self.definition.settings.model_validate(self.settings)
        except ValidationError as error:
            first = error.errors()[0]
            field = ".".join(str(part) for part in first["loc"])
            raise OutOfLimits(f"{self.definition.name}: {field}: {first['msg']}.") from None
        plain = self.definition.settings()
        return {key: value for key, value in given if value != getattr(plain, key)}

    def words(self) -> str:
        """The pass in words: its name and what differs from the defaults.

        >>> Pass(method="unsharp_mask", settings={"amount": 1.5}).words()
        'Unsharp mask (amount 1.5)'
        """
        changed = ", ".join(f"{key} {value}" for key, value in self.differences().items())
        return f"{self.definition.name} ({changed})" if changed else self.definition.name


class Recipe(BaseModel):
    """A name and its passes, in order."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=80)
    passes: list[Pass] = Field(min_length=1, max_length=12)

    def words(self) -> str:
        """All passes in words."""
        return ", then ".join(step.words() for step in self.passes)

    def identity(self) -> list[dict[str, object]]:
        """What makes the result: methods, versions and settings; the name does not count."""
        return [
            {"method": step.method, "version": step.definition.version, "settings": step.differences()}
            for step in self.passes
        ]

    def check(self, before: Size, after: Size) -> None:
        """Raise `OutOfLimits` if the chain cannot turn a frame of `before` into one of `after`."""
        size = before
        for step in self.passes:
            step.differences()
            step.definition.limits.check(step.definition.name, size, after if step.definition.resizes else size)
            size = after if step.definition.resizes else size
        if size != after:
            raise OutOfLimits(f"{self.name} has no enlarging pass, so it cannot reach {after}; add one.")


@dataclass(frozen=True)
class Cooked:
    """The result of a recipe and the complete settings of each pass."""

    frame: Frame
    settings: list[dict[str, object]]


def digest(value: object) -> str:
    """SHA-256 of a value's canonical JSON: the same value always has the same key."""
    text = json.dumps(value, sort_keys=True, separators=(",", ":"), ensure_ascii=True)
    return hashlib.sha256(text.encode()).hexdigest()


def run_recipe(
    frame: Frame,
    recipe: Recipe,
    target: Size,
    traits: Traits,
    report: Callable[[float], None] = lambda done: None,
) -> Cooked:
    """Run all passes in order; float32 between them, nothing clipped.

    Parameters
    ----------
    frame : Frame
        The input.
    target : Size
        Size of the result; passes that resize go straight to it.
    traits : Traits
        Of the input, for automatic settings.
    report : callable
        Called with the share done, 0..1, after each pass.

    Raises
    ------
    OutOfLimits
        If the chain cannot reach the target or a setting is out of range.
    """
    recipe.check(frame.size, target)
    complete = []
    for number, step in enumerate(recipe.passes, 1):
        settings = step.definition.resolve(step.settings, traits)
        frame = step.definition.run(frame, settings, target)
        complete.append({"method": step.method, **settings.model_dump()})
        report(number / len(recipe.passes))
    return Cooked(frame, complete)
