"""Noise as it is seen: made noise, filtered in the Fourier domain by the closed form of the eye's filters, is the answer.

A Gaussian exp(-r^2 / s^2) of unit sum passes exp(-(pi s f)^2) of a grating of f cycles a degree (Zhang, Wandell 1997).
"""

import cv2
import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

from mistline.core.frame import Frame
from mistline.core.measure import MEASURES, Evidence
from mistline.core.measure.seen_noise import sensitivity
from mistline.core.setup import TruthSetup
from mistline.core.setup.audience import Audience
from tests.reference.noises import noisy, plate, quiet

SIDE = 480  # pixels to the eye
COARSEST = 1.4 / 32  # cycles a pixel, from which on noise is measured
# Columns add to luma alone, and to Cb alone (ITU-R BT.709: R, G, B of what changes B - Y by 1.8556).
GREY, BLUE = np.ones(3), np.array([0.0, -0.0722 * 1.8556 / 0.7152, 1.8556])


def eye(spreads: tuple[tuple[float, float], ...], frequency: np.ndarray) -> np.ndarray:
    """Weighted sum of Gaussians in the frequency domain."""
    weights = np.array([weight for weight, _ in spreads])
    passed = [np.exp(-((np.pi * spread * frequency) ** 2)) for _, spread in spreads]
    return np.tensordot(weights / weights.sum(), passed, 1)


LUMA = ((0.921, 0.0283), (0.105, 0.133), (-0.108, 4.336))
CHROMA = (((0.531, 0.0392), (0.330, 0.494)), ((0.488, 0.0536), (0.371, 0.386)))  # all from memory


def step_of(sight: float) -> int:
    """From far away it is measured on means of several pixels, so coarser noise is."""
    return max(1, round(sight / 60)) if sight > 90 else 1


def field(kind: str, sigma: float, sight: float) -> np.ndarray:
    side = SIDE * step_of(sight)
    plane = np.random.default_rng(11).standard_normal((side, side))
    if kind == "grain":
        plane = gaussian_filter(plane, 1.0, mode="wrap")
    return plane * (sigma / plane.std())


def wanted(plane: np.ndarray, passed, sight: float) -> float:
    """Standard deviation of a plane that was filtered as the eye does, without what is too coarse to be measured."""
    side = len(plane)
    frequency = np.hypot(*np.meshgrid(np.fft.fftfreq(side), np.fft.fftfreq(side), indexing="ij"))
    there = frequency >= COARSEST / step_of(sight)
    power = np.abs(np.fft.fft2(plane)) ** 2 * passed(frequency) ** 2 * there
    return float(np.sqrt(power.sum()) / side**2)


def measured(plane: np.ndarray, tint: np.ndarray, sight: float):
    truth = Frame(cv2.resize(quiet(SIDE, SIDE).pixels, plane.shape, interpolation=cv2.INTER_LINEAR), 16)
    added = (plane[..., None] * tint / 255).astype(np.float32)
    return MEASURES["noise_seen"].read(Evidence(truth.with_pixels(truth.pixels + added), truth, sight=sight))


@pytest.mark.parametrize("kind", ["white", "grain"])
@pytest.mark.parametrize("sight", [20, 40, 60, 90, 120, 180, 240])
@pytest.mark.parametrize("sigma", [2.0, 10.0])
def test_brightness_noise_is_what_the_eye_leaves_of_it(kind: str, sight: float, sigma: float) -> None:
    plane = field(kind, sigma, sight)
    found = measured(plane, GREY, sight)
    answer = wanted(plane, lambda frequency: eye(LUMA, frequency * sight), sight)
    parts = {part.name: part.value for part in found.parts}
    assert parts["brightness"] == pytest.approx(answer, rel=0.12, abs=0.06)
    assert parts["colour"] < 0.1 and found.value == pytest.approx(parts["brightness"], abs=0.01)


@pytest.mark.parametrize("sight", [20, 60, 120])
def test_colour_noise_is_told_apart(sight: float) -> None:
    plane = field("grain", 8.0, sight)
    parts = {part.name: part.value for part in measured(plane, BLUE, sight).parts}

    def passed(frequency: np.ndarray) -> np.ndarray:
        return np.sqrt(np.mean([eye(each, frequency * sight) ** 2 for each in CHROMA], axis=0))

    assert parts["colour"] == pytest.approx(
        wanted(plane, passed, sight) / 2**0.5, rel=0.12
    )  # the mean of Cb and Cr
    assert parts["brightness"] < 0.1


def test_the_filters_are_those_of_seen_colour() -> None:
    frequency = np.linspace(0, 40, 81)
    assert sensitivity((0,), frequency) == pytest.approx(np.abs(eye(LUMA, frequency)), abs=1e-9)


@pytest.mark.parametrize("name", ["camera", "coffee", "astronaut"])
def test_from_farther_away_less_is_seen(name: str) -> None:
    result, truth = noisy(plate(name), "white", 8.0)
    found = {
        sight: MEASURES["noise_seen"].read(Evidence(result, truth, sight=sight)) for sight in (5, 30, 60, 90, 800)
    }
    seen = [found[sight].value for sight in (5, 30, 60, 90)]
    assert seen == sorted(seen, reverse=True) and seen[0] > 3 * seen[-1]
    assert found[800].value is None and "less than 256 pixels" in found[800].note


def test_a_print_and_a_screen_by_the_rule_of_three() -> None:
    """Common practice: 120 cm at 300 dpi are 14 173 pixels; a screen 1920 wide at three of its heights is 57 a degree."""
    assert Audience(width=120, distance=200).sight(14173) == pytest.approx(412, abs=1)
    height = 60 * 9 / 16
    assert Audience(width=60, distance=3 * height).sight(1920) == pytest.approx(1920 / 60 * 3 * height * 0.0174533)
    setup = TruthSetup(factor=2, audience=Audience(width=60, distance=150))
    assert setup.identity() == TruthSetup(factor=2).identity()
    assert setup.score_identity("k") != TruthSetup(factor=2).score_identity("k") == {"plate": "k"}
