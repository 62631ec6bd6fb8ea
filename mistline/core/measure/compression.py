"""Compression squares, wherever their grid lies and however it was enlarged; and the steps of too few bits.

References
----------
.. [1] Z. Wang, A. C. Bovik, B. L. Evans, "Blind measurement of blocking artifacts in images", ICIP 2000: the
       difference signal at the block grid against elsewhere, and its power at the grid's frequency.
.. [2] ITU-T T.81, "Digital compression and coding of continuous-tone still images", 1992: 8 x 8 blocks.
.. [3] K. V. Mardia, P. E. Jupp, "Directional statistics", 2000: the length of the mean vector of phases.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.ndimage import median_filter

from mistline.core.frame import Array
from mistline.core.measure.areas import blocks
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable, Part, depth, plane_of

__all__ = ["MEASURES", "Grid", "block_grid", "effective_bits"]

SMALLEST_PITCH, LARGEST_PITCH = 7.0, 66.0
HARMONICS = 4
FINER, USUAL = 4, 41
MOST_POWER, LEAST_POWER, LEAST_FIRST = 40.0, 9.0, 4.0  # against what is usual at frequencies nearby
PERIODS = 6
WIDER = 0.3  # so much of the finer grid's strength the lines of a wider one must have over those between
SMOOTH_SIDE = 16
SMOOTH = 1.5 / 255
FEWEST_CODES = 6
TOGETHER = 0.5
MOST_BLOCKS = 2000

Real = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Grid:
    """A grid of squares: pitch in pixels, where its first lines stand, and how much larger steps are on it, in %."""

    pitch: float
    left: float
    top: float
    strength: float


def _steps(brightness: Array, across: int) -> Real:
    """Mean absolute change over `across` pixels at each boundary between two columns; strong edges count as 8 cv."""
    change = np.abs(brightness[:, across:] - brightness[:, :-across])
    return np.minimum(change, 8 / 255).mean(axis=0, dtype=np.float64)


def _quick(steps: Real) -> Real:
    """The steps without their slow course; single strong ones count no more than three deviations."""
    level = steps - median_filter(steps, size=2 * round(LARGEST_PITCH / 4) + 1, mode="reflect")
    return np.clip(level - level.mean(), -3 * level.std(), 3 * level.std())


def _spectrum(steps: Real) -> Real:
    """Power of the steps over what is usual at frequencies nearby, four times finer than their length gives."""
    power = np.abs(np.fft.rfft(_quick(steps), FINER * len(steps))) ** 2
    usual = median_filter(power, size=USUAL * FINER, mode="reflect") / np.log(2)
    return np.minimum(power / np.maximum(usual, 1e-20), MOST_POWER)


def block_grid(brightness: Array) -> Grid | None:
    """The grid of compression squares in (H, W) luma, or None where no grid stands out.

    The steps between neighbouring columns, and between rows, are looked through for a period of 7 to 66 pixels
    [1]_: every pitch that the picture can tell apart, at any offset. A grid has power at its frequency and at
    the next three multiples of it, both ways, far above what is usual at frequencies nearby.
    """
    if min(brightness.shape) < PERIODS * 8:
        raise NotMeasurable(f"needs {PERIODS * 8} pixels a side or more")
    profiles = [_steps(brightness, 1), _steps(np.ascontiguousarray(brightness.T), 1)]
    most = min(LARGEST_PITCH, min(brightness.shape) / PERIODS)
    pitches = 1 / np.arange(1 / most, 1 / SMALLEST_PITCH, 1 / (FINER * max(brightness.shape)))
    spectra = [_spectrum(steps) for steps in profiles]

    def score(pitch: Real) -> Real:
        """Of each pitch; a grid is one both ways, so the weaker direction counts."""
        found = []
        for steps, power in zip(profiles, spectra, strict=True):
            places = np.rint(FINER * len(steps) * np.arange(1, HARMONICS + 1) / pitch[:, None]).astype(int)
            seen = np.where(places < len(power), power[np.minimum(places, len(power) - 1)], np.nan)
            found.append(np.where(seen[:, 0] > LEAST_FIRST, np.nanmean(seen, axis=1), 0))
        return np.minimum(*found)

    scores = score(pitches)
    best = int(np.argmax(scores))
    if scores[best] < LEAST_POWER:
        return None
    pitch = float(pitches[best])
    grid = _placed(brightness, profiles, pitch)
    # A grid twice or three times as wide has all these frequencies too, and weaker steps on the lines between its own.
    for times in (3, 2):
        if times * pitch <= most and score(np.array([times * pitch]))[0] > LEAST_POWER:
            wider = _placed(brightness, profiles, times * pitch)
            between = [number / times for number in range(1, times)]
            if _strength(brightness, wider.pitch, (wider.left, wider.top), between) > WIDER * grid.strength:
                return wider
    return grid


def _placed(brightness: Array, profiles: list[Real], pitch: float) -> Grid:
    """The grid of about this pitch: its exact one, where its lines stand, and how strong they are."""
    near = 1 / (1 / pitch + np.linspace(-1, 1, 81) / (FINER * max(brightness.shape)))
    waves = [_wave(steps, near) for steps in profiles]
    exact = int(np.argmax(np.abs(waves[0]) ** 2 + np.abs(waves[1]) ** 2))
    pitch = float(near[exact])
    starts = [float((np.angle(wave[exact]) / (2 * np.pi) * pitch) % pitch) for wave in waves]
    return Grid(pitch, starts[0], starts[1], _strength(brightness, pitch, starts))


def _wave(steps: Real, pitches: Real) -> npt.NDArray[np.complex128]:
    """The steps' wave at each pitch; its angle tells where the first line stands."""
    waves: npt.NDArray[np.complex128] = np.exp(
        2j * np.pi * (np.arange(len(steps)) + 1) / pitches[:, None]
    ) @ _quick(steps)
    return waves


