"""Suggestions: the kind that traits point to, and the recipes worth trying; each with the number behind it."""

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter
from skimage import data

from mistline.core.choose.suggest import suggest_kind, suggest_recipe
from mistline.core.degrade.compression import jpeg
from mistline.core.frame import Size, to_frame
from mistline.core.measure import measure_traits
from mistline.core.methods import Traits
from mistline.core.methods.recipe import Blend, Pass, Recipe
from mistline.core.resample import resize
from mistline.core.setup import TruthSetup

PLAIN = Traits(noise_sigma=1.4, edge_width=2.9, mean_level=0.5, measured_on="the whole picture")


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
    assert TruthSetup(factor=4).damage(traits(noise_sigma=8.0)).noise == pytest.approx(2)
    luma = np.linalg.norm([0.2126, 0.7152, 0.0722])  # independent channels in BT.709 luma
    assert TruthSetup(factor=2, noise=10).damage(traits(noise_sigma=0.0)).noise == pytest.approx(
        10 * luma, rel=1e-3
    )
    both = TruthSetup(factor=2, noise=3 / luma).damage(traits(noise_sigma=8.0)).noise
    assert both == pytest.approx(5, rel=1e-3)


@pytest.mark.parametrize(("sigma", "factor"), [(0.8, 2), (0.8, 4), (1.5, 2)])
def test_soft_noise_shrinks_less_than_white(sigma: float, factor: int) -> None:
    """Noise blurred by a Gaussian and shrunk by area, against what the bands foretell: within 15 %."""
    rng = np.random.default_rng(1)
    soft = gaussian_filter(rng.standard_normal((512, 512)), sigma)
    plane = (0.5 + soft * (10 / 255 / soft.std())).astype(np.float32)[..., None]
    found = measure_traits(np.rint(plane * 65535).astype(np.uint16))
    small = resize(plane, Size(512 // factor, 512 // factor), "area")
    assert TruthSetup(factor=factor).damage(found).noise == pytest.approx(small.std() * 255, rel=0.15)


def test_bars_and_a_clipped_sky_are_no_lettering() -> None:
    picture = data.coffee()
    barred = np.zeros((700, 600, 3), np.uint8)
    barred[150:550] = picture
    sky = picture.copy()
    sky[:250] = 255
    for codes in (barred, sky):
        found = suggest_kind(measure_traits(codes))
        assert found is None or found.choice not in ("lettering", "drawn")


@pytest.mark.parametrize("factor", [1, 1.5, 2])
@pytest.mark.parametrize("crop", [0, 3])
def test_a_jpeg_that_was_cropped_or_enlarged_is_not_clean(crop: int, factor: float) -> None:
    pixels = jpeg(to_frame(data.coffee()), 60, half_chroma=True).pixels[crop:, crop:]
    size = Size(int(pixels.shape[1] * factor), int(pixels.shape[0] * factor))
    large = np.clip(np.rint(resize(pixels, size, "bicubic") * 255), 0, 255).astype(np.uint8)
    found = suggest_kind(measure_traits(large))
    assert found is None or found.choice != "clean"


@pytest.mark.parametrize(
    ("made", "setup", "suggested"),
    [
        (recipe("lanczos"), TruthSetup(factor=2), True),
        (recipe("bilinear"), TruthSetup(factor=2), False),
        (recipe("faithful_x2"), TruthSetup(factor=2), True),
        (recipe("faithful_x2"), TruthSetup(factor=2, noise=10), False),
        (recipe("faithful_x4"), TruthSetup(factor=2), False),
        (recipe("faithful_x4"), TruthSetup(factor=4), True),
        (recipe("mixed_x2"), TruthSetup(factor=2), False),
        (recipe("mixed_x2"), TruthSetup(factor=2, jpeg=60), True),
        (recipe("faithful_x2"), TruthSetup(factor=2, noise=3), True),
        (recipe("faithful_x2"), TruthSetup(factor=2, jpeg=84), True),
        (recipe("faithful_x2"), TruthSetup(factor=2, jpeg=60), False),
        (recipe("faithful_x2"), TruthSetup(factor=2, blur=1), False),
        (recipe("crisp_x2"), TruthSetup(factor=2, blur=1), True),
        (recipe("non_local_means", "lanczos"), TruthSetup(factor=2), False),
        (recipe("non_local_means", "lanczos"), TruthSetup(factor=2, noise=10), True),
        (recipe("non_local_means"), TruthSetup(factor=2, noise=10), False),
        (recipe("non_local_means"), TruthSetup(factor=1, noise=10), True),
        (recipe("blind_denoise"), TruthSetup(factor=1, noise=10), True),
        (recipe("lanczos"), TruthSetup(factor=1, noise=10), False),
        (recipe("lanczos", blend=Blend()), TruthSetup(factor=2), False),
        (recipe("fill_frames"), TruthSetup(factor=1, hold=True), True),
        (recipe("fill_frames"), TruthSetup(factor=1, noise=10), False),
        (recipe("fill_frames"), TruthSetup(factor=2, hold=True), False),
        (recipe("deinterlace", "bicubic"), TruthSetup(factor=2, fields="lower first"), True),
        (recipe("even_levels"), TruthSetup(factor=1, flicker=5), True),
        (recipe("temporal"), TruthSetup(factor=1, noise=10), True),
        (recipe("lanczos", "several_frames"), TruthSetup(factor=2), True),
        (recipe("lanczos", "several_frames"), TruthSetup(factor=1, noise=10), False),
    ],
)
def test_recipes_are_suggested_for_what_they_are_good_at(made: Recipe, setup: TruthSetup, suggested: bool) -> None:
    found = suggest_recipe(made, PLAIN, setup, frames=50)
    assert (found is not None) == suggested and (found is None or found.reason)


def test_fields_of_film_are_no_remedy_for_interlacing() -> None:
    matched = Recipe.model_validate(
        {"name": "m", "passes": [{"method": "deinterlace", "settings": {"way": "matching fields"}}]}
    )
    assert suggest_recipe(matched, PLAIN, TruthSetup(factor=1, fields="upper first"), frames=50) is None


def test_for_a_still_nothing_is_suggested_that_looks_at_neighbours() -> None:
    assert suggest_recipe(recipe("temporal"), PLAIN, TruthSetup(factor=1, noise=10)) is None
    assert suggest_recipe(recipe("non_local_means"), PLAIN, TruthSetup(factor=1, noise=10)) is not None
