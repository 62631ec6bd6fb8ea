"""Frames that were dropped, fields and flicker: what is made comes close to the frames that were there."""

import cv2
import numpy as np
import pytest
from skimage import data

from mistline.core.frame import Frame, luma, to_frame
from mistline.core.measure.psnr import psnr
from mistline.core.methods import METHODS, Window, alone
from mistline.core.setup import TruthSetup


def panned(name: str, frames: int = 8, step: float = 3.0, still: bool = False) -> list[Frame]:
    picture = to_frame(getattr(data, name)()).pixels
    found = []
    for number in range(frames):
        way = np.array([[1, 0, -20 - step * number], [0, 1, -40 - 0.4 * step * number]])
        moved = cv2.warpAffine(picture, way, (200, 140), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
        if still:
            moved[:, :100] = found[0].pixels[:, :100] if found else moved[:, :100]
        found.append(Frame(np.clip(moved, 0, 1), 16))
    return found


def damaged(truths: list[Frame], **steps: object) -> list[Frame]:
    setup = TruthSetup.model_validate({"factor": 1, **steps})
    return list(setup.inputs(truths, setup.plan(truths[0].size)))


def repaired(key: str, frames: list[Frame], number: int, **settings: object) -> np.ndarray:
    method = METHODS[key]
    given = method.settings.model_validate(settings)
    reach = method.reach(given)
    near = range(max(0, number - reach), min(len(frames), number + reach + 1))
    window = Window(tuple(frames[one] for one in near), number - near[0], number)
    return method.run(window, given, frames[0].size).pixels


def quality(truth: Frame, pixels: np.ndarray) -> float:
    inside = slice(12, -12), slice(12, -12)
    return psnr(luma(truth.pixels)[inside], luma(pixels)[inside])


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
@pytest.mark.parametrize("step", [1.5, 4.0])
def test_a_dropped_frame_is_made_along_the_motion(name: str, step: float) -> None:
    """Common practice: on movement that can be followed, motion beats blending, blending beats repetition."""
    truths = panned(name, step=step)
    shown = damaged(truths, hold=True)
    for number in (1, 3, 5):
        repeat, blend = (
            quality(truths[number], shown[number].pixels),
            repaired("fill_frames", shown, number, way="blended"),
        )
        along = repaired("fill_frames", shown, number)
        assert repeat + 1 < quality(truths[number], blend) < quality(truths[number], along) - 3


def test_frames_that_are_there_stay_and_longer_gaps_are_filled_evenly() -> None:
    truths = panned("coffee")
    shown = damaged(truths, hold=True)
    assert np.array_equal(repaired("fill_frames", shown, 2), truths[2].pixels)
    assert np.array_equal(repaired("fill_frames", shown, 7), shown[7].pixels)  # nothing comes after it
    longer = [truths[0], truths[0], truths[0], truths[3], truths[4]]
    for number in (1, 2):
        assert quality(truths[number], repaired("fill_frames", longer, number)) > 32
    assert np.array_equal(
        METHODS["fill_frames"].run(alone(truths[0]), METHODS["fill_frames"].settings(), truths[0].size).pixels,
        truths[0].pixels,
    )


@pytest.mark.parametrize("first", ["upper", "lower"])
@pytest.mark.parametrize("name", ["astronaut", "coffee"])
def test_each_field_becomes_a_frame_of_its_own_moment(name: str, first: str) -> None:
    truths = panned(name, step=4.0)
    woven = damaged(truths, fields=f"{first} first")
    for number in (2, 3, 4, 5):
        combs = quality(truths[number], woven[number].pixels)
        line = quality(truths[number], repaired("deinterlace", woven, number, first=first, way="line average"))
        motion = quality(truths[number], repaired("deinterlace", woven, number, first=first))
        wrong = quality(
            truths[number], repaired("deinterlace", woven, number, first="lower" if first == "upper" else "upper")
        )
        assert line > combs + 3 and motion > combs + 3 and wrong < line - 3


def test_where_nothing_moves_both_fields_are_woven() -> None:
    """A picture that stands still comes back exactly; beside it, what moves is as good as by line average."""
    truths = panned("astronaut", step=5.0, still=True)
    woven = damaged(truths, fields="upper first")
    for number in (2, 3, 4, 5):
        made = repaired("deinterlace", woven, number)
        assert np.abs(made[:, :90] - truths[number].pixels[:, :90]).max() < 1e-6
        average = repaired("deinterlace", woven, number, way="line average")
        right = slice(12, -12), slice(112, -12)
        moving = [psnr(truths[number].pixels[right], pixels[right]) for pixels in (made, average)]
        assert moving[0] > moving[1] - 0.5


def test_a_frame_that_is_not_one_of_a_pair_keeps_its_first_field() -> None:
    frame = panned("coffee", 1)[0]
    for first, lines in (("upper", slice(0, None, 2)), ("lower", slice(1, None, 2))):
        made = repaired("deinterlace", [frame], 0, first=first)
        assert np.array_equal(made[lines], frame.pixels[lines])
    odd = Frame(frame.pixels[:5, :7], 16)
    assert repaired("deinterlace", [odd], 0, first="lower").shape == odd.pixels.shape


@pytest.mark.parametrize("sigma", [0, 5])
@pytest.mark.parametrize("first", ["upper", "lower"])
@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
def test_fields_of_film_are_matched(name: str, first: str, sigma: float) -> None:
    """2:3 pulldown, common practice: of five frames two hold fields of two film frames; matching gives film back."""
    rng = np.random.default_rng(4)
    film = [
        frame.with_pixels(frame.pixels + rng.normal(0, sigma / 255, frame.pixels.shape).astype(np.float32))
        for frame in panned(name, 12, step=2.5)
    ]
    moments = [(a + at, b + at) for at in (0, 4, 8) for a, b in ((0, 0), (1, 1), (1, 2), (2, 3), (3, 3))]
    parity = 0 if first == "upper" else 1
    video = []
    for one, other in moments:
        pixels = film[one].pixels.copy()
        pixels[1 - parity :: 2] = film[other].pixels[1 - parity :: 2]
        video.append(film[one].with_pixels(pixels))
    for number, (one, _) in enumerate(moments):
        made = repaired("deinterlace", video, number, first=first, way="matching fields")
        assert np.array_equal(made, film[one].pixels), number


def test_fields_that_match_nowhere_are_made_by_motion() -> None:
    woven = damaged(panned("coffee", step=4.0), fields="upper first")
    for number in (2, 3, 4):
        by_motion = repaired("deinterlace", woven, number)
        assert np.array_equal(repaired("deinterlace", woven, number, way="matching fields"), by_motion)


@pytest.mark.parametrize("percent", [5, 15])
def test_flicker_is_evened_out_and_a_steady_clip_stays(percent: float) -> None:
    truths = panned("coffee", 24, step=0.5)
    shown = damaged(truths, flicker=percent)

    def swing(frames: list[np.ndarray]) -> float:
        gaps = [luma(made).mean() - luma(truth.pixels).mean() for made, truth in zip(frames, truths, strict=True)]
        return float(np.abs(np.diff(gaps)).mean())

    even = [repaired("even_levels", shown, number) for number in range(24)]
    assert swing(even) < 0.45 * swing([frame.pixels for frame in shown])
    steady = [repaired("even_levels", truths, number) for number in range(24)]
    assert max(np.abs(one - truth.pixels).max() for one, truth in zip(steady, truths, strict=True)) < 0.01


def test_levels_are_not_evened_out_across_a_cut() -> None:
    dark = [frame.with_pixels(0.3 * frame.pixels) for frame in panned("astronaut", 6)]
    frames = [*panned("coffee", 6), *dark]
    for number in (5, 6):
        assert np.abs(repaired("even_levels", frames, number) - frames[number].pixels).max() < 0.01
