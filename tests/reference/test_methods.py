"""Noise reduction, sharpening and grain against SciPy, scikit-image, OpenCV and the published formulas."""

import cv2
import numpy as np
import pytest
from scipy import ndimage
from skimage import data, filters, restoration

from mistline.core.frame import Frame
from mistline.core.methods import METHODS, alone
from mistline.core.methods.noise_filters import FITTED, FITTED_AT

INSIDE = slice(24, -24)  # edge rules differ


@pytest.fixture(scope="module")
def plane() -> np.ndarray:
    """A photograph (CC0, scikit-image's camera) with noise of 10 code values."""
    clean = data.camera()[100:260, 150:330].astype(np.float32) / 255
    noise = np.random.default_rng(8).normal(0, 10 / 255, clean.shape)
    return (clean + noise).astype(np.float32)


def run(key: str, plane: np.ndarray, **settings: object) -> np.ndarray:
    frame, method = Frame(plane[..., None], 8), METHODS[key]
    return method.run(alone(frame), method.settings(**settings), frame.size).pixels[..., 0]


def denoised(key: str, plane: np.ndarray, code_values: float) -> np.ndarray:
    """Strength 0 to 100 stands for a sigma of 0 to 50 code values."""
    return run(key, plane, luma=2 * code_values, colour=0)


def amount(key: str, code_values: float) -> float:
    """The fitted amount at one of the sigmas it was fitted at."""
    return FITTED[key][FITTED_AT.index(int(code_values))]


@pytest.mark.parametrize("code_values", [5.0, 10.0, 40.0])
def test_the_gaussian_agrees_with_scipy(plane: np.ndarray, code_values: float) -> None:
    theirs = ndimage.gaussian_filter(plane, amount("gaussian", code_values), mode="mirror")
    assert np.abs(denoised("gaussian", plane, code_values) - theirs).max() < 5e-4


@pytest.mark.parametrize("code_values", [5.0, 10.0, 20.0, 40.0])
def test_the_median_is_mixed_from_scipys(plane: np.ndarray, code_values: float) -> None:
    small, large = (ndimage.median_filter(plane, side, mode="nearest") for side in (3, 5))
    share = amount("median", code_values)
    theirs = plane + share * (small - plane) if share <= 1 else small + (share - 1) * (large - small)
    assert np.abs(denoised("median", plane, code_values) - theirs).max() < 1e-6


@pytest.mark.parametrize("code_values", [5.0, 10.0, 40.0])
def test_the_bilateral_filter_follows_its_formula(plane: np.ndarray, code_values: float) -> None:
    """Tomasi and Manduchi 1998, at single pixels: a closeness and a similarity, both Gaussian."""
    found = denoised("bilateral", plane, code_values)
    spread = amount("bilateral", code_values) * code_values / 255
    dy, dx = np.mgrid[-5:6, -5:6]
    closeness = np.exp(-(dx**2 + dy**2) / (2 * 1.8**2)) * (dx**2 + dy**2 <= 25)
    for y, x in ((40, 50), (80, 91), (120, 33), (61, 140)):
        around = plane[y - 5 : y + 6, x - 5 : x + 6].astype(np.float64)
        weight = closeness * np.exp(-((around - plane[y, x]) ** 2) / (2 * spread**2))
        assert found[y, x] == pytest.approx((weight * around).sum() / weight.sum(), abs=1e-4)


@pytest.mark.parametrize("code_values", [5.0, 10.0, 40.0])
def test_the_guided_filter_agrees_with_opencv(plane: np.ndarray, code_values: float) -> None:
    """He, Sun, Tang 2010, guided by itself, in OpenCV's extended image processing module."""
    epsilon = (amount("guided", code_values) * code_values / 255) ** 2
    theirs = cv2.ximgproc.guidedFilter(plane, plane, 2, epsilon)
    assert np.abs(denoised("guided", plane, code_values) - theirs)[INSIDE, INSIDE].max() < 1e-4


@pytest.mark.parametrize("name", ["astronaut", "camera", "chelsea", "coffee"])
@pytest.mark.parametrize("code_values", [5.0, 10.0, 20.0, 40.0])
def test_the_wavelet_filter_beats_the_librarys_shift_averaged_one(name: str, code_values: float) -> None:
    """Coifman and Donoho 1995 by scikit-image: BayesShrink averaged over 16 shifts, on photographs nothing was fitted to."""
    picture = getattr(data, name)()[60:220, 80:260]
    clean = (picture if picture.ndim == 2 else picture.mean(axis=2)).astype(np.float32) / 255
    sigma = code_values / 255
    noisy = (clean + np.random.default_rng(3).normal(0, sigma, clean.shape)).astype(np.float32)
    theirs = restoration.cycle_spin(
        noisy, max_shifts=3, func=restoration.denoise_wavelet, func_kw={"sigma": sigma, "wavelet": "db2"}
    )
    ours = denoised("wavelet", noisy, code_values)
    assert np.square(ours - clean).mean() < 0.93 * np.square(theirs - clean).mean()


