"""A test without a truth: sizes, the input as it is, the way back, and what is likely wrong with a source."""

import numpy as np
import pytest
from pydantic import TypeAdapter, ValidationError

from mistline.core.choose.suggest import suggest_recipe
from mistline.core.frame import Frame, Size, decode_srgb
from mistline.core.methods import Traits
from mistline.core.methods.recipe import Pass, Recipe
from mistline.core.setup import NoTruthSetup, Setup, TruthSetup, read_setup
from mistline.core.setup.targets import FrameTarget, PrintTarget
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


@pytest.mark.parametrize(
    ("target", "source", "made", "given", "bars"),
    [
        # Common practice: 482 x 360 fills 4096 across at 850 %; 16:9 in a 17:9 frame leaves bars at the sides.
        (FrameTarget(width=4096, height=3060), Size(482, 360), Size(4096, 3059), Size(482, 360), (0, 1)),
        (FrameTarget(width=4096, height=2160), Size(1920, 1080), Size(3840, 2160), Size(1920, 1080), (256, 0)),
        (
            FrameTarget(width=4096, height=2160, fit="fill"),
            Size(1920, 1080),
            Size(4096, 2160),
            Size(1920, 1012),
            (0, 0),
        ),
        (
            FrameTarget(width=1920, height=1080, fit="centre"),
            Size(2000, 900),
            Size(1920, 900),
            Size(1920, 900),
            (0, 180),
        ),
        # 120 cm at 300 dpi are 14 173 px; 5 x 7 in at 300 dpi are 1500 x 2100.
        (PrintTarget(length=120), Size(1500, 1000), Size(14173, 9449), Size(1500, 1000), (0, 0)),
        (
            PrintTarget(length=7, unit="in", side="height"),
            Size(500, 700),
            Size(1500, 2100),
            Size(500, 700),
            (0, 0),
        ),
    ],
)
def test_a_target_is_a_frame_or_a_print(
    target: FrameTarget | PrintTarget, source: Size, made: Size, given: Size, bars: tuple[int, int]
) -> None:
    setup = NoTruthSetup(target=target)
    plan = setup.plan(source)
    assert (plan.target, plan.input, plan.part, plan.bars) == (made, given, given, bars)
    assert plan.cropped == (source.width - given.width, source.height - given.height)
    assert setup.at(source).factor == plan.factors[0] == made.width / given.width
    assert read_setup(setup.model_dump()) == setup and target.words() in setup.words()
    assert setup.identity() == setup.model_copy(update={"factor": 7.0}).identity()  # the factor has no say


def test_expected_sizes_are_those_of_the_trade() -> None:
    """Common practice: 9.0 MiB for 5 x 7 in at 300 dpi as 8-bit RGB, 165.5 MiB at 30 in tall."""
    for inches, mebibytes in ((7, 9.0), (30, 165.5)):
        plan = PrintTarget(length=inches, unit="in", side="height").plan(Size(1000, 1400))
        assert plan.rgb_bytes / 2**20 == pytest.approx(mebibytes, abs=0.06)


@pytest.mark.parametrize(
    "target", [FrameTarget(width=640, height=480), PrintTarget(length=1), PrintTarget(length=900)]
)
def test_a_target_out_of_reach_is_refused_in_words(target: FrameTarget | PrintTarget) -> None:
    with pytest.raises(OutOfLimits, match=r"larger than|enlarged"):
        NoTruthSetup(target=target).plan(Size(1920, 1080))


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
