"""Colour difference: how far the colour of each pixel moved, in steps of which one is just visible (CIEDE2000).

References
----------
.. [1] CIE 142-2001, "Improvement to industrial colour-difference evaluation".
.. [2] G. Sharma, W. Wu, E. N. Dalal, "The CIEDE2000 color-difference formula: implementation notes,
       supplementary test data, and mathematical observations", Color Res. Appl. 30(1), 21-30, 2005.
.. [3] IEC 61966-2-1:1999: primaries and white (D65) of sRGB.
"""

from functools import lru_cache
from typing import Any

import numpy as np

from mistline.core.frame import Array, decode_srgb
from mistline.core.measure.measure import Evidence, Measure, Measured, by_rows, rows_of, shape
from mistline.core.threads import on_threads

__all__ = ["MEASURES", "TO_XYZ", "WHITE", "ciede2000", "from_xyz", "lab"]

TO_XYZ = np.array(
    [[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]], np.float64
)  # [3]_
WHITE = TO_XYZ.sum(axis=1)
TURNS = {np.float32: 2**15, np.float64: 2**18}  # steps of the hue: a table that the processor's cache holds
AT_ONCE = 2**16  # pixels: fewer leave the threads waiting for one another, more leave the processor's cache
KEPT = 2**20  # pixels of a truth whose L*a*b* is kept for its other results


def lab(pixels: Array) -> Array:
    """CIE L*a*b* (D65) of encoded sRGB (H, W, 3) float; grey pixels of one channel are taken as neutral.

    What comes out is a view of whole planes: what works on one of L*, a* and b* reads it in one go.
    """
    planes = np.ascontiguousarray(np.moveaxis(pixels, 2, 0))
    linear = decode_srgb(planes if len(planes) == 3 else np.repeat(planes, 3, axis=0))
    xyz = (TO_XYZ / WHITE[:, None]).astype(linear.dtype) @ linear.reshape(3, -1)
    return _of_planes(xyz.reshape(linear.shape))


def from_xyz(xyz: Array) -> Array:
    """CIE L*a*b* of X, Y and Z (..., 3), each over that of the white."""
    return _of_planes(np.moveaxis(xyz, -1, 0))


def _of_planes(xyz: Array) -> Array:
    """As `from_xyz`, of (3, ...)."""
    f, low = np.cbrt(xyz), xyz <= 216 / 24389
    if low.any():
        np.copyto(f, (24389 / 27 * xyz + 16) / 116, where=low)
    out = np.empty_like(f)
    np.multiply(f[1], 116, out=out[0])
    out[0] -= 16
    for number, times in ((1, 500), (2, 200)):
        np.subtract(f[number - 1], f[number], out=out[number])
        out[number] *= times
    return np.moveaxis(out, 0, -1)


def _length(a: Array, b: Array) -> Array:
    """sqrt(a^2 + b^2)."""
    square = a * a
    square += b * b
    return np.sqrt(square, out=square)


def _seventh(x: Array) -> Array:
    """sqrt(x^7 / (x^7 + 25^7))."""
    square = x * x
    seventh = square * square
    seventh *= square
    seventh *= x
    seventh /= seventh + x.dtype.type(25.0**7)
    return np.sqrt(seventh, out=seventh)


@lru_cache(maxsize=2)
def _hues(kind: Any) -> tuple[Array, Array]:
    """T and -2 sin(2 theta) of [2]_ for each step of the mean hue from -180 to 180 degrees.

    What is too small to matter is 0: numbers with fewer digits than others are many times slower to work on.
    """
    hue = np.linspace(-180, 180, TURNS[kind] + 1)
    wave = [np.cos(np.radians(times * hue + shift)) for times, shift in ((1, -30), (2, 0), (3, 6), (4, -63))]
    t = 1 - 0.17 * wave[0] + 0.24 * wave[1] + 0.32 * wave[2] - 0.20 * wave[3]
    theta = 30 * np.exp(-np.square((hue % 360 - 275) / 25))
    rotation = -2 * np.sin(np.radians(2 * theta))
    return t.astype(kind), np.where(rotation < -1e-9, rotation, 0).astype(kind)


