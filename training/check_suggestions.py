"""Do the suggestions hold? .venv/bin/python -m training.check_suggestions

Runs every recipe that may be suggested over a grid of damages on crops of the held-out photographs, and compares the best
of those that the rule suggests with the best of all, by luma PSNR of the 8-bit results. The rule agrees where it loses
0.2 dB or less.
"""

from dataclasses import dataclass
from itertools import product
from statistics import mean

from mistline.core.choose.suggest import suggest_recipe
from mistline.core.frame import Frame, luma, to_frame
from mistline.core.measure import measure_traits
from mistline.core.measure.psnr import psnr
from mistline.core.media.plate import quantise
from mistline.core.methods import alone
from mistline.core.methods.recipe import Recipe, run_recipe
from mistline.core.setup import TruthSetup
from mistline.store.recipes import SHIPPED
from training.evaluate import _given, held_out

SIDE, LOSS = 256, 0.2
GRID = (
    [{"factor": 2, "noise": noise} for noise in (0, 1, 2, 3, 5, 8, 12, 20)]
    + [{"factor": 2, "jpeg": quality} for quality in (95, 90, 84, 75, 60, 40)]
    + [{"factor": 2, "blur": blur} for blur in (0.5, 1.0, 1.5)]
    + [{"factor": 2, "noise": n, "jpeg": q} for n, q in product((2, 6), (90, 60))]
    + [{"factor": 2, "underexposed": stops} for stops in (2, 4, 6)]
    + [{"factor": 4, "noise": noise} for noise in (0, 2, 8)]
    + [{"factor": 1, "noise": noise} for noise in (1.5, 3, 10, 25)]
    + [{"factor": 1, "underexposed": stops} for stops in (2, 4, 6)]
)


@dataclass(frozen=True)
class Outcome:
    """PSNR of each recipe, and the recipes that the rule suggests."""

    found: dict[str, float]
    suggested: list[str]

    @property
    def lost(self) -> float:
        """What the best suggested recipe loses against the best of all, dB."""
        return max(self.found.values()) - max((self.found[name] for name in self.suggested), default=0.0)


def tried(setup: TruthSetup, pictures: list[Frame]) -> Outcome:
    """Run all recipes on the inputs that a set-up makes of the pictures."""
    traits = [measure_traits(quantise(picture, 8)[0]) for picture in pictures]
    fit = [recipe for recipe in SHIPPED if (setup.factor == 1) != recipe.resizes]
    scores: dict[str, list[float]] = {recipe.name: [] for recipe in fit}
    for picture in pictures:
        truth, given = _given(setup, picture)
        own = measure_traits(quantise(given, 8)[0])
        for recipe in fit:
            scores[recipe.name].append(_score(recipe, truth, given, own))
    suggested = [recipe.name for recipe in fit if any(suggest_recipe(recipe, own, setup) for own in traits)]
    return Outcome({name: mean(values) for name, values in scores.items()}, suggested)


def _score(recipe: Recipe, truth: Frame, given: Frame, traits: object) -> float:
    result = run_recipe(alone(given), recipe, truth.size, traits).frame  # type: ignore[arg-type]
    codes, _ = quantise(result, 8)
    return min(psnr(luma(truth.pixels), luma(to_frame(codes).pixels)), 99.0)


def main() -> None:
    """Print each damage with the winner, what was suggested and what that loses; and how often the rule agrees."""
    pictures = [picture.with_pixels(picture.pixels[40 : 40 + SIDE, 100 : 100 + SIDE]) for picture in held_out()]
    agreed = 0
    for damage in GRID:
        setup = TruthSetup.model_validate(damage)
        outcome = tried(setup, pictures)
        best = sorted(outcome.found, key=lambda name: -outcome.found[name])[:3]
        agreed += outcome.lost <= LOSS
        ranked = ", ".join(f"{name} {outcome.found[name]:.2f}" for name in best)
        print(
            f"{setup.words():60} lost {outcome.lost:5.2f} dB | {ranked} | suggested: {', '.join(outcome.suggested)}"
        )
    print(f"the rule agrees in {agreed} of {len(GRID)} damages")


if __name__ == "__main__":
    main()
