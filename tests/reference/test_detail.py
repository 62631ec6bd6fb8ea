"""Detail by octave and blotches on signals of known power, spectrum and place."""

import cv2
import numpy as np
import pytest
from skimage import data

from mistline.core.frame import Size, to_frame
from mistline.core.measure import MEASURES, Evidence
from mistline.core.measure.blotch import blotch
from mistline.core.measure.detail import LESS_NOISE, OCTAVES, detail_by_octave, held
from mistline.core.resample import resize

SIDE = 512


def _band_noise(low: float, high: float, sigma: float, seed: int, side: int = SIDE) -> np.ndarray:
    """Noise whose whole power lies between two frequencies in cycles per pixel, of a known deviation."""
    rng = np.random.default_rng(seed)
    frequency = np.hypot(*np.meshgrid(np.fft.fftfreq(side), np.fft.fftfreq(side), indexing="ij"))
    spectrum = np.fft.fft2(rng.normal(size=(side, side))) * ((frequency >= low) & (frequency < high))
    noise = np.fft.ifft2(spectrum).real
    return (noise / noise.std() * sigma).astype(np.float32)


@pytest.fixture(scope="module", params=["camera", "grass", "coffee"])
def truth(request: pytest.FixtureRequest) -> np.ndarray:
    picture = getattr(data, request.param)()
    return (picture if picture.ndim == 2 else picture[..., 1]).astype(np.float32) / 255


def blurred(plane: np.ndarray, sigma: float) -> np.ndarray:
    return cv2.GaussianBlur(plane, (0, 0), sigma)


@pytest.mark.parametrize("gain", [0.5, 0.8, 1.3])
def test_a_known_gain_keeps_its_square(gain: float, truth: np.ndarray) -> None:
    for octave in detail_by_octave(truth, truth * np.float32(gain)).octaves.values():
        assert octave.kept == pytest.approx(gain**2, rel=1e-3) and octave.invented < 1e-3


@pytest.mark.parametrize("name", OCTAVES)
def test_a_known_mixture_is_told_apart(name: str) -> None:
    """By Parseval, incoherent noise of r times the truth's deviation invents r^2 of its energy, and keeps all.

    Half octaves of a window hold few frequencies at coarse scales: a share of the noise agrees by chance.
    """
    low = OCTAVES[name]
    high = 0.7 if low == 1 / 4 else 2 * low
    signal, noise = _band_noise(low, high, 0.1, 1), _band_noise(low, high, 0.05, 2)
    octave = detail_by_octave(signal, signal + noise).octaves[name]
    assert octave.kept == pytest.approx(1, abs=0.1) and octave.invented == pytest.approx(0.25, rel=0.2)


@pytest.mark.parametrize("name", OCTAVES)
def test_reversed_detail_is_all_invented(name: str) -> None:
    low = OCTAVES[name]
    signal = 0.5 + _band_noise(low, 0.7 if low == 1 / 4 else 2 * low, 0.1, 1)
    octave = detail_by_octave(signal, 1 - signal).octaves[name]
    assert octave.kept == 0 and octave.invented == pytest.approx(1, abs=0.02)


