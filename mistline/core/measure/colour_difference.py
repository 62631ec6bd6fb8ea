"""Colour: how far colours moved (CIEDE2000, steps of which one is just visible), and how tones shifted.

References
----------
.. [1] CIE 142-2001, "Improvement to industrial colour-difference evaluation".
.. [2] G. Sharma, W. Wu, E. N. Dalal, "The CIEDE2000 color-difference formula: implementation notes,
       supplementary test data, and mathematical observations", Color Res. Appl. 30(1), 21-30, 2005.
.. [3] IEC 61966-2-1:1999: primaries and white (D65) of sRGB.
"""

from concurrent.futures import ThreadPoolExecutor

import cv2
import numpy as np

from mistline.core.frame import Array, decode_srgb, encode_srgb
from mistline.core.measure.measure import Evidence, Measure, Measured, Part

__all__ = ["MEASURES", "ciede2000", "lab"]

TO_XYZ = np.array(
    [[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]], np.float64
)  # [3]_
WHITE = TO_XYZ.sum(axis=1)
ROWS = 64
SOFT_SIDE = 8
TONES = {"darkest": 1, "dark": 25, "middle": 50, "light": 75, "lightest": 99}


def lab(pixels: Array) -> Array:
    """CIE L*a*b* (D65) of encoded sRGB (H, W, 3) float; grey pixels of one channel are taken as neutral."""
    rgb = pixels if pixels.shape[2] == 3 else np.repeat(pixels, 3, axis=2)
    xyz = decode_srgb(rgb) @ (TO_XYZ / WHITE[:, None]).T.astype(pixels.dtype)
    f = np.where(xyz > 216 / 24389, np.cbrt(xyz), (24389 / 27 * xyz + 16) / 116)
    x, y, z = f[..., 0], f[..., 1], f[..., 2]
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=-1).astype(pixels.dtype)


def ciede2000(first: Array, second: Array) -> Array:
    """CIEDE2000 between two arrays of L*a*b* (..., 3), by the formulae of [2]_; kL = kC = kH = 1.

    >>> a, b = np.array([50.0, 2.6772, -79.7751]), np.array([50.0, 0.0, -82.7485])
    >>> round(float(ciede2000(a, b)), 4)
    2.0425
    """
    l1, a1, b1 = np.moveaxis(first, -1, 0)
    l2, a2, b2 = np.moveaxis(second, -1, 0)
    chroma7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(chroma7 / (chroma7 + 25.0**7)))
    a1, a2 = a1 * (1 + g), a2 * (1 + g)
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.arctan2(b1, a1) % (2 * np.pi), np.arctan2(b2, a2) % (2 * np.pi)
    coloured = c1 * c2 != 0
    turn = np.where(coloured, h2 - h1, 0.0)
    turn = np.where(turn > np.pi, turn - 2 * np.pi, np.where(turn < -np.pi, turn + 2 * np.pi, turn))
    dl, dc, dh = l2 - l1, c2 - c1, 2 * np.sqrt(c1 * c2) * np.sin(turn / 2)
    mean_l, mean_c = (l1 + l2) / 2, (c1 + c2) / 2
    total = h1 + h2
    far = np.abs(h1 - h2) > np.pi
    mean_h = np.where(far, (total + np.where(total < 2 * np.pi, 2 * np.pi, -2 * np.pi)) / 2, total / 2)
    mean_h = np.where(coloured, mean_h, total)
    t = (
        1 - 0.17 * np.cos(mean_h - np.radians(30)) + 0.24 * np.cos(2 * mean_h)
        + 0.32 * np.cos(3 * mean_h + np.radians(6)) - 0.20 * np.cos(4 * mean_h - np.radians(63))
    )  # fmt: skip
    angle = np.radians(30) * np.exp(-(((np.degrees(mean_h) - 275) / 25) ** 2))
    c7 = mean_c**7
    rotation = -2 * np.sqrt(c7 / (c7 + 25.0**7)) * np.sin(2 * angle)
    offset = (mean_l - 50) ** 2
    sl = 1 + 0.015 * offset / np.sqrt(20 + offset)
    sc, sh = 1 + 0.045 * mean_c, 1 + 0.015 * mean_c * t
    l_term, c_term, h_term = dl / sl, dc / sc, dh / sh
    square = l_term**2 + c_term**2 + h_term**2 + rotation * c_term * h_term
    difference: Array = np.sqrt(np.maximum(square, 0))
    return difference


def _differences(evidence: Evidence) -> Array:
    truth, result = evidence.truth, evidence.result
    assert truth is not None
    difference = np.empty(truth.pixels.shape[:2], np.float32)

    def strip(start: int) -> None:
        rows = slice(start, start + ROWS)
        difference[rows] = ciede2000(lab(truth.pixels[rows]), lab(result.pixels[rows]))

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(strip, range(0, truth.size.height, ROWS)))
    return difference


def _mean(evidence: Evidence) -> Measured:
    difference = evidence.once(_differences)
    return Measured(float(difference.mean(dtype=np.float64)), difference)


def _worst(evidence: Evidence) -> Measured:
    return Measured(float(np.percentile(evidence.once(_differences), 95)))


def _soft_lab(pixels: Array) -> Array:
    """L*a*b* of the means of 8 x 8 pixels, taken in linear light."""
    height, width = (max(1, length // SOFT_SIDE) for length in pixels.shape[:2])
    part = pixels[: height * SOFT_SIDE, : width * SOFT_SIDE]
    small = cv2.resize(decode_srgb(part), (width, height), interpolation=cv2.INTER_AREA)
    return lab(encode_srgb(small.reshape(height, width, -1)))


def _soft(evidence: Evidence) -> Measured:
    assert evidence.truth is not None
    pair = evidence.truth.pixels, evidence.result.pixels
    return Measured(float(ciede2000(*(_soft_lab(pixels) for pixels in pair)).mean(dtype=np.float64)))


def _tone(evidence: Evidence) -> Measured:
    """Signed difference of the tone points; the value is the one farthest from zero."""
    assert evidence.truth is not None
    pair = evidence.result.pixels, evidence.truth.pixels
    after, before = (np.percentile(_soft_lab(pixels)[..., 0], list(TONES.values())) for pixels in pair)
    shift = after - before
    parts = tuple(Part(name, float(value)) for name, value in zip(TONES, shift, strict=True))
    return Measured(float(shift[np.argmax(np.abs(shift))]), parts=parts)


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
    Measure(
        "ciede2000_soft", 1, "Colour shift", "ΔE00", "lower", "colour",
        "Colour difference of the means of 8 x 8 pixels in linear light: a change of colour or contrast, "
        "not of detail.",
        SOURCE, tie=0.05, digits=2, of=_soft,
    ),
    Measure(
        "tone", 1, "Tone shift", "L*", "nearer to zero", "colour",
        "Change of lightness at the darkest, dark, middle, light and lightest point (1, 25, 50, 75, 99 %) of "
        "the means of 8 x 8 pixels; the largest counts. Positive is lighter.",
        "CIE 1976 L*, order statistics", tie=0.1, digits=2, of=_tone,
    ),
]  # fmt: skip
