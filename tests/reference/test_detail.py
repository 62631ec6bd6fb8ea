"""Detail by octave, blotches and registration on signals of known power, spectrum and shift."""

import numpy as np
import pytest
from scipy.ndimage import fourier_shift
from skimage import data
from skimage.registration import phase_cross_correlation

from mistline.core.measure.blotch import blotch
from mistline.core.measure.detail import OCTAVES, detail_by_octave
from mistline.core.measure.registration import displacement

SIDE = 512


def _band_noise(low: float, high: float, sigma: float, seed: int) -> np.ndarray:
    """Noise whose whole power lies between two frequencies in cycles per pixel, of a known deviation."""
    rng = np.random.default_rng(seed)
    frequency = np.hypot(*np.meshgrid(np.fft.fftfreq(SIDE), np.fft.fftfreq(SIDE), indexing="ij"))
    spectrum = np.fft.fft2(rng.normal(size=(SIDE, SIDE))) * ((frequency >= low) & (frequency < high))
    noise = np.fft.ifft2(spectrum).real
    return (noise / noise.std() * sigma).astype(np.float32)


@pytest.fixture(scope="module")
def truth() -> np.ndarray:
    return data.camera().astype(np.float32) / 255


@pytest.mark.parametrize("gain", [0.5, 0.8, 1.3])
def test_a_known_gain_keeps_its_square(gain: float, truth: np.ndarray) -> None:
    for octave in detail_by_octave(truth, truth * np.float32(gain)).values():
        assert octave.kept == pytest.approx(gain**2, rel=1e-3) and octave.invented < 1e-3


@pytest.mark.parametrize("name", OCTAVES)
def test_a_known_mixture_is_told_apart(name: str) -> None:
    """By Parseval, incoherent noise of r times the truth's deviation invents r^2 of its energy, and keeps all."""
    low = OCTAVES[name]
    signal, noise = _band_noise(low, 2 * low, 0.1, 1), _band_noise(low, 2 * low, 0.05, 2)
    octave = detail_by_octave(signal, signal + noise)[name]
    assert octave.kept == pytest.approx(1, abs=0.06) and octave.invented == pytest.approx(0.25, rel=0.1)


def test_a_gaussian_blur_keeps_the_square_of_its_transfer() -> None:
    """MTF of a Gaussian is exp(-2 pi^2 sigma^2 f^2) (ISO 12233 practice), here in narrow bands."""
    sigma = 0.7
    for name, low in OCTAVES.items():
        centre = 1.4 * low
        signal = _band_noise(0.97 * centre, 1.03 * centre, 0.1, 3)
        ramp = np.fft.fftfreq(SIDE)
        line = np.exp(-2 * np.pi**2 * sigma**2 * ramp**2)
        soft = np.fft.ifft2(np.fft.fft2(signal) * line[:, None] * line).real.astype(np.float32)
        kept = detail_by_octave(signal, soft)[name].kept
        assert kept == pytest.approx(np.exp(-4 * np.pi**2 * sigma**2 * centre**2), rel=0.05)


@pytest.mark.parametrize("sigma", [1.0, 4.0])
def test_band_limited_noise_of_known_power_is_that_much_blotch(sigma: float) -> None:
    """Well inside 1/64 to 1/8 cycles per pixel, in a quarter of a flat picture taken at random: within 15 %."""
    flat = np.full((SIDE, SIDE), 0.5, np.float32)
    assert blotch(flat, flat + _band_noise(1 / 40, 1 / 10, sigma / 255, 5)) == pytest.approx(sigma, rel=0.15)


@pytest.mark.parametrize("band", [(1 / 5, 1 / 2), (1 / 512, 1 / 130)])
def test_grain_and_shading_are_no_blotches(band: tuple[float, float]) -> None:
    flat = np.full((SIDE, SIDE), 0.5, np.float32)
    assert blotch(flat, flat + _band_noise(*band, 4 / 255, 6)) < 0.6


@pytest.mark.parametrize("shift", [(0.0, 0.0), (0.5, 0.5), (-0.25, 1.3), (3.1, -2.4)])
def test_known_shifts_within_a_twentieth_of_a_pixel(shift: tuple[float, float], truth: np.ndarray) -> None:
    moved = np.fft.ifft2(fourier_shift(np.fft.fft2(truth), shift)).real.astype(np.float32)
    right, down = displacement(truth, moved)
    assert (down, right) == pytest.approx(shift, abs=0.05)
    theirs, _, _ = phase_cross_correlation(truth, moved, upsample_factor=100, normalization=None)
    assert (-down, -right) == pytest.approx(tuple(theirs), abs=0.05)
