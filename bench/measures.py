"""The measures of closeness to the truth on a 3840x2160 pair against reference libraries; their memory."""

import statistics
import time
from collections.abc import Callable

import cv2
import numpy as np
from sewar.full_ref import msssim, vifp
from skimage.color import deltaE_ciede2000, rgb2lab
from skimage.metrics import peak_signal_noise_ratio
from skimage.metrics import structural_similarity as scikit_similarity

from bench import shown
from mistline.core.frame import Array, Codes, Frame, Size, luma, to_frame
from mistline.core.measure import MEASURES, Evidence, measure_all
from mistline.core.measure.gradients import gradient_deviation
from mistline.core.measure.information import information_fidelity
from mistline.core.measure.measure import Measured
from mistline.core.measure.psnr import psnr
from mistline.core.measure.ssim import multi_scale_similarity, structural_similarity
from mistline.core.setup import Plan, TruthSetup
from mistline.core.timing.clock import reset_peak, resident_peak
from mistline.work.child import keep_freed_memory

UHD, HUGE = Size(3840, 2160), Size(11600, 8620)


def _codes(size: Size) -> tuple[Codes, Codes, Codes]:
    """A picture of soft shapes with some grain, shrunk to half and enlarged by bicubic; all 16 bits."""
    rng = np.random.default_rng(0)
    coarse = rng.integers(30, 226, (size.height // 8, size.width // 8, 3), np.uint8)
    truth = cv2.resize(coarse, (size.width, size.height), interpolation=cv2.INTER_CUBIC).astype(np.uint16)
    truth = (truth * 256 + rng.integers(0, 2048, truth.shape, np.uint16)).clip(0, 65535).astype(np.uint16)
    small = cv2.resize(truth, (size.width // 2, size.height // 2), interpolation=cv2.INTER_AREA)
    return truth, cv2.resize(small, (size.width, size.height), interpolation=cv2.INTER_CUBIC), small


def _value(found: float | Measured) -> float:
    return found if isinstance(found, float) else float(found.value or 0)


def _similarity(truth: Array, result: Array) -> float:
    """SSIM by scikit-image with the paper's settings and its map."""
    return float(
        scikit_similarity(
            truth, result, data_range=1.0, gaussian_weights=True, sigma=1.5, use_sample_covariance=False, full=True
        )[0]
    )


def _gradient(truth: Codes, result: Codes) -> float:
    """GMSD by OpenCV's quality module, which halves the picture and pads it with black."""
    return float(cv2.quality.QualityGMSD_compute(truth, result)[0][0])


def _pairs(truth: Frame, result: Frame) -> list[tuple[str, str, Callable[[], float], Callable[[], float], int]]:
    """Name, reference library, ours, theirs, turns."""
    t, r = truth.pixels, result.pixels
    t8, r8 = ((255 * luma(values)).round().astype(np.uint8) for values in (t, r))
    bright, other = (codes.astype(np.float32) / np.float32(255) for codes in (t8, r8))

    def difference() -> float:
        return _value(MEASURES["ciede2000"].read(Evidence(result, truth)))

    return [
        ("PSNR, RGB", "scikit-image", lambda: psnr(t, r),
         lambda: float(peak_signal_noise_ratio(t, r, data_range=1)), 15),
        ("SSIM with map", "scikit-image", lambda: _value(structural_similarity(bright, other)),
         lambda: _similarity(bright, other), 9),
        ("MS-SSIM", "sewar", lambda: _value(multi_scale_similarity(bright, other)),
         lambda: float(np.real(msssim(t8, r8))), 1),
        ("GMSD", "OpenCV quality", lambda: _value(gradient_deviation(bright, other)),
         lambda: _gradient(t8, r8), 15),
        ("VIF", "sewar", lambda: _value(information_fidelity(bright, other)), lambda: float(vifp(t8, r8)), 1),
        ("CIEDE2000, mean", "scikit-image", difference,
         lambda: float(np.mean(deltaE_ciede2000(rgb2lab(t), rgb2lab(r)))), 9),
    ]  # fmt: skip


class _Turns:
    """Both calls in turns, after one of ours, so that what else goes on on the machine meets both alike."""

    def __init__(self, ours: Callable[[], float], theirs: Callable[[], float], turns: int) -> None:
        ours()
        found = [(_timed(ours), _timed(theirs)) for _ in range(turns)]
        self.ours, self.theirs = ([pair[side][0] for pair in found] for side in (0, 1))
        self.medians = statistics.median(self.ours), statistics.median(self.theirs)
        self.ratios = [theirs / ours for ours, theirs in zip(self.ours, self.theirs, strict=True)]
        self.apart = abs(found[-1][0][1] - found[-1][1][1])


def _timed(call: Callable[[], float]) -> tuple[float, float]:
    """Seconds and value of a call."""
    start = time.perf_counter()
    value = call()
    return time.perf_counter() - start, value


def _memory(size: Size) -> tuple[float, float]:
    """Peak resident memory of all measures on a pair of this size, in bytes, and the pair's float32 size."""
    truth, result, small = _codes(size)
    reset_peak()
    given, setup = to_frame(small), TruthSetup(factor=2)
    sizes = Plan(size, given.size, (0, 0), (2, 2))
    measure_all(Evidence(result, truth, given, lambda frame: setup.shrink(frame, sizes)))
    return resident_peak(), 2.0 * size.pixels * 3 * 4


def rows() -> list[list[str]]:
    keep_freed_memory()  # as the processes that measure do
    peak, pair = _memory(UHD)
    large, _ = _memory(HUGE)
    beside = f"pair in float32 {pair / 2**20:.0f} MiB"
    share = f"{HUGE.megapixels:.0f} MP"
    found = [
        [f"peak memory, all measures, {UHD}", f"{peak / 2**20:.0f} MiB", beside, f"{peak / pair:.1f}x", "12x"],
        [f"peak memory, all measures, {share}", f"{large / 2**30:.2f} GiB", "", "", "under 6 GiB"],
    ]
    truth, result, _ = _codes(UHD)
    ours_total = theirs_total = quick_ours = quick_theirs = 0.0
    for name, library, ours, theirs, turns in _pairs(to_frame(truth), to_frame(result)):
        run = _Turns(ours, theirs, turns)
        fast, slow = run.medians
        ours_total, theirs_total = ours_total + fast, theirs_total + slow
        if library != "sewar":
            quick_ours, quick_theirs = quick_ours + fast, quick_theirs + slow
        low, middle, high = np.quantile(run.ratios, [0.25, 0.5, 0.75])
        ratio = f"{middle:.1f}x faster" + (f" ({low:.1f} to {high:.1f})" if turns > 1 else "")
        aim = "8x" if name.startswith(("SSIM", "CIEDE2000")) else ""
        what = f"{name}, {UHD} (values differ by {run.apart:.1e})"
        found.append([what, shown(run.ours), f"{library} {shown(run.theirs)}", ratio, aim])
    for what, ours, theirs in (
        ("these six together", ours_total, theirs_total),
        ("the four without sewar's slow two", quick_ours, quick_theirs),
    ):
        found.append([what, *(f"{t * 1000:.0f} ms" for t in (ours, theirs)), f"{theirs / ours:.1f}x faster", "5x"])
    return found