def _strength(
    brightness: Array, pitch: float, starts: Sequence[float], between: Sequence[float] = (0.5,)
) -> float:
    """Steps over an eighth of the pitch at the grid lines, against those at shares of the pitch between them, in %."""
    across = max(1, round(pitch / 8))
    on: list[Real] = []
    off: list[Real] = []
    for plane, start in zip((brightness, np.ascontiguousarray(brightness.T)), starts, strict=True):
        steps = _steps(plane, across)  # the step at index i lies between the pixels i and i + across
        for kept, first in ((on, start), *((off, start + share * pitch) for share in between)):
            index = np.rint(np.arange(first, len(steps) + across, pitch) - (across + 1) / 2).astype(int)
            kept.append(steps[index[(index >= 0) & (index < len(steps))]])
    elsewhere = float(np.concatenate(off).mean())
    return (float(np.concatenate(on).mean()) / max(elsewhere, 1e-5) - 1) * 100


def blockiness(brightness: Array) -> tuple[float, Grid | None]:
    """How much larger, in %, luma steps are on the grid of compression squares; 0 where none stands out.

    Valid range: grids of 7 to 66 pixels (8 x 8 squares enlarged up to 8 times, cropped anywhere),
    48 pixels a side and six squares or more. Noise beyond about 10 code values hides a grid; an enlarged one in texture
    may be told at a half or a third of its pitch.
    """
    grid = block_grid(brightness)
    return (max(grid.strength, 0.0), grid) if grid else (0.0, None)


