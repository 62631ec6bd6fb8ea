"""All measures by id, in the order people read them; and what is measured of a source at intake."""

import math
from collections.abc import Callable

from mistline.core.frame import Codes, Frame, luma, to_frame
from mistline.core.measure import colour_difference, noise, psnr, ssim
from mistline.core.measure.edge_width import edge_width
from mistline.core.measure.measure import Measure, Measured
from mistline.core.measure.noise import noise_sigma
from mistline.core.methods import Traits

__all__ = ["MEASURES", "Measure", "Measured", "measure_all", "measure_traits"]

MEASURES: dict[str, Measure] = {
    measure.id: measure for module in (psnr, ssim, colour_difference, noise) for measure in module.MEASURES
}
TRAIT_SIDE = 4096


def measure_all(truth: Frame, result: Frame, report: Callable[[float], None]) -> dict[str, float | None]:
    """Every measure's value for a result; None stands for an infinite value (identical pictures)."""
    values: dict[str, float | None] = {}
    for number, measure in enumerate(MEASURES.values(), 1):
        value = measure.of(truth, result).value
        values[measure.id] = value if math.isfinite(value) else None
        report(number / len(MEASURES))
    return values


def measure_traits(codes: Codes) -> Traits:
    """First traits of a picture (H, W, C), measured on at most its central 4096 x 4096 pixels."""
    height, width = codes.shape[:2]
    top, left = max(0, height - TRAIT_SIDE) // 2, max(0, width - TRAIT_SIDE) // 2
    part = codes[top : top + TRAIT_SIDE, left : left + TRAIT_SIDE]
    whole = part.shape == codes.shape
    brightness = luma(to_frame(part).pixels)
    return Traits(
        noise_sigma=round(noise_sigma(brightness), 3),
        edge_width=None if (rise := edge_width(brightness)) is None else round(rise, 3),
        mean_level=round(float(brightness.mean()), 4),
        measured_on="the whole picture" if whole else f"the central {part.shape[1]} x {part.shape[0]} pixels",
    )
