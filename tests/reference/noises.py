"""Noises of a known kind on known pictures, for the tests of what is read off a result."""

import numpy as np
from scipy.ndimage import gaussian_filter
from skimage import data

from mistline.core.degrade.compression import jpeg
from mistline.core.degrade.noise import exposure_noise
from mistline.core.frame import Frame, Size
from mistline.core.resample import resize

__all__ = ["KINDS", "noisy", "plate", "quiet"]

KINDS = ("white", "grain", "enlarged 2x", "enlarged 3x", "enlarged 4x", "JPEG 70")


def quiet(height: int = 400, width: int = 501, channels: int = 3) -> Frame:
    """A made, noiseless picture with shading, soft shapes and hard edges, of odd size, well inside the range."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    plane = 0.35 + 0.2 * x / width + 0.1 * np.sin(y / 90) * np.cos(x / 70)
    plane += 0.12 * ((x - 0.7 * width) ** 2 + (y - 0.3 * height) ** 2 < (0.15 * width) ** 2)
    tint = np.array([1.0, 0.95, 0.85])[:channels]
    return Frame((plane[..., None] * tint).astype(np.float32), 8)


def plate(name: str) -> Frame:
    """A photograph of scikit-image, as colour."""
    picture = getattr(data, name)()
    picture = np.repeat(picture[..., None], 3, 2) if picture.ndim == 2 else picture
    return Frame(picture.astype(np.float32) / 255, 8)


def noisy(clean: Frame, kind: str, sigma: float, seed: int = 1) -> tuple[Frame, Frame]:
    """The picture with noise of `sigma` code values (stops for "sensor"), in 8 bits; and what it is without."""
    rng, pixels = np.random.default_rng(seed), clean.pixels

    def rounded(values: np.ndarray) -> Frame:
        return clean.with_pixels(np.clip(np.rint(values * 255), 0, 255) / 255)

    def white(like: np.ndarray) -> np.ndarray:
        return (rng.standard_normal(like.shape) * sigma / 255).astype(np.float32)

    if kind == "sensor":
        return rounded(exposure_noise(clean, sigma, seed).pixels), clean
    if kind == "grain":
        soft = gaussian_filter(white(pixels), (0.8, 0.8, 0))
        return rounded(pixels + soft * (sigma / 255 / soft.std())), clean
    if kind.startswith("enlarged"):
        factor = int(kind.split()[1][0])
        small = resize(pixels, Size(clean.size.width // factor, clean.size.height // factor), "area")
        size = Size(small.shape[1] * factor, small.shape[0] * factor)
        grown = resize(rounded(small + white(small)).pixels, size, "bicubic")
        return rounded(grown), clean.with_pixels(resize(small, size, "bicubic"))
    frame = rounded(pixels + white(pixels))
    return (jpeg(frame, int(kind.split()[1]), half_chroma=False), clean) if "JPEG" in kind else (frame, clean)
