"""Colour difference as it is seen: fine detail and noise count only as far as the eye resolves them (S-CIELAB).

References
----------
.. [1] X. Zhang, B. A. Wandell, "A spatial extension of CIELAB for digital color-image reproduction", J. Soc. Inf. Disp.
       5(1), 61-63, 1997: opponent colours, each blurred as the eye does, then CIELAB. The matrix, weights and spreads
       are from memory.
"""

from functools import lru_cache

import cv2
import numpy as np

from mistline.core.frame import Array, Frame, Size, decode_srgb, encode_srgb
from mistline.core.measure.colour_difference import TO_XYZ, WHITE, from_xyz
from mistline.core.measure.measure import (
    SHARP,
    Enlarged,
    Evidence,
    Measure,
    Measured,
    Picture,
    by_rows,
    rows_of,
    shape,
)
from mistline.core.threads import on_threads

__all__ = ["FILTERS", "MEASURES", "as_seen", "nearer", "opponent_filters"]

FINEST = 240.0  # pixels a degree, from which on a smaller copy is looked at
OPPONENT = np.array([[0.297, 0.72, -0.107], [-0.449, 0.29, -0.077], [0.086, -0.59, 0.501]])  # of XYZ [1]_
# Weights and spreads in degrees of the sums of Gaussians exp(-r^2 / spread^2) that blur each opponent colour [1]_.
FILTERS = (
    ((0.921, 0.0283), (0.105, 0.133), (-0.108, 4.336)),
    ((0.531, 0.0392), (0.330, 0.494)),
    ((0.488, 0.0536), (0.371, 0.386)),
)
SHARE_OF_SIGMA = 4.0  # a blur is done on a copy whose pixels are so much smaller than its sigma
WIDE = 100.0  # sigma in pixels from which on a blur is done on a copy of the whole picture
ROWS, REACH = 512, 3.0  # rows of a strip; sigmas beyond it that are looked at
Filters = tuple[tuple[tuple[float, float], ...], ...]  # (weight, sigma) of each opponent colour


@lru_cache(maxsize=8)
def opponent_filters(pixels_a_degree: float) -> Filters:
    """(weight, sigma in pixels) of the Gaussians of each opponent colour; the weights sum to 1.

    >>> [round(sigma, 2) for _, sigma in opponent_filters(60)[0]]
    [1.2, 5.64, 183.96]
    """
    return tuple(
        tuple(
            (weight / sum(one for one, _ in parts), spread / 2**0.5 * pixels_a_degree) for weight, spread in parts
        )
        for parts in FILTERS
    )


