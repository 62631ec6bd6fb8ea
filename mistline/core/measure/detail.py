"""Detail by octave and place: how much of the truth's detail is kept, and how much is there that the truth lacks.

References
----------
.. [1] P. D. Welch, "The use of fast Fourier transform for the estimation of power spectra", IEEE Trans. Audio
       Electroacoust. 15(2), 70-73, 1967.
.. [2] J. S. Bendat, A. G. Piersol, "Random data": the part of one spectrum that is coherent with another.
"""

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import cv2
import numpy as np
from scipy.fft import rfft2

from mistline.core.frame import Array
from mistline.core.measure.areas import halved
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable, Part
from mistline.core.measure.noise import noise_added
from mistline.core.threads import on_threads

__all__ = ["LESS_NOISE", "MEASURES", "OCTAVES", "Detail", "Octave", "detail_by_octave", "held"]

# Lower ends in cycles per pixel; the last one reaches to the corner of the spectrum, 0.71 cycles per pixel.
OCTAVES = {"1/32 to 1/16": 1 / 32, "1/16 to 1/8": 1 / 16, "1/8 to 1/4": 1 / 8, "1/4 and finer": 1 / 4}
SIDE = 64
KEPT = 2**20  # pixels of a truth whose spectra are kept for its other results
NOISE_SLACK = 1.3  # noise is known to 10 % of its sigma
PLAIN = "by plain enlargement"
LESS_NOISE = ", less noise"
LEAST = 1 / 255  # deviation of one code value in an octave: less than that is no detail to speak of


Known = dict[tuple[int, int], Array]  # by height of the plane and first row


@dataclass(frozen=True)
class Octave:
    """Shares of the truth's energy in one octave: kept and invented; kept is None where the truth has none.

    `there` is the truth's energy, one code value's at least, and `extra` that of what is invented: squares of 0..1.
    """

    kept: float | None
    invented: float
    there: float
    extra: float


@dataclass(frozen=True)
class Detail:
    """The octaves, and maps (rows, columns of half windows) of the energy lost and invented against the truth's."""

    octaves: dict[str, Octave]
    lost: Array
    invented: Array


def held(factor: float) -> list[str]:
    """Octaves that an input `factor` times smaller can hold: up to 1 / (2 factor) cycles per pixel.

    >>> held(4)
    ['1/32 to 1/16', '1/16 to 1/8']
    >>> held(16)
    []
    """
    return [name for name, low in OCTAVES.items() if 2 * low <= 0.5 / factor + 1e-9]


def _rings(lows: list[float], last: bool) -> Array:
    """Weights (rings, frequencies) of half octaves from each lower end; a real spectrum holds each pair once."""
    frequency = np.hypot(*np.meshgrid(np.fft.fftfreq(SIDE), np.fft.rfftfreq(SIDE), indexing="ij"))
    weight = np.full(frequency.shape, 2.0)
    weight[:, [0, -1]] = 1
    edges = [low * step for low in lows for step in (1, 2**0.5)] + [2 * lows[-1]] + ([0.8] if last else [])
    return np.stack([(weight * ((frequency >= a) & (frequency < b))).ravel() for a, b in pairwise(edges)]).astype(
        np.float32
    )


@lru_cache(maxsize=1)
def _window() -> Array:
    line = np.hanning(SIDE + 1)[:SIDE].astype(np.float32)
    window: Array = line[:, None] * line / np.float32(SIDE * np.mean(line**2))
    return window


