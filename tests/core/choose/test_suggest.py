"""Suggestions: the kind that traits point to, and the recipes worth trying; each with the number behind it."""

import pytest

from mistline.core.choose.suggest import expected_noise, suggest_kind, suggest_recipe
from mistline.core.degrade.setup import Setup
from mistline.core.methods import Traits
from mistline.core.methods.recipe import Blend, Pass, Recipe

PLAIN = Traits(noise_sigma=0.8, edge_width=2.4, mean_level=0.5, measured_on="the whole picture")


def traits(**changed: float) -> Traits:
    return Traits(**{**vars(PLAIN), **changed})


def recipe(*methods: str, blend: Blend | None = None) -> Recipe:
    return Recipe(name="x", passes=[Pass(method=method) for method in methods], blend=blend)


@pytest.mark.parametrize(
    ("changed", "kind", "number"),
    [
        ({"flat_share": 0.6}, "lettering", "60%"),
        ({"flat_share": 0.2}, "drawn", "20%"),
        ({"squares": 40.0, "noise_sigma": 6.0}, "archive", "40 %"),
        ({"mean_level": 0.1, "noise_sigma": 5.0}, "night", "10%"),
        ({"noise_sigma": 0.2, "edge_width": 1.4}, "clean", "0.2 cv"),
    ],
)
def test_a_kind_is_suggested_with_its_number(changed: dict, kind: str, number: str) -> None:
    found = suggest_kind(traits(**changed))
    assert found is not None and found.choice == kind and number in found.reason


def test_ordinary_footage_is_left_to_people() -> None:
    assert suggest_kind(PLAIN) is None


def test_noise_of_the_input_is_its_own_and_what_is_added() -> None:
    """Independent noises add as squares; area averaging over n x n pixels divides white noise by n."""
    assert expected_noise(traits(noise_sigma=8.0), Setup(factor=4)) == pytest.approx(2)
    assert expected_noise(traits(noise_sigma=0.0), Setup(factor=2, noise=10)) == pytest.approx(10)
    both = expected_noise(traits(noise_sigma=8.0), Setup(factor=2, noise=3))
    assert both == pytest.approx(5)


@pytest.mark.parametrize(
    ("made", "setup", "suggested"),
    [
        (recipe("lanczos"), Setup(factor=2), True),
        (recipe("bilinear"), Setup(factor=2), False),
        (recipe("faithful_x2"), Setup(factor=2), True),
        (recipe("faithful_x2"), Setup(factor=2, noise=10), False),
        (recipe("faithful_x4"), Setup(factor=2), False),
        (recipe("faithful_x4"), Setup(factor=4), True),
        (recipe("mixed_x2"), Setup(factor=2), False),
        (recipe("mixed_x2"), Setup(factor=2, jpeg=60), True),
        (recipe("non_local_means", "lanczos"), Setup(factor=2), False),
        (recipe("non_local_means", "lanczos"), Setup(factor=2, noise=10), True),
        (recipe("non_local_means"), Setup(factor=2, noise=10), False),
        (recipe("non_local_means"), Setup(factor=1, noise=10), True),
        (recipe("blind_denoise"), Setup(factor=1, noise=10), True),
        (recipe("lanczos"), Setup(factor=1, noise=10), False),
        (recipe("lanczos", blend=Blend()), Setup(factor=2), False),
    ],
)
def test_recipes_are_suggested_for_what_they_are_good_at(made: Recipe, setup: Setup, suggested: bool) -> None:
    found = suggest_recipe(made, PLAIN, setup)
    assert (found is not None) == suggested and (found is None or found.reason)
