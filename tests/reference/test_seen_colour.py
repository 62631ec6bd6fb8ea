"""S-CIELAB (Zhang, Wandell 1997) against closed forms.

- What does not change over the picture is seen as it is: flat patches give the CIE 1976 difference of colour-science.
- A Gaussian exp(-r^2 / s^2) of unit sum passes exp(-(pi s f)^2) of a grating of f cycles a degree, so that a weak grating in
  one opponent colour is attenuated by the weighted sum of these.
"""

import colour
import numpy as np
import pytest

from mistline.core.frame import Array, Frame, encode_srgb
from mistline.core.measure import MEASURES, Evidence
from mistline.core.measure.colour_difference import TO_XYZ, WHITE
from mistline.core.measure.measure import SHARP
from mistline.core.measure.seen_colour import FILTERS, OPPONENT, as_seen, opponent_filters


def flat(rgb: tuple[float, float, float], size: tuple[int, int] = (96, 128)) -> Frame:
    return Frame(np.tile(np.array(rgb, np.float32), (*size, 1)), 16)


@pytest.mark.parametrize("size", [(96, 128), (700, 90), (1200, 61)])
@pytest.mark.parametrize(
    ("one", "other"),
    [
        ((0.5, 0.5, 0.5), (0.52, 0.5, 0.5)),
        ((0.8, 0.2, 0.3), (0.7, 0.25, 0.3)),
        ((0.05, 0.06, 0.1), (0.0, 0.05, 0.1)),
    ],
)
def test_flat_patches_give_cielab(one: tuple, other: tuple, size: tuple[int, int]) -> None:
    found = as_seen(flat(one, size), flat(other, size))
    white = colour.XYZ_to_xy(WHITE)
    first, second = (
        colour.XYZ_to_Lab(TO_XYZ @ colour.models.eotf_sRGB(np.array(rgb)), white) for rgb in (one, other)
    )
    assert found == pytest.approx(np.linalg.norm(first - second), rel=2e-3, abs=1e-3)


def grating(channel: int, frequency: float, amplitude: float, side: int = 480) -> Frame:
    """A grating of so many cycles a degree in one opponent colour, about grey."""
    x = np.arange(side)
    wave = np.cos(2 * np.pi * frequency / SHARP * x)
    opponent = OPPONENT @ (TO_XYZ / WHITE[:, None]) @ np.full(3, 0.2)
    planes = np.tile(opponent, (side, side, 1))
    planes[..., channel] += amplitude * wave
    linear = planes @ np.linalg.inv(OPPONENT @ (TO_XYZ / WHITE[:, None])).T
    return Frame(encode_srgb(linear.astype(np.float32)), 16)


def attenuation(channel: int, frequency: float) -> float:
    parts = FILTERS[channel]
    total = sum(weight for weight, _ in parts)
    return sum(weight / total * np.exp(-((np.pi * spread * frequency) ** 2)) for weight, spread in parts)


@pytest.mark.parametrize("channel", [0, 1, 2])
@pytest.mark.parametrize("frequency", [0.5, 1.0, 2.0, 4.0, 8.0, 15.0])
def test_gratings_are_attenuated_as_the_filters_say(channel: int, frequency: float) -> None:
    amplitude = 0.004
    grey = grating(channel, frequency, 0.0)
    seen = as_seen(grey, grating(channel, frequency, amplitude))[120:360, 120:360]
    # The same step without any blur, far apart: what a grating of frequency 0 would be.
    plain = as_seen(grey, grating(channel, 0.0, amplitude))[120:360, 120:360].mean()
    wanted = plain * abs(attenuation(channel, frequency)) / 2**0.5  # root mean square of a cosine
    assert np.sqrt(np.mean(np.square(seen))) == pytest.approx(wanted, rel=0.05, abs=0.003)


@pytest.mark.parametrize("sight", [250.0, 412.0, 900.0])
def test_from_far_away_means_of_several_pixels_tell_the_same(sight: float) -> None:
    """The same grating to the eye, in four and more times the pixels."""
    side = round(240 * sight / SHARP)
    wave = 0.02 * np.cos(2 * np.pi * 4 / sight * np.arange(side))
    grey = flat((0.5, 0.5, 0.5), (side, side))
    other = grey.with_pixels(grey.pixels + wave.astype(np.float32)[None, :, None])
    near = flat((0.5, 0.5, 0.5), (240, 240))
    wave = 0.02 * np.cos(2 * np.pi * 4 / SHARP * np.arange(240))
    beside = near.with_pixels(near.pixels + wave.astype(np.float32)[None, :, None])
    found = as_seen(grey, other, sight)
    assert found.shape == (side, side)
    assert found.mean() == pytest.approx(as_seen(near, beside).mean(), rel=0.04)


def test_the_filters_sum_to_one_and_take_luma_finest() -> None:
    filters = opponent_filters(SHARP)
    for parts in filters:
        assert sum(weight for weight, _ in parts) == pytest.approx(1)
    assert filters[0][0][1] < filters[1][0][1] < filters[2][0][1]


def test_fine_noise_counts_less_than_coarse_and_less_from_afar() -> None:
    rng = np.random.default_rng(3)
    grey = flat((0.5, 0.5, 0.5), (240, 240))
    fine = grey.with_pixels(grey.pixels + rng.normal(0, 0.03, (240, 240, 3)).astype(np.float32))
    coarse = grey.with_pixels(
        grey.pixels + rng.normal(0, 0.03, (30, 30, 3)).astype(np.float32).repeat(8, 0).repeat(8, 1)
    )
    near, far = as_seen(grey, fine).mean(), as_seen(grey, fine, 120).mean()
    assert far < 0.8 * near < 0.8 * as_seen(grey, coarse).mean()


def test_strips_are_those_of_the_whole(photograph: Frame) -> None:
    """Rows of a tall picture do not depend on where the strips begin."""
    tall = photograph.with_pixels(np.tile(photograph.pixels, (3, 1, 1))[:1300])
    other = tall.with_pixels(np.clip(tall.pixels * np.float32([1.03, 1, 0.98]), 0, 1))
    found = as_seen(tall, other)
    part: Array = as_seen(tall.with_pixels(tall.pixels[200:1300]), other.with_pixels(other.pixels[200:1300]))
    # Far from the cut only the widest blur knows of it, with a tenth of the weight.
    assert np.abs(found[700:1000] - part[500:800]).max() < 0.15
    assert abs(found[500:530].mean() - found[470:500].mean()) < 0.3


def test_it_is_a_measure_that_prefers_the_truth(photograph: Frame) -> None:
    measure = MEASURES["scielab"]
    assert measure.read(Evidence(photograph, photograph)).value == 0
    shifted = photograph.with_pixels(np.clip(photograph.pixels + np.float32([0.02, 0, 0]), 0, 1))
    assert 0.5 < measure.read(Evidence(shifted, photograph)).value < 4
    small = Frame(np.full((3, 5, 3), 0.4, np.float32), 8)
    assert measure.read(Evidence(small, small)).value == 0
