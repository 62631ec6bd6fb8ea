"""Two versions of a scene are aligned: made warps are the closed-form answers, the photographs scikit-image's.

The smaller version is made by sampling the larger one 4 x 4 times a pixel through a known similarity.
"""

import math

import cv2
import numpy as np
import pytest
from skimage import data

from mistline.core.frame import Frame, Size, luma
from mistline.core.measure import alignment
from mistline.core.measure.alignment import Alignment, align, at_centres, colour_gains
from mistline.core.measure.measure import NotMeasurable
from mistline.core.setup import NativeSetup

PHOTOGRAPHS = {"coffee": data.coffee, "astronaut": data.astronaut, "cat": data.chelsea}
FINE = 4


def photograph(name: str) -> np.ndarray:
    return (PHOTOGRAPHS[name]() / 255).astype(np.float32)


def similarity(size: Size, large: Size, scale: float, turn: float, right: float, down: float) -> np.ndarray:
    """From edge coordinates of the smaller version to those of the larger."""
    angle = math.radians(turn)
    way = scale * np.array([[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]])
    middle = np.array([right, down]) - np.array([size.width, size.height]) / 2
    return np.column_stack([way, np.array([large.width, large.height]) / 2 + way @ middle])


def sampled(large: np.ndarray, way: np.ndarray, size: Size) -> np.ndarray:
    fine = np.column_stack([way[:, :2] / FINE, way[:, 2]])
    many = cv2.warpAffine(
        large, at_centres(fine), (FINE * size.width, FINE * size.height), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REFLECT,
    )  # fmt: skip
    return many.reshape(size.height, FINE, size.width, FINE, -1).mean((1, 3)).astype(np.float32)


def pair(name: str, factor: float, turn: float, right: float, down: float, grown: float = 1, share: float = 0.9):
    """A larger and a smaller version, with noise of 2 code values and another level; and the true map."""
    large = photograph(name)
    whole = Size(*large.shape[1::-1])
    size = Size(round(whole.width * share / factor), round(whole.height * share / factor))
    way = similarity(size, whole, factor * grown, turn, right, down)
    small = sampled(large, way, size) * 0.9 + 0.03
    noise = np.random.default_rng(5).normal(0, 2 / 255, small.shape)
    return np.clip(small + noise, 0, 1).astype(np.float32), large, way


def off(found: Alignment, way: np.ndarray, small: np.ndarray) -> np.ndarray:
    """Error at the corners and in the middle, pixels of the smaller version."""
    height, width = small.shape[:2]
    points = np.array([[0, 0], [width, 0], [0, height], [width, height], [width / 2, height / 2]])
    there = points @ way[:, :2].T + way[:, 2]
    told = points @ found.map[:, :2].T + found.map[:, 2]
    return np.hypot(*(told - there).T) / found.scale


@pytest.mark.parametrize("name", PHOTOGRAPHS)
@pytest.mark.parametrize(
    ("factor", "turn", "right", "down", "grown"),
    [(2, 0, 0, 0, 1), (1.5, 0.3, 1.3, -0.7, 1.004), (3, -1, 4.2, 3.1, 0.99), (2, 0.02, 0.05, 0.02, 1), (2, 4, -9, 6, 1.08)],
)  # fmt: skip
def test_made_warps_are_found_to_a_twentieth_of_a_pixel(name, factor, turn, right, down, grown) -> None:
    small, large, way = pair(name, factor, turn, right, down, grown)
    found = align(luma(small), luma(large))
    assert off(found, way, small).max() < max(0.05, 3 * found.error)
    assert found.turn == pytest.approx(turn, abs=0.02)
    assert found.scale == pytest.approx(factor * grown, rel=5e-4)
    assert (found.right, found.down) == pytest.approx((right, down), abs=0.03)
    assert found.error < 0.05 and found.local < 0.2


@pytest.mark.parametrize(("limit", "pixels"), [("MOST", 1.2e4), ("FINEST", 6e4)])
def test_large_versions_are_aligned_as_well_by_way_of_smaller_ones(monkeypatch, limit: str, pixels: float) -> None:
    monkeypatch.setattr(alignment, limit, pixels)
    small, large, way = pair("coffee", 1.5, 0.3, 1.3, -0.7, 1.004)
    found = align(luma(small), luma(large))
    assert off(found, way, small).max() < max(0.05, 3 * found.error) and found.error < 0.05


