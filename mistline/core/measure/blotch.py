"""Blotches: soft patches that noise reduction leaves in flat areas, between fine grain and shading.

References
----------
.. [1] A. V. Oppenheim, R. W. Schafer, "Discrete-time signal processing": windowed-sinc filters, the power of
       a band as the mean square of its signal (Parseval).
.. [2] J. S. Bendat, A. G. Piersol, "Random data": the part of one signal that another does not explain.
"""

from functools import lru_cache

import cv2
import numpy as np
import numpy.typing as npt

from mistline.core.frame import Array, Size
from mistline.core.measure.areas import blocks, explained, flat_blocks, without_texture
from mistline.core.measure.measure import Enlarged, Evidence, Measure, Measured, NotMeasurable, luma_of
from mistline.core.resample import resize

__all__ = ["MEASURES", "blotch"]

LEAST_SHRINK, LARGEST = 4, 12
TAPS = 65
SLOWEST = 1 / 64
ABOVE = (0.25, 0.33)  # cycles per pixel at half the shrinking: directly above the patches
TRIED, MOST_TRIED = 256, 2048  # pixels a side of white noise, shrunk and before
FALLEN = 1.3  # by what the energy of grain falls up to there in usual enlargements: Lanczos 1.0, Catmull-Rom 1.25
SURE = 3.0  # standard errors
# Relative variance of both energies together, times the pixels: 2 in the band, 2.7 in the narrower one above it.
DOUBT = 4.7
BLOCK = 8
SPREADS = (1.0, 2.0, 4.0)
# Of white noise the energy of 64 pixels that a fifth of the blocks stay below, over the mean energy.
CALMEST, OF_MEAN = 0.2, 0.85
SEEN = 0.5  # code values: fainter patches nobody sees


def _shrink(factor: float) -> int:
    return max(LEAST_SHRINK, round(2 * factor))


