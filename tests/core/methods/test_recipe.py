"""Chains of passes: identity, limits, automatic settings, nothing clipped in between."""

import numpy as np
import pytest

from mistline.core.frame import Frame, Size
from mistline.core.measure import measure_traits
from mistline.core.media.plate import quantise
from mistline.core.methods import METHODS, Traits
from mistline.core.methods.recipe import Pass, Recipe, digest, run_recipe
from mistline.errors import OutOfLimits

CLEAN = Traits(noise_sigma=0.0, edge_width=2.0, mean_level=0.5, measured_on="the whole picture")


def recipe(*passes: str | Pass) -> Recipe:
    return Recipe(name="x", passes=[step if isinstance(step, Pass) else Pass(method=step) for step in passes])


def test_every_method_is_complete() -> None:
    for key, method in METHODS.items():
        assert key == method.id and method.summary and method.reference and method.version >= 1
        assert method.settings.model_json_schema()["type"] == "object"


def test_over_shoots_reach_the_next_pass() -> None:
    """A hard edge at the end of the range rings above 1 and below 0; nothing may cut that off."""
    step = np.zeros((40, 40, 3), np.float32)
    step[:, 20:] = 1
    result = run_recipe(Frame(step, 8), recipe("lanczos", "unsharp_mask"), Size(160, 160), CLEAN).frame.pixels
    assert result.max() > 1.05 and result.min() < -0.05


def test_name_and_defaults_do_not_change_the_key() -> None:
    plain = recipe("bicubic", "unsharp_mask")
    spelled = Recipe(
        name="y", passes=[Pass(method="bicubic"), Pass(method="unsharp_mask", settings={"amount": 0.6})]
    )
    other = recipe("bicubic", Pass(method="unsharp_mask", settings={"amount": 0.7}))
    assert digest(plain.identity()) == digest(spelled.identity()) != digest(other.identity())


def test_words_name_what_differs_from_the_defaults() -> None:
    chain = recipe(Pass(method="non_local_means", settings={"luma": 20}), "lanczos")
    assert chain.words() == "Non-local means (luma 20.0), then Lanczos"


@pytest.mark.parametrize(
    ("chain", "before", "after", "part"),
    [
        (recipe("unsharp_mask"), Size(100, 100), Size(200, 200), "no enlarging pass"),
        (recipe("bicubic"), Size(100, 100), Size(1700, 1700), "16 times"),
        (recipe("bicubic"), Size(4000, 4000), Size(16000, 16000), "200 megapixels"),
        (
            recipe(Pass(method="unsharp_mask", settings={"amount": 50}), "bicubic"),
            Size(9, 9),
            Size(18, 18),
            "amount",
        ),
    ],
)
def test_limits_are_said_before_a_run(chain: Recipe, before: Size, after: Size, part: str) -> None:
    with pytest.raises(OutOfLimits, match=part):
        chain.check(before, after)


def test_unknown_methods_and_settings_are_refused() -> None:
    with pytest.raises(ValueError, match="no method"):
        Pass(method="wishful")
    with pytest.raises(OutOfLimits, match="blur"):
        recipe(Pass(method="unsharp_mask", settings={"blur": 1}), "bicubic").check(Size(9, 9), Size(9, 9))


def test_automatic_strength_follows_the_measured_noise(photograph: Frame) -> None:
    clean = photograph.with_pixels(photograph.pixels[100:300, 100:300])
    noise = np.random.default_rng(1).normal(0, 12 / 255, clean.pixels.shape)
    noisy = clean.with_pixels(clean.pixels + noise)
    traits = measure_traits(quantise(noisy, 16)[0])
    cooked = run_recipe(noisy, recipe("non_local_means"), noisy.size, traits)
    strength = cooked.settings[0]["luma"]
    assert isinstance(strength, float) and strength == pytest.approx(2 * traits.noise_sigma, abs=0.06)
    before = np.abs(noisy.pixels - clean.pixels).mean()
    assert np.abs(cooked.frame.pixels - clean.pixels).mean() < 0.65 * before
    by_hand = recipe(Pass(method="non_local_means", settings={"luma": 5}))
    assert run_recipe(noisy, by_hand, noisy.size, traits).settings[0]["luma"] == 5


def test_sharpening_leaves_flat_areas_alone_and_raises_edges() -> None:
    picture = np.full((60, 60, 3), 0.4, np.float32)
    picture[:, 30:] = 0.6
    picture[:, :12] += np.random.default_rng(0).normal(0, 0.5 / 255, (60, 12, 1)).astype(np.float32)
    result = run_recipe(Frame(picture, 8), recipe("unsharp_mask"), Size(60, 60), CLEAN).frame.pixels
    assert np.abs(result - picture)[:, 2:10].max() < 0.3 / 255
    assert result[30, 31, 0] > 0.61 and result[30, 28, 0] < 0.39


def test_progress_is_reported_after_each_pass(photograph: Frame) -> None:
    told: list[float] = []
    small = photograph.with_pixels(photograph.pixels[:32, :32])
    run_recipe(small, recipe("bicubic", "unsharp_mask"), Size(64, 64), CLEAN, told.append)
    assert told == [0.5, 1.0]
