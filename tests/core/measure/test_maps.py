"""Maps of faults: each shows what was put there, where it was put, and nothing elsewhere."""

import cv2
import numpy as np
import pytest

from mistline.core.frame import luma, to_frame
from mistline.core.measure import Evidence
from mistline.core.measure.maps import LARGEST, MAPS, reduced, worst_place

SHAPE = (240, 400)


def flat(level: float = 0.5) -> np.ndarray:
    return np.full((*SHAPE, 3), round(255 * level), np.uint8)


def put(picture: np.ndarray, added: np.ndarray) -> np.ndarray:
    """Code values of 8 bits added, rounded."""
    return np.clip(np.rint(picture + added[..., None] if added.ndim == 2 else picture + added), 0, 255).astype(
        np.uint8
    )


def found(name: str, result: np.ndarray, truth: np.ndarray) -> np.ndarray:
    values = MAPS[name].of(Evidence(result, truth))
    assert values.shape == truth.shape[:2] and values.dtype == np.float32 and np.isfinite(values).all()
    return values


@pytest.mark.parametrize("name", MAPS)
def test_a_picture_itself_has_no_fault(name: str, astronaut: np.ndarray) -> None:
    assert found(name, astronaut, astronaut).max() == pytest.approx(0, abs=1e-4)


@pytest.mark.parametrize("sigma", [1.0, 3.0, 8.0])
@pytest.mark.parametrize("level", [0.2, 0.5, 0.8])
def test_noise_is_told_in_code_values_where_it_is(sigma: float, level: float) -> None:
    """White noise on the left half; what the band of the map leaves of its variance is known in closed form."""
    noise = np.random.default_rng(3).normal(0, sigma, SHAPE)
    noise[:, SHAPE[1] // 2 :] = 0
    values = found("noise", put(flat(level), noise), flat(level))
    kernel = np.zeros((41, 41), np.float32)
    kernel[20, 20] = 1
    left = np.sqrt(np.square(kernel - cv2.GaussianBlur(kernel, (0, 0), 2)).sum())
    rounded = np.hypot(sigma, np.sqrt(1 / 12))
    assert values[40:-40, 40:160].mean() == pytest.approx(left * rounded, rel=0.06)
    assert values[:, 240:].max() < 0.05


def test_what_happens_in_texture_is_no_noise(astronaut: np.ndarray) -> None:
    hair = astronaut[50:250, 150:350]
    blurred = cv2.GaussianBlur(hair, (0, 0), 1)
    assert found("noise", blurred, hair).max() < 2 < np.abs(blurred.astype(float) - hair).max() / 8


def test_blotches_are_soft_patches_and_not_grain() -> None:
    patches = cv2.GaussianBlur(np.random.default_rng(4).normal(0, 1, SHAPE), (0, 0), 6)
    patches *= 3 / patches.std()
    assert found("blotches", put(flat(), patches), flat())[60:-60, 60:-60].mean() > 1.2
    grain = np.random.default_rng(5).normal(0, 3, SHAPE)
    assert found("blotches", put(flat(), grain), flat()).mean() < 0.5


@pytest.mark.parametrize("size", [6, 20])
def test_rims_are_what_goes_beyond_the_truth_beside_an_edge(size: int) -> None:
    truth = flat(0.4)
    truth[:, 200:] = 160
    result = truth.astype(int)
    result[:, 200:202] += size
    values = found("rims", result.astype(np.uint8), truth)
    assert values[120, 200:202] == pytest.approx([size, size], rel=0.03)
    assert values[:, :190].max() < 0.2 and values[:, 210:].max() < 0.2
    softer = cv2.GaussianBlur(truth, (0, 0), 2)  # a soft edge has no rims
    assert found("rims", softer, truth).max() < 1


def test_lost_detail_lies_in_the_half_that_was_blurred(astronaut: np.ndarray) -> None:
    result = astronaut.copy()
    result[:, :256] = cv2.GaussianBlur(astronaut, (0, 0), 3)[:, :256]
    lost = found("lost", result, astronaut)
    assert lost[:, :192].mean() > 60 and lost[:, 320:].max() < 5
    assert found("invented", result, astronaut).mean() < 10
    region, _ = worst_place(lost, 64)
    assert region.left + 64 <= 256


def test_a_large_map_is_kept_as_its_area_mean() -> None:
    values = np.random.default_rng(6).random((3000, 4000), np.float32)
    small = reduced(values)
    assert small.size <= 1.001 * LARGEST and small.mean() == pytest.approx(values.mean(), rel=1e-4)
    assert reduced(values[:100, :100]).shape == (100, 100)


@pytest.mark.parametrize("away", [(0.6, 0.0), (0.0, -1.0), (1.5, 1.5)])
def test_a_part_that_lies_off_is_told_by_how_much(away: tuple[float, float], astronaut: np.ndarray) -> None:
    """Six windows of 64 pixels are moved; OpenCV's cubic resamples them, the rest is the truth's own pixels."""
    way = np.array([[1, 0, away[0]], [0, 1, away[1]]], np.float32)
    moved = cv2.warpAffine(astronaut, way, (512, 512), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    bent = astronaut.copy()
    bent[128:256, 192:384] = moved[128:256, 192:384]
    values = found("misplaced", bent, astronaut)
    assert np.median(values[136:248, 200:376]) == pytest.approx(np.hypot(*away), abs=0.12)
    assert values[320:].max() < 0.1 and values[:, :120].max() < 0.1


@pytest.mark.parametrize("pixels", [1, 3])
def test_a_picture_that_lies_off_as_a_whole_does_so_everywhere(pixels: int, astronaut: np.ndarray) -> None:
    values = found("misplaced", np.roll(astronaut, pixels, axis=1), astronaut)
    assert values[20:-20, 20:-20] == pytest.approx(pixels, abs=0.15)


@pytest.mark.parametrize("sigma", [3.0, 10.0])
@pytest.mark.parametrize("size", [0.8, 1.5])
def test_a_softer_result_of_a_noisy_truth_is_hardly_called_displaced(
    sigma: float, size: float, astronaut: np.ndarray
) -> None:
    truth = put(astronaut, np.random.default_rng(2).normal(0, sigma, astronaut.shape))
    values = found("misplaced", cv2.GaussianBlur(truth, (0, 0), size), truth)
    assert values.max() < 0.25 and (values > 0.1).mean() < 0.05


@pytest.mark.parametrize("count", [2, 3, 7])
def test_disagreement_is_the_spread_of_all_results(count: int, astronaut: np.ndarray) -> None:
    """Against numpy's standard deviation, over the window of the map."""
    sigmas = np.linspace(0.5, 4, count)
    results = [cv2.GaussianBlur(astronaut, (0, 0), float(sigma)) for sigma in sigmas]
    values = MAPS["disagreement"].of(Evidence(results[0], astronaut, others=results[1:]))
    lumas = np.stack([luma(to_frame(result).pixels) for result in results]).astype(np.float64)
    wanted = 255 * np.sqrt(cv2.GaussianBlur(lumas.var(axis=0), (0, 0), 2, borderType=cv2.BORDER_REFLECT))
    assert values == pytest.approx(wanted, abs=2e-3)
