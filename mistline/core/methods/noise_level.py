"""How noise depends on brightness, and the change of values that makes it even.

A sensor's noise has a variance in linear light of a part that grows with the light (shot noise) and a constant one
(read noise). Encoded values carry it in another shape; a table of their noise against brightness gives a curve of
values on which it is the same everywhere, so that any filter for even noise can be used between it and its inverse.

References
----------
.. [1] A. Foi, M. Trimeche, V. Katkovnik, K. Egiazarian, "Practical Poissonian-Gaussian noise modeling and fitting for
       single-image raw-data", IEEE Trans. Image Process. 17(10), 1737-1754, 2008.
.. [2] M. Makitalo, A. Foi, "Optimal inversion of the generalized Anscombe transformation for Poisson-Gaussian noise",
       IEEE Trans. Image Process. 22(1), 91-103, 2013: the inverse must undo the mean of the changed noisy values.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
import numpy.typing as npt

from mistline.core.frame import Array, decode_srgb, encode_srgb

__all__ = ["Fit", "Rule", "even_out", "fit_curve", "relative_sigma", "undo"]

Rule = Literal["even", "sensor"]
Real = npt.NDArray[np.float64]

MIDDLE = 0.5
MIDDLE_LIGHT = ((MIDDLE + 0.055) / 1.055) ** 2.4
MIDDLE_SLOPE = 2.4 / 1.055 * ((MIDDLE + 0.055) / 1.055) ** 1.4  # of light against the encoded value
STEPS = 2048
NODES, WEIGHTS = np.polynomial.hermite_e.hermegauss(15)
CLEARLY = 0.5  # one rule must explain the curve so much better than the other
UNEVEN, CHANCE = 0.07, 0.03  # root mean square of the logarithm of sigma: what counts, and what comes by chance
WIDE = 0.12  # of brightness, that a curve must span to tell the two apart
LEAST_READ, LOWER = 0.002, 0.35
READS = (0.02, 0.05, 0.1)


@dataclass(frozen=True)
class Fit:
    """What a noise curve is like: its rule, the share of read noise, and sigma at the middle brightness."""

    rule: Rule
    read: float
    sigma: float


def relative_sigma(level: Array, rule: Rule, read: float) -> Real:
    """Sigma of encoded values at each brightness 0..1, against that at 0.5.

    A sensor's variance in linear light L is (1 - read) L / L(0.5) + read, times that at 0.5; the slope of the encoding
    turns it into one of encoded values [1]_.
    """
    v = np.clip(np.asarray(level, np.float64), 0, 1)
    if rule == "even":
        return np.ones_like(v)

    slope = np.where(v <= 0.04045, 1 / 12.92, 2.4 / 1.055 * ((v + 0.055) / 1.055) ** 1.4)
    found: Real = (
        np.sqrt((1 - read) * decode_srgb(v) / MIDDLE_LIGHT + max(read, LEAST_READ)) * MIDDLE_SLOPE / slope
    )
    return found


def fit_curve(curve: Sequence[Sequence[float]], likely: Rule = "even") -> Fit:
    """The rule that a measured curve of (brightness, sigma) follows.

    A curve that is short or hardly changes tells nothing: then the `likely` rule holds, which the spectrum of the noise
    suggests. The read noise is the least that explains the curve about as well as any.
    """
    levels, sigmas = (np.array(part, np.float64) for part in zip(*curve, strict=True))
    log = np.log(np.maximum(sigmas, 1e-6))

    def misfit(shape: Real) -> tuple[float, float]:
        scale = float(np.quantile(log - np.log(shape), LOWER))  # texture lifts some points, nothing lowers one
        return float(np.square(log - scale - np.log(shape)).mean()), float(np.exp(scale))

    plain, sigma = misfit(np.ones_like(levels))
    tried = [misfit(relative_sigma(levels, "sensor", read)) for read in READS]
    least = min(left for left, _ in tried)
    number = next(index for index, (left, _) in enumerate(tried) if left <= 1.3 * least + CHANCE**2)
    left, scale = tried[number]
    rule = likely
    if np.ptp(levels) >= WIDE and max(plain, left) > UNEVEN**2:
        rule = "sensor" if left < CLEARLY * plain else "even" if plain < CLEARLY * left else likely
    return Fit("sensor", READS[number], scale) if rule == "sensor" else Fit("even", 0.0, sigma)


@lru_cache(maxsize=8)
def _tables(read: float, sigma: float) -> tuple[Real, Real, Real]:
    """Brightness, the evened value of each, and the mean evened value of noisy pixels of each, clipped to the range."""
    level = np.linspace(0, 1, STEPS + 1)
    shape = relative_sigma(level, "sensor", read)
    steps = (1 / shape[1:] + 1 / shape[:-1]) / 2 / STEPS
    even = np.concatenate([[0], np.cumsum(steps)])
    even += MIDDLE - np.interp(MIDDLE, level, even)
    light = decode_srgb(level)
    light_sigma = sigma * np.sqrt((1 - read) * light / MIDDLE_LIGHT + read)
    light_sigma *= MIDDLE_SLOPE
    noisy = np.clip(light[:, None] + light_sigma[:, None] * NODES, 0, 1)
    mean = (np.interp(encode_srgb(noisy), level, even) @ WEIGHTS) / WEIGHTS.sum()
    return level, even, np.maximum.accumulate(mean + 1e-9 * np.arange(STEPS + 1))


def even_out(values: Array, read: float, sigma: float) -> Array:
    """Change encoded values so that a sensor's noise has the same sigma everywhere: that at the middle brightness."""
    level, even, _ = _tables(read, sigma)
    return np.interp(values, level, even).astype(np.float32)


def undo(values: Array, read: float, sigma: float) -> Array:
    """Encoded values from evened ones that were cleaned: the inverse of the mean, without bias in the dark [2]_."""
    level, _, mean = _tables(read, sigma)
    return np.interp(values, mean, level).astype(np.float32)
