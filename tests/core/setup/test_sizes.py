"""The plan of a truth test in numbers, and the input made from it."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mistline.core.frame import Frame, Size, decode_srgb
from mistline.core.methods import Traits
from mistline.core.setup import TruthSetup, crop_part
from mistline.core.setup.sizes import shrunk
from mistline.core.setup.targets import FrameTarget
from mistline.errors import OutOfLimits


@pytest.mark.parametrize(
    ("source", "factor", "truth", "small"),
    [
        # Common practice: 5x each way leaves 1/25 of the data; 2160 lines to 720 is 3x; 1080 to 360 is 3x.
        (Size(1920, 1080), 5, Size(1920, 1080), Size(384, 216)),
        (Size(3840, 2160), 3, Size(3840, 2160), Size(1280, 720)),
        (Size(1920, 1080), 3, Size(1920, 1080), Size(640, 360)),
        (Size(1001, 667), 4, Size(1000, 664), Size(250, 166)),
        (Size(1003, 1000), 2.5, Size(1000, 1000), Size(400, 400)),
    ],
)
def test_known_sizes(source: Size, factor: float, truth: Size, small: Size) -> None:
    sizes = shrunk(source, factor)
    assert (sizes.target, sizes.input) == (truth, small)
    assert sizes.share == pytest.approx(1 / factor**2)


@given(st.integers(300, 9000), st.integers(300, 9000), st.integers(105, 1600))
def test_any_factor_keeps_edges_on_edges(width: int, height: int, hundredths: int) -> None:
    factor = hundredths / 100
    sizes = shrunk(Size(width, height), factor)
    for before, truth, small in (
        (width, sizes.target.width, sizes.input.width),
        (height, sizes.target.height, sizes.input.height),
    ):
        assert 0 <= before - truth < 21 * factor + 1
        assert truth / small == pytest.approx(factor, abs=0.5 / small + 1e-9)


def test_too_small_an_input_is_refused_in_words() -> None:
    with pytest.raises(OutOfLimits, match="at least 16 pixels"):
        shrunk(Size(60, 60), 5)


def test_a_whole_multiple_that_is_too_small_gives_way_to_the_nearest_pixel() -> None:
    """15 x 15.2 = 228 would fit, but is too small an input."""
    assert shrunk(Size(300, 300), 15.2).input == Size(19, 19)


def test_the_truth_is_cut_from_the_centre() -> None:
    pixels = np.arange(11 * 12, dtype=np.float32).reshape(11, 12, 1).repeat(8, 0).repeat(8, 1)
    sizes = shrunk(Size(96, 88), 5)
    cut = crop_part(Frame(pixels, 8), sizes)
    assert cut.size == sizes.target == Size(95, 85)
    assert np.array_equal(cut.pixels, pixels[1:86, 0:95])


@pytest.mark.parametrize(
    ("source", "frame", "fit", "factor", "truth", "small", "part"),
    [
        # Common practice: 6000 x 4000 filled into 16:9 keeps 3375 of 4000 lines; fitted inside 1080 lines it is 1620 wide.
        (Size(6000, 4000), (1920, 1080), "fill", 4, Size(1920, 1080), Size(480, 270), Size(6000, 3375)),
        (Size(6000, 4000), (1920, 1080), "inside", 3, Size(1620, 1080), Size(540, 360), Size(6000, 4000)),
        (Size(6000, 4000), (1920, 1080), "centre", 2, Size(1920, 1080), Size(960, 540), Size(1920, 1080)),
        (Size(3840, 2160), (1920, 1080), "inside", 1, Size(1920, 1080), Size(1920, 1080), Size(3840, 2160)),
        (Size(1000, 800), (500, 333), "fill", 4, Size(500, 332), Size(125, 83), Size(1000, 664)),
    ],
)
def test_a_source_is_brought_to_a_frame_as_truth(source, frame, fit, factor, truth, small, part) -> None:
    target = FrameTarget(width=frame[0], height=frame[1], fit=fit)
    setup = TruthSetup(factor=factor, target=target, noise=1)
    sizes = setup.plan(source)
    assert (sizes.target, sizes.input, sizes.part) == (truth, small, part)
    assert sizes.cropped == (source.width - part.width, source.height - part.height)
    assert setup.identity() != TruthSetup(factor=factor, noise=1).identity()
    noise = Traits(noise_sigma=8.0, edge_width=2.0, mean_level=0.5, measured_on="the whole picture")
    shrink = part.width / truth.width * factor
    assert setup.at(source).damage(noise).noise == pytest.approx(np.hypot(8 / shrink, 0.7496), rel=0.01)


def test_the_frame_is_the_mean_of_the_light_of_its_part() -> None:
    pixels = np.random.default_rng(3).random((240, 320, 3)).astype(np.float32)
    setup = TruthSetup(factor=2, target=FrameTarget(width=100, height=60, fit="fill"))
    sizes = setup.plan(Size(320, 240))
    laid = setup.laid(Frame(pixels, 8), sizes)
    assert laid.size == sizes.target == Size(100, 60) and sizes.part == Size(320, 192)
    light = decode_srgb(pixels[24:216]).reshape(12, 16, 20, 16, 3).mean((1, 3))
    found = decode_srgb(laid.pixels).reshape(12, 5, 20, 5, 3).mean((1, 3))
    assert found == pytest.approx(light, abs=1e-4)  # 16 pixels of the source are 5 of the frame


def test_a_source_smaller_than_the_frame_is_refused() -> None:
    with pytest.raises(OutOfLimits, match="smaller than a frame of 1920 x 1080"):
        TruthSetup(factor=2, target=FrameTarget(width=1920, height=1080)).plan(Size(1280, 720))


def test_linear_light_keeps_the_light_of_a_checkerboard() -> None:
    """Black and white pixels by turns give half the light: 0.5 linear, 188 of 255 encoded (IEC 61966-2-1)."""
    y, x = np.mgrid[0:64, 0:64]
    board = Frame(((x + y) % 2).astype(np.float32)[..., None], 8)
    sizes = shrunk(board.size, 2)
    linear = next(TruthSetup(factor=2, light="linear").inputs([board], sizes)).pixels
    encoded = next(TruthSetup(factor=2, light="encoded").inputs([board], sizes)).pixels
    assert np.allclose(linear * 255, 187.5, atol=0.1) and np.allclose(encoded, 0.5, atol=1e-6)
