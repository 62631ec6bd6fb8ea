"""Displacement, scale and their confidence on known shifts, enlargements and the usual mistakes of enlargers."""

import numpy as np
import pytest
from scipy.ndimage import affine_transform, fourier_shift, gaussian_filter, map_coordinates
from skimage import data
from skimage.registration import phase_cross_correlation

from mistline.core.choose.words import Score, describe
from mistline.core.frame import Frame, Size
from mistline.core.measure import MEASURES, Evidence
from mistline.core.measure.registration import misplaced, placement
from mistline.core.resample import resize


@pytest.fixture(scope="module", params=["camera", "coffee", "grass"])
def truth(request: pytest.FixtureRequest) -> np.ndarray:
    picture = getattr(data, request.param)()
    plane = (picture if picture.ndim == 2 else picture[..., 1]).astype(np.float32) / 255
    return np.ascontiguousarray(plane[: plane.shape[0] // 48 * 48, : plane.shape[1] // 48 * 48])


def small(truth: np.ndarray, factor: int) -> np.ndarray:
    return resize(truth[..., None], Size(truth.shape[1] // factor, truth.shape[0] // factor), "area")


@pytest.mark.parametrize("shift", [(0.0, 0.0), (0.5, 0.5), (-0.25, 1.3), (3.1, -2.4), (0.05, 0.0)])
def test_known_shifts_within_a_twentieth_of_a_pixel(shift: tuple[float, float], truth: np.ndarray) -> None:
    moved = np.fft.ifft2(fourier_shift(np.fft.fft2(truth), shift)).real.astype(np.float32)
    found = placement(truth, moved)
    assert (found.down, found.right) == pytest.approx(shift, abs=0.05)
    theirs, _, _ = phase_cross_correlation(truth, moved, upsample_factor=100, normalization=None)
    assert (-found.down, -found.right) == pytest.approx(tuple(theirs), abs=0.06)


@pytest.mark.parametrize("factor", [2, 3, 4, 6, 8])
@pytest.mark.parametrize("kernel", ["nearest", "bilinear", "bicubic", "lanczos3"])
def test_a_right_enlargement_is_never_called_displaced(kernel: str, factor: int, truth: np.ndarray) -> None:
    found = placement(truth, resize(small(truth, factor), Size(*truth.shape[::-1]), kernel)[..., 0], factor)
    assert not found.sure or found.mean < 0.1
    assert found.mean < 0.02 + 0.02 * factor


@pytest.mark.parametrize("damage", ["noise", "blur", "contrast"])
def test_damage_is_no_displacement(damage: str, truth: np.ndarray) -> None:
    result = {
        "noise": truth + np.random.default_rng(1).normal(0, 20 / 255, truth.shape).astype(np.float32),
        "blur": gaussian_filter(truth, 2),
        "contrast": 0.7 * truth + 0.1,
    }[damage]
    found = placement(truth, result.astype(np.float32))
    assert found.mean < 0.05 and not (found.sure and found.mean > 0.03)


@pytest.mark.parametrize("factor", [1, 2, 4])
@pytest.mark.parametrize("light", ["linear", "encoded"])
@pytest.mark.parametrize("sigma", [1.0, 2.5, 4.0])
def test_a_blur_in_either_light_is_no_displacement(
    sigma: float, light: str, factor: int, truth: np.ndarray
) -> None:
    """A symmetric kernel moves nothing, but in linear light it carries edges to their dark side (common practice).

    The light by the formula of IEC 61966-2-1.
    """

    def to_linear(values: np.ndarray) -> np.ndarray:
        return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)

    def to_encoded(values: np.ndarray) -> np.ndarray:
        return np.where(values <= 0.0031308, values * 12.92, 1.055 * values ** (1 / 2.4) - 0.055)

    soft = gaussian_filter(to_linear(truth) if light == "linear" else truth, sigma)
    soft = (to_encoded(soft) if light == "linear" else soft).astype(np.float32)
    result = resize(small(soft, factor), Size(*truth.shape[::-1]), "bicubic")[..., 0]
    noisy = result + np.random.default_rng(2).normal(0, 4 / 255, truth.shape).astype(np.float32)
    moved = np.roll(noisy, (0, 2), axis=(0, 1))
    for told in (result, noisy):
        found = registered(truth, told, factor)
        assert said(found, factor) == "" and not found.parts["sure"]
    found = registered(truth, moved, factor)
    assert found.parts["right"] == pytest.approx(2, abs=0.1) and "px off the truth" in said(found, factor)


@pytest.mark.parametrize(
    "stretch", [(16, 255 / 219), (16, 1.6), (0, 1.6)], ids=["range", "range and gain", "gain"]
)
@pytest.mark.parametrize("exposure", [0.12, 0.25, 0.5, 1.0])
@pytest.mark.parametrize("picture", ["coffee", "astronaut", "chelsea"])
def test_what_is_clipped_is_not_displaced(picture: str, exposure: float, stretch: tuple[float, float]) -> None:
    """16-235 to full range as in ITU-R BT.709; each channel is clipped by itself."""
    codes = np.round(getattr(data, picture)()[:300, :450] * exposure)
    there = np.clip(np.round((codes - stretch[0]) * stretch[1]), 0, 255).astype(np.uint8)
    evidence = Evidence(there, codes.astype(np.uint8))
    found = MEASURES["registration"].read(evidence)
    assert not misplaced(evidence).any()
    assert "clipped" in found.note if found.value is None else found.value < 0.05
    if exposure > 0.2:  # of darker ones hardly anything is left
        moved = MEASURES["registration"].read(Evidence(np.roll(there, 3, axis=1), codes.astype(np.uint8)))
        assert {part.name: part.value for part in moved.parts}["right"] == pytest.approx(3, abs=0.15)


def registered(truth: np.ndarray, result: np.ndarray, factor: int) -> Score:
    """The registration of a result of a test with this factor."""
    pair = (Frame(plane[..., None], 8) for plane in (result, truth))
    found = MEASURES["registration"].of(Evidence(*pair, scale=factor))
    return Score(found.value, {part.name: part.value for part in found.parts})


def said(registration: Score, factor: int) -> str:
    """The sentence on a result of which nothing else is known."""
    nothing = {key: Score(None) for key in MEASURES}
    return describe({**nothing, "registration": registration}, nothing, factor)


@pytest.mark.parametrize("factor", [2, 3, 4, 8])
def test_the_usual_mistakes_are_named(factor: int, truth: np.ndarray) -> None:
    """Common practice: corners taken for centres moves by (factor - 1) / 2; corners on corners stretches about the middle."""
    given = small(truth, factor)[..., 0]
    rows, columns = np.mgrid[0 : truth.shape[0], 0 : truth.shape[1]].astype(float)
    half = map_coordinates(given, [rows / factor, columns / factor], order=3, mode="nearest")
    assert "half a pixel of the input" in said(registered(truth, half, factor), factor)
    ratios = [(a - 1) / (b - 1) for a, b in zip(given.shape, truth.shape, strict=True)]
    corners = map_coordinates(given, [rows * ratios[0], columns * ratios[1]], order=3, mode="nearest")
    assert "corners laid on corners" in said(registered(truth, corners, factor), factor)
    fine = resize(small(truth, factor), Size(*truth.shape[::-1]), "bicubic")[..., 0]
    assert said(registered(truth, fine, factor), factor) == ""
    cropped = np.pad(fine, ((1, 0), (2, 0)), mode="edge")[:-1, :-2]
    assert "moved by whole pixels: 2 right, 1 down" in said(registered(truth, cropped, factor), factor)


@pytest.mark.parametrize("degrees", [-3.0, -0.5, -0.1, 0.03, 0.2, 1.0])
@pytest.mark.parametrize("factor", [1, 2, 4])
def test_a_turn_is_told_by_its_angle(factor: int, degrees: float, truth: np.ndarray) -> None:
    """By SciPy's splines, about the middle: what lies at p shows what lay at the turn of p the other way."""
    angle, middle = np.radians(degrees), (np.array(truth.shape) - 1) / 2
    back = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])  # (row, column), clockwise
    given = resize(small(truth, factor), Size(*truth.shape[::-1]), "bicubic")[..., 0]
    turned = affine_transform(given, back, middle - back @ middle, order=3, mode="mirror")
    found = registered(truth, turned, factor)
    wanted = np.radians(abs(degrees)) * np.hypot(*truth.shape) / 12**0.5  # root mean square over the picture
    if wanted < 0.1 * factor:  # hidden in what the method may be off by
        assert abs(found.parts["turned, degrees"]) in (0, pytest.approx(abs(degrees), abs=0.01))
        return
    assert found.parts["turned, degrees"] == pytest.approx(degrees, rel=0.02, abs=0.01)
    assert found.value == pytest.approx(wanted, rel=0.05, abs=0.02 + 0.015 * factor)
    assert not found.parts["uneven"]
    way = "clockwise" if degrees > 0 else "anticlockwise"
    if wanted > 0.3:
        told = abs(found.parts["turned, degrees"])
        assert f"(turned {told:.2f}° {way})" in said(found, factor)


@pytest.mark.parametrize("factor", [1, 2])
@pytest.mark.parametrize("bend", [0.0, 0.5, 1.0])
@pytest.mark.parametrize("shift", [0.0, 1.0])
def test_a_bent_picture_is_told_even_where_it_lies_well_on_the_whole(
    shift: float, bend: float, factor: int, truth: np.ndarray
) -> None:
    """Rows that swing from side to side by so many pixels: a tenth of a cosine is within 1 % of its ends."""
    given = resize(small(truth, factor), Size(*truth.shape[::-1]), "bicubic")[..., 0]
    rows, columns = np.mgrid[0 : truth.shape[0], 0 : truth.shape[1]].astype(float)
    swung = map_coordinates(
        given, [rows, columns + bend * np.cos(4 * np.pi * rows / len(rows)) - shift], order=3, mode="mirror"
    )
    found = registered(truth, swung, factor)
    assert found.parts["uneven"] == (pytest.approx(bend, rel=0.35) if bend else 0)
    sentence, bent = said(found, factor), f"up to {found.parts['uneven']:.1f} px"
    assert (bent in sentence) == bool(bend) and ("spoils" in sentence) == bool(bend or shift)


def test_a_small_warped_part_is_told(truth: np.ndarray) -> None:
    bent = truth.copy()
    part = np.s_[192:272, 192:272]
    bent[part] = np.roll(truth, 1, axis=1)[part]
    found = placement(truth, bent)
    assert found.local > 0.4 and found.mean < 0.3