def test_a_part_is_cleaned_by_wavelets_as_in_the_whole(plane: np.ndarray) -> None:
    wide = np.pad(plane, ((0, 400), (0, 460)), mode="symmetric")
    whole, part = (denoised("wavelet", given, 15) for given in (wide, wide[37:, 51:600]))
    assert np.abs(whole[37:, 51:600] - part)[100:-100, 100:-100].max() < 1e-5


@pytest.mark.parametrize("key", sorted(FITTED.keys() & METHODS.keys()))
def test_a_little_more_strength_changes_little(key: str, plane: np.ndarray) -> None:
    """No steps in strength from 0 to 100: half a point moves no picture by more than half a code value on average."""
    small = np.ascontiguousarray(plane[:96, :96])
    found = [denoised(key, small, at / 4) for at in (0, 1, 2, 19, 20, 21, 47, 48, 49, 99, 100, 160, 161)]
    close = [(0, 1), (1, 2), (3, 4), (4, 5), (6, 7), (7, 8), (9, 10), (11, 12)]
    assert max(np.abs(found[one] - found[two]).mean() * 255 for one, two in close) < 0.5


def test_the_sliding_dct_agrees_with_block_by_block(plane: np.ndarray) -> None:
    """Yu and Sapiro 2011: each 8 x 8 block by OpenCV's DCT, weak coefficients to 0, all blocks averaged."""
    small, sigma = np.ascontiguousarray(plane[40:64, 60:90]), 10 / 255
    padded = np.pad(small, 7, mode="reflect")
    total, count = np.zeros(padded.shape), np.zeros(padded.shape)
    for y in range(padded.shape[0] - 7):
        for x in range(padded.shape[1] - 7):
            block = slice(y, y + 8), slice(x, x + 8)
            spectrum = cv2.dct(np.ascontiguousarray(padded[block]))
            weak = np.abs(spectrum) < amount("sliding_dct", 10) * sigma
            weak[0, 0] = False
            spectrum[weak] = 0
            total[block] += cv2.idct(spectrum)
            count[block] += 1
    wanted = (total / count)[7:-7, 7:-7]
    differs = np.abs(denoised("sliding_dct", small, 10) - wanted)
    # A coefficient that lies on the limit itself may fall on either side in float32.
    assert np.mean(differs < 1e-5) > 0.99 and differs.max() < 5e-3


@pytest.mark.parametrize(("share", "radius"), [(0.6, 1.2), (2.0, 3.0)])
def test_the_unsharp_mask_agrees_with_scikit_image(plane: np.ndarray, share: float, radius: float) -> None:
    """Without its edge mask it is the plain one: the picture and a share of what a blur takes off."""
    theirs = filters.unsharp_mask(plane, radius, share, preserve_range=True)
    ours = run("unsharp_mask", plane, amount=share, radius=radius, edge=0)
    assert np.abs(ours - theirs)[INSIDE, INSIDE].max() < 1e-3


def test_richardson_lucy_keeps_the_light() -> None:
    """Richardson 1972, Lucy 1974: each round keeps the total of what was observed."""
    spots = np.zeros((96, 96), np.float32)
    spots[30:34, 40:44], spots[60, 61] = 1, 0.8
    observed = cv2.GaussianBlur(spots, (0, 0), 1.5) + np.float32(0.01)
    restored = run("richardson_lucy", observed, sigma=1.5, rounds=20)
    assert restored.sum() == pytest.approx(observed.sum(), rel=2e-3)
    assert np.abs(restored - 0.01 - spots).sum() < 0.7 * np.abs(observed - 0.01 - spots).sum()


@pytest.mark.parametrize("frequency", [1 / 16, 1 / 8])
def test_wiener_undoes_a_gaussian_by_its_known_gain(frequency: float) -> None:
    """A wave blurred by a Gaussian shrinks by exp(-2 pi^2 sigma^2 f^2); the gain H (1 + k) / (H^2 + k) follows."""
    sigma, noise = 1.0, 0.01
    wave = 0.2 * np.cos(2 * np.pi * frequency * np.arange(256))
    transfer = np.exp(-2 * np.pi**2 * sigma**2 * frequency**2)
    blurred = (0.5 + transfer * wave + np.zeros((128, 1))).astype(np.float32)
    restored = run("wiener", blurred, sigma=sigma, noise=noise)[64, 64:192] - 0.5
    gain = transfer * (1 + noise) / (transfer**2 + noise)
    assert np.ptp(restored) / 0.4 == pytest.approx(transfer * gain, rel=0.02)


@pytest.mark.parametrize("level", [0.1, 0.2, 0.8])
def test_grain_follows_the_parabola_of_the_coverage_model(level: float) -> None:
    """Newson, Delon, Galerne 2017: the variance of coverage is u (1 - u), so 4 u (1 - u) against the middle."""
    flat = np.full((256, 256), level, np.float32)
    grain = run("grain", flat, amount=5.0, size=0) - flat
    assert grain.std() * 255 == pytest.approx(5 * np.sqrt(4 * level * (1 - level)), rel=0.02)
