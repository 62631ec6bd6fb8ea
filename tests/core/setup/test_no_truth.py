"""A test without a truth: sizes, the input as it is, the way back, and what is likely wrong with a source."""

import numpy as np
import pytest
from pydantic import TypeAdapter, ValidationError

from mistline.core.choose.suggest import suggest_recipe
from mistline.core.frame import Frame, Size, decode_srgb
from mistline.core.methods import Traits
from mistline.core.methods.recipe import Pass, Recipe
from mistline.core.setup import NoTruthSetup, Setup, TruthSetup, read_setup
from mistline.errors import OutOfLimits

PLAIN = Traits(noise_sigma=0.6, edge_width=2.2, mean_level=0.5, measured_on="the whole picture")


@pytest.mark.parametrize(
    ("source", "factor", "target"),
    [
        # Common practice: 1080 lines to 2160 is 2x; 482 x 360 needs 850 % to fill 4096 wide.
        (Size(1920, 1080), 2, Size(3840, 2160)),
        (Size(482, 360), 8.5, Size(4097, 3060)),
        (Size(2462, 1000), 4, Size(9848, 4000)),
        (Size(641, 481), 1, Size(641, 481)),
        (Size(101, 67), 1.5, Size(152, 100)),
    ],
)
def test_the_target_is_larger_and_nothing_is_cropped(source: Size, factor: float, target: Size) -> None:
    plan = NoTruthSetup(factor=factor).plan(source)
    assert (plan.target, plan.input, plan.cropped, plan.corner) == (target, source, (0, 0), (0, 0))
    assert plan.grown == plan.factors == (target.width / source.width, target.height / source.height)


def test_too_small_a_source_is_refused_in_words() -> None:
    with pytest.raises(OutOfLimits, match="at least 16 pixels"):
        NoTruthSetup().plan(Size(300, 12))


def test_the_input_is_the_source_and_shrinking_keeps_the_light(photograph: Frame) -> None:
    setup = NoTruthSetup(factor=2)
    sizes = setup.plan(photograph.size)
    assert list(setup.inputs([photograph], sizes)) == [photograph]
    board = photograph.with_pixels(np.indices((1024, 1024)).sum(0)[..., None] % 2)
    assert np.allclose(decode_srgb(setup.shrink(board, sizes).pixels), 0.5, atol=1e-4)
    assert setup.shrink(photograph, sizes) is photograph


def test_any_kind_of_set_up_is_read_back() -> None:
    for setup in (NoTruthSetup(factor=3), TruthSetup(factor=2, noise=4)):
        assert read_setup(setup.model_dump()) == setup
    assert read_setup({"factor": 2}) == TruthSetup(factor=2)
    for odd in ({"test": "no truth", "noise": 3}, {"test": "guess"}, {"test": "no truth", "factor": 1.23456}):
        with pytest.raises(ValidationError):
            read_setup(odd)
    assert "NoTruthSetup" in str(TypeAdapter(Setup).json_schema())


def recipe(*methods: str) -> Recipe:
    return Recipe(name="x", passes=[Pass(method=method) for method in methods])


@pytest.mark.parametrize(
    ("made", "factor", "source", "reason"),
    [
        (recipe("faithful_x2"), 2, {}, "clean enough"),
        (recipe("mixed_x2"), 2, {"squares": 25.0}, "squares of 25 %"),
        (recipe("mixed_x2"), 2, {"noise_sigma": 6.0}, "6 cv of noise"),
        (recipe("crisp_x2"), 2, {"edge_width": 4.0}, "edges 4.0 px wide"),
        (recipe("blind_denoise"), 1, {"noise_sigma": 6.0}, "6 cv of luma noise"),
        (recipe("faithful_x2"), 2, {"noise_sigma": 6.0}, None),
        (recipe("mixed_x2"), 2, {}, None),
        (recipe("blind_denoise"), 1, {}, None),
        (recipe("deinterlace"), 1, {}, None),
    ],
)
def test_what_is_worth_trying_follows_from_the_source(
    made: Recipe, factor: float, source: dict[str, float], reason: str | None
) -> None:
    found = suggest_recipe(made, Traits(**{**vars(PLAIN), **source}), NoTruthSetup(factor=factor), frames=50)
    assert (found is None) == (reason is None) and (found is None or reason in found.reason)
