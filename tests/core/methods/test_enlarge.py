"""Enlargers: the right size, no shift, and what each promises."""

import numpy as np
import pytest
from skimage import data
from skimage.registration import phase_cross_correlation

from mistline.core.frame import Frame, Size
from mistline.core.measure.psnr import psnr
from mistline.core.methods import METHODS, alone
from mistline.core.resample import resize

ENLARGERS = [key for key, method in METHODS.items() if method.family == "enlarge" and method.resizes]
NETWORKS = [key for key, method in METHODS.items() if method.family == "learned" and method.resizes]


def enlarge(key: str, pixels: np.ndarray, size: Size, **settings: object) -> np.ndarray:
    method = METHODS[key]
    return method.run(alone(Frame(pixels, 8)), method.settings(**settings), size).pixels


@pytest.mark.parametrize("key", ENLARGERS)
def test_size_flatness_and_depth(key: str) -> None:
    flat = np.full((20, 30, 3), 0.37, np.float32)
    result = enlarge(key, flat, Size(71, 53))
    assert result.shape == (53, 71, 3) and result.dtype == np.float32
    assert np.abs(result - 0.37).max() < 1e-5


@pytest.mark.parametrize("key", ENLARGERS + NETWORKS)
def test_nothing_is_shifted(key: str) -> None:
    """Registration of the input with its enlarged copy, block-averaged: below 0.02 pixels (0.05 of a network)."""
    small = data.camera()[100:260, 120:320].astype(np.float32)[..., None] / 255
    large = enlarge(key, small, Size(600, 480))
    back = large[..., 0].reshape(160, 3, 200, 3).mean(axis=(1, 3))
    window = np.outer(np.hanning(160), np.hanning(200))
    shift, _, _ = phase_cross_correlation(small[..., 0] * window, back * window, upsample_factor=200)
    assert np.abs(shift).max() < (0.05 if key in NETWORKS else 0.02)


@pytest.mark.parametrize("key", ["bilinear", "bicubic", "lanczos"])
def test_linear_light_raises_the_middle_of_an_edge(key: str) -> None:
    """Half the light between black and white is 188 of 255, not 128 (IEC 61966-2-1)."""
    edge = np.zeros((8, 8, 1), np.float32)
    edge[:, 4:] = 1
    middle = {
        light: enlarge(key, edge, Size(24, 24), light=light)[12, 11:13].mean() for light in ("encoded", "linear")
    }
    assert middle["encoded"] == pytest.approx(0.5, abs=0.01) and middle["linear"] > 0.6


@pytest.mark.parametrize("down", ["area", "lanczos3"])
def test_going_beyond_the_target_and_back_changes_little(down: str, photograph: Frame) -> None:
    small = resize(photograph.pixels, Size(128, 128), "area")
    plain = enlarge("lanczos", small, Size(256, 256))
    assert psnr(plain, enlarge("oversize", small, Size(256, 256), down=down)) > 30


def test_back_projection_agrees_with_the_input_better_each_round(photograph: Frame) -> None:
    small = resize(photograph.pixels, Size(128, 128), "area")

    def agreement(result: np.ndarray) -> float:
        return psnr(small, resize(result, Size(128, 128), "area"))

    size = Size(512, 512)
    values = [agreement(enlarge("bicubic", small, size))]
    values += [
        agreement(enlarge("back_projection", small, size, rounds=rounds, light="encoded")) for rounds in (1, 4, 12)
    ]
    assert values == sorted(values) and values[-1] > values[0] + 15


def test_smoothing_along_edges_takes_stairs_off_a_diagonal() -> None:
    y, x = np.mgrid[0:240, 0:240] / 6.0
    truth = (np.clip((x - 20) * 0.94 + (y - 20) * 0.34, -0.5, 0.5) + 0.5).astype(np.float32)[..., None]
    hard = (truth.reshape(40, 6, 40, 6, 1).mean(axis=(1, 3)) > 0.5).astype(np.float32)
    errors = {
        key: np.abs(enlarge(key, hard, Size(240, 240)) - truth)[30:-30, 30:-30].mean()
        for key in ("bicubic", "along_edges")
    }
    assert errors["along_edges"] < 0.85 * errors["bicubic"]


def test_more_lobes_ring_further() -> None:
    edge = np.zeros((16, 40, 1), np.float32)
    edge[:, 20:] = 1
    touched = [(np.abs(enlarge("lanczos", edge, Size(160, 64), lobes=n)[30, :80]) > 1e-4).sum() for n in (2, 3, 4)]
    assert touched[0] < touched[1] < touched[2] <= 16
    with pytest.raises(ValueError, match="Input should be 2, 3 or 4"):
        METHODS["lanczos"].settings(lobes=5)
