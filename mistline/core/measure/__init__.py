"""All measures by id, in the order people read them; and what is measured of a source at intake."""

from collections.abc import Callable

import numpy as np

from mistline.core.frame import Codes, luma, to_frame
from mistline.core.measure import (
    blotch,
    colour_difference,
    compression,
    detail,
    edges,
    gradients,
    information,
    lettering,
    noise,
    psnr,
    registration,
    ssim,
)
from mistline.core.measure.areas import blocks
from mistline.core.measure.edge_width import edge_width
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable, Part
from mistline.core.measure.noise import noise_sigma
from mistline.core.methods import Traits

__all__ = [
    "HEADINGS", "MEASURES", "Evidence", "Measure", "Measured", "NotMeasurable", "Part", "measure_all",
    "measure_traits",
]  # fmt: skip

HEADINGS = ("close to the truth", "noise", "detail", "edges", "colour", "compression", "lettering")
MODULES = (
    psnr, ssim, gradients, information, registration, noise, blotch, detail, edges, colour_difference, compression,
    lettering,
)  # fmt: skip
MEASURES: dict[str, Measure] = {
    measure.id: measure
    for heading in HEADINGS
    for module in MODULES
    for measure in module.MEASURES
    if measure.heading == heading
}
TRAIT_SIDE = 4096


def measure_all(evidence: Evidence, report: Callable[[float], None] = lambda done: None) -> dict[str, Measured]:
    """Every measure's value for a result, without the maps."""
    values: dict[str, Measured] = {}
    for number, measure in enumerate(MEASURES.values(), 1):
        found = measure.read(evidence)
        values[measure.id] = Measured(found.value, parts=found.parts, note=found.note)
        report(number / len(MEASURES))
    return values


def measure_traits(codes: Codes) -> Traits:
    """First traits of a picture (H, W, C), measured on at most its central 4096 x 4096 pixels."""
    height, width = codes.shape[:2]
    top, left = max(0, height - TRAIT_SIDE) // 2, max(0, width - TRAIT_SIDE) // 2
    part = codes[top : top + TRAIT_SIDE, left : left + TRAIT_SIDE]
    whole = part.shape == codes.shape
    brightness = luma(to_frame(part).pixels)
    eights = blocks(brightness, 8)
    try:
        squares = compression.blockiness(brightness, 1)
    except NotMeasurable:
        squares = 0.0
    return Traits(
        noise_sigma=round(noise_sigma(brightness), 3),
        edge_width=None if (rise := edge_width(brightness)) is None else round(rise, 3),
        mean_level=round(float(brightness.mean()), 4),
        measured_on="the whole picture" if whole else f"the central {part.shape[1]} x {part.shape[0]} pixels",
        squares=round(squares, 1),
        flat_share=round(float(np.mean(eights.max(1) == eights.min(1))), 3),
    )