def test_what_still_lies_off_is_told_by_place() -> None:
    """A part of the smaller version shows the scene a pixel farther right: parallax, or something that moved."""
    small, large, _ = pair("coffee", 1, 0.3, 1.3, -0.7)
    part = np.s_[72:216, 134:402]  # eight of its 8 x 5 windows
    small[part] = np.roll(small, 1, axis=1)[part]
    found = align(luma(small), luma(large))
    inside = [one for one in found.windows if 0.25 < one.x < 0.75 and 0.2 < one.y < 0.6]
    assert len(inside) >= 5 and len(inside) >= len(found.windows) - 2
    assert np.median([one.right for one in inside]) == pytest.approx(-1, abs=0.2)
    assert np.median([one.down for one in inside]) == pytest.approx(0, abs=0.2)


@pytest.mark.parametrize("name", PHOTOGRAPHS)
@pytest.mark.parametrize("flat", [0.3, 0.65])
def test_a_flat_sky_tells_nothing_and_misleads_nobody(name: str, flat: float) -> None:
    """As in a render: the upper part holds one value, without any noise."""
    large = photograph(name).copy()
    whole = Size(*large.shape[1::-1])
    large[: int(flat * whole.height)] = 0.5
    size = Size(round(0.45 * whole.width), round(0.45 * whole.height))
    way = similarity(size, whole, 2, 0.3, 1.3, -0.7)
    small = sampled(large, way, size)
    found = align(luma(small), luma(large))
    assert off(found, way, small).max() < 0.05 and len(found.windows) <= 1


def test_another_scene_is_refused() -> None:
    for one, other in (("coffee", "cat"), ("astronaut", "coffee")):
        small = cv2.resize(luma(photograph(one)), (200, 150), interpolation=cv2.INTER_AREA)
        with pytest.raises(NotMeasurable, match=r"do not show the same"):
            align(small, luma(photograph(other)))


def test_level_and_contrast_are_told_by_channel() -> None:
    small, large, _ = pair("coffee", 2, 0.2, 1, 1)
    found = align(luma(small), luma(large))
    for gain in colour_gains(small, large, found):
        assert (gain.times, gain.plus) == pytest.approx((0.9, 0.03), abs=0.01)


def setup(found: Alignment, large: np.ndarray, **more: object) -> NativeSetup:
    known = {
        "native": "0" * 36,
        "factor": 1,
        "width": large.shape[1],
        "height": large.shape[0],
        "alignment": found,
    }
    return NativeSetup.model_validate({**known, **more})


def test_a_version_that_lies_as_it_should_is_taken_pixel_for_pixel() -> None:
    """A render at half size: each pixel is the mean of four."""
    large = photograph("coffee")
    small = large.reshape(200, 2, 300, 2, 3).mean((1, 3))
    plan = (one := setup(align(luma(small), luma(large)), large)).plan(Size(300, 200))
    assert (plan.target, plan.cropped, plan.factors) == (Size(600, 400), (0, 0), (2, 2))
    (truth,) = one.truths([Frame(large, 8)], plan)
    assert np.array_equal(truth.pixels, large)


@pytest.mark.parametrize(("turn", "right", "down"), [(0.4, 1.3, -0.7), (-0.2, 6.4, 3.2)])
def test_the_truth_is_brought_to_where_the_result_will_be(turn: float, right: float, down: float) -> None:
    """Shrunk by the factor it is the source again, but for its level and noise; only what both show takes part."""
    small, large, _ = pair("astronaut", 2, turn, right, down, share=1)
    found = align(luma(small), luma(large))
    one = setup(found, large, match_colours=True, gains=colour_gains(small, large, found))
    size = Size(*small.shape[1::-1])
    plan = one.plan(size)
    assert plan.factors == pytest.approx((2, 2)) and plan.cropped[0] >= 2 * (abs(right) - 1)
    (truth,) = one.truths([Frame(large, 8)], plan)
    left, top = plan.corner
    part = small[top : top + plan.input.height, left : left + plan.input.width]
    again = truth.pixels.reshape(plan.input.height, 2, plan.input.width, 2, 3).mean((1, 3))
    assert 255 * np.abs(again - part).mean() < 2.6  # noise of 2 code values has a mean of 1.6
    assert 255 * np.abs((again - part).mean()) < 0.3
