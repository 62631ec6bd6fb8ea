"""Classical filters that take noise of one sigma off one plane.

Each takes a plane (H, W) float32, the sigma of its noise in the same unit, and an amount whose meaning stands at the
filter. The amounts of FITTED are those that bring six photographs with white noise closest to their truths (PSNR);
`python -m training.fit_denoisers` finds them. In between they are interpolated, so that strength has no steps.

References
----------
.. [1] C. Tomasi, R. Manduchi, "Bilateral filtering for gray and color images", ICCV 1998, 839-846.
.. [2] K. He, J. Sun, X. Tang, "Guided image filtering", ECCV 2010, LNCS 6311, 1-14.
.. [3] A. Buades, B. Coll, J.-M. Morel, "A non-local algorithm for image denoising", CVPR 2005, 60-65.
.. [4] M. K. Mihcak, I. Kozintsev, K. Ramchandran, P. Moulin, "Low-complexity image denoising based on statistical
       modeling of wavelet coefficients", IEEE Signal Process. Lett. 6(12), 300-303, 1999.
.. [5] R. R. Coifman, D. L. Donoho, "Translation-invariant de-noising", Lecture Notes in Statistics 103, 1995.
.. [6] A. Chambolle, "An algorithm for total variation minimization and applications", J. Math. Imaging Vis.
       20, 89-97, 2004.
.. [7] G. Yu, G. Sapiro, "DCT image denoising: a simple and effective image denoising algorithm", Image
       Process. On Line 1, 292-296, 2011.
"""

from collections.abc import Callable
from functools import partial

import cv2
import numpy as np
import pywt
from scipy.fft import dctn, idctn
from skimage import restoration

from mistline.core.frame import Array

__all__ = ["FILTERS", "FITTED", "FITTED_AT", "clean_plane"]

FITTED_AT = (0, 2, 5, 10, 20, 40)  # sigma in code values of 8 bits
FITTED = {
    "gaussian": (0, 0.26, 0.43, 0.59, 0.82, 1.31),
    "median": (0, 0, 0.25, 0.58, 0.8, 1.68),
    "bilateral": (1.8, 1.81, 1.95, 2.06, 2.37, 3.58),
    "guided": (1.7, 1.68, 1.6, 1.68, 2.02, 3.0),
    "non_local_means": (0.9, 0.9, 0.88, 0.73, 0.62, 0.62),
    "wavelet": (1.3, 1.28, 1.22, 1.17, 1.17, 1.22),
    "total_variation": (0.3, 0.3, 0.5, 0.59, 0.73, 0.95),
    "sliding_dct": (2.65, 2.65, 2.62, 2.6, 2.65, 2.83),
    "sparse_dct": (2.65, 2.65, 2.62, 2.6, 2.65, 2.83),
}
WAVELET, LEVELS, NEIGHBOURS = "db2", 4, 7
TILE, REACH = 512, 112  # of the wavelet transform: pixels, the second a multiple of 2^LEVELS
Filter = Callable[[Array, float, float], Array]


def gaussian(plane: Array, sigma: float, amount: float) -> Array:
    """Amount: standard deviation of the blur in pixels."""
    return cv2.GaussianBlur(plane, (0, 0), max(0.01, amount))


def median(plane: Array, sigma: float, amount: float) -> Array:
    """Amount: from 0 to 1 the median of 3 x 3 pixels is mixed in, from 1 to 2 that of 5 x 5 takes its place."""
    small = cv2.medianBlur(plane, 3)
    if amount <= 1:
        return plane + np.float32(amount) * (small - plane)
    return small + np.float32(amount - 1) * (cv2.medianBlur(plane, 5) - small)


def bilateral(plane: Array, sigma: float, amount: float) -> Array:
    """Amount: standard deviation of the range, in sigmas; that of the neighbourhood is 1.8 pixels [1]_."""
    return cv2.bilateralFilter(plane, 11, amount * sigma, 1.8)


def guided(plane: Array, sigma: float, amount: float) -> Array:
    """Guided by itself within 5 x 5 pixels; amount: the root of epsilon, in sigmas [2]_."""
    size = (5, 5)
    mean = cv2.blur(plane, size)
    variance = np.maximum(cv2.blur(plane * plane, size) - mean * mean, 0)
    gain = variance / (variance + np.float32((amount * sigma) ** 2))
    return cv2.blur(gain, size) * plane + cv2.blur(mean - gain * mean, size)