def _blurred(plane: Array, sigma: float) -> Array:
    """A Gaussian blur, on a smaller copy where it is wide: what the copy blurs by itself is taken off."""
    step = max(1, int(sigma / SHARE_OF_SIGMA))
    if step == 1:
        soft: Array = cv2.GaussianBlur(plane, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
        return soft
    height, width = plane.shape
    down, across = -height % step, -width % step
    whole = cv2.copyMakeBorder(plane, 0, down, 0, across, cv2.BORDER_REFLECT)
    small = cv2.resize(whole, (whole.shape[1] // step, whole.shape[0] // step), interpolation=cv2.INTER_AREA)
    small = cv2.GaussianBlur(small, (0, 0), _left(sigma, step), borderType=cv2.BORDER_REFLECT)
    back: Array = cv2.resize(small, (whole.shape[1], whole.shape[0]), interpolation=cv2.INTER_LINEAR)
    return back[:height, :width]


def _left(sigma: float, step: int) -> float:
    """Sigma that remains to be done on a copy of means of `step` pixels which is brought back by straight lines."""
    own = (step**2 - 1) / 12 + (step**2 - 1) / 6
    return float((max(sigma**2 - own, 0.01)) ** 0.5 / step)


def _opponent(pixels: Array) -> Array:
    rgb = pixels if pixels.shape[2] == 3 else np.repeat(pixels, 3, axis=2)
    matrix = (OPPONENT @ (TO_XYZ / WHITE[:, None])).T
    return decode_srgb(rgb) @ matrix.astype(np.float32)


def _wide(picture: Picture, sigma: float) -> Enlarged:
    """The first opponent colour blurred far, as a small copy that is enlarged a few rows at a time."""
    height, width, _ = shape(picture)
    step = max(1, int(sigma / SHARE_OF_SIGMA / 2))
    rows = step * max(1, ROWS // step)

    def means(pixels: Array) -> Array:
        plane = np.ascontiguousarray(_opponent(pixels)[..., 0])
        whole = cv2.copyMakeBorder(plane, 0, -len(plane) % step, 0, -width % step, cv2.BORDER_REFLECT_101)
        return cv2.resize(whole, (whole.shape[1] // step, whole.shape[0] // step), interpolation=cv2.INTER_AREA)

    small = np.concatenate(by_rows((picture,), means, rows))
    small = cv2.GaussianBlur(small, (0, 0), _left(sigma, step), borderType=cv2.BORDER_REFLECT)
    return Enlarged(Frame(small[..., None], 16), Size(width, height), (float(step), float(step)))


def _seen(picture: Picture, wide: Enlarged | None, filters: Filters, start: int, stop: int, margin: int) -> Array:
    """L*a*b* of some rows as the eye has them."""
    height = shape(picture)[0]
    low, high = max(0, start - margin), min(height, stop + margin)
    planes = _opponent(rows_of(picture, slice(low, high)))
    inside = slice(start - low, stop - low)
    seen = np.zeros((stop - start, planes.shape[1], 3), np.float32)
    for channel, parts in enumerate(filters):
        plane = np.ascontiguousarray(planes[..., channel])
        for weight, sigma in parts:
            far = wide if sigma >= WIDE else None
            soft = far.rows(slice(start, stop))[..., 0] if far else _blurred(plane, sigma)[inside]
            seen[..., channel] += np.float32(weight) * soft
    return from_xyz(seen @ np.linalg.inv(OPPONENT).T.astype(np.float32))


def nearer(picture: Picture, step: int) -> Frame:
    """A picture that is `step` times smaller each way, means in linear light."""
    height, width, _ = shape(picture)
    size = max(1, round(width / step)), max(1, round(height / step))
    linear = np.concatenate(by_rows((picture,), decode_srgb, ROWS))
    means = cv2.resize(linear, size, interpolation=cv2.INTER_AREA)
    return Frame(encode_srgb(means.reshape(size[1], size[0], -1)), 16)


def as_seen(truth: Picture, result: Picture, pixels_a_degree: float = SHARP) -> Array:
    """The difference of two pictures at each pixel as it is seen, CIE 1976 Delta E, (H, W) float32.

    Parameters
    ----------
    truth, result : (H, W, 3) pictures of one size, encoded sRGB
    pixels_a_degree : float
        Of sight. Valid range: 5 and more; more means from farther away. Above 240 means of light over so many pixels
        are looked at that there are no more.
    """
    height, width, _ = shape(truth)
    if pixels_a_degree > FINEST:
        step = int(np.ceil(pixels_a_degree / FINEST))
        one, other = (nearer(picture, step) for picture in (truth, result))
        small = as_seen(one, other, pixels_a_degree / step)
        each: Array = cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR)
        return each
    filters = opponent_filters(pixels_a_degree)
    sigmas = [sigma for parts in filters for _, sigma in parts]
    widest = max(sigmas)
    far = [_wide(picture, widest) if widest >= WIDE else None for picture in (truth, result)]
    margin = int(REACH * max(sigma for sigma in sigmas if sigma < WIDE)) + 1

    def strip(start: int) -> Array:
        stop = min(start + ROWS, height)
        one, other = (
            _seen(picture, wide, filters, start, stop, margin)
            for picture, wide in zip((truth, result), far, strict=True)
        )
        difference: Array = np.sqrt(np.square(one - other).sum(axis=2))
        return difference

    return np.concatenate(on_threads(strip, range(0, height, ROWS), height * width))


def _mean(evidence: Evidence) -> Measured:
    difference = as_seen(*evidence.pair, evidence.sight)
    return Measured(float(difference.mean(dtype=np.float64)), difference)


MEASURES = [
    Measure(
        "scielab", 1, "Colour difference as seen", "ΔE", "lower", "colour",
        "Mean difference as it is seen from where the trial is looked at: 60 pixels a degree of sight, or as set up. "
        "What is too fine for that does not count.",
        "Zhang, Wandell 1997", tie=0.05, digits=2, of=_mean,
    )
]  # fmt: skip
