"""Large pictures in strips: the same figures as the whole, put together honestly."""

import itertools

import numpy as np
import pytest

from mistline.core.degrade.downsample import shrink
from mistline.core.frame import Frame, Size
from mistline.core.measure import strips as module
from mistline.core.measure.strips import measure_picture, strips
from mistline.core.media.plate import quantise


@pytest.mark.parametrize("size", [Size(5000, 3000), Size(8000, 6000), Size(11600, 8620), Size(40000, 1000)])
@pytest.mark.parametrize("unit", [1, 4, 7])
def test_strips_cover_every_row_once_and_hold_few_pixels(size: Size, unit: int) -> None:
    cut = strips(size, unit)
    assert cut[0].start == 0 and cut[-1].stop == size.height
    assert all(first.stop == second.start for first, second in itertools.pairwise(cut))
    assert all(rows.start % unit == 0 for rows in cut)
    assert max(rows.stop - rows.start for rows in cut) * size.width <= module.WHOLE + 2 * unit * size.width


def test_strips_give_the_figures_of_the_whole(photograph: Frame, monkeypatch: pytest.MonkeyPatch) -> None:
    """PSNR is exact, means differ by what happens at the cuts only."""
    size = Size(photograph.size.width // 2, photograph.size.height // 2)
    small = shrink(photograph, size, "area", linear=True)
    noise = np.random.default_rng(3).normal(0, 0.02, photograph.pixels.shape).astype(np.float32)
    result, _ = quantise(photograph.with_pixels(photograph.pixels + noise), 16)
    truth, _ = quantise(photograph, 16)

    def measured() -> dict:
        return measure_picture(result, truth, small, lambda frame, to: shrink(frame, to, "area", linear=True))

    whole = measured()
    monkeypatch.setattr(module, "WHOLE", photograph.size.pixels // 2)
    parts = measured()
    assert set(parts) == set(whole)
    for key in ("psnr_luma", "psnr_rgb", "agreement"):
        assert parts[key].value == pytest.approx(whole[key].value, abs=1e-3), key
    for key in ("ssim", "ciede2000", "vif", "gmsd", "noise_left", "noise_colour"):
        assert parts[key].value == pytest.approx(whole[key].value, rel=0.05), key
    assert parts["ssim"].parts[-1].name == "strips" and parts["ssim"].parts[-1].value == 2
    same = measure_picture(truth, truth, small, lambda frame, to: shrink(frame, to, "area", linear=True))
    assert same["psnr_rgb"].value == np.inf and same["ssim"].value == pytest.approx(1)
