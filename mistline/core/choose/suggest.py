"""Suggestions with their reasons: the kind of a source, and the recipes worth trying on it.

The thresholds are common practice; each reason carries the number that it rests on.
"""

from dataclasses import dataclass

from mistline.core.degrade.setup import Setup
from mistline.core.methods import Traits
from mistline.core.methods.recipe import Recipe

__all__ = ["Suggestion", "suggest_kind", "suggest_recipe"]

DARK = 0.25
NOISY, CLEAN = 3.0, 1.0
SQUARES = 12.0
FLAT_DRAWN, FLAT_SCREEN = 0.12, 0.4
SHOT_NOISE = 1.4  # code values at 0 stops in the middle of the range; doubles with every second stop
QUIET, CRISP = 0.5, 2.0


@dataclass(frozen=True)
class Suggestion:
    """What is suggested and why."""

    choice: str
    reason: str


def suggest_kind(traits: Traits) -> Suggestion | None:
    """The kind of footage that the measured traits point to; None where they do not tell."""
    if traits.flat_share >= FLAT_SCREEN:
        return Suggestion("lettering", f"{traits.flat_share:.0%} of it is perfectly flat, as on a screen")
    if traits.flat_share >= FLAT_DRAWN:
        return Suggestion("drawn", f"{traits.flat_share:.0%} of it is perfectly flat, as in a drawing")
    if traits.squares >= SQUARES:
        return Suggestion("archive", f"steps on an 8 x 8 grid are {traits.squares:.0f} % larger than off it")
    if traits.mean_level < DARK:
        return Suggestion(
            "night", f"its mean level is {traits.mean_level:.0%}, its noise {traits.noise_sigma:.1f} cv"
        )
    if traits.noise_sigma < 0.5 and (traits.edge_width or 9) < 2:
        return Suggestion(
            "clean", f"noise is only {traits.noise_sigma:.1f} cv and edges {traits.edge_width:.1f} px"
        )
    return None


def expected_noise(traits: Traits, setup: Setup) -> float:
    """About how much noise, in code values, the input of a set-up will have."""
    own = traits.noise_sigma / setup.factor
    shot = SHOT_NOISE * 2 ** (setup.underexposed / 2) if setup.underexposed else 0.0
    return float((own**2 + setup.noise**2 + shot**2) ** 0.5)


def suggest_recipe(recipe: Recipe, traits: Traits, setup: Setup) -> Suggestion | None:
    """Whether a recipe is worth trying on the input that a set-up makes, and why."""
    if recipe.blend:
        return None
    methods = [step.definition for step in recipe.passes]
    enlarges = recipe.resizes
    quiets = any(
        method.family == "reduce noise" or (method.card and method.card.task == "reduce noise")
        for method in methods
    )
    noise = expected_noise(traits, setup)
    damaged = noise >= CLEAN or (setup.jpeg or 100) < 85 or setup.blur >= 1
    if setup.factor == 1:
        if quiets and not enlarges and noise >= CLEAN:
            return Suggestion(recipe.name, f"the input has about {noise:.0f} cv of noise")
        return None
    if not enlarges:
        return None
    if quiets:
        return (
            Suggestion(recipe.name, f"about {noise:.0f} cv of noise to take off first") if noise >= NOISY else None
        )
    cards = [method.card for method in methods if method.card]
    if not cards:
        plain = [step.method for step in recipe.passes] in (["bicubic"], ["lanczos"])
        return Suggestion(recipe.name, "the plain yardstick") if plain else None
    return _network(recipe, cards[0].factor, cards[0].id, damaged, setup)


def _network(recipe: Recipe, own: int, key: str, damaged: bool, setup: Setup) -> Suggestion | None:
    if key == "mixed_x2":
        return Suggestion(recipe.name, "trained on noise, blur and JPEG, as here") if damaged else None
    if damaged or own > setup.factor:
        return None
    return Suggestion(recipe.name, "a clean input, as it was trained on")
