"""All measures by id, in the order people read them; and what is measured of a source at intake."""

from collections.abc import Callable, Collection
from typing import NamedTuple

from mistline.core.frame import Array, Codes, luma, to_frame
from mistline.core.measure import (
    blotch,
    colour_difference,
    colour_shift,
    compression,
    detail,
    edges,
    gradients,
    information,
    lettering,
    motion,
    noise,
    psnr,
    registration,
    seen_colour,
    seen_noise,
    ssim,
)
from mistline.core.measure.areas import flat_share
from mistline.core.measure.edges import edge_width
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable, Pair, Part
from mistline.core.measure.noise import noise_colour, noise_luma
from mistline.core.measure.noise_spectrum import Bounded, Hidden, Noise
from mistline.core.methods import Traits

__all__ = [
    "HEADINGS", "MEASURES", "Evidence", "Measure", "Measured", "NotMeasurable", "Pair", "Part", "measure_all",
    "measure_traits",
]  # fmt: skip

HEADINGS = ("close to the truth", "noise", "detail", "edges", "colour", "compression", "lettering", "in motion")
MODULES = (
    psnr, ssim, gradients, information, registration, noise, seen_noise, blotch, detail, edges, colour_difference,
    seen_colour, colour_shift, compression, lettering, motion,
)  # fmt: skip
MEASURES: dict[str, Measure] = {
    measure.id: measure
    for heading in HEADINGS
    for module in MODULES
    for measure in module.MEASURES
    if measure.heading == heading
}
TRAIT_SIDE = 4096
HARD_EDGE = 1.3  # pixels: only what was drawn on a screen is as crisp


def measure_all(
    evidence: Evidence,
    report: Callable[[float], None] = lambda done: None,
    *,
    quick: bool = False,
    only: Collection[str] | None = None,
) -> dict[str, Measured]:
    """Every measure's value for a result, without maps; or only what is read on each frame, or `only` some.

    Measures that tell nothing in a test without a truth, or with one, are left away.
    """
    values: dict[str, Measured] = {}
    has_truth = evidence.truth is not None
    for number, measure in enumerate(MEASURES.values(), 1):
        wanted = (measure.each_frame or not quick) and (only is None or measure.id in only)
        if not wanted or not measure.told(has_truth=has_truth):
            continue
        found = measure.read(evidence)
        values[measure.id] = Measured(found.value, parts=found.parts, note=found.note)
        report(number / len(MEASURES))
    return values


class _Told(NamedTuple):
    """Sigma, or why it cannot be told and its bounds; and the noise, or what of it is known (`known`)."""

    sigma: float | None
    known: Noise | None
    note: str = ""
    least: float = 0.0
    most: float | None = None


def _noise(read: Callable[[Codes, Array], Noise], part: Codes, brightness: Array) -> _Told:
    try:
        noise = read(part, brightness)
        return _Told(round(noise.sigma, 3), noise)
    except Bounded as why:
        shown = why.known if isinstance(why, Hidden) else None
        return _Told(None, shown, str(why), round(why.least, 3), round(why.most, 3))
    except NotMeasurable as why:
        return _Told(None, None, str(why))


def measure_traits(codes: Codes) -> Traits:
    """First traits of a picture (H, W, C), measured on at most its central 4096 x 4096 pixels."""
    height, width = codes.shape[:2]
    top, left = max(0, height - TRAIT_SIDE) // 2, max(0, width - TRAIT_SIDE) // 2
    part = codes[top : top + TRAIT_SIDE, left : left + TRAIT_SIDE]
    whole = part.shape == codes.shape
    brightness = luma(to_frame(part).pixels)
    rise = edge_width(brightness)
    noise, colour = _noise(noise_luma, part, brightness), _noise(noise_colour, part, brightness)
    known = noise.known or Noise(0.0, {}, ())
    try:
        squares, _ = compression.blockiness(brightness)
    except NotMeasurable:
        squares = 0.0
    return Traits(
        noise_sigma=noise.sigma,
        noise_colour=colour.sigma,
        noise_curve=[[round(level, 3), round(sigma, 3)] for level, sigma in known.curve],
        noise_bands={name: round(sigma, 3) for name, sigma in known.bands.items()},
        noise_note=noise.note,
        colour_note=colour.note,
        noise_least=noise.least,
        noise_most=noise.most,
        colour_most=colour.most,
        edge_width=None if rise is None else round(rise, 3),
        mean_level=round(float(brightness.mean()), 4),
        measured_on="the whole picture" if whole else f"the central {part.shape[1]} x {part.shape[0]} pixels",
        squares=round(squares, 1),
        flat_share=round(flat_share(brightness, screen=rise is not None and rise < HARD_EDGE), 3),
    )
