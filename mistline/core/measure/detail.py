"""Detail by octave: how much of the truth's detail is kept, and how much is there that the truth lacks.

References
----------
.. [1] P. D. Welch, "The use of fast Fourier transform for the estimation of power spectra", IEEE Trans. Audio
       Electroacoust. 15(2), 70-73, 1967.
.. [2] J. S. Bendat, A. G. Piersol, "Random data": the part of one spectrum that is coherent with another.
"""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from scipy.fft import rfft2

from mistline.core.frame import Array
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable, Part

__all__ = ["MEASURES", "OCTAVES", "Detail", "detail_by_octave"]

OCTAVES = {"1/16 to 1/8": 1 / 16, "1/8 to 1/4": 1 / 8, "1/4 to 1/2": 1 / 4}
SIDE = 128
LEAST_TRUTH = 1e-9


@dataclass(frozen=True)
class Detail:
    """Shares of the truth's energy in one octave (lower bound in cycles per pixel): kept and invented."""

    kept: float
    invented: float


def detail_by_octave(truth: Array, result: Array) -> dict[str, Detail]:
    """Split a result's detail by its likeness to the truth, in rings of one octave.

    Both (H, W) lumas in 0..1 are cut into blocks of 128 x 128 that overlap by half and carry a Hann window
    [1]_. With T and R the spectra summed over all blocks of a ring, the gain is g = Re sum(T* R) / sum |T|^2;
    kept is g^2 (the coherent energy [2]_ over the truth's), invented is (sum |R|^2 - g^2 sum |T|^2) /
    sum |T|^2. Kept 1, invented 0 is identical; a blur of transfer h keeps about h^2. Shifted detail counts
    as invented. Edge rule: incomplete blocks do not count.
    """
    height, width = truth.shape
    if min(height, width) < SIDE:
        raise NotMeasurable(f"needs {SIDE} pixels a side or more")
    line = np.hanning(SIDE + 1)[:SIDE].astype(np.float32)
    window = line[:, None] * line
    frequency = np.hypot(*np.meshgrid(np.fft.fftfreq(SIDE), np.fft.rfftfreq(SIDE), indexing="ij"))
    # A real spectrum holds each pair once; columns between the first and last count twice.
    weight = np.full(frequency.shape, 2.0)
    weight[:, [0, -1]] = 1
    rings = np.stack([weight * ((frequency >= low) & (frequency < 2 * low)) for low in OCTAVES.values()])
    rings = rings.reshape(len(OCTAVES), -1).astype(np.float32)

    def row(top: int) -> Array:
        def spectra(values: Array) -> Array:
            band = values[top : top + SIDE]
            cut = np.lib.stride_tricks.sliding_window_view(band, SIDE, axis=1)[:, :: SIDE // 2]
            cut = cut.transpose(1, 0, 2)
            return rfft2((cut - cut.mean((1, 2), keepdims=True)) * window).reshape(len(cut), -1)

        t, r = spectra(truth), spectra(result)
        sums = [(t.real * r.real + t.imag * r.imag).sum(0), (np.abs(t) ** 2).sum(0), (np.abs(r) ** 2).sum(0)]
        return np.stack(sums).astype(np.float64) @ rings.T

    with ThreadPoolExecutor(2) as pool:
        cross, there, found = np.sum(list(pool.map(row, range(0, height - SIDE + 1, SIDE // 2))), axis=0)
    octaves = {}
    for name, c, t, f in zip(OCTAVES, cross, there, found, strict=True):
        if t > LEAST_TRUTH:
            gain = c / t
            octaves[name] = Detail(float(max(gain, 0) ** 2), float(max(f - gain**2 * t, 0) / t))
    if not octaves:
        raise NotMeasurable("the truth has no detail")
    return octaves


def _octaves(evidence: Evidence) -> dict[str, Detail]:
    return detail_by_octave(evidence.truth_luma, evidence.result_luma)


def _summed(evidence: Evidence, field: str) -> Measured:
    parts = tuple(Part(name, 100 * getattr(d, field)) for name, d in evidence.once(_octaves).items())
    return Measured(sum(part.value for part in parts) / len(parts), parts=parts)


def _kept(evidence: Evidence) -> Measured:
    return _summed(evidence, "kept")


def _invented(evidence: Evidence) -> Measured:
    return _summed(evidence, "invented")


SOURCE = "Cross-spectrum in octaves; Welch 1967"
MEASURES = [
    Measure(
        "detail_kept", 1, "Detail kept", "%", "nearer to the truth", "detail",
        "Energy of the truth's own detail that is still there, mean of the octaves from 1/16 to 1/2 cycles "
        "per pixel. Over 100 % is sharpened beyond the truth.",
        SOURCE, tie=0.5, digits=1, of=_kept,
    ),
    Measure(
        "detail_invented", 1, "Detail invented", "%", "lower", "detail",
        "Energy of detail that does not match the truth (noise, wrong texture, shifted lines), as a share of "
        "the truth's; mean of the same octaves.",
        SOURCE, tie=0.5, digits=1, of=_invented,
    ),
]  # fmt: skip