def _spectra(values: Array, top: int) -> Array:
    """The spectra of the windows that begin at a row."""
    cut = np.lib.stride_tricks.sliding_window_view(values[top : top + SIDE], SIDE, axis=1)
    cut = cut[:, :: SIDE // 2].transpose(1, 0, 2)
    found: Array = rfft2((cut - cut.mean((1, 2), keepdims=True)) * _window()).reshape(len(cut), -1)
    return found


def _energies(truth: Array, result: Array, rings: Array, known: Known | None = None) -> tuple[Array, Array, Array]:
    """Coherent, the truth's and the result's energy of each window and ring: (rows, columns, rings) each."""

    def of_truth(top: int) -> Array:
        if known is None:
            return _spectra(truth, top)
        key = len(truth), top
        if key not in known:
            known[key] = _spectra(truth, top)
        return known[key]

    def row(top: int) -> Array:
        t, r = of_truth(top), _spectra(result, top)
        products = [t.real * r.real + t.imag * r.imag, np.abs(t) ** 2, np.abs(r) ** 2]
        return np.stack([product @ rings.T for product in products]) / np.float32(SIDE**2)

    rows = range(0, truth.shape[0] - SIDE + 1, SIDE // 2)
    cross, there, found = np.stack(on_threads(row, rows, truth.size), 1)
    coherent = np.where(cross > 0, cross**2 / np.maximum(there, 1e-20), 0)
    return np.minimum(coherent, found), there, found


def detail_by_octave(truth: Array, result: Array, known: Known | None = None) -> Detail:
    """Split a result's detail by its likeness to the truth, window by window, in octaves up to the corner.

    Both (H, W) lumas in 0..1 are cut into windows of 64 x 64 that overlap by half and carry a Hann window [1]_;
    the octave from 1/32 is read at half the size. In every window and half octave the coherent energy [2]_ is
    (Re sum T* R)^2 / sum |T|^2 where that sum is positive: a gain of its own for each place, so that a local
    blur loses and does not invent. Kept is the coherent energy over the truth's, both summed over the windows;
    invented is the rest of the result's energy over the truth's, 1 at most. An octave in which the truth
    deviates by less than one code value has no kept share, and counts as one code value for the invented one.

    Kept 1, invented 0 is identical; a blur of transfer h keeps h^2; reversed detail is all invented; a shift by
    s keeps cos^2(2 pi f s). Valid range: 128 pixels a side or more; every noise, blur and factor. Edge rule:
    incomplete windows at the right and bottom do not count. In `known` stays what was read off the truth, for its other
    results.
    """
    if min(truth.shape) < 2 * SIDE:
        raise NotMeasurable(f"needs {2 * SIDE} pixels a side or more")
    lows = list(OCTAVES.values())
    fine = _energies(truth, result, _rings(lows[1:], last=True), known)
    coarse = _energies(halved(truth), halved(result), _rings([2 * lows[0]], last=False), known)
    parts = [[values.sum(2) for values in coarse]]
    for first, stop in ((0, 2), (2, 4), (4, 7)):
        parts.append([values[..., first:stop].sum(2) for values in fine])
    octaves = {}
    for name, (coherent, there, found) in zip(OCTAVES, parts, strict=True):
        t, floor = float(there.mean()), LEAST**2
        extra, least = float((found - coherent).mean()), max(t, floor)
        kept = float(coherent.mean()) / t if t >= floor else None
        octaves[name] = Octave(kept, min(extra / least, 1.0), least, extra)
    if all(octave.kept is None for octave in octaves.values()) and not any(
        o.invented > 0.01 for o in octaves.values()
    ):
        raise NotMeasurable("the truth has no detail")
    coherent, there, found = (values.sum(2) for values in fine)
    least = np.maximum(there, LEAST**2)
    lost = np.clip(1 - np.minimum(coherent / least, there / least) - (there < LEAST**2), 0, 1)
    return Detail(octaves, lost.astype(np.float32), np.clip((found - coherent) / least, 0, 1).astype(np.float32))


def _octaves(evidence: Evidence) -> Detail:
    truth = evidence.truth_luma
    known: Known | None = evidence.once_of_reference(detail_by_octave, dict) if truth.size <= KEPT else None
    return detail_by_octave(truth, evidence.result_luma, known)


def _map(grid: Array, evidence: Evidence) -> Array:
    """A map as large as the frame: the half windows stand 32 pixels apart, the first one at 32."""
    height, width = evidence.truth_luma.shape
    half = SIDE // 2
    x = (np.arange(width, dtype=np.float32) + 0.5) / half - 1
    y = (np.arange(height, dtype=np.float32) + 0.5) / half - 1
    wide: Array = cv2.remap(grid, *np.meshgrid(x, y), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return wide


def _kept(evidence: Evidence) -> Measured:
    found = evidence.once(_octaves)
    parts = tuple(Part(name, 100 * o.kept) for name, o in found.octaves.items() if o.kept is not None)
    if not parts:
        raise NotMeasurable("the truth has no detail")
    mean = sum(part.value for part in parts) / len(parts)
    possible = [part.value for part in parts if part.name in held(evidence.factor)]
    worst = (Part("worst octave that the input holds", min(possible)),) if possible else ()
    return Measured(mean, _map(found.lost, evidence), parts + worst)


def _invented(evidence: Evidence) -> Measured:
    """The parts are the octaves, and the octaves less what the noise of flat areas makes everywhere."""
    found = evidence.once(_octaves)
    parts = tuple(Part(name, 100 * octave.invented) for name, octave in found.octaves.items())
    possible = [part.value for part in parts if part.name in held(evidence.factor)]
    worst = (Part("worst octave that the input holds", max(possible)),) if possible else ()
    mean = sum(part.value for part in parts) / len(parts)
    noise = noise_added(evidence)

    def less_noise(name: str, octave: Octave) -> Part:
        by_noise = NOISE_SLACK * (noise.get(name, 0.0) / 255) ** 2
        return Part(name + LESS_NOISE, 100 * min(max(octave.extra - by_noise, 0.0) / octave.there, 1.0))

    without = tuple(less_noise(name, octave) for name, octave in found.octaves.items())
    return Measured(mean, _map(found.invented, evidence), parts + worst + without)


def _beyond(evidence: Evidence) -> Measured:
    """Detail that is finer than the input can hold, RMS in 8-bit code values, together and by octave.

    That is what lies beyond 1 / (2 factor) cycles per pixel across or down, and beyond 1/16. A plain enlargement leaves
    some there too, which is none: the last part is that of the input, linearly enlarged. Valid range: 128 pixels a side
    or more, enlargements.
    """
    if evidence.factor <= 1:
        raise NotMeasurable("at the same size the input holds every detail")
    if min(evidence.result_luma.shape) < 2 * SIDE:
        raise NotMeasurable(f"needs {2 * SIDE} pixels a side or more")
    lowest, (*_, finest) = 0.5 / evidence.factor, OCTAVES
    across, down = np.meshgrid(np.fft.rfftfreq(SIDE), np.abs(np.fft.fftfreq(SIDE)))
    beyond = (np.maximum(across, down) > lowest - 1e-9).ravel().astype(np.float32)
    octaves = {name: low for name, low in OCTAVES.items() if low >= 1 / 16 and 2 * low > lowest}
    rings = np.stack([beyond * _rings([low], last=name == finest).sum(0) for name, low in octaves.items()])
    _, plain, found = _energies(evidence.reference_luma, evidence.result_luma, rings)
    energies, left = (each.mean((0, 1), dtype=np.float64) for each in (found, plain))
    parts = {**dict(zip(octaves, energies, strict=True)), PLAIN: left.sum()}
    figures = tuple(Part(name, 255 * float(energy) ** 0.5) for name, energy in parts.items())
    return Measured(255 * float(energies.sum()) ** 0.5, parts=figures)


SOURCE = "Local coherence in octaves; Bendat, Piersol; Welch 1967"
MEASURES = [
    Measure(
        "detail_kept", 2, "Detail kept", "%", "nearer to the truth", "detail",
        "Energy of the truth's own detail that is still there, place by place, mean of the octaves from 1/32 cycle "
        "per pixel to the finest. Over 100 % is sharpened beyond the truth.",
        SOURCE, tie=0.5, digits=1, of=_kept,
    ),
    Measure(
        "detail_invented", 3, "Detail invented", "%", "lower", "detail",
        "Energy of detail that does not match the truth (noise, wrong texture, shifted lines), as a share of "
        "the truth's, 100 % at most in each octave; mean of the same octaves.",
        SOURCE, tie=0.5, digits=1, of=_invented,
    ),
    Measure(
        "detail_beyond", 2, "Detail beyond the input", "cv", "nearer to the truth", "detail", "",
        SOURCE, tie=0.1, digits=2, of=_beyond, needs=("reference",),
        without_truth="Detail and noise finer than the input can hold, RMS in 8-bit code values (cv). Whether it is "
        "right only a truth could tell.",
    ),
]  # fmt: skip
