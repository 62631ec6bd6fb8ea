"""A recipe: an ordered chain of passes. Recipes are data, methods are code."""

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from mistline.core.frame import Frame, Size
from mistline.core.methods import METHODS, Method, Traits
from mistline.core.resample import resize
from mistline.errors import OutOfLimits

__all__ = ["Blend", "Cooked", "Pass", "Recipe", "digest", "run_recipe"]


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


class Blend(BaseModel):
    """Another chain, started from the same input, whose result is laid over by opacity.

    Without passes it is the input itself: a share of the original comes back. What is smaller than the result
    is enlarged by bicubic first.
    """

    model_config = ConfigDict(extra="forbid")
    name: str = Field("the original", min_length=1, max_length=80)
    passes: list[Pass] = Field(default_factory=list, max_length=12)
    opacity: float = Field(0.3, gt=0, lt=1)

    def words(self) -> str:
        """The blend in words.

        >>> Blend(opacity=0.25).words()
        '25 % of the original over it'
        """
        chain = ", then ".join(step.words() for step in self.passes)
        inside = f" ({chain})" if self.passes and chain != self.name else ""
        return f"{100 * self.opacity:.0f} % of {self.name}{inside} over it"


class Recipe(BaseModel):
    """A name, its passes in order, and another chain blended in."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=80)
    passes: list[Pass] = Field(min_length=1, max_length=12)
    blend: Blend | None = None

    def every_pass(self) -> list[Pass]:
        """The passes of the chain, then those of the chain blended in."""
        return self.passes + (self.blend.passes if self.blend else [])

    @property
    def resizes(self) -> bool:
        """Whether it can reach a target of another size."""
        return any(step.definition.resizes for step in self.passes)

    def words(self) -> str:
        """All passes in words."""
        chain = ", then ".join(step.words() for step in self.passes)
        return f"{chain}, then {self.blend.words()}" if self.blend else chain

    def identity(self) -> list[dict[str, object]]:
        """What makes the result: methods, versions and settings; the name does not count."""
        over: list[dict[str, object]] = []
        if self.blend:
            over = [{"blend": [_identity(step) for step in self.blend.passes], "opacity": self.blend.opacity}]
        return [_identity(step) for step in self.passes] + over

    def check(self, before: Size, after: Size) -> None:
        """Raise `OutOfLimits` if the chain cannot turn a frame of `before` into one of `after`."""
        if _size_after(self.passes, before, after) != after:
            raise OutOfLimits(f"{self.name} has no enlarging pass, so it cannot reach {after}; add one.")
        if self.blend:
            _size_after(self.blend.passes, before, after)


def _identity(step: Pass) -> dict[str, object]:
    return {"method": step.method, "version": step.definition.version, "settings": step.differences()}


def _size_after(passes: list[Pass], before: Size, target: Size) -> Size:
    """Check limits and settings of a chain; return the size of its result."""
    size = before
    for step in passes:
        step.differences()
        after = target if step.definition.resizes else size
        step.definition.limits.check(step.definition.name, size, after)
        size = after
    return size


@dataclass(frozen=True)
class Cooked:
    """The result of a recipe and the complete settings of each of `Recipe.every_pass`."""

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
    complete: list[dict[str, object]] = []

    def chain(passes: list[Pass]) -> Frame:
        current = frame
        for step in passes:
            settings = step.definition.resolve(step.settings, traits)
            current = step.definition.run(current, settings, target)
            complete.append({"method": step.method, **settings.model_dump()})
            report(len(complete) / len(recipe.every_pass()))
        return current

    result = chain(recipe.passes)
    if recipe.blend:
        over = chain(recipe.blend.passes).pixels
        over = over if over.shape == result.pixels.shape else resize(over, target, "bicubic")
        result = result.with_pixels(result.pixels + np.float32(recipe.blend.opacity) * (over - result.pixels))
    return Cooked(result, complete)
