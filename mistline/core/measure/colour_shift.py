"""Colour shift: did colours, contrast or levels change, apart from detail and noise; and which mistake explains it?

References
----------
.. [1] CIE 142-2001: CIEDE2000; CIE 1976 L*.
.. [2] ITU-R BT.601-7, 2011, and BT.709-6, 2015: luma weights .299 .587 .114 and .2126 .7152 .0722; limited range
       puts black at code 16 and white at 235 of 8 bits.
"""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from mistline.core.frame import Array, decode_srgb, encode_srgb
from mistline.core.measure.colour_difference import ciede2000, lab
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable, Part, by_rows, shape

__all__ = ["CONTRAST", "MEASURES", "MISTAKES", "PATCHY", "WORST", "explanation"]

SIDE, WIDE = 8, 4  # means of 8 x 8 pixels, and windows of 4 x 4 of these
TONES = {"darkest": (0, 2), "dark": (20, 30), "middle": (45, 55), "light": (70, 80), "lightest": (98, 100)}
LEAST_SHIFT = 1.0 / 255
UNEXPLAINED = 0.1
SCATTERED = 0.4  # a blur moves each mean otherwise, another contrast all of them by one line
LEAST_CONTRAST = 0.08  # a blur of all that a picture of fine texture holds makes up to 7 % of it
CONTRAST, WORST = "contrast, %", "in the worst 32 x 32 pixels"
PATCHY = "share that does not depend on the colour"
FEWEST, ENOUGH = 8, 64
WIDER = np.array([-1.0, 1.0])  # L* to each side of a tone
LARGEST = 0.5 - 0.5 / 255
LEAST_NOISE, CLIPPED = 1.5 / 255, 0.01

Real = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Soft:
    """Means of 8 x 8 pixels of truth and result, (rows, columns, C): of encoded values and of linear light, encoded.

    `rough` is how much the difference of the two scatters in each of them; `clipped` the share of the result's
    values at the ends of the range; `expanded` the truth taken for limited range, which clips both its ends.
    """

    truth: Array
    result: Array
    truth_linear: Array
    result_linear: Array
    rough: Array
    clipped: Array
    expanded: Array


