"""Suggestions with their reasons: the kind of a source, and the recipes worth trying on it.

Thresholds of the networks come from running them over a grid of damages (`training/check_suggestions.py`), the others
are common practice; each reason carries the number that it rests on.
"""

from dataclasses import dataclass

from mistline.core.methods import ModelCard, Traits
from mistline.core.methods.recipe import Recipe
from mistline.core.setup import AnySetup, Damage

__all__ = ["Suggestion", "suggest_kind", "suggest_recipe"]

DARK = 0.25
NOISY = 3.0
CLEAN, CRISP = 1.0, 2.5
SQUARES = 12.0
FLAT_DRAWN, FLAT_SCREEN = 0.12, 0.4
FAITHFUL_NOISE, STURDY_NOISE = 4.5, 3.0
FAITHFUL_JPEG, STURDY_JPEG = 80, 88
BLURRED = 0.8


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
        noise = f", its noise {traits.noise_sigma:.1f} cv" if traits.noise_sigma is not None else ""
        return Suggestion("night", f"its mean level is {traits.mean_level:.0%}{noise}")
    quiet = traits.noise_sigma is not None and traits.noise_sigma < CLEAN
    if quiet and traits.squares == 0 and (traits.edge_width or 9) < CRISP:
        return Suggestion(
            "clean", f"noise is only {traits.noise_sigma:.1f} cv and edges {traits.edge_width:.1f} px"
        )
    return None


def suggest_recipe(recipe: Recipe, traits: Traits, setup: AnySetup, frames: int = 1) -> Suggestion | None:
    """Whether a recipe is worth trying on the input that a set-up makes of so many frames, and why."""
    if recipe.blend or recipe.over_size > 1 or (recipe.reach and frames == 1):
        return None
    damage = setup.damage(traits)
    methods = [step.definition for step in recipe.passes]
    if any(method.family == "repair" for method in methods):
        return _repair(recipe, damage, same_size=setup.factor == 1)
    enlarges = recipe.resizes
    quiets = any(method.reduces_noise for method in methods)
    noise = damage.noise
    if setup.factor == 1:
        if quiets and not enlarges and noise >= CLEAN:
            return Suggestion(recipe.name, f"the input has about {noise:.0f} cv of luma noise")
        return None
    if not enlarges:
        return None
    if quiets:
        return (
            Suggestion(recipe.name, f"about {noise:.0f} cv of luma noise to take off first")
            if noise >= NOISY
            else None
        )
    cards = [method.card for method in methods if method.card]
    if not cards:
        chain = [step.method for step in recipe.passes]
        if chain in (["bicubic"], ["lanczos"]):
            return Suggestion(recipe.name, "the plain yardstick")
        joins = chain[-1] == "several_frames"
        return (
            Suggestion(recipe.name, "what falls between a frame's pixels is on those around it") if joins else None
        )
    return _network(recipe, cards[0], damage, setup.factor)


def _repair(recipe: Recipe, damage: Damage, *, same_size: bool) -> Suggestion | None:
    """Where the input suffers from what the recipe repairs."""
    wanted = [step.method for step in recipe.passes if step.settings.get("way") != "matching fields"]  # film's
    reason = ", ".join(filter(None, (damage.repairs.get(method) for method in wanted)))
    return Suggestion(recipe.name, reason) if reason and (recipe.resizes or same_size) else None


def _network(recipe: Recipe, card: ModelCard, damage: Damage, factor: float) -> Suggestion | None:
    """By the damage up to which each network was measured to be best (`training/check_suggestions.py`)."""
    if card.id == "mixed_x2":
        reasons = [f"{damage.noise:.0f} cv of noise"] if damage.noise >= STURDY_NOISE else []
        reasons += [damage.compressed] if damage.quality < STURDY_JPEG else []
        reasons += [damage.blurred] if damage.blur >= BLURRED else []
        return Suggestion(recipe.name, f"trained on damage such as {' and '.join(reasons)}") if reasons else None
    if card.factor > factor or damage.noise >= FAITHFUL_NOISE or damage.quality < FAITHFUL_JPEG:
        return None
    if damage.blur < BLURRED:
        return Suggestion(recipe.name, "clean enough an input, as it was trained on")
    if card.id == "crisp_x2":
        return Suggestion(recipe.name, f"sharpens an input that suffers from {damage.blurred}")
    return None
