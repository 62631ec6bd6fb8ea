"""Reduce noise, luma and colour apart: eight classical filters behind one pair of strengths.

Every filter works on the planes of Y'CbCr (BT.709). Strength 0-100 stands for a noise sigma of 0-50 code
values of 8 bits; what each filter makes of that sigma is fitted on photographs (`noise_filters`).

References
----------
.. [1] ITU-R BT.709-6, 2015: the Y'CbCr equations.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from mistline.core.frame import Array, Frame, Size, from_ycbcr, to_ycbcr
from mistline.core.methods.method import Limits, Method, Traits, each
from mistline.core.methods.noise_filters import clean_plane
from mistline.core.methods.noise_level import Rule, even_out, fit_curve, undo

__all__ = ["CODE_VALUES_PER_POINT", "METHODS", "DenoiseSettings", "Planes", "automatic", "channel_sigma"]

CODE_VALUES_PER_POINT = 0.5
# Sigma of the finest octave against the next one: 2.3 of white noise, about 1.1 after demosaicing, 0.8 and less of
# grain and of enlarged noise.
DEMOSAICED = (0.9, 1.25)
AT_HALF_SIZE = 0.7  # of sigma is left of demosaiced colour noise at half size; of white noise it would be half
LUMA_FOR_COLOUR = 1.15  # sigma of luma against that of the colour planes, of white and of sensor noise, about


class DenoiseSettings(BaseModel):
    """Strength 0-100 stands for a noise sigma of 0-50 code values of 8 bits, at the middle brightness."""

    model_config = ConfigDict(extra="forbid")
    luma: float | None = Field(
        None, ge=0, le=100, description="Noise to remove in brightness; automatic if empty."
    )
    colour: float | None = Field(None, ge=0, le=100, description="Noise to remove in colour; automatic if empty.")
    rule: Rule | None = Field(
        None,
        description="How noise depends on brightness: even, or as a sensor's (shot and read); automatic if empty.",
    )
    read: float | None = Field(
        None,
        ge=0,
        le=100,
        description="Read noise in the middle tones, % of a sensor's noise; automatic if empty.",
    )


def _colour_of_a_sensor(key: str, plane: Array, sigma: float) -> Array:
    """Demosaicing spreads colour noise over pixels: what is coarse is cleaned at half size, the rest as it stands."""
    cleaned = clean_plane(key, plane, sigma)
    height, width = plane.shape
    if min(height, width) < 32:
        return cleaned
    half = (width // 2, height // 2)
    small = cv2.resize(plane, half, interpolation=cv2.INTER_AREA)
    coarse = clean_plane(key, small, AT_HALF_SIZE * sigma) - cv2.resize(
        cleaned, half, interpolation=cv2.INTER_AREA
    )
    return cleaned + cv2.resize(coarse, (width, height), interpolation=cv2.INTER_CUBIC)


def automatic(traits: Traits) -> dict[str, object]:
    """Strengths and rule from the noise that was measured, or from what is there at least where none is known."""
    known = traits.noise_known
    if known is None:
        colour = traits.noise_colour or 0.0
        least = (max(traits.noise_least, LUMA_FOR_COLOUR * colour), max(traits.noise_least, colour))
        luma, chroma = (round(min(100.0, sigma / CODE_VALUES_PER_POINT), 1) for sigma in least)
        return {"luma": luma, "colour": chroma, "rule": "even", "read": 0.0}
    middle, fine = (traits.noise_bands.get(band, 0.0) for band in ("1/8 to 1/4", "1/4 and finer"))
    likely: Rule = "sensor" if DEMOSAICED[0] * middle < fine < DEMOSAICED[1] * middle else "even"
    fit = fit_curve(traits.noise_curve or [[0.5, known]], likely)
    colour = traits.noise_colour if traits.noise_colour is not None else known
    share = fit.sigma / known if known > 0 else 1.0
    strengths = (min(100.0, sigma / CODE_VALUES_PER_POINT) for sigma in (fit.sigma, share * colour))
    luma, chroma = (round(strength, 1) for strength in strengths)
    return {"luma": luma, "colour": chroma, "rule": fit.rule, "read": round(100 * fit.read, 1)}


def channel_sigma(luma: float, colour: float) -> float:
    """Sigma of R', G' and B', root mean square, from those of Y' and of Cb and Cr (BT.709 [1]_), all of one unit."""
    return float((luma**2 + 1.5 * colour**2) ** 0.5)


@dataclass(frozen=True)
class Planes:
    """How pixels become the planes that are cleaned, their noise even, and pixels again.

    `sigmas` holds the noise to remove from each plane, in 0..1; `even` whether noise is as strong at all levels.
    """

    sigmas: tuple[float, ...]
    even: bool
    read: float
    level: float

    @classmethod
    def by(cls, settings: DenoiseSettings, channels: int) -> "Planes":
        """Of settings whose strengths are known, for grey or colour."""
        assert settings.luma is not None and settings.colour is not None
        luma, colour = (value * CODE_VALUES_PER_POINT / 255 for value in (settings.luma, settings.colour))
        level = luma if channels == 1 else channel_sigma(luma, colour)
        even = settings.rule != "sensor" or level == 0
        return cls((luma, colour, colour)[:channels], even, (settings.read or 0.0) / 100, level)

    def split(self, pixels: Array) -> Array:
        """Luma and colour differences of pixels (a copy)."""
        values = pixels if self.even else even_out(pixels, self.read, self.level)
        return np.array(values) if pixels.shape[2] == 1 else to_ycbcr(values)

    def joined(self, planes: Array) -> Array:
        """The pixels of planes."""
        values = planes if planes.shape[2] == 1 else from_ycbcr(planes)
        return values if self.even else undo(values, self.read, self.level)


def _denoiser(key: str, name: str, summary: str, reference: str, limits: Limits) -> Method:
    @each
    def run(frame: Frame, settings: BaseModel, target: Size) -> Frame:
        assert isinstance(settings, DenoiseSettings)
        way = Planes.by(settings, frame.pixels.shape[2])
        planes = way.split(frame.pixels)
        for index, sigma in enumerate(way.sigmas):
            if sigma > 0:
                clean = clean_plane if way.even or not index else _colour_of_a_sensor
                planes[..., index] = clean(key, np.ascontiguousarray(planes[..., index]), sigma)
        return frame.with_pixels(way.joined(planes))

    return Method(key, 3, name, "reduce noise", summary, reference, DenoiseSettings, limits, run, automatic)


METHODS = [
    _denoiser(
        "gaussian",
        "Gaussian blur",
        "Blurs everything alike; the yardstick.",
        "Common practice",
        Limits(working_copies=4),
    ),
    _denoiser(
        "median",
        "Median",
        "Takes out single specks; rounds corners.",
        "Common practice",
        Limits(working_copies=4),
    ),
    _denoiser(
        "bilateral",
        "Bilateral",
        "Averages neighbours of like brightness; keeps edges, can look painted.",
        "Tomasi, Manduchi 1998",
        Limits(working_copies=4),
    ),
    _denoiser(
        "guided",
        "Guided filter",
        "Smooths where the variance is that of noise; quick, gentle.",
        "He, Sun, Tang 2010",
        Limits(working_copies=6),
    ),
    _denoiser(
        "non_local_means",
        "Non-local means",
        "Averages look-alike patches; slow, keeps texture.",
        "Buades, Coll, Morel 2005",
        Limits(max_megapixels=60, working_copies=8),
    ),
    _denoiser(
        "wavelet",
        "Wavelet shrinkage",
        "Shrinks small detail by what surrounds it, at each scale; may leave blotches.",
        "Mihcak et al. 1999; Coifman, Donoho 1995",
        Limits(max_megapixels=100, working_copies=10),
    ),
    _denoiser(
        "total_variation",
        "Total variation",
        "Flattens; hard edges stay, texture turns to plastic.",
        "Chambolle 2004",
        Limits(max_megapixels=100, working_copies=10),
    ),
    _denoiser(
        "sliding_dct",
        "Sliding-window DCT",
        "Cuts weak frequencies in every 8 x 8 block; keeps patterns.",
        "Yu, Sapiro 2011",
        Limits(max_megapixels=60, working_copies=8),
    ),
]