def _means(pixels: Array) -> Array:
    """Means of 8 x 8 pixels; what is smaller is one mean, what is left over at the right and bottom does not count."""
    height, width = (max(1, length // SIDE) for length in pixels.shape[:2])
    part = pixels[: height * SIDE, : width * SIDE]
    tall, wide = part.shape[0] // height, part.shape[1] // width
    return part.reshape(height, tall, width, wide, -1).mean(axis=(1, 3), dtype=np.float32)


def _soft(evidence: Evidence) -> Soft:
    def step(truth: Array, result: Array) -> tuple[Array, ...]:
        plain = [_means(truth), _means(result)]
        light = [encode_srgb(_means(decode_srgb(pixels))) for pixels in (truth, result)]
        scatter = _means(np.square(result - truth)) - np.square(plain[1] - plain[0])
        ends = (np.abs(result - 0.5) >= LARGEST).astype(np.float32)
        expanded = np.clip((truth - np.float32(START)) / np.float32(NARROW), 0, 1)
        return (*plain, *light, np.sqrt(np.maximum(scatter, 0)), _means(ends), _means(expanded))

    assert evidence.reference is not None
    height = shape(evidence.result)[0]
    parts = by_rows((evidence.reference, evidence.result), step, 32 * SIDE)
    if len(parts) > 1 and height % (32 * SIDE) < SIDE:
        parts = parts[:-1] if height % (32 * SIDE) else parts
    return Soft(*(np.concatenate(part) for part in zip(*parts, strict=True)))


def _windows(values: Array) -> Array:
    """(rows, columns, C) as (windows, 16, C): 4 x 4 neighbours together; all together where there are fewer."""
    rows, columns = values.shape[0] // WIDE, values.shape[1] // WIDE
    if rows * columns == 0:
        return values.reshape(1, -1, values.shape[2])
    cut = values[: rows * WIDE, : columns * WIDE].reshape(rows, WIDE, columns, WIDE, -1)
    return cut.transpose(0, 2, 1, 3, 4).reshape(rows * columns, WIDE * WIDE, -1)


def _inside(soft: Soft) -> npt.NDArray[np.bool_]:
    """Windows in which noise is not clipped at the ends of the range, which would move its mean."""
    rough, clipped = (_windows(values).mean(axis=(1, 2)) for values in (soft.rough, soft.clipped))
    inside: npt.NDArray[np.bool_] = (rough < LEAST_NOISE) | (clipped <= CLIPPED)
    if inside.sum() < min(FEWEST, len(inside)):
        raise NotMeasurable("noise or detail is clipped all over the picture, which shifts its colours by itself")
    return inside


def _shift(truth: Array, result: Array) -> Array:
    """CIEDE2000 between the means of windows of 32 x 32 pixels (n, 16, C), less what chance gives.

    The scatter of the differences within a window tells how far its mean is off by chance.
    """
    change = result - truth
    mean = change.mean(axis=1)
    by_chance = change.var(axis=1).sum(axis=1) / max(change.shape[1] - 1, 1)
    size = np.maximum(np.square(mean).sum(axis=1), 1e-20)
    real = np.sqrt(np.clip(1 - 2 * by_chance / size, 0, 1))
    middle, other = (values.mean(axis=1)[None] for values in (truth, result))
    shift: Array = real * ciede2000(lab(middle), lab(other))[0]
    return shift


def _patchy(truth: Array, result: Array) -> float:
    """The share of the change of colour of windows (n, 16, C) that their own colour does not explain.

    A change of colour, contrast or tone is much the same wherever a colour comes again: a linear function of L*, a*, b*
    and the square of L*. What is left over lies in patches.
    """
    first, second = (lab(values.mean(axis=1)[None])[0].astype(np.float64) for values in (truth, result))
    change, scaled = second - first, first / 100
    known = np.column_stack([np.ones(len(first)), scaled, np.square(scaled[:, 0])])
    left = change - known @ np.linalg.lstsq(known, change, rcond=1e-6)[0]
    free = len(first) - known.shape[1]
    if free < FEWEST or not change.any():
        return 0.0
    return min(1.0, float(np.square(left).sum() / np.square(change).sum()) * len(first) / free)


def _pairs(soft: Soft, explained: bool = False) -> list[tuple[Array, Array]]:
    """Windows of truth and result that count, all where their change is explained: of encoded values, and of light."""
    inside = slice(None) if explained else _inside(soft)
    return [
        (_windows(truth)[inside], _windows(result)[inside])
        for truth, result in ((soft.truth, soft.result), (soft.truth_linear, soft.result_linear))
    ]


def _colour(evidence: Evidence) -> Measured:
    """Noise moves the mean of the encoded values or that of the light; a change of colour moves both.

    Valid range: 32 pixels a side or more, noise up to 20 code values; windows in which noise is clipped do not count,
    unless the change is explained, and where all of them are, it is said.
    """
    explained = evidence.once(explanation)
    pairs = _pairs(evidence.once(_soft), bool(explained))
    shift = np.minimum(*(_shift(*pair) for pair in pairs))
    parts = (*explained, Part(WORST, float(shift.max())), Part(PATCHY, _patchy(*pairs[0])))
    return Measured(float(shift.mean(dtype=np.float64)), parts=parts)


def _tone(evidence: Evidence) -> Measured:
    """Mean change of L* where the truth is darkest, dark, middle, light, lightest; the largest counts."""
    shifts = []
    for truth, result in _pairs(evidence.once(_soft)):
        first, second = (lab(values.mean(axis=1)[None])[0, :, 0] for values in (truth, result))
        ends = np.percentile(first, [end for pair in TONES.values() for end in pair]).reshape(-1, 2)
        change = second - first
        # A tone that no window has is told from the nearest one.
        away = [np.maximum(np.maximum(low - first, first - high), 0) for low, high in ends + WIDER]
        shifts.append([float(change[far <= far.min()].mean()) for far in away])
    both = [0.0 if a * b <= 0 else min(a, b, key=abs) for a, b in zip(*shifts, strict=True)]
    parts = tuple(Part(name, value) for name, value in zip(TONES, both, strict=True))
    return Measured(max(both, key=abs), parts=parts)


def _matrix(weights: tuple[float, float]) -> Real:
    """R'G'B' to Y'CbCr by the luma weights of red and blue [2]_."""
    red, blue = weights
    luma = np.array([red, 1 - red - blue, blue])
    return np.stack(
        [luma, (np.array([0, 0, 1]) - luma) / (2 * (1 - blue)), (np.array([1, 0, 0]) - luma) / (2 * (1 - red))]
    )


OLD, NEW = _matrix((0.299, 0.114)), _matrix((0.2126, 0.0722))
NARROW, START = 219 / 255, 16 / 255
EXPANDED = "full range taken for 16-235"
MISTAKES: dict[str, tuple[Real, float]] = {
    EXPANDED: (np.eye(3) / NARROW, -START / NARROW),
    "16-235 taken for full range": (np.eye(3) * NARROW, START),
    "BT.709 read as BT.601": (np.linalg.inv(OLD) @ NEW, 0.0),
    "BT.601 read as BT.709": (np.linalg.inv(NEW) @ OLD, 0.0),
}


def _distance(one: Array | Real, other: Array | Real) -> float:
    return float(np.sqrt(np.square(one - other).mean(dtype=np.float64)))


def _expanded(soft: Soft) -> tuple[Part, ...]:
    """The mistake that clips, where something is clipped and it leaves less than a tenth of all changes unexplained."""
    truth, result, expanded = (_windows(v).mean(axis=1) for v in (soft.truth, soft.result, soft.expanded))
    there, left = _distance(result, truth), _distance(result, expanded)
    if not soft.clipped.any() or there < LEAST_SHIFT or left >= UNEXPLAINED * there:
        return ()
    return (Part(EXPANDED, 100 * (1 - left / there)),)


def explanation(evidence: Evidence) -> tuple[Part, ...]:
    """What explains how a result's colours differ from its truth's: a mistake of range or matrix, or another contrast.

    The means of 32 x 32 pixels (8 x 8 in small pictures) of the result are fitted by those of the truth with a
    matrix and an offset; the fit is compared with what each of `MISTAKES` would make of the truth, and with one gain
    and one offset for all channels. A mistake is named, with the share of the change that it explains in %, where the
    fit moves colours by one code value or more and the mistake leaves less than a tenth of that unexplained; else, by
    the same rule, the contrast of the result in % of the truth's where it differs by 8 % or more and the means lie
    close to its line. Empty where none does. A picture without colours tells nothing of the matrix. What is clipped is
    left out of the fit: where that is most of the picture, as in a page of print, the one mistake that clips is looked
    for in all of it.
    """
    soft = evidence.once(_soft)
    truth, result = (np.repeat(v, 3, axis=2) if v.shape[2] == 1 else v for v in (soft.truth, soft.result))
    inside = (soft.clipped == 0).all(axis=2) & (np.abs(result - 0.5) < LARGEST).all(axis=2)
    whole = _windows(inside[..., None]).all(axis=(1, 2))
    if whole.sum() >= ENOUGH:
        before, after = (_windows(values)[whole].mean(axis=1).astype(np.float64) for values in (truth, result))
    else:
        before, after = (values[inside].astype(np.float64) for values in (truth, result))
    if len(before) < 16:
        return _expanded(soft)
    sides = np.column_stack([before, np.ones(len(before))])
    # Noise and detail average out in the one change of colours that fits all of the picture best.
    fitted = sides @ np.linalg.lstsq(sides, after, rcond=1e-6)[0]

    there = _distance(fitted, before)
    found = sorted((_distance(before @ m.T + offset, fitted), name) for name, (m, offset) in MISTAKES.items())
    left, name = found[0]
    if there >= LEAST_SHIFT and left < UNEXPLAINED * there:
        return (Part(name, 100 * (1 - left / there)),)
    if mistake := _expanded(soft):
        return mistake
    if there < LEAST_SHIFT:
        return ()
    spread, moved = before - before.mean(), fitted - fitted.mean()
    gain = float((spread * moved).sum() / max(np.square(spread).sum(), 1e-9))
    line = gain * spread + fitted.mean()
    alike = _distance(line, fitted) < UNEXPLAINED * there and _distance(line, after) < SCATTERED * there
    return (Part(CONTRAST, 100 * gain),) if alike and abs(gain - 1) >= LEAST_CONTRAST else ()


MEASURES = [
    Measure(
        "ciede2000_soft", 5, "Colour shift", "ΔE00", "lower", "colour",
        "Colour difference of the means of 32 x 32 pixels, less what noise gives by chance: a change of colour, "
        "contrast or level, not of detail. A wrong range or matrix, or another contrast, is named.",
        "CIE 142-2001; ITU-R BT.601, BT.709", tie=0.05, digits=2, of=_colour, needs=("reference",),
        without_truth="Colour difference from the input of the means of 32 x 32 pixels, less what noise gives by "
        "chance: a change of colour, contrast or level, not of detail. A wrong range or matrix, or another contrast, "
        "is named.",
    ),
    Measure(
        "tone", 2, "Tone shift", "L*", "nearer to zero", "colour",
        "Change of lightness where the truth is darkest, dark, middle, light and lightest (0-2, 20-30, 45-55, 70-80, "
        "98-100 % of its 32 x 32 pixel means); the largest counts. Positive is lighter.",
        "CIE 1976 L*, order statistics", tie=0.1, digits=2, of=_tone, needs=("reference",),
        without_truth="Change of lightness where the input is darkest, dark, middle, light and lightest; the largest "
        "counts. Positive is lighter.",
    ),
]  # fmt: skip
