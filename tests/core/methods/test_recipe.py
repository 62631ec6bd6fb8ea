"""Chains of passes: identity, limits, automatic settings, nothing clipped in between."""

import numpy as np
import pytest

from mistline.core.frame import Frame, Size
from mistline.core.measure import measure_traits
from mistline.core.media.plate import quantise
from mistline.core.methods import METHODS, Traits, alone
from mistline.core.methods.recipe import Blend, Pass, Recipe, digest, run_recipe
from mistline.core.resample import resize
from mistline.errors import OutOfLimits

CLEAN = Traits(noise_sigma=0.0, edge_width=2.0, mean_level=0.5, measured_on="the whole picture")


@pytest.fixture(scope="module")
def noisy() -> Frame:
    return Frame(np.random.default_rng(5).random((40, 60, 3), np.float32), 8)


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
    result = run_recipe(
        alone(Frame(step, 8)), recipe("lanczos", "unsharp_mask"), Size(160, 160), CLEAN
    ).frame.pixels
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
    cooked = run_recipe(alone(noisy), recipe("non_local_means"), noisy.size, traits)
    strength = cooked.settings[0]["luma"]
    assert isinstance(strength, float) and strength == pytest.approx(2 * 12 * 0.75, rel=0.1)
    before = np.abs(noisy.pixels - clean.pixels).mean()
    assert np.abs(cooked.frame.pixels - clean.pixels).mean() < 0.65 * before
    by_hand = recipe(Pass(method="non_local_means", settings={"luma": 5}))
    assert run_recipe(alone(noisy), by_hand, noisy.size, traits).settings[0]["luma"] == 5


def test_sharpening_leaves_flat_areas_alone_and_raises_edges() -> None:
    picture = np.full((60, 60, 3), 0.4, np.float32)
    picture[:, 30:] = 0.6
    picture[:, :12] += np.random.default_rng(0).normal(0, 0.5 / 255, (60, 12, 1)).astype(np.float32)
    result = run_recipe(alone(Frame(picture, 8)), recipe("unsharp_mask"), Size(60, 60), CLEAN).frame.pixels
    assert np.abs(result - picture)[:, 2:10].max() < 0.3 / 255
    assert result[30, 31, 0] > 0.61 and result[30, 28, 0] < 0.39


def test_progress_is_reported_after_each_pass(photograph: Frame) -> None:
    told: list[float] = []
    small = photograph.with_pixels(photograph.pixels[:32, :32])
    run_recipe(alone(small), recipe("bicubic", "unsharp_mask"), Size(64, 64), CLEAN, told.append)
    assert told == [0.5, 1.0]


def test_a_share_of_the_original_comes_back(noisy: Frame) -> None:
    """At opacity p the result is (1 - p) of the chain and p of the input; none of either is changed."""
    soft = recipe("gaussian")
    half = soft.model_copy(update={"blend": Blend(opacity=0.25)})
    single = run_recipe(alone(noisy), soft, noisy.size, CLEAN).frame.pixels
    both = run_recipe(alone(noisy), half, noisy.size, CLEAN)
    assert np.allclose(both.frame.pixels, 0.75 * single + 0.25 * noisy.pixels, atol=1e-6)
    assert half.words() == "Gaussian blur, then 25 % of the original over it"
    assert len(both.settings) == len(half.every_pass()) == 1


def test_two_recipes_are_blended_from_the_same_input(noisy: Frame) -> None:
    target = Size(2 * noisy.size.width, 2 * noisy.size.height)
    chain = recipe("lanczos").model_copy(
        update={
            "blend": Blend(name="Soft", passes=[Pass(method="gaussian"), Pass(method="bilinear")], opacity=0.4)
        }
    )
    first, second = (
        run_recipe(alone(noisy), recipe(*steps), target, CLEAN).frame.pixels
        for steps in (("lanczos",), ("gaussian", "bilinear"))
    )
    made = run_recipe(alone(noisy), chain, target, CLEAN)
    assert np.allclose(made.frame.pixels, 0.6 * first + 0.4 * second, atol=1e-6)
    assert [step["method"] for step in made.settings] == ["lanczos", "gaussian", "bilinear"]
    # What is smaller than the result is enlarged by bicubic.
    original = chain.model_copy(update={"blend": Blend(opacity=0.4)})
    plain = run_recipe(alone(noisy), recipe("bicubic"), target, CLEAN).frame.pixels
    over = run_recipe(alone(noisy), original, target, CLEAN).frame.pixels
    assert np.allclose(over, 0.6 * first + 0.4 * plain, atol=1e-6)


