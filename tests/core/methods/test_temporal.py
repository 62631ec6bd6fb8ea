"""Noise reduction over time: moving photographs, what is covered and uncovered, cuts, and the ends of a clip."""

import cv2
import numpy as np
import pytest
from skimage import data

from mistline.core.frame import Frame, luma, to_frame
from mistline.core.measure.psnr import psnr
from mistline.core.methods import METHODS, Traits, Window, alone
from mistline.core.methods.recipe import Recipe, run_recipe

TEMPORAL = METHODS["temporal"]
TRAITS = Traits(noise_sigma=10, edge_width=None, mean_level=0.5, measured_on="a test")


def panned(name: str, frames: int = 5, height: int = 120, width: int = 150) -> list[Frame]:
    """A photograph that moves, turns and grows a little from frame to frame, between pixels."""
    picture = to_frame(getattr(data, name)()).pixels
    middle = picture.shape[1] / 2, picture.shape[0] / 2
    found = []
    for number in range(frames):
        way = cv2.getRotationMatrix2D(middle, 0.3 * number, 1 + 0.004 * number)
        way[:, 2] += np.array((2.3, 1.1)) * number
        frame = cv2.warpAffine(picture, way, picture.shape[1::-1], flags=cv2.INTER_CUBIC)
        found.append(Frame(np.clip(frame[100 : 100 + height, 120 : 120 + width], 0, 1), 16))
    return found


def noisy(frames: list[Frame], sigma: float, seed: int = 1) -> tuple[Frame, ...]:
    rng = np.random.default_rng(seed)
    return tuple(
        frame.with_pixels(frame.pixels + rng.normal(0, sigma / 255, frame.pixels.shape).astype(np.float32))
        for frame in frames
    )


def strengths(sigma: float) -> dict[str, float]:
    """Of noise that is equal in R', G' and B', by the equations of BT.709."""
    colour = np.sqrt((0.2126**2 + 0.7152**2 + (1 - 0.0722) ** 2) / 1.8556**2)
    return {
        "luma": 2 * sigma * float(np.sqrt(0.2126**2 + 0.7152**2 + 0.0722**2)),
        "colour": 2 * sigma * float(colour),
    }


def ran(window: Window, **settings: object) -> np.ndarray:
    return TEMPORAL.run(window, TEMPORAL.resolve(settings, TRAITS), window.frame.size).pixels


def quality(truth: Frame, result: np.ndarray) -> float:
    return psnr(luma(truth.pixels), luma(result))


@pytest.mark.parametrize("name", ["astronaut", "coffee"])
@pytest.mark.parametrize("sigma", [5, 12, 25])
def test_more_frames_beat_every_filter_of_one(name: str, sigma: float) -> None:
    """Common practice: temporal noise reduction wins clearly on movement that can be followed; by 1.5 dB here."""
    clean = panned(name)
    frames = noisy(clean, sigma)
    single = []
    for key in ("non_local_means", "sliding_dct", "wavelet"):
        method = METHODS[key]
        result = method.run(alone(frames[2]), method.resolve(strengths(sigma), TRAITS), frames[2].size)
        single.append(quality(clean[2], result.pixels))
    three = quality(clean[2], ran(Window(frames, 2, 2), **strengths(sigma), frames=3))
    five = quality(clean[2], ran(Window(frames, 2, 2), **strengths(sigma)))
    assert max(single) + 1.0 < three < five and five > max(single) + 1.5


def test_what_moves_otherwise_leaves_no_ghost() -> None:
    """A post passes in front of the picture, faster than what is behind it."""
    behind, posts = panned("coffee"), []
    for number, frame in enumerate(behind):
        pixels = frame.pixels.copy()
        pixels[:, 15 + 25 * number : 27 + 25 * number] = (0.9, 0.2, 0.1)
        posts.append(frame.with_pixels(pixels))
    frames = noisy(posts, 10)
    settings = strengths(10)
    result = ran(Window(frames, 2, 2), **settings)
    single = ran(alone(frames[2]), **settings)
    near = slice(None), slice(40, 110)
    error, plain = (np.abs(pixels - posts[2].pixels)[near] for pixels in (result, single))
    assert np.percentile(error, 99.5) < 1.1 * np.percentile(plain, 99.5)
    assert quality(posts[2], result) > quality(posts[2], single) + 0.5


def test_beyond_a_cut_nothing_is_taken() -> None:
    before, after = panned("astronaut"), panned("coffee")
    clean = [*before[:2], *after[2:4], before[4]]
    frames = noisy(clean, 10)
    across = quality(clean[2], ran(Window(frames, 2, 2), **strengths(10)))
    within = quality(clean[2], ran(Window(frames[2:4], 0, 2), **strengths(10)))
    assert across > within - 0.1


def test_a_still_and_the_ends_of_a_clip_are_cleaned_too() -> None:
    clean = panned("coffee", 3)
    frames = noisy(clean, 12)
    spatial = METHODS["sliding_dct"]
    plain = spatial.run(alone(frames[0]), spatial.resolve(strengths(12), TRAITS), frames[0].size).pixels
    single = quality(clean[0], ran(alone(frames[0]), **strengths(12)))
    assert single == pytest.approx(quality(clean[0], plain), abs=0.1)
    assert quality(clean[0], ran(Window(frames, 0, 0), **strengths(12))) > single + 1


def test_strength_nought_changes_nothing_and_grey_stays_grey() -> None:
    frames = noisy(panned("coffee", 3), 12)
    assert np.array_equal(ran(Window(frames, 1, 1), luma=0, colour=0), frames[1].pixels)
    grey = tuple(frame.with_pixels(luma(frame.pixels)[..., None]) for frame in frames)
    result = ran(Window(grey, 1, 1), **strengths(12))
    assert result.shape == (120, 150, 1) and not np.array_equal(result, grey[1].pixels)
    coloured = ran(Window(frames, 1, 1), luma=0, colour=20)
    assert np.allclose(luma(coloured), luma(frames[1].pixels), atol=1e-4)


def test_a_chain_sees_as_far_as_its_passes_together_and_makes_nothing_twice() -> None:
    chain = Recipe.model_validate(
        {
            "name": "c",
            "passes": [
                {"method": "grain"},
                {"method": "temporal", "settings": {"frames": 5}},
                {"method": "temporal", "settings": {"frames": 3, "in_space": False}},
            ],
        }
    )
    frames = tuple(Frame(frame.pixels[:40, :48], 16) for frame in noisy(panned("coffee", 9), 8))
    assert chain.reach == 3
    kept: dict = {}
    for number in range(9):
        near = range(max(0, number - 3), min(9, number + 4))
        window = Window(tuple(frames[one] for one in near), number - near[0], number)
        told: list[float] = []
        shared = run_recipe(window, chain, frames[0].size, TRAITS, told.append, kept).frame.pixels
        fresh = run_recipe(window, chain, frames[0].size, TRAITS).frame.pixels
        assert np.array_equal(shared, fresh) and told[-1] == 1
        assert len(kept) <= 3 * 7


def test_grain_is_another_on_each_frame_and_comes_again() -> None:
    method, frame = METHODS["grain"], Frame(np.full((40, 50, 3), 0.5, np.float32), 16)
    made = [
        method.run(Window((frame,), 0, number), method.settings(), frame.size).pixels - 0.5 for number in (0, 1, 1)
    ]
    assert np.array_equal(made[1], made[2])
    assert abs(np.corrcoef(made[0].ravel(), made[1].ravel())[0, 1]) < 0.05
