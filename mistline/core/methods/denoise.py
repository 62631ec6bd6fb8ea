"""Reduce noise, luma and colour apart: eight classical filters behind one pair of strengths.

Every filter works on the planes of Y'CbCr (BT.709). Strength 0-100 stands for a noise sigma of 0-50 code
values of 8 bits; each filter turns that sigma into its own parameter as written at its function.

References
----------
.. [1] C. Tomasi, R. Manduchi, "Bilateral filtering for gray and color images", ICCV 1998, 839-846.
.. [2] K. He, J. Sun, X. Tang, "Guided image filtering", ECCV 2010, LNCS 6311, 1-14.
.. [3] A. Buades, B. Coll, J.-M. Morel, "A non-local algorithm for image denoising", CVPR 2005, 60-65.
.. [4] S. G. Chang, B. Yu, M. Vetterli, "Adaptive wavelet thresholding for image denoising and compression",
       IEEE Trans. Image Process. 9(9), 1532-1546, 2000: BayesShrink.
.. [5] A. Chambolle, "An algorithm for total variation minimization and applications", J. Math. Imaging Vis.
       20, 89-97, 2004.
.. [6] G. Yu, G. Sapiro, "DCT image denoising: a simple and effective image denoising algorithm", Image
       Process. On Line 1, 292-296, 2011.
.. [7] ITU-R BT.709-6, 2015: the Y'CbCr equations.
"""

from collections.abc import Callable

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field
from scipy.fft import dctn, idctn
from skimage import restoration

from mistline.core.frame import Array, Frame, Size, from_ycbcr, to_ycbcr
from mistline.core.methods.method import Limits, Method, Traits
from mistline.core.methods.noise_level import Rule, even_out, fit_curve, undo

__all__ = ["CODE_VALUES_PER_POINT", "METHODS", "DenoiseSettings", "automatic"]

CODE_VALUES_PER_POINT = 0.5
# Sigma of the finest octave against the next one: 2.3 of white noise, about 1.1 after demosaicing, 0.8 and less of
# grain and of enlarged noise.
DEMOSAICED = (0.9, 1.25)
Plane = Callable[[Array, float], Array]


class DenoiseSettings(BaseModel):
    """Strength 0-100 stands for a noise sigma of 0-50 code values of 8 bits, at the middle brightness."""

    model_config = ConfigDict(extra="forbid")
    luma: float | None = Field(
        None, ge=0, le=100, description="Noise to remove in brightness; automatic if empty."
    )
    colour: float | None = Field(None, ge=0, le=100, description="Noise to remove in colour; automatic if empty.")
    rule: Rule | None = Field(
        None,
        description="How noise depends on brightness: even, or as a sensor's (shot and read); automatic if empty.",
    )
    read: float | None = Field(
        None,
        ge=0,
        le=100,
        description="Read noise in the middle tones, % of a sensor's noise; automatic if empty.",
    )


def _gaussian(plane: Array, sigma: float) -> Array:
    """Blur radius in pixels: 20 times sigma (in 0..1), 3 at most."""
    return cv2.GaussianBlur(plane, (0, 0), min(3.0, max(0.2, 20 * sigma)))


def _median(plane: Array, sigma: float) -> Array:
    """3 x 3 pixels up to a sigma of 12 code values, 5 x 5 above; mixed in from 0 to 4 code values."""
    filtered = cv2.medianBlur(plane, 3 if sigma * 255 <= 12 else 5)
    return plane + np.float32(min(1.0, sigma * 255 / 4)) * (filtered - plane)


def _bilateral(plane: Array, sigma: float) -> Array:
    """Range 2.5 sigma, neighbourhood of sigma 2.5 pixels [1]_."""
    return cv2.bilateralFilter(plane, 11, 2.5 * sigma, 2.5)


def _guided(plane: Array, sigma: float) -> Array:
    """Guided by itself: epsilon (1.5 sigma) squared, window radius 4 [2]_."""
    epsilon, size = (1.5 * sigma) ** 2, (9, 9)
    mean = cv2.blur(plane, size)
    variance = np.maximum(cv2.blur(plane * plane, size) - mean * mean, 0)
    gain = variance / (variance + np.float32(epsilon))
    return cv2.blur(gain, size) * plane + cv2.blur(mean - gain * mean, size)


def _non_local_means(plane: Array, sigma: float) -> Array:
    """5 x 5 patches within 6 pixels, h = 0.8 sigma [3]_."""
    return restoration.denoise_nl_means(
        plane, patch_size=5, patch_distance=6, h=0.8 * sigma, sigma=sigma, fast_mode=True
    )


def _wavelet(plane: Array, sigma: float) -> Array:
    """Daubechies 4, soft thresholds by BayesShrink [4]_, averaged over 4 shifts against blocks."""
    total = np.zeros_like(plane)
    for shift in ((0, 0), (1, 1), (0, 1), (1, 0)):
        moved = np.roll(plane, shift, (0, 1))
        cleaned = restoration.denoise_wavelet(moved, sigma=sigma, wavelet="db4", mode="soft", method="BayesShrink")
        total += np.roll(cleaned, (-shift[0], -shift[1]), (0, 1)).astype(np.float32)
    return total / np.float32(4)


def _total_variation(plane: Array, sigma: float) -> Array:
    """Weight 1.2 sigma [5]_."""
    return restoration.denoise_tv_chambolle(plane, weight=1.2 * sigma, max_num_iter=120)  # type: ignore[no-untyped-call]