def test_half_a_picture_blurred_is_lost_there_and_not_invented(truth: np.ndarray) -> None:
    half = truth.copy()
    middle = truth.shape[1] // 2
    half[:, :middle] = blurred(truth, 2)[:, :middle]
    found = detail_by_octave(truth, half)
    fine = found.octaves["1/4 and finer"]
    own = np.square(truth - blurred(truth, 1))
    there = own[:, middle:].sum() / own.sum()
    assert fine.kept == pytest.approx(there, abs=0.06) and fine.invented < 0.06
    columns = found.lost.shape[1]
    assert found.lost[:, : columns // 2 - 2].mean() > 0.6 > 0.1 > found.lost[:, columns // 2 + 2 :].mean()
    assert found.invented.mean() < 0.05


def test_the_corner_of_the_spectrum_counts(truth: np.ndarray) -> None:
    """A checkerboard of one pixel lies at (1/2, 1/2) cycles per pixel, 0.71 from the middle."""
    board = (np.indices(truth.shape).sum(0) % 2 * 2 - 1).astype(np.float32) * 10 / 255
    found = detail_by_octave(truth, truth + board).octaves
    power = np.square(truth - blurred(truth, 1.2)).mean()
    assert found["1/4 and finer"].invented > min(0.9, 0.3 * (10 / 255) ** 2 / power)
    assert found["1/8 to 1/4"].invented < 0.05


@pytest.mark.parametrize("sigma", [2.0, 10.0, 40.0])
def test_noise_on_a_smooth_truth_is_invented_within_bounds(sigma: float) -> None:
    smooth = np.linspace(0.3, 0.6, SIDE, dtype=np.float32)[None].repeat(SIDE, 0)
    noise = np.random.default_rng(1).normal(0, sigma / 255, smooth.shape).astype(np.float32)
    for octave in detail_by_octave(smooth, smooth + noise).octaves.values():
        assert octave.kept is None and 0 < octave.invented <= 1


@pytest.mark.parametrize("sigma", [0.6, 0.9, 1.5])
def test_a_blur_keeps_the_square_of_its_transfer_and_invents_nothing(sigma: float, truth: np.ndarray) -> None:
    """MTF of a Gaussian is exp(-2 pi^2 sigma^2 f^2) (ISO 12233 practice): each octave lies between its ends."""
    soft = blurred(truth, sigma)
    for name, octave in detail_by_octave(truth, soft).octaves.items():
        low = OCTAVES[name]
        ends = [np.exp(-4 * np.pi**2 * sigma**2 * f**2) for f in (low, 2 * low)]
        assert octave.kept is not None and ends[1] - 0.02 <= octave.kept <= ends[0] + 0.02
        assert octave.invented < 0.03


@pytest.mark.parametrize("factor", [2, 3, 4, 8])
def test_only_octaves_that_the_input_holds_are_kept_by_an_enlargement(factor: int, truth: np.ndarray) -> None:
    height, width = (length // factor * factor for length in truth.shape)
    whole = truth[:height, :width]
    small = resize(whole[..., None], Size(width // factor, height // factor), "area")
    found = detail_by_octave(whole, resize(small, Size(width, height), "bicubic")[..., 0]).octaves
    for name, low in OCTAVES.items():
        kept = found[name].kept
        assert (kept is not None and (kept > 0.35) == (name in held(factor))) or 1 / factor > low > 0.25 / factor


@pytest.mark.parametrize("sigma", [1.0, 4.0])
def test_band_limited_noise_of_known_power_is_that_much_blotch(sigma: float) -> None:
    """Well inside 1/64 to 1/8 cycles per pixel, in a quarter of a flat picture taken at random: within 15 %."""
    flat = np.full((SIDE, SIDE), 0.5, np.float32)
    assert blotch(flat, flat + _band_noise(1 / 40, 1 / 10, sigma / 255, 5)) == pytest.approx(sigma, rel=0.15)


@pytest.mark.parametrize("band", [(1 / 5, 1 / 2), (1 / 512, 1 / 130)])
def test_grain_and_shading_are_no_blotches(band: tuple[float, float]) -> None:
    flat = np.full((SIDE, SIDE), 0.5, np.float32)
    assert blotch(flat, flat + _band_noise(*band, 4 / 255, 6)) < 0.6


@pytest.mark.parametrize("kernel", ["bicubic", "lanczos3"])
@pytest.mark.parametrize("factor", [1, 2, 2.5, 3, 4])
@pytest.mark.parametrize("sigma", [2.0, 8.0, 20.0])
def test_white_noise_is_no_blotch_and_hides_none(sigma: float, factor: float, kernel: str) -> None:
    """White noise has the same power everywhere, and an enlargement ends it at half the input's rate (Parseval)."""
    side = 960
    flat, rng = np.full((side, side), 0.5, np.float32), np.random.default_rng(9)
    noise = rng.normal(0, sigma / 255, (int(side / factor), int(side / factor), 1)).astype(np.float32)
    noisy = flat + resize(noise, Size(side, side), kernel)[..., 0]
    assert blotch(flat, noisy, factor) < 0.5
    patches = _band_noise(1 / 40, min(1 / 10, 1 / (5 * factor)), 0.5 * sigma / 255, 5, side)
    assert blotch(flat, noisy + patches, factor) == pytest.approx(0.5 * sigma, rel=0.25)


@pytest.mark.parametrize("damage", ["blur 1", "blur 3", "contrast 1.05", "contrast 0.8"])
@pytest.mark.parametrize("name", ["astronaut", "camera", "coffee", "rocket"])
def test_a_blur_or_another_contrast_is_no_blotch(name: str, damage: str) -> None:
    picture = getattr(data, name)()
    plane = (picture if picture.ndim == 2 else picture[..., 1]).astype(np.float32) / 255
    kind, amount = damage.split()
    assert blotch(plane, blurred(plane, float(amount)) if kind == "blur" else plane * np.float32(amount)) < 0.3


@pytest.mark.parametrize("sigma", [1.0, 4.0])
@pytest.mark.parametrize("name", ["camera", "coffee"])
def test_blotches_on_a_photograph_are_told_too(name: str, sigma: float) -> None:
    picture = getattr(data, name)()
    plane = (picture if picture.ndim == 2 else picture[..., 1]).astype(np.float32)[:400, :512] / 255
    patches = _band_noise(1 / 40, 1 / 10, sigma / 255, 5)[: plane.shape[0], : plane.shape[1]]
    assert blotch(plane, plane + patches) == pytest.approx(sigma, rel=0.15)


@pytest.mark.parametrize("sigma", [2.0, 6.0, 15.0])
@pytest.mark.parametrize("name", ["moon", "retina", "astronaut", "brick"])
def test_even_noise_is_invented_detail_but_none_less_noise(name: str, sigma: float) -> None:
    """White noise of a known energy in each octave; reversed detail stays invented beside it."""
    codes = getattr(data, name)()[:480, :480]
    truth = to_frame(codes[..., None] if codes.ndim == 2 else codes)
    noise = np.random.default_rng(5).normal(0, sigma / 255, truth.pixels.shape)
    soft = cv2.GaussianBlur(truth.pixels, (0, 0), 1.2).reshape(truth.pixels.shape)

    def worst(pixels: np.ndarray) -> float:
        result = truth.with_pixels(np.clip(pixels, 0, 1).astype(np.float32))
        parts = {part.name: part.value for part in MEASURES["detail_invented"].of(Evidence(result, truth)).parts}
        assert all(parts[octave + LESS_NOISE] <= parts[octave] + 1e-6 for octave in OCTAVES)
        return max(parts[octave + LESS_NOISE] for octave in OCTAVES)

    assert worst(truth.pixels + noise) < 10
    assert worst(2 * soft - truth.pixels) > 20  # much of the retina is black
    if name in ("astronaut", "brick"):
        assert worst(2 * soft - truth.pixels + noise / 3) > 40
