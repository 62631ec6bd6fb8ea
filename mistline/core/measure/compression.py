"""Compression squares that were enlarged along, and the steps of too few bits.

References
----------
.. [1] Z. Wang, A. C. Bovik, B. L. Evans, "Blind measurement of blocking artifacts in images", ICIP 2000: the
       difference signal at the block grid against elsewhere.
.. [2] ITU-T T.81, "Digital compression and coding of continuous-tone still images", 1992: 8 x 8 blocks.
"""

import numpy as np

from mistline.core.frame import Array
from mistline.core.measure.areas import blocks
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable, Part

__all__ = ["MEASURES", "blockiness", "effective_bits", "grid_pitch"]

BLOCK = 8  # [2]_
RAMP_SIDE = 32
LEAST_RANGE, MOST_RANGE = 2 / 255, 24 / 255
MOST_ROUGH = 0.4 / 255


def _steps(brightness: Array, axis: int, across: int) -> Array:
    """Mean absolute change over `across` pixels, at each boundary between two pixels, along one axis."""
    values = brightness if axis == 1 else brightness.T
    change = np.abs(values[:, across:] - values[:, :-across]).mean(axis=0, dtype=np.float64)
    lead = np.full((across - 1) // 2 + 1, np.nan)
    tail = np.full(len(values[0]) - len(lead) - len(change), np.nan)
    return np.concatenate([lead, change, tail])


def blockiness(brightness: Array, factor: float) -> float:
    """How much larger, in %, luma steps are across an 8 x 8 grid that was enlarged by `factor` [1]_.

    The change of (H, W) luma over about `factor` pixels at the grid lines is compared with that halfway
    between them, both ways together. 0 is no grid; a picture may give a few percent to either side by
    chance.
    """
    pitch, across = BLOCK * factor, max(1, round(factor))
    if min(brightness.shape) < 4 * pitch:
        raise NotMeasurable(f"needs {4 * pitch:.0f} pixels a side or more")
    on, off = [], []
    for axis in (0, 1):
        steps = _steps(brightness, axis, across)
        count = int((len(steps) - pitch) / pitch)
        on.append(steps[np.round(pitch * np.arange(1, count + 1)).astype(int)])
        off.append(steps[np.round(pitch * (np.arange(1, count) + 0.5)).astype(int)])
    elsewhere = float(np.nanmean(np.concatenate(off)))
    if elsewhere < 1e-6:
        raise NotMeasurable("the picture is flat")
    return (float(np.nanmean(np.concatenate(on))) / elsewhere - 1) * 100


def grid_pitch(brightness: Array, smallest: int = 4, largest: int = 64) -> tuple[int, float]:
    """The pitch in pixels of the most regular grid from the top left, and its strength in %.

    Strength is that of steps on the grid against all others; below about 10 % there is no grid.
    """
    profiles = [_steps(brightness, axis, 1) for axis in (0, 1)]

    def strength(pitch: int) -> float:
        on = np.concatenate([p[pitch::pitch] for p in profiles])
        off = np.concatenate([np.delete(p, np.s_[pitch::pitch]) for p in profiles])
        return float((np.nanmean(on) / max(np.nanmean(off), 1e-9) - 1) * 100)

    found = {pitch: strength(pitch) for pitch in range(smallest, min(largest, min(brightness.shape) // 4) + 1)}
    # A multiple of the true pitch is as strong: the smallest that comes near the best is the pitch.
    best = max(found.values())
    pitch = min(p for p, value in found.items() if value >= 0.85 * best)
    return pitch, found[pitch]


def effective_bits(pixels: Array, bit_depth: int) -> Measured:
    """Bits in use in the smooth ramps of (H, W, C) pixels in 0..1: log2 of 1 over the common step, plus one.

    Blocks of 32 x 32 of the second (or only) channel count as ramps when they span 2 to 24 code values of
    8 bits and are smoother than 0.4 from pixel to pixel; the step is the median gap between the code values
    used in a block, and the value the median over the blocks. Never above `bit_depth`.
    """
    plane = pixels[..., 1 if pixels.shape[2] == 3 else 0]
    cut = blocks(plane, RAMP_SIDE)
    span = cut.max(1) - cut.min(1)
    square = cut.reshape(len(cut), -1, RAMP_SIDE) if cut.shape[1] % RAMP_SIDE == 0 else cut[:, None]
    rough = np.median(np.abs(np.diff(square, axis=2)), axis=(1, 2))
    ramps = np.flatnonzero((span >= LEAST_RANGE) & (span <= MOST_RANGE) & (rough < MOST_ROUGH))
    if len(ramps) < 4:
        raise NotMeasurable("there are no smooth ramps")
    levels, bits = 2**bit_depth - 1, []
    for block in ramps[:: max(1, len(ramps) // 400)]:
        used = np.unique(np.round(cut[block] * levels).astype(np.int64))
        bits.append(np.log2(levels / float(np.median(np.diff(used))) + 1))
    return Measured(float(min(np.median(bits), bit_depth)), parts=(Part("ramps", float(len(ramps))),))


def _blocks(evidence: Evidence) -> Measured:
    return Measured(blockiness(evidence.result_luma, evidence.factor))


def _bits(evidence: Evidence) -> Measured:
    return effective_bits(evidence.result.pixels, evidence.result.bit_depth)


MEASURES = [
    Measure(
        "blockiness", 1, "Compression squares", "%", "nearer to zero", "compression",
        "How much larger steps are on the enlarged 8 x 8 grid than between its lines. A few percent come by "
        "chance.",
        "Wang, Bovik, Evans 2000", tie=1.0, digits=1, of=_blocks, needs=("input",),
    ),
    Measure(
        "effective_bits", 1, "Effective bits", "bit", "higher", "compression",
        "Bits really used in smooth ramps: 8 in a 16-bit file betrays an 8-bit step on the way.",
        "Common practice: gaps between the code values in use", tie=0.3, digits=1, of=_bits, needs=(),
    ),
]  # fmt: skip