def effective_bits(plane: Array, bit_depth: int) -> Measured:
    """Bits that smooth areas of an (H, W) plane in 0..1 really use.

    Blocks of 16 x 16 that deviate from a plane by less than 1.5 code values of 8 bits are smooth. For each depth
    from 5 bits up the values are turned into phases between two codes of that depth; equal weight goes to each
    code of 8 bits that occurs. Where values lie whole codes apart, the mean vector is long [3]_: the least depth at
    which it is half as long as can be is the answer. A code is a share of the full range, or of one of 8 or 16 bits
    whose last bits are always the same. So 12 bits in a box of 16 are told as 12, and an 8-bit picture that was
    enlarged still rests on its 8-bit codes wherever it is smooth: its banding shows.

    Valid range: 6 different 8-bit codes in smooth areas; noise above half a step of the depth hides the steps of a
    picture that was resampled, and then no fewer bits are told.
    """
    cut = blocks(plane, SMOOTH_SIDE)
    if cut.shape[1] != SMOOTH_SIDE**2:
        raise NotMeasurable(f"needs {SMOOTH_SIDE} pixels a side or more")
    line = (np.arange(SMOOTH_SIDE) - (SMOOTH_SIDE - 1) / 2).astype(np.float32)
    sides = np.stack([np.repeat(line, SMOOTH_SIDE), np.tile(line, SMOOTH_SIDE)])
    sides /= np.linalg.norm(sides, axis=1, keepdims=True)
    level = cut - cut.mean(axis=1, keepdims=True)
    slopes = level @ sides.T
    rough = np.sqrt(np.maximum(np.square(level).sum(1) - np.square(slopes).sum(1), 0) / SMOOTH_SIDE**2)
    inside = (cut.min(axis=1) > 1 / 255) & (cut.max(axis=1) < 254 / 255)
    smooth = cut[(rough < SMOOTH) & inside]
    values = smooth[:: max(1, len(smooth) // MOST_BLOCKS)].astype(np.float64)
    code = np.rint(values * 255).astype(int).ravel()
    count = np.bincount(code, minlength=256)
    codes = np.flatnonzero(count >= SMOOTH_SIDE)
    if len(codes) < FEWEST_CODES:
        raise NotMeasurable("there are no smooth ramps")
    long = max(TOGETHER, 1.5 / len(codes) ** 0.5)

    def together(scale: float) -> float:
        """Length of the mean vector where two codes lie 1 / scale apart."""
        place = values.ravel() * scale
        turn = (2 * np.pi * (place - np.floor(place))).astype(np.float32)
        sums = (
            np.bincount(code, part, minlength=256)[codes] / count[codes] for part in (np.cos(turn), np.sin(turn))
        )
        return float(np.hypot(*(each.mean() for each in sums)))

    for bits in range(5, bit_depth + 1):
        longer = (2**bits - 2.0 ** (bits - of) for of in (8, 16) if bits < of <= bit_depth)
        if any(together(scale) > long for scale in (2**bits - 1, *longer)):
            break
    return Measured(float(bits), parts=(Part("smooth blocks", float(len(values))),))


def _blocks(evidence: Evidence) -> Measured:
    value, grid = blockiness(evidence.result_luma)
    return Measured(value, parts=(Part("pitch, px", round(grid.pitch, 2)),) if grid else ())


def _bits(evidence: Evidence) -> Measured:
    middle = plane_of(evidence.result, lambda pixels: pixels[..., pixels.shape[2] // 2], 256)
    return effective_bits(middle, depth(evidence.result))


MEASURES = [
    Measure(
        "blockiness", 3, "Compression squares", "%", "nearer to zero", "compression",
        "How much larger steps are on a grid of squares than between its lines; the grid is looked for at any place "
        "and size. 0 where no grid stands out.",
        "Wang, Bovik, Evans 2000", tie=1.0, digits=1, of=_blocks, needs=(),
        without_truth="How much larger steps are on a grid of squares than between its lines. 0 where none stands out.",
    ),
    Measure(
        "effective_bits", 3, "Effective bits", "bit", "higher", "compression",
        "Bits really used in smooth areas: 8 in a 16-bit file betrays an 8-bit step on the way, and bands.",
        "Mean phase between the code values; Mardia, Jupp 2000", tie=0.3, digits=0, of=_bits, needs=(),
        without_truth="Bits really used in smooth areas: 8 in a 16-bit file betrays an 8-bit step, and bands.",
    ),
]  # fmt: skip
