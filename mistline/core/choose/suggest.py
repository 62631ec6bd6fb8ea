"""Suggestions with their reasons: the kind of a source, and the recipes worth trying on it.

Thresholds of the networks come from running them over a grid of damages (`training/check_suggestions.py`), the others
are common practice; each reason carries the number that it rests on.
"""

from dataclasses import dataclass

from mistline.core.degrade.noise import sensor_code_values
from mistline.core.degrade.setup import Setup
from mistline.core.methods import ModelCard, Traits
from mistline.core.methods.recipe import Recipe

__all__ = ["Suggestion", "suggest_kind", "suggest_recipe"]

DARK = 0.25
NOISY = 3.0
CLEAN, CRISP = 1.0, 2.5
SQUARES = 12.0
FLAT_DRAWN, FLAT_SCREEN = 0.12, 0.4
FAITHFUL_NOISE, STURDY_NOISE = 4.5, 3.0
FAITHFUL_JPEG, STURDY_JPEG = 80, 88
BLURRED = 0.8
LUMA_SHARE = 0.7496  # root of the sum of the squared luma weights: independent noise of three channels in luma
BAND_EDGES = (
    (0, 1 / 16),
    (1 / 16, 1 / 8),
    (1 / 8, 1 / 4),
    (1 / 4, 0.5),
)  # of `Traits.noise_bands`, cycles per pixel


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


def _after_shrinking(traits: Traits, factor: float) -> float:
    """The source's own noise in an input that is `factor` times smaller: the bands that still fit into it."""
    if traits.noise_sigma is None:
        return 0.0
    if not traits.noise_bands:
        return traits.noise_sigma / factor
    kept = 0.0
    for (low, high), sigma in zip(BAND_EDGES, traits.noise_bands.values(), strict=True):
        share = (min(max(0.5 / factor, low), high) ** 2 - low**2) / (high**2 - low**2)
        kept += share * sigma**2
    return float(kept**0.5)


def expected_noise(traits: Traits, setup: Setup) -> float:
    """About how much luma noise, in code values, the input of a set-up will have."""
    own = _after_shrinking(traits, setup.factor)
    even = LUMA_SHARE * setup.noise
    sensor = sensor_code_values(setup.underexposed, traits.mean_level) if setup.underexposed else 0.0
    return float((own**2 + even**2 + sensor**2) ** 0.5)


def suggest_recipe(recipe: Recipe, traits: Traits, setup: Setup, frames: int = 1) -> Suggestion | None:
    """Whether a recipe is worth trying on the input that a set-up makes of so many frames, and why."""
    if recipe.blend or (recipe.reach and frames == 1):
        return None
    methods = [step.definition for step in recipe.passes]
    if any(method.family == "repair" for method in methods):
        return _repair(recipe, setup)
    enlarges = recipe.resizes
    quiets = any(
        method.family == "reduce noise" or (method.card and method.card.task == "reduce noise")
        for method in methods
    )
    noise = expected_noise(traits, setup)
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
    return _network(recipe, cards[0], noise, setup)


def _repair(recipe: Recipe, setup: Setup) -> Suggestion | None:
    """Where the set-up makes what the recipe repairs."""
    made = {
        "fill_frames": "every other frame is missing" if setup.hold else "",
        "deinterlace": f"its frames hold two fields, {setup.fields}" if setup.fields != "progressive" else "",
        "even_levels": f"its light flickers by {setup.flicker:g} %" if setup.flicker else "",
    }
    wanted = [step.method for step in recipe.passes if step.settings.get("way") != "matching fields"]  # film's
    reason = ", ".join(filter(None, (made.get(method) for method in wanted)))
    return Suggestion(recipe.name, reason) if reason and (recipe.resizes or setup.factor == 1) else None


def _network(recipe: Recipe, card: ModelCard, noise: float, setup: Setup) -> Suggestion | None:
    """By the damage up to which each network was measured to be best (`training/check_suggestions.py`)."""
    quality = setup.jpeg or 100
    if card.id == "mixed_x2":
        damage = [f"{noise:.0f} cv of noise"] if noise >= STURDY_NOISE else []
        damage += [f"JPEG {quality}"] if quality < STURDY_JPEG else []
        damage += [f"blur {setup.blur:g} px"] if setup.blur >= BLURRED else []
        return Suggestion(recipe.name, f"trained on damage such as {' and '.join(damage)}") if damage else None
    if card.factor > setup.factor or noise >= FAITHFUL_NOISE or quality < FAITHFUL_JPEG:
        return None
    if setup.blur < BLURRED:
        return Suggestion(recipe.name, "clean enough an input, as it was trained on")
    if card.id == "crisp_x2":
        return Suggestion(recipe.name, f"sharpens an input that was blurred by {setup.blur:g} px")
    return None
