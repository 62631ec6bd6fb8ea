"""The chain of damage: each step alone against what is known of it, and the whole repeatable."""

import numpy as np
import pytest
from skimage.restoration import estimate_sigma

from mistline.core.degrade.noise import FULL_WELL, READ_NOISE, exposure_noise, sensor_code_values
from mistline.core.frame import Frame, decode_srgb, encode_srgb, luma, to_ycbcr
from mistline.core.measure.compression import effective_bits
from mistline.core.media.plate import quantise
from mistline.core.setup import TruthSetup
from mistline.errors import OutOfLimits

GREY = Frame(np.full((256, 256, 3), 0.5, np.float32), 16)


def damaged(truth: Frame, **steps: object) -> Frame:
    setup = TruthSetup.model_validate({"factor": 1, **steps})
    return next(setup.inputs([truth], setup.plan(truth.size)))


@pytest.mark.parametrize("sigma", [2.0, 12.0, 30.0])
def test_even_noise_has_the_sigma_asked_for(sigma: float) -> None:
    noisy = damaged(GREY, noise=sigma)
    assert noisy.pixels.std() * 255 == pytest.approx(sigma, rel=0.01)
    assert estimate_sigma(noisy.pixels[..., 0]) * 255 == pytest.approx(sigma, rel=0.02)  # scikit-image


def test_the_same_seed_gives_the_same_input_and_another_does_not() -> None:
    first, again, other = (damaged(GREY, noise=5, underexposed=3, seed=seed).pixels for seed in (1, 1, 2))
    assert np.array_equal(first, again) and not np.array_equal(first, other)


def test_two_noises_are_independent() -> None:
    """Shares of one seed would correlate; streams of their own do not, on grey and on colour."""
    for frame in (GREY, Frame(GREY.pixels[..., :1], 16)):
        even = damaged(frame, noise=10).pixels - frame.pixels
        sensor = damaged(frame, underexposed=5).pixels - frame.pixels
        assert abs(np.corrcoef(even.ravel(), sensor.ravel())[0, 1]) < 0.02


@pytest.mark.parametrize("light", ["linear", "encoded"])
def test_blur_works_in_the_light_that_the_set_up_states(light: str) -> None:
    """A fine checkerboard blurs to the mean of its light: half of white is sRGB code 188 (IEC 61966-2-1)."""
    board = np.repeat((np.indices((64, 64)).sum(0) % 2).astype(np.float32)[..., None], 3, 2)
    middle = damaged(Frame(board, 16), blur=3, light=light).pixels[32, 32, 1]
    assert middle * 255 == pytest.approx(188 if light == "linear" else 127.5, abs=0.6)


@pytest.mark.parametrize("stops", [1, 3, 6])
@pytest.mark.parametrize("level", [0.2, 0.5, 0.8])
def test_the_noise_foretold_is_the_noise_made(stops: float, level: float) -> None:
    frame = GREY.with_pixels(np.full((256, 256, 3), level, np.float32))
    made = luma(np.clip(damaged(frame, underexposed=stops).pixels, 0, 1)).std() * 255
    assert sensor_code_values(stops, level) == pytest.approx(made, rel=0.08)


@pytest.mark.parametrize("level", [0.05, 0.3, 0.9])
@pytest.mark.parametrize("stops", [2.0, 6.0])
def test_sensor_noise_follows_photons_and_read_noise(level: float, stops: float) -> None:
    """Variance in electrons is signal plus read noise squared (Healey, Kondepudy 1994); one channel, no mosaic."""
    frame = Frame(encode_srgb(np.full((400, 400, 1), level, np.float32)), 16)
    white = FULL_WELL / 2**stops
    electrons = decode_srgb(exposure_noise(frame, stops, 3).pixels) * white
    assert electrons.mean() == pytest.approx(level * white, rel=0.01)
    assert electrons.var() == pytest.approx(level * white + READ_NOISE**2, rel=0.03)


