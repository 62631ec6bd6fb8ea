"""A recipe: an ordered chain of passes. Recipes are data, methods are code."""

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from mistline.core.frame import Frame, Size
from mistline.core.methods import METHODS, Method, Traits, Window
from mistline.core.resample import resize
from mistline.core.typed import Typed
from mistline.errors import OutOfLimits

__all__ = ["Blend", "Cooked", "Kept", "Pass", "Recipe", "digest", "run_recipe"]

Kept = dict[tuple[int, int, int], Frame]  # by chain, pass and number of frame


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

    @property
    def reach(self) -> int:
        """How many frames before and after it looks at."""
        return self.definition.reach(self.definition.settings.model_validate(self.settings))

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


class Blend(Typed):
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


class Recipe(Typed):
    """A name, its passes in order, and another chain blended in."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=80)
    passes: list[Pass] = Field(min_length=1, max_length=12)
    blend: Blend | None = None
    over_size: Annotated[
        float,
        Field(
            ge=1,
            le=4,
            description="It is made so many times larger than the target, and then brought down by Lanczos.",
        ),
    ] = 1

    def every_pass(self) -> list[Pass]:
        """The passes of the chain, then those of the chain blended in."""
        return self.passes + (self.blend.passes if self.blend else [])

    @property
    def resizes(self) -> bool:
        """Whether it can reach a target of another size."""
        return any(step.definition.resizes for step in self.passes)

    @property
    def reach(self) -> int:
        """How many frames before and after it looks at: the sum over the passes of the longer chain."""
        chains = [self.passes, self.blend.passes if self.blend else []]
        return max(sum(step.reach for step in chain) for chain in chains)

    def words(self) -> str:
        """All passes in words."""
        parts = [step.words() for step in self.passes] + ([self.blend.words()] if self.blend else [])
        return ", then ".join(parts) + (
            f", {self.over_size:g}x over-size and then down" if self.over_size > 1 else ""
        )

    def goal(self, target: Size) -> Size:
        """The size that the passes make, before it is brought down to the target."""
        return Size(*(round(length * self.over_size) for length in (target.width, target.height)))

    def way(self, factor: float) -> str:
        """By which way its passes come to a factor that they do not do by themselves; empty where they do.

        >>> Recipe(name="r", passes=[Pass(method="faithful_x2")]).way(3)
        'Faithful network, 2x: run 2 times to 4x, then down to 3x by Lanczos'
        """
        told = []
        for chain in (self.passes, self.blend.passes if self.blend else []):
            first = next((step.definition for step in chain if step.definition.resizes), None)
            if first and (way := first.way(round(factor * self.over_size, 3))):
                told.append(f"{first.name}: {way}")
        return "; ".join(told)

    def identity(self) -> list[dict[str, object]]:
        """What makes the result: methods, versions and settings; the name does not count."""
        over: list[dict[str, object]] = []
        if self.blend:
            over = [{"blend": [_identity(step) for step in self.blend.passes], "opacity": self.blend.opacity}]
        if self.over_size > 1:
            over.append({"over_size": self.over_size})
        return [_identity(step) for step in self.passes] + over

    def check(self, before: Size, after: Size) -> None:
        """Raise `OutOfLimits` if the chain cannot turn a frame of `before` into one of `after`."""
        goal = self.goal(after)
        if _size_after(self.passes, before, goal) != goal:
            raise OutOfLimits(f"{self.name} has no enlarging pass, so it cannot reach {goal}; add one.")
        if self.blend:
            _size_after(self.blend.passes, before, goal)


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


def _last_enlarging(passes: list[Pass]) -> int | None:
    """The place of the last pass that resizes."""
    return max((at for at, step in enumerate(passes) if step.definition.resizes), default=None)


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
    window: Window,
    recipe: Recipe,
    target: Size,
    traits: Traits,
    report: Callable[[float], None] = lambda done: None,
    kept: Kept | None = None,
) -> Cooked:
    """Run all passes in order; float32 between them, nothing clipped.

    Parameters
    ----------
    window : Window
        The input: the wanted frame with `recipe.reach` frames before and after it, where there are so many.
    target : Size
        Size of the result; passes that resize go straight to it, or to `recipe.goal` of it.
    traits : Traits
        Of the input, for automatic settings.
    report : callable
        Called with the share done, 0..1, after each pass.
    kept : dict or None
        What the passes made of neighbouring frames; handed on from frame to frame, so that nothing is made twice.

    Raises
    ------
    OutOfLimits
        If the chain cannot reach the target or a setting is out of range.
    """
    recipe.check(window.frame.size, target)
    goal = recipe.goal(target)
    kept = {} if kept is None else kept
    for old in [key for key in kept if key[2] < window.number - recipe.reach]:
        del kept[old]
    every = recipe.every_pass()
    settings = [step.definition.resolve(step.settings, traits) for step in every]
    first, last = window.number - window.at, window.number - window.at + len(window.frames) - 1

    def after(start: int, passes: int, number: int) -> Frame:
        """A frame after so many passes of the chain that begins with the pass `start` of all."""
        if not passes:
            return window.frames[number - first]
        place = start + passes - 1
        if (key := (start, place, number)) not in kept:
            method, given = every[place].definition, settings[place]
            reach = method.reach(given)
            numbers = range(max(first, number - reach), min(last, number + reach) + 1)
            frames = tuple(after(start, passes - 1, near) for near in numbers)
            smaller: tuple[Frame, ...] = ()
            if reach and (larger := _last_enlarging(every[start:place])) is not None:
                smaller = tuple(after(start, larger, near) for near in numbers)
            kept[key] = method.run(Window(frames, numbers.index(number), number, smaller), given, goal)
            if number == window.number:
                report((place + 1) / len(every))
        return kept[key]

    length = len(recipe.passes)
    result = after(0, length, window.number)
    if recipe.blend:
        over = after(length, len(recipe.blend.passes), window.number).pixels
        over = over if over.shape == result.pixels.shape else resize(over, goal, "bicubic")
        result = result.with_pixels(result.pixels + np.float32(recipe.blend.opacity) * (over - result.pixels))
    if goal != target:
        result = result.with_pixels(resize(result.pixels, target, "lanczos3"))
    complete = [{"method": step.method, **given.model_dump()} for step, given in zip(every, settings, strict=True)]
    return Cooked(result, complete)
