"""Denoisers: less noise, brightness and colour apart, nothing done at strength 0."""

import numpy as np
import pytest

from mistline.core.frame import Frame, from_ycbcr, luma, to_ycbcr
from mistline.core.methods import METHODS, Traits, alone

DENOISERS = [key for key, method in METHODS.items() if method.family == "reduce noise"]
CLEAN = np.ascontiguousarray
SIGMA = 15.0


@pytest.fixture(scope="module")
def pair(photograph: Frame) -> tuple[Frame, Frame]:
    clean = photograph.with_pixels(photograph.pixels[40:200, 150:330])
    noise = np.random.default_rng(5).normal(0, SIGMA / 255, clean.pixels.shape)
    return clean, clean.with_pixels(clean.pixels + noise)


def run(key: str, frame: Frame, **settings: float) -> np.ndarray:
    method = METHODS[key]
    return method.run(alone(frame), method.settings(**settings), frame.size).pixels


def error(one: np.ndarray, two: np.ndarray) -> float:
    return float(np.sqrt(np.mean((one - two) ** 2)))


@pytest.mark.parametrize("key", DENOISERS)
def test_known_noise_is_reduced(key: str, pair: tuple[Frame, Frame]) -> None:
    clean, noisy = pair
    cleaned = run(key, noisy, luma=2 * SIGMA, colour=2 * SIGMA)
    assert error(cleaned, clean.pixels) < 0.8 * error(noisy.pixels, clean.pixels)
    assert cleaned.mean() == pytest.approx(noisy.pixels.mean(), abs=0.01)


@pytest.mark.parametrize("key", DENOISERS)
def test_more_strength_takes_more_away(key: str, pair: tuple[Frame, Frame]) -> None:
    _, noisy = pair
    moved = [error(run(key, noisy, luma=s, colour=s), noisy.pixels) for s in (4, 15, 45)]
    assert moved == sorted(moved) and moved[0] < 0.75 * moved[2]


@pytest.mark.parametrize("key", DENOISERS)
def test_strength_0_does_nothing_and_the_two_are_apart(key: str, pair: tuple[Frame, Frame]) -> None:
    _, noisy = pair
    assert np.abs(run(key, noisy, luma=0, colour=0) - noisy.pixels).max() < 1e-6
    colour_only = run(key, noisy, luma=0, colour=40)
    assert np.abs(luma(colour_only) - luma(noisy.pixels)).max() < 1e-5
    luma_only = run(key, noisy, luma=40, colour=0)
    assert np.abs(to_ycbcr(luma_only)[..., 1:] - to_ycbcr(noisy.pixels)[..., 1:]).max() < 1e-5


@pytest.mark.parametrize("key", DENOISERS)
def test_grey_pictures_are_taken_too(key: str, pair: tuple[Frame, Frame]) -> None:
    _, noisy = pair
    grey = Frame(np.ascontiguousarray(noisy.pixels[..., 1:2]), 8)
    assert run(key, grey, luma=20, colour=20).shape == grey.pixels.shape


def test_automatic_strength_is_the_measured_noise() -> None:
    traits = Traits(noise_sigma=7.5, edge_width=None, mean_level=0.4, measured_on="the whole picture")
    settings = METHODS["wavelet"].resolve({"colour": 40}, traits)
    assert settings.model_dump() == {"luma": 15.0, "colour": 40.0, "rule": "even", "read": 0.0}


def test_ycbcr_agrees_with_colour_science(pair: tuple[Frame, Frame]) -> None:
    """ITU-R BT.709-6, full range."""
    import colour

    clean, _ = pair
    expected = colour.RGB_to_YCbCr(clean.pixels, K=colour.WEIGHTS_YCBCR["ITU-R BT.709"], out_range=(0, 1, 0, 1))
    ours = to_ycbcr(clean.pixels) + np.float32([0, 0.5, 0.5])
    assert np.abs(ours - expected).max() < 1e-5
    assert np.abs(from_ycbcr(to_ycbcr(clean.pixels)) - clean.pixels).max() < 1e-6


def test_the_sliding_dct_does_not_depend_on_its_strips() -> None:
    rng = np.random.default_rng(0)
    tall = Frame(rng.random((150, 40, 1), np.float32), 8)
    whole = run("sliding_dct", tall, luma=20, colour=0)
    part = run("sliding_dct", tall.with_pixels(tall.pixels[50:]), luma=20, colour=0)
    assert np.abs(whole[60:140] - part[10:90]).max() < 1e-5