def test_a_stop_less_light_is_root_two_more_noise() -> None:
    def sigma(stops: float) -> float:
        return float(decode_srgb(exposure_noise(GREY, stops, 1).pixels[..., 1]).std())

    assert sigma(5) / sigma(4) == pytest.approx(np.sqrt(2), rel=0.03)


def test_demosaiced_noise_is_coarser_in_colour_than_in_green() -> None:
    noise = exposure_noise(GREY, 6, 2).pixels - GREY.pixels

    def likeness(plane: np.ndarray) -> float:
        return float((plane[:, 1:] * plane[:, :-1]).mean() / (plane * plane).mean())

    assert likeness(noise[..., 0]) > likeness(noise[..., 1]) + 0.1 > 0.1
    assert likeness(to_ycbcr(noise)[..., 1]) > 0.3


def test_blur_of_a_known_sigma(photograph: Frame) -> None:
    """The spectrum of a point is exp(-2 pi^2 sigma^2 f^2): its second moment is sigma squared."""
    point = np.zeros((101, 101, 1), np.float32)
    point[50, 50] = 1
    spread = damaged(Frame(point, 16), blur=2.5, light="encoded").pixels[..., 0]
    y, x = np.mgrid[-50:51, -50:51]
    assert (spread * (x**2 + y**2)).sum() / 2 == pytest.approx(2.5**2, rel=0.02) and spread.sum() == pytest.approx(
        1
    )


def test_an_eight_bit_step_leaves_eight_bits() -> None:
    ramp = np.repeat(np.linspace(0.2, 0.5, 1024, dtype=np.float32)[None, :, None], 64, 0).repeat(3, 2)
    stepped = damaged(Frame(ramp, 16), eight_bit=True)
    assert stepped.bit_depth == 8 and damaged(Frame(ramp, 16), noise=0.5).bit_depth == 16
    assert effective_bits(stepped.pixels[..., 1], 16).value == pytest.approx(8, abs=0.1)


def test_jpeg_at_a_lower_quality_is_farther_from_the_truth(photograph: Frame) -> None:
    errors = [np.square(damaged(photograph, jpeg=q).pixels - photograph.pixels).mean() for q in (95, 70, 30, 5)]
    assert all(np.diff(errors) > 0)
    whole, half = damaged(photograph, jpeg=90), damaged(photograph, jpeg=90, half_chroma=True)
    assert whole.bit_depth == 8 and np.abs(whole.pixels - half.pixels).max() > 0.02
    codes, _ = quantise(half, 8)
    assert np.array_equal(codes / np.float32(255), half.pixels)


def test_a_grey_picture_goes_through_the_whole_chain(photograph: Frame) -> None:
    grey = photograph.with_pixels(photograph.pixels[..., :1])
    every = {"blur": 1, "factor": 2, "noise": 4, "underexposed": 3, "half_chroma": True, "jpeg": 95}
    small = damaged(grey, **every)
    assert small.pixels.shape == (256, 256, 1) and estimate_sigma(luma(small.pixels)) * 255 > 1


def test_words_say_what_is_done_and_nothing_else() -> None:
    with pytest.raises(OutOfLimits, match="would be the truth itself"):
        TruthSetup(factor=1).check(frames=1)
    for harm in ({"factor": 1, "noise": 3}, {"factor": 2}):
        TruthSetup.model_validate(harm).check(frames=1)
    words = TruthSetup.model_validate({"factor": 2, "blur": 0.8, "underexposed": 4, "eight_bit": True}).words()
    assert words == "blur 0.8 px, 2x smaller by area in linear light, 4 stops underexposed, 8 bits"


@pytest.mark.parametrize(
    "given", [{"seed": False}, {"noise": True}, {"factor": True}, {"hold": 0}, {"half_chroma": 1}]
)
def test_a_switch_is_no_number_and_a_number_no_switch(given: dict) -> None:
    with pytest.raises(ValueError, match="true or false"):
        TruthSetup(**given)
