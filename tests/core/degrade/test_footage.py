"""Damage that only a clip can have: closed forms, the standards' fields, and what FFmpeg's codecs are known to do."""

import cv2
import numpy as np
import pytest
from skimage import data
from skimage.registration import phase_cross_correlation

from mistline.core.degrade.footage import coded
from mistline.core.frame import Frame, decode_srgb, luma, to_frame
from mistline.core.measure.compression import blockiness
from mistline.core.measure.psnr import psnr
from mistline.core.setup import TruthSetup
from mistline.errors import MistlineError, OutOfLimits

PHOTOGRAPH = to_frame(data.astronaut()[60:260, 100:341])


def panned(frames: int, size: tuple[int, int] = (121, 161)) -> list[Frame]:
    whole = to_frame(data.coffee()).pixels
    return [Frame(whole[40 : 40 + size[0], 20 + 3 * n : 20 + 3 * n + size[1]].copy(), 16) for n in range(frames)]


def damaged(truths: list[Frame], **steps: object) -> list[Frame]:
    setup = TruthSetup.model_validate({"factor": 1, **steps})
    return list(setup.inputs(truths, setup.plan(truths[0].size)))


def test_weave_displaces_each_frame_by_its_own_amount() -> None:
    made = damaged([PHOTOGRAPH] * 40, weave=1.5)
    found = np.array([
        phase_cross_correlation(luma(frame.pixels)[20:-20, 20:-20], luma(PHOTOGRAPH.pixels)[20:-20, 20:-20], upsample_factor=20)[0]
        for frame in made
    ])  # fmt: skip
    assert found.std(axis=0) == pytest.approx(1.5, rel=0.35) and np.abs(found.mean(axis=0)).max() < 0.8
    again, other = damaged([PHOTOGRAPH] * 2, weave=1.5), damaged([PHOTOGRAPH] * 2, weave=1.5, seed=2)
    assert np.array_equal(again[1].pixels, made[1].pixels) and not np.array_equal(other[1].pixels, made[1].pixels)


@pytest.mark.parametrize("light", ["linear", "encoded"])
def test_flicker_scales_the_light(light: str) -> None:
    grey = Frame(np.full((16, 16, 3), 0.4, np.float32), 16)
    made = damaged([grey] * 300, flicker=8, light=light)
    gains = np.array([decode_srgb(frame.pixels).mean() for frame in made]) / decode_srgb(grey.pixels).mean()
    assert gains.std() == pytest.approx(0.08, rel=0.12) and gains.mean() == pytest.approx(1, abs=0.015)


@pytest.mark.parametrize(("fields", "upper"), [("upper first", 0), ("lower first", 1)])
def test_a_pair_of_frames_becomes_one_of_two_fields(fields: str, upper: int) -> None:
    """ITU-R BT.709-6: the field that comes first holds the earlier moment."""
    truths = panned(5)
    made = damaged(truths, fields=fields)
    assert len(made) == 5 and np.array_equal(made[0].pixels, made[1].pixels)
    assert np.array_equal(made[2].pixels[0::2], truths[2 + upper].pixels[0::2])
    assert np.array_equal(made[3].pixels[1::2], truths[3 - upper].pixels[1::2])
    assert np.array_equal(made[4].pixels, truths[4].pixels)


def test_every_other_frame_is_held() -> None:
    truths = panned(5)
    made = damaged(truths, hold=True)
    assert [np.array_equal(made[n].pixels, truths[n - n % 2].pixels) for n in range(5)] == [True] * 5


@pytest.mark.parametrize("size", [(121, 161), (64, 96)])
@pytest.mark.parametrize(("codec", "good", "bad"), [("h264", 10, 38), ("mpeg2", 2, 28)])
def test_a_codec_gives_back_as_many_frames_worse_with_its_quality(
    codec: str, good: int, bad: int, size: tuple[int, int]
) -> None:
    truths = panned(9, size)
    quality = []
    for value in (good, bad):
        made = damaged(truths, **{codec: value})
        assert len(made) == 9 and {frame.bit_depth for frame in made} == {8}
        assert {frame.pixels.shape for frame in made} == {(*size, 3)}
        pairs = zip(truths, made, strict=True)
        quality.append(np.mean([psnr(luma(one.pixels), luma(other.pixels)) for one, other in pairs]))
    assert quality[0] > 38 and quality[1] < quality[0] - 6


def test_frames_keep_their_order_and_colours_through_a_codec() -> None:
    """Flat colours come back within rounding of limited range: no matrix or range is mistaken on the way."""
    colours = np.random.default_rng(1).random((7, 3)).astype(np.float32) * 0.8 + 0.1
    frames = [Frame(np.broadcast_to(colour, (48, 64, 3)).astype(np.float32), 16) for colour in colours]
    for made, colour in zip(coded(frames, "h264", 4), colours, strict=True):
        assert np.abs(made.pixels.mean(axis=(0, 1)) - colour).max() * 255 < 2.5


def test_mpeg2_leaves_squares_and_grey_stays_grey() -> None:
    grey = Frame(luma(PHOTOGRAPH.pixels)[..., None], 16)
    soft = grey.with_pixels(cv2.GaussianBlur(grey.pixels, (0, 0), 1.0)[..., None])
    made = damaged([soft] * 3, mpeg2=31)
    assert made[0].pixels.shape == soft.pixels.shape
    assert blockiness(luma(made[0].pixels))[0] > blockiness(luma(soft.pixels))[0] + 10


def test_words_and_keys_tell_of_clips() -> None:
    setup = TruthSetup.model_validate(
        {"factor": 1, "weave": 1, "flicker": 5, "fields": "upper first", "hold": True, "h264": 23}
    )
    assert (
        setup.words()
        == "weave 1 px, flicker 5 %, same size, interlaced, upper first, every other frame, H.264 at 23"
    )
    setup.check(frames=2)
    with pytest.raises(OutOfLimits, match="damage of clips"):
        setup.check(frames=1)
    TruthSetup(factor=2, noise=3).check(frames=1)
    assert TruthSetup(factor=1, hold=True).identity() != TruthSetup(factor=1).identity()
    for field in ({"weave": -1}, {"h264": 52}, {"mpeg2": 0}, {"fields": "sideways"}):
        with pytest.raises((MistlineError, ValueError)):
            TruthSetup.model_validate(field)