def test_a_blend_makes_another_take_and_no_blend_changes_no_key() -> None:
    plain = recipe("bicubic")
    blended = plain.model_copy(update={"blend": Blend(opacity=0.4)})
    assert digest(plain.identity()) == digest([{"method": "bicubic", "version": 1, "settings": {}}])
    assert digest(plain.identity()) != digest(blended.identity())
    with pytest.raises(OutOfLimits, match="amount"):
        wrong = Blend(passes=[Pass(method="unsharp_mask", settings={"amount": 90})])
        plain.model_copy(update={"blend": wrong}).check(Size(9, 9), Size(18, 18))


@pytest.mark.parametrize("over_size", [1.25, 1.5, 2.0, 3.0])
@pytest.mark.parametrize("steps", [("bicubic",), ("bicubic", "unsharp_mask")])
def test_over_size_is_the_larger_result_brought_down(
    over_size: float, steps: tuple[str, ...], noisy: Frame
) -> None:
    """Common practice: 2560 x 1440 doubled is 5120 x 2880, then brought down to 3840 x 2160."""
    plain = recipe(*steps)
    made = plain.model_copy(update={"over_size": over_size})
    target = Size(round(1.5 * noisy.size.width), round(1.5 * noisy.size.height))
    larger = run_recipe(alone(noisy), plain, made.goal(target), CLEAN).frame.pixels
    result = run_recipe(alone(noisy), made, target, CLEAN).frame.pixels
    assert np.allclose(result, resize(larger, target, "lanczos3"), atol=1e-6)
    assert made.words() == f"{plain.words()}, {over_size:g}x over-size and then down"
    assert digest(made.identity()) != digest(plain.identity())
    assert Recipe(name="d", passes=plain.passes, over_size=4 / 3).goal(Size(3840, 2160)) == Size(5120, 2880)


def test_over_size_needs_a_pass_that_enlarges_and_says_a_networks_way() -> None:
    with pytest.raises(OutOfLimits, match="no enlarging pass"):
        recipe("gaussian").model_copy(update={"over_size": 2}).check(Size(90, 90), Size(90, 90))
    doubled = recipe("faithful_x2").model_copy(update={"over_size": 4 / 3})
    assert doubled.way(1.5) == ""  # 1.5 times the target's 1.333: the network's own 2x
    assert "down to 3x by Lanczos" in recipe("faithful_x2").model_copy(update={"over_size": 2}).way(1.5)


def test_fit_rules_lay_a_picture_into_another_shape() -> None:
    """Common practice: 4:3 into 16:9 leaves bars at the sides, or loses a quarter of the height."""
    frame = Frame(np.full((300, 400, 3), 0.5, np.float32), 8)

    def fit(rule: str, target: Size = Size(1600, 900)) -> np.ndarray:
        return run_recipe(
            alone(frame), recipe(Pass(method="fit", settings={"rule": rule})), target, CLEAN
        ).frame.pixels

    inside, fill, centre = fit("inside"), fit("fill"), fit("centre")
    assert inside.shape == fill.shape == centre.shape == (900, 1600, 3)
    assert not inside[:, :199].any() and not inside[:, 1401:].any() and np.allclose(inside[:, 201:1399], 0.5)
    assert np.allclose(fill, 0.5)
    assert np.array_equal(centre[300:600, 600:1000], frame.pixels) and centre.sum() == frame.pixels.sum()
    assert np.array_equal(fit("centre", Size(200, 100)), frame.pixels[100:200, 100:300])