def _sliding_dct(plane: Array, sigma: float) -> Array:
    """All 8 x 8 blocks, coefficients below 3 sigma set to 0, results averaged [6]_."""
    size, strip = 8, 64
    padded = np.pad(plane, size - 1, mode="reflect")
    total, count = np.zeros_like(padded), np.zeros_like(padded)
    for start in range(0, padded.shape[0] - size + 1, strip):
        rows = padded[start : start + strip + size - 1]
        blocks = np.lib.stride_tricks.sliding_window_view(rows, (size, size))
        spectrum = dctn(blocks, axes=(2, 3), norm="ortho", workers=2)
        mean = spectrum[..., 0, 0].copy()
        spectrum[np.abs(spectrum) < 3 * sigma] = 0
        spectrum[..., 0, 0] = mean
        cleaned = idctn(spectrum, axes=(2, 3), norm="ortho", workers=2, overwrite_x=True)
        height, width = cleaned.shape[:2]
        for y in range(size):
            for x in range(size):
                total[start + y : start + y + height, x : x + width] += cleaned[..., y, x]
                count[start + y : start + y + height, x : x + width] += 1
    inside = slice(size - 1, 1 - size)
    return (total / count)[inside, inside]


def automatic(traits: Traits) -> dict[str, object]:
    """Strengths and rule from the noise that was measured, or from what is there at least where it cannot be told."""
    if traits.noise_sigma is None:
        strength = round(min(100.0, traits.noise_least / CODE_VALUES_PER_POINT), 1)
        return {"luma": strength, "colour": strength, "rule": "even", "read": 0.0}
    middle, fine = (traits.noise_bands.get(band, 0.0) for band in ("1/8 to 1/4", "1/4 and finer"))
    likely: Rule = "sensor" if DEMOSAICED[0] * middle < fine < DEMOSAICED[1] * middle else "even"
    fit = fit_curve(traits.noise_curve or [[0.5, traits.noise_sigma]], likely)
    colour = traits.noise_colour if traits.noise_colour is not None else traits.noise_sigma
    share = fit.sigma / traits.noise_sigma if traits.noise_sigma > 0 else 1.0
    strengths = (min(100.0, sigma / CODE_VALUES_PER_POINT) for sigma in (fit.sigma, share * colour))
    luma, chroma = (round(strength, 1) for strength in strengths)
    return {"luma": luma, "colour": chroma, "rule": fit.rule, "read": round(100 * fit.read, 1)}


def channel_sigma(luma: float, colour: float) -> float:
    """Sigma of R', G' and B', root mean square, from those of Y' and of Cb and Cr (BT.709 [7]_), all of one unit."""
    return float((luma**2 + 1.5 * colour**2) ** 0.5)


def _denoiser(key: str, name: str, plane: Plane, summary: str, reference: str, limits: Limits) -> Method:
    def run(frame: Frame, settings: BaseModel, target: Size) -> Frame:
        assert isinstance(settings, DenoiseSettings) and settings.luma is not None and settings.colour is not None
        luma, colour = (value * CODE_VALUES_PER_POINT / 255 for value in (settings.luma, settings.colour))
        grey = frame.pixels.shape[2] == 1
        level = luma if grey else channel_sigma(luma, colour)
        sensor = settings.rule == "sensor" and level > 0
        read = (settings.read or 0.0) / 100
        pixels = even_out(frame.pixels, read, level) if sensor else frame.pixels
        planes = np.array(pixels) if grey else to_ycbcr(pixels)
        for index, sigma in enumerate((luma, colour, colour)[: planes.shape[2]]):
            if sigma > 0:
                planes[..., index] = plane(np.ascontiguousarray(planes[..., index]), sigma)
        cleaned = planes if grey else from_ycbcr(planes)
        return frame.with_pixels(undo(cleaned, read, level) if sensor else cleaned)

    return Method(key, 2, name, "reduce noise", summary, reference, DenoiseSettings, limits, run, automatic)


METHODS = [
    _denoiser(
        "gaussian",
        "Gaussian blur",
        _gaussian,
        "Blurs everything alike; the yardstick.",
        "Common practice",
        Limits(working_copies=4),
    ),
    _denoiser(
        "median",
        "Median",
        _median,
        "Takes out single specks; rounds corners.",
        "Common practice",
        Limits(working_copies=4),
    ),
    _denoiser(
        "bilateral",
        "Bilateral",
        _bilateral,
        "Averages neighbours of like brightness; keeps edges, can look painted.",
        "Tomasi, Manduchi 1998",
        Limits(working_copies=4),
    ),
    _denoiser(
        "guided",
        "Guided filter",
        _guided,
        "Smooths where the variance is that of noise; quick, gentle.",
        "He, Sun, Tang 2010",
        Limits(working_copies=6),
    ),
    _denoiser(
        "non_local_means",
        "Non-local means",
        _non_local_means,
        "Averages look-alike patches; slow, keeps texture.",
        "Buades, Coll, Morel 2005",
        Limits(max_megapixels=60, working_copies=8),
    ),
    _denoiser(
        "wavelet",
        "Wavelet shrinkage",
        _wavelet,
        "Shrinks small detail at each scale; may leave blotches.",
        "Chang, Yu, Vetterli 2000",
        Limits(max_megapixels=100, working_copies=10),
    ),
    _denoiser(
        "total_variation",
        "Total variation",
        _total_variation,
        "Flattens; hard edges stay, texture turns to plastic.",
        "Chambolle 2004",
        Limits(max_megapixels=100, working_copies=10),
    ),
    _denoiser(
        "sliding_dct",
        "Sliding-window DCT",
        _sliding_dct,
        "Cuts weak frequencies in every 8 x 8 block; keeps patterns.",
        "Yu, Sapiro 2011",
        Limits(max_megapixels=60, working_copies=8),
    ),
]