def non_local_means(plane: Array, sigma: float, amount: float) -> Array:
    """5 x 5 patches within 6 pixels; amount: h in sigmas [3]_."""
    return restoration.denoise_nl_means(
        plane, patch_size=5, patch_distance=6, h=amount * sigma, sigma=sigma, fast_mode=True
    )


def wavelet(plane: Array, sigma: float, amount: float) -> Array:
    """Each coefficient is shrunk by the variance of its neighbours [4]_, over all shifts [5]_; amount: sigmas.

    Daubechies of 4 taps, neighbours within 7 x 7, four levels whatever the size, tile by tile, so that a part comes
    out as it does in the whole.
    """
    padded = (
        np.pad(plane, REACH, mode="reflect") if min(plane.shape) > REACH else np.pad(plane, REACH, "symmetric")
    )
    out = np.empty_like(plane)
    for top in range(0, plane.shape[0], TILE):
        for left in range(0, plane.shape[1], TILE):
            part = padded[top : top + TILE + 2 * REACH, left : left + TILE + 2 * REACH]
            height, width = (length - 2 * REACH for length in part.shape)
            even = np.pad(part, [(0, -length % 2**LEVELS) for length in part.shape], mode="edge")
            cleaned = _shrink(even, amount * sigma)[REACH : REACH + height, REACH : REACH + width]
            out[top : top + height, left : left + width] = cleaned
    return out


def _shrink(part: Array, sigma: float) -> Array:
    """Undecimated transform, each coefficient times its share of signal, back."""
    smooth, *details = pywt.swt2(part, WAVELET, LEVELS, norm=True, trim_approx=True)
    shrunk = []
    for level, bands in zip(range(LEVELS, 0, -1), details, strict=True):
        noise = np.float32((sigma / 2**level) ** 2)
        found = []
        for band in bands:
            energy = cv2.blur(band * band, (NEIGHBOURS, NEIGHBOURS))
            found.append(band * (np.maximum(energy - noise, 0) / np.maximum(energy, np.float32(1e-12))))
        shrunk.append(tuple(found))
    back: Array = pywt.iswt2([smooth, *shrunk], WAVELET, norm=True)
    return back


def total_variation(plane: Array, sigma: float, amount: float) -> Array:
    """Amount: the weight, in sigmas [6]_."""
    return restoration.denoise_tv_chambolle(plane, weight=amount * sigma, max_num_iter=120)  # type: ignore[no-untyped-call]


def sliding_dct(plane: Array, sigma: float, amount: float, step: int = 1) -> Array:
    """Coefficients of all 8 x 8 blocks below the amount, in sigmas, are set to 0, results averaged [7]_.

    With a `step` of 2 every other block each way is taken: a fourth of the time.
    """
    size, strip = 8, 64
    padded = np.pad(plane, size - 1, mode="reflect")
    total, count = np.zeros_like(padded), np.zeros_like(padded)
    for start in range(0, padded.shape[0] - size + 1, strip):
        rows = padded[start : start + strip + size - 1]
        blocks = np.lib.stride_tricks.sliding_window_view(rows, (size, size))[::step, ::step]
        spectrum = dctn(blocks, axes=(2, 3), norm="ortho", workers=2)
        mean = spectrum[..., 0, 0].copy()
        spectrum[np.abs(spectrum) < amount * sigma] = 0
        spectrum[..., 0, 0] = mean
        cleaned = idctn(spectrum, axes=(2, 3), norm="ortho", workers=2, overwrite_x=True)
        height, width = (step * length for length in cleaned.shape[:2])
        for y in range(size):
            for x in range(size):
                place = slice(start + y, start + y + height, step), slice(x, x + width, step)
                total[place] += cleaned[..., y, x][: total[place].shape[0], : total[place].shape[1]]
                count[place] += 1
    inside = slice(size - 1, 1 - size)
    return (total / np.maximum(count, 1))[inside, inside]


FILTERS: dict[str, Filter] = {
    "gaussian": gaussian,
    "median": median,
    "bilateral": bilateral,
    "guided": guided,
    "non_local_means": non_local_means,
    "wavelet": wavelet,
    "total_variation": total_variation,
    "sliding_dct": sliding_dct,
    "sparse_dct": partial(sliding_dct, step=2),
}


def clean_plane(key: str, plane: Array, sigma: float) -> Array:
    """The plane cleaned by a filter with its fitted amount.

    >>> noisy = np.random.default_rng(0).normal(0.5, 0.05, (64, 64)).astype(np.float32)
    >>> float(clean_plane("wavelet", noisy, 0.05).std()) < 0.01
    True
    """
    return FILTERS[key](plane, sigma, float(np.interp(sigma * 255, FITTED_AT, FITTED[key])))
