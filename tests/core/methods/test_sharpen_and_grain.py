"""Sharpeners undo a known blur; grain has the strength, size and levels that it was asked for."""

import cv2
import numpy as np
import pytest

from mistline.core.frame import Frame, luma
from mistline.core.measure.psnr import psnr
from mistline.core.methods import METHODS, alone


def run(key: str, frame: Frame, **settings: float) -> np.ndarray:
    method = METHODS[key]
    return method.run(alone(frame), method.settings(**settings), frame.size).pixels


@pytest.mark.parametrize(
    ("key", "settings"),
    [
        ("richardson_lucy", {"sigma": 1.2, "rounds": 12}),
        ("wiener", {"sigma": 1.2, "noise": 0.005}),
        ("unsharp_mask", {"amount": 1.0, "radius": 1.2, "edge": 1.0}),
    ],
)
def test_a_known_blur_is_partly_undone(key: str, settings: dict[str, float], photograph: Frame) -> None:
    blurred = photograph.with_pixels(cv2.GaussianBlur(photograph.pixels, (0, 0), 1.2))
    before = psnr(luma(photograph.pixels), luma(blurred.pixels))
    after = psnr(luma(photograph.pixels), luma(run(key, blurred, **settings)))
    assert after > before + 0.8


@pytest.mark.parametrize("key", ["richardson_lucy", "wiener", "unsharp_mask"])
def test_a_flat_picture_stays_flat_and_colours_stay(key: str, photograph: Frame) -> None:
    flat = Frame(np.full((80, 90, 3), (0.2, 0.5, 0.7), np.float32), 8)
    assert np.abs(run(key, flat) - flat.pixels).max() < 2e-4
    change = run(key, photograph) - photograph.pixels
    assert np.abs(change - change[..., :1]).max() < 1e-5


def test_the_clamp_takes_rims_off_an_edge() -> None:
    edge = np.full((40, 40, 1), 0.3, np.float32)
    edge[:, 20:] = 0.7
    soft = Frame(cv2.GaussianBlur(edge, (0, 0), 1.5)[..., None], 8)
    rims = [run("unsharp_mask", soft, amount=2, overshoot=share).max() for share in (0, 0.5, 1)]
    assert rims[0] <= soft.pixels.max() + 1e-6 < rims[1] < rims[2]


@pytest.mark.parametrize("amount", [2.0, 8.0])
def test_grain_has_the_asked_strength_in_the_middle_and_none_at_the_ends(amount: float) -> None:
    middle = Frame(np.full((256, 256, 1), 0.5, np.float32), 8)
    grainy = run("grain", middle, amount=amount, size=0)
    assert grainy[..., 0].std() * 255 == pytest.approx(amount, rel=0.05)
    assert grainy.mean() == pytest.approx(0.5, abs=0.001)
    for end in (0.0, 1.0):
        assert np.array_equal(
            run("grain", Frame(np.full((32, 32, 3), end, np.float32), 8)), np.full((32, 32, 3), end)
        )


def test_grain_is_seeded_and_grows_with_its_size(photograph: Frame) -> None:
    assert np.array_equal(run("grain", photograph, seed=4), run("grain", photograph, seed=4))
    assert not np.array_equal(run("grain", photograph, seed=4), run("grain", photograph, seed=5))
    flat = Frame(np.full((128, 128, 1), 0.5, np.float32), 8)
    roughness = [np.abs(np.diff(run("grain", flat, size=size)[..., 0], axis=1)).mean() for size in (0, 0.7, 2)]
    assert roughness == sorted(roughness, reverse=True)


def test_colour_grain_can_be_left_out() -> None:
    flat = Frame(np.full((64, 64, 3), 0.5, np.float32), 8)
    grey = run("grain", flat, colour=0)
    assert np.abs(grey - grey[..., :1]).max() < 1e-6


def test_the_edge_mask_can_be_looked_at() -> None:
    """White where an edge is steep enough, black where the picture is flat; and what the mask lets through."""
    step = np.full((40, 60, 3), 0.3, np.float32)
    step[:, 30:] = 0.7
    frame = Frame(step, 8)
    mask = run("unsharp_mask", frame, deliver="edge_mask")
    assert mask.shape == step.shape and mask[:, 29:31].min() == 1 and not mask[:, :24].any()
    changed = np.abs(run("unsharp_mask", frame) - step)
    assert not changed[mask == 0].any() and changed[mask == 1].max() > 0.05
    assert (run("unsharp_mask", frame, deliver="edge_mask", edge=0) == 1).all()