def ciede2000(first: Array, second: Array) -> Array:
    """CIEDE2000 between two arrays of L*a*b* (..., 3), by the formulae of [2]_; kL = kC = kH = 1.

    Hue differences are worked out from products of a and b, so that float32 keeps its digits; what depends on the mean
    hue alone is looked up in a table of 2^15 steps (2^18 in float64), right to 2e-4 (3e-5) of the difference. Much is
    worked out in place: every array more would leave the processor's cache. Valid range: every colour; of two hues
    that stand exactly opposite the published table's side is taken. Noise counts as a difference here: see the colour
    shift.

    >>> a, b = np.array([50.0, 2.6772, -79.7751]), np.array([50.0, 0.0, -82.7485])
    >>> round(float(ciede2000(a, b)), 4)
    2.0425
    """
    one: Any = first.dtype.type
    l1, a1, b1 = (np.ascontiguousarray(first[..., i]).reshape(-1) for i in range(3))
    l2, a2, b2 = (np.ascontiguousarray(second[..., i]).reshape(-1) for i in range(3))
    half = one(0.5)
    mean_c = _length(a1, b1)
    mean_c += _length(a2, b2)
    mean_c *= half
    stretch = _seventh(mean_c)
    stretch *= -half
    stretch += one(1.5)
    a1, a2 = a1 * stretch, a2 * stretch
    c1, c2 = _length(a1, b1), _length(a2, b2)
    # c1 c2, and that times the sine (by differences, so that near colours keep their digits) and the cosine of dh.
    both, across, along = c1 * c2, a1 * (b2 - b1), a1 * a2
    across -= b1 * (a2 - a1)
    along += b1 * b2
    # 2 sqrt(both) sin(dh / 2): the sine over the cosine of half the angle.
    cosine = both + along
    cosine *= half
    dh = across / np.sqrt(np.abs(cosine, out=cosine), out=cosine).clip(one(1e-6), out=cosine)
    # The mean hue is the direction halfway; of two opposite ones it is a right angle away, of greys it does not
    # matter.
    x, y = a1 * c2, b1 * c2
    x += a2 * c1
    y += b2 * c1
    if along.min(initial=0) < 0:
        apart = np.flatnonzero(along < 0)
        a, b, mean_x, mean_y, size = (plane[apart] for plane in (a1, b1, x, y, both))
        ahead = np.where((b > 0) | ((b == 0) & (a > 0)), one(1), one(-1))
        opposite = np.abs(mean_x) + np.abs(mean_y) < 16 * np.finfo(one).eps * size
        x[apart], y[apart] = np.where(opposite, -ahead * b, mean_x), np.where(opposite, ahead * a, mean_y)
        dh[apart] = np.copysign(np.sqrt(2 * (size - along[apart])), np.where(opposite, ahead, across[apart]))
    turn, turns = np.arctan2(y, x, out=x), TURNS[one]
    turn *= one(turns / (2 * np.pi))
    turn += one(turns / 2 + 0.5)
    place = turn.astype(np.intp)
    t, rotation = (np.take(table, place, mode="clip") for table in _hues(one))
    l_term = l1 + l2
    l_term *= half
    l_term -= 50
    offset = np.square(l_term, out=l_term)
    sl = offset / np.sqrt(offset + 20)
    sl *= one(0.015)
    sl += 1
    mean_c = c1 + c2
    mean_c *= half
    sc, sh = one(0.045) * mean_c, t
    sh *= one(0.015)
    sh *= mean_c
    sc += 1
    sh += 1
    square, c_term = l2 - l1, c2 - c1
    square /= sl
    square *= square
    c_term /= sc
    dh /= sh
    crossed = _seventh(mean_c)
    crossed *= rotation
    crossed *= c_term
    crossed += dh
    crossed *= dh
    c_term *= c_term
    square += c_term
    square += crossed
    difference: Array = np.sqrt(np.abs(square)).reshape(first.shape[:-1])
    return difference


def _differences(evidence: Evidence) -> Array:
    truth, result = evidence.pair
    height, width, _ = shape(truth)
    rows, found = max(1, AT_ONCE // width), np.empty((height, width), np.float32)
    known: Array | None = None
    if height * width <= KEPT:
        known = evidence.once_of_reference(lab, lambda: np.concatenate(by_rows((truth,), lab, rows)))

    def strip(start: int) -> None:
        part = slice(start, start + rows)
        before = lab(rows_of(truth, part)) if known is None else known[part]
        found[part] = ciede2000(before, lab(rows_of(result, part)))

    on_threads(strip, range(0, height, rows), height * width)
    return found


def _mean(evidence: Evidence) -> Measured:
    difference = evidence.once(_differences)
    return Measured(float(difference.mean(dtype=np.float64)), difference)


def _worst(evidence: Evidence) -> Measured:
    return Measured(float(np.percentile(evidence.once(_differences), 95)))


SOURCE = "CIE 142-2001; Sharma, Wu, Dalal 2005"
MEASURES = [
    Measure(
        "ciede2000", 1, "Colour difference", "ΔE00", "lower", "colour",
        "Mean colour difference; 1 is about the least that shows on flat areas.",
        SOURCE, tie=0.05, digits=2, of=_mean,
    ),
    Measure(
        "ciede2000_p95", 1, "Colour difference, worst 5 %", "ΔE00", "lower", "colour",
        "Nineteen of twenty pixels differ less than this.", SOURCE, tie=0.1, digits=2, of=_worst,
    ),
]  # fmt: skip