def _shrunk(values: Array, shrink: int, times: int = 1) -> Array:
    """(H, W) brought to `times` pixels for each `shrink` by Lanczos 3."""
    height, width = (length // shrink for length in values.shape)
    whole = values[: height * shrink, : width * shrink, None]
    return np.ascontiguousarray(resize(whole, Size(width * times, height * times), "lanczos3")[..., 0])


def _band(values: Array, slowest: float, fastest: float | None = None) -> Array:
    """What is faster than so many cycles per pixel, and not faster than others, by windowed sincs [1]_."""

    def slower(than: float) -> Array:
        kernel = (np.sinc(2 * than * (np.arange(TAPS) - TAPS // 2)) * np.hamming(TAPS)).astype(np.float32)
        kernel /= kernel.sum()
        return cv2.sepFilter2D(values, cv2.CV_32F, kernel, kernel, borderType=cv2.BORDER_REFLECT)

    return (values if fastest is None else slower(fastest)) - slower(slowest)


def _new_energy(
    reference: Array, result: Array, flat: npt.NDArray[np.bool_], side: int, band: tuple[float, float | None]
) -> float:
    """Mean square in a band of what is new in flat blocks, and does not grow with the reference's own texture [2]_."""
    wanted = blocks(_band(result, *band), side)[flat].astype(np.float64)
    sides = [reference, *(cv2.GaussianBlur(reference, (0, 0), spread) for spread in SPREADS)]
    parts = np.stack([blocks(_band(one, *band), side)[flat] for one in sides]).astype(np.float64)
    left = np.square(wanted - explained(wanted, parts)).mean(1)
    return float(without_texture(left[:, None], np.square(parts[0]).mean(1))[0])


@lru_cache
def _of_white(shrink: int) -> float:
    """Energy of white noise in the band of the patches over that directly above it, by these very filters."""
    side = shrink * min(TRIED, MOST_TRIED // shrink)
    noise = np.random.default_rng(1).standard_normal((side, side), np.float32)
    slow, above = _band(_shrunk(noise, shrink), SLOWEST * shrink), _band(_shrunk(noise, shrink, 2), *ABOVE)
    return float(np.square(slow).mean() / np.square(above).mean())


def blotch(reference: Array, result: Array, factor: float = 1) -> float:
    """RMS, in 8-bit code values, of what a result adds between 1/64 and 1/8 cycles per pixel in flat areas.

    Both (H, W) lumas in 0..1 are shrunk 4 times by Lanczos 3, which ends at 1/8 cycles per pixel, and what is
    slower than 1/64 is taken off by a windowed sinc of 65 taps [1]_. In the flattest quarter of the reference,
    in blocks of 8 x 8 shrunk pixels, the band of the result is fitted by that of the reference and three blurs
    of it, so that neither a blur nor another contrast counts; what is left over is a blotch [2]_. What grows
    with the reference's own texture does not count either, nor does what grain has there: as much as white noise
    that has the energy found directly above, a third more where the picture was enlarged, and three standard errors of
    that. After an enlargement of more than 2 times the band ends at 1 / (4 factor) already, so that detail that the
    input could not hold does not count. Valid range: 0.1 to 127 code values, from half of the noise on (fainter
    patches hide in it); factors up to 12; 128 pixels a side or more. Edges mirrored.
    """
    shrink = _shrink(factor)
    if factor > LARGEST:
        raise NotMeasurable(f"an input more than {LARGEST} times smaller holds nothing as slow as patches are")
    if min(reference.shape) < 4 * shrink * BLOCK:
        raise NotMeasurable(f"needs {4 * shrink * BLOCK} pixels a side or more")
    before, after = (_shrunk(values, shrink) for values in (reference, result))
    flat = flat_blocks(before, BLOCK)
    if flat.sum() < 4:
        raise NotMeasurable("there is no flat area")
    found = _new_energy(before, after, flat, BLOCK, (SLOWEST * shrink, None))
    finer = [_shrunk(values, shrink, 2) for values in (reference, result)]
    above = _new_energy(finer[0], finer[1], flat, 2 * BLOCK, ABOVE)
    chance = SURE * (DOUBT / (flat.sum() * BLOCK**2)) ** 0.5
    grain = (FALLEN if factor > 1 else 1.0) * (1 + chance) * _of_white(shrink) * above
    return 255 * float(max(0.0, found - grain)) ** 0.5


def _calm(brightness: Array) -> float:
    """RMS of the finest detail in the calmest of the flat blocks, code values: no noise that is there is stronger."""
    fine = brightness - cv2.GaussianBlur(brightness, (0, 0), 1.0, borderType=cv2.BORDER_REFLECT)
    flat = flat_blocks(brightness, BLOCK)
    if not flat.any():
        return 0.0
    energies = np.square(blocks(fine, BLOCK)[flat]).mean(1)
    return 255 * float(np.quantile(energies, CALMEST) / OF_MEAN) ** 0.5


def _of(evidence: Evidence) -> Measured:
    """Without a truth the input's own noise hides patches: what of it lies in their band is taken off.

    Of white noise in the input that is `factor` / shrink; less than twice as much as that is not told.
    """
    found, reference = blotch(evidence.reference_luma, evidence.result_luma, evidence.factor), evidence.reference
    if not isinstance(reference, Enlarged):
        return Measured(found)
    given = reference.small
    share = evidence.factor / _shrink(evidence.factor)
    hidden = share * evidence.once_of_reference(_calm, lambda: _calm(luma_of(given)))
    if found < 2 * hidden and 2 * hidden > SEEN:
        raise NotMeasurable(f"patches below {2 * hidden:.1f} cv hide in what the input itself has")
    return Measured(max(found**2 - hidden**2, 0.0) ** 0.5)


MEASURES = [
    Measure(
        "blotch", 3, "Blotches", "cv", "lower", "noise",
        "Soft patches in flat areas that the truth does not have, beyond those that even grain has, in 8-bit code "
        "values (cv).",
        "Unexplained band power, 1/64 to 1/8 cycles per pixel", tie=0.05, digits=2, of=_of,
        needs=("reference",),
        without_truth="Soft patches in flat areas that the input does not have, in 8-bit code values (cv).",
    )
]  # fmt: skip
