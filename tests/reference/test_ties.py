"""Differences that no eye can see must not rank: every tie is at least as wide as what rounding to 8 bits does."""

import numpy as np
import pytest
from skimage import data

from mistline.core.frame import Frame, Size
from mistline.core.measure import MEASURES, Evidence, measure_all
from mistline.core.resample import resize

INVISIBLE = ("psnr_luma", "psnr_rgb", "ssim", "ms_ssim", "gmsd", "vif", "registration", "blotch", "detail_kept",
             "detail_invented", "edge_width", "halo", "ciede2000", "ciede2000_p95", "ciede2000_soft", "tone")  # fmt: skip


@pytest.mark.parametrize("name", ["astronaut", "coffee"])
def test_rounding_to_eight_bits_ties_with_itself(name: str) -> None:
    """A result in 16 bits and the same dithered to 8 bits (common practice: invisible) are within the tie of each."""
    truth = Frame(getattr(data, name)()[:384, :512].astype(np.float32) / 255, 8)
    small = resize(truth.pixels, Size(256, 192), "area")
    result = np.clip(resize(small, Size(512, 384), "bicubic"), 0, 1)
    dither = np.random.default_rng(1).uniform(-0.5, 0.5, result.shape).astype(np.float32)
    rounded = np.clip(np.rint(result * 255 + dither * 0.5), 0, 255) / np.float32(255)
    fine, coarse = (measure_all(Evidence(truth.with_pixels(p), truth)) for p in (result, rounded))
    for key in INVISIBLE:
        before, after = fine[key].value, coarse[key].value
        if before is not None and after is not None:
            assert abs(before - after) <= MEASURES[key].tie, key
