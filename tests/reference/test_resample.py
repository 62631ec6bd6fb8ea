"""Resamplers against Pillow and OpenCV where the definitions agree, and proof that nothing is shifted.

They agree: Pillow's float mode, which also centres pixels, stretches the kernel when shrinking and cuts it
off at the edge; OpenCV's INTER_LINEAR and INTER_NEAREST_EXACT when enlarging and INTER_AREA by whole
factors. They do not: OpenCV's INTER_CUBIC takes a = -0.75 (ours -0.5, Keys 1981) and does not antialias;
INTER_LANCZOS4 has four lobes; INTER_NEAREST does not centre pixels.
"""

import cv2
import numpy as np
import pytest
from PIL import Image
from skimage import data
from skimage.registration import phase_cross_correlation

from mistline.core.frame import Size
from mistline.core.resample import KERNELS, resize

PILLOW = {
    "bilinear": Image.Resampling.BILINEAR,
    "bicubic": Image.Resampling.BICUBIC,
    "lanczos3": Image.Resampling.LANCZOS,
    "area": Image.Resampling.BOX,
}


def _camera() -> np.ndarray:
    return data.camera()[40:360, 60:440].astype(np.float32) / 255


@pytest.mark.parametrize("kernel", PILLOW)
@pytest.mark.parametrize("size", [Size(760, 640), Size(1001, 777), Size(95, 80), Size(123, 77)], ids=str)
def test_agrees_with_pillow(kernel: str, size: Size) -> None:
    if kernel == "area" and size.width > 380:
        pytest.skip("Pillow's BOX repeats pixels when enlarging, ours takes the mean of the footprint")
    theirs = np.asarray(Image.fromarray(_camera()).resize((size.width, size.height), PILLOW[kernel]))
    ours = resize(_camera()[..., None], size, kernel)[..., 0]
    # The box is compared where the ratio is whole: elsewhere Pillow counts pixels in or out, ours by share.
    if kernel == "area" and size != Size(95, 80):
        assert np.abs(ours - theirs).mean() < 0.02
    else:
        assert np.abs(ours - theirs).max() < 2e-6


@pytest.mark.parametrize(
    ("kernel", "size", "flag"),
    [
        ("bilinear", Size(1140, 960), cv2.INTER_LINEAR),
        ("nearest", Size(1140, 960), cv2.INTER_NEAREST_EXACT),
        ("nearest", Size(576, 512), cv2.INTER_NEAREST_EXACT),
        ("area", Size(95, 80), cv2.INTER_AREA),
    ],
)
def test_agrees_with_opencv(kernel: str, size: Size, flag: int) -> None:
    theirs = cv2.resize(_camera(), (size.width, size.height), interpolation=flag)
    assert np.abs(resize(_camera()[..., None], size, kernel)[..., 0] - theirs).max() < 3e-5


def test_sharper_cubic_agrees_with_opencv_inside() -> None:
    """OpenCV's cubic is Keys' with a = -0.75; at the edge it repeats pixels, ours cuts the kernel off."""
    theirs = cv2.resize(_camera(), (1140, 960), interpolation=cv2.INTER_CUBIC)
    ours = resize(_camera()[..., None], Size(1140, 960), "bicubic_sharp")[..., 0]
    assert np.abs(ours - theirs)[9:-9, 9:-9].max() < 1e-4


def test_mitchell_has_the_published_values() -> None:
    """Mitchell, Netravali 1988, b = c = 1/3: k(0) = 8/9, k(1) = 1/18, k(2) = 0."""
    kernel, support = KERNELS["mitchell"]
    assert support == 2
    assert np.allclose(kernel(np.array([0.0, 1.0, -1.0, 2.0])), [8 / 9, 1 / 18, 1 / 18, 0])


@pytest.mark.parametrize("kernel", KERNELS)
def test_kernels_are_even_and_sum_to_one(kernel: str) -> None:
    shape, support = KERNELS[kernel]
    x = np.linspace(0.01, 3.99, 399)
    assert np.allclose(shape(x), shape(-x)) or kernel in ("nearest", "area")
    if kernel not in ("lanczos2", "lanczos3", "lanczos4"):
        for offset in (0.0, 0.2, 0.49):
            assert shape(np.arange(-5, 6) + offset).sum() == pytest.approx(1)
    assert np.all(shape(x[x > support]) == 0)


def _shift(first: np.ndarray, second: np.ndarray) -> float:
    window = np.outer(np.hanning(first.shape[0]), np.hanning(first.shape[1]))
    moved, _, _ = phase_cross_correlation(first * window, second * window, upsample_factor=200)
    return float(np.abs(moved).max())


@pytest.mark.parametrize("kernel", KERNELS)
@pytest.mark.parametrize("factor", [2, 3, 4])
def test_enlarging_shifts_nothing(kernel: str, factor: int) -> None:
    """Guizar-Sicairos, Thurman, Fienup 2008: registration of the input with its enlarged copy, block-averaged."""
    small = _camera()
    height, width = small.shape
    large = resize(small[..., None], Size(width * factor, height * factor), kernel)[..., 0]
    back = large.reshape(height, factor, width, factor).mean(axis=(1, 3))
    assert _shift(small, back) < 0.02


@pytest.mark.parametrize("kernel", ["area", "bicubic", "lanczos3"])
def test_shrinking_shifts_nothing(kernel: str) -> None:
    small = resize(_camera()[..., None], Size(95, 80), kernel)[..., 0]
    expected = _camera().reshape(80, 4, 95, 4).mean(axis=(1, 3))
    assert _shift(expected, small) < 0.02


def test_the_shift_test_sees_half_a_pixel() -> None:
    """An enlarger that aligns the corner pixels' centres, the classic error, is caught."""
    small = _camera()
    height, width = small.shape
    wrong = cv2.warpAffine(
        small, np.float32([[2, 0, 0], [0, 2, 0]]), (2 * width, 2 * height), borderMode=cv2.BORDER_REPLICATE
    )
    back = wrong.reshape(height, 2, width, 2).mean(axis=(1, 3))
    assert _shift(small, back) > 0.1
