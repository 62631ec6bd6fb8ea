"""What every measure must do whatever the picture: identity, symmetry, a monotone answer to damage."""

from collections.abc import Callable

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mistline.core.frame import Frame, Region
from mistline.core.measure import HEADINGS, MEASURES, Evidence, measure_all, measure_traits
from mistline.core.measure.areas import blocks
from mistline.core.measure.edges import edge_width
from mistline.core.measure.sameness import sameness
from mistline.core.measure.ssim import structural_similarity
from mistline.core.media.plate import quantise
from mistline.errors import OutOfLimits, ShapeMismatch

IDENTICAL = {
    "psnr_luma": np.inf, "psnr_rgb": np.inf, "ssim": 1, "ms_ssim": 1, "gmsd": 0, "vif": 1, "registration": 0,
    "blotch": 0, "detail_kept": 100, "detail_invented": 0, "halo": 0, "ciede2000": 0, "ciede2000_p95": 0,
    "ciede2000_soft": 0, "tone": 0,
}  # fmt: skip
SYMMETRIC = ("psnr_luma", "psnr_rgb", "ssim", "gmsd", "ciede2000", "ciede2000_p95")
Damage = Callable[[np.ndarray, float], np.ndarray]


def of(key: str, truth: Frame, result: Frame) -> float:
    value = MEASURES[key].of(Evidence(result, truth)).value
    assert value is not None
    return value


def noise(pixels: np.ndarray, amount: float) -> np.ndarray:
    return pixels + amount * np.random.default_rng(8).normal(0, 1, pixels.shape)


def blur(pixels: np.ndarray, sigma: float) -> np.ndarray:
    return cv2.GaussianBlur(pixels, (0, 0), sigma)


def rims(pixels: np.ndarray, amount: float) -> np.ndarray:
    return pixels + amount * (pixels - cv2.GaussianBlur(pixels, (0, 0), 1.5))


def shift(pixels: np.ndarray, right: float) -> np.ndarray:
    move = np.float32([[1, 0, right], [0, 1, 0]])
    return cv2.warpAffine(pixels, move, pixels.shape[1::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)


@pytest.mark.parametrize("key", IDENTICAL)
def test_identity(key: str, photograph: Frame) -> None:
    assert of(key, photograph, photograph) == pytest.approx(IDENTICAL[key], abs=1e-4)


@pytest.mark.parametrize(
    ("key", "damage", "amounts", "rises"),
    [(key, damage, amounts, MEASURES[key].better == "lower")
     for key in ("psnr_luma", "psnr_rgb", "ssim", "ms_ssim", "gmsd", "vif", "ciede2000", "ciede2000_p95")
     for damage, amounts in ((noise, (0.01, 0.03, 0.1)), (blur, (0.5, 1, 3)))]
    + [(key, noise, (0.005, 0.02, 0.06), True) for key in ("noise_left", "noise_seen", "noise_colour", "detail_invented")]
    + [("detail_kept", blur, (0.5, 1, 3), False), ("edge_width", blur, (0.8, 1.5, 3), True)]
    + [("halo", rims, (0.3, 0.8, 2), True), ("registration", shift, (0.2, 0.7, 1.5), True)]
    + [(key, shift, (0.25, 0.5, 1), False) for key in ("psnr_luma", "ssim")],
    ids=lambda value: value.__name__ if callable(value) else str(value) if isinstance(value, str) else "",
)  # fmt: skip
def test_more_damage_shows_more(
    key: str, damage: Damage, amounts: tuple[float, ...], rises: bool, photograph: Frame
) -> None:
    values = [of(key, photograph, photograph.with_pixels(damage(photograph.pixels, a))) for a in amounts]
    assert all(np.diff(values) > 0) if rises else all(np.diff(values) < 0)


@settings(max_examples=20)
@given(st.integers(0, 10_000), st.integers(11, 60), st.integers(11, 60))
def test_fidelity_is_symmetric(seed: int, height: int, width: int) -> None:
    rng = np.random.default_rng(seed)
    one, two = (Frame(rng.random((height, width, 3), np.float32), 8) for _ in range(2))
    for key in SYMMETRIC:
        assert of(key, one, two) == pytest.approx(of(key, two, one), rel=1e-4, abs=1e-5)
    assert -1 <= of("ssim", one, two) <= 1


def test_frames_of_another_size_are_refused(photograph: Frame) -> None:
    with pytest.raises(ShapeMismatch):
        Evidence(photograph, photograph.with_pixels(photograph.pixels[:-1]))


@pytest.mark.parametrize("by", ["turned", "mirrored"])
def test_turning_the_picture_changes_nothing(by: str, photograph: Frame) -> None:
    def turned(pixels: np.ndarray) -> np.ndarray:
        return np.rot90(pixels) if by == "turned" else pixels[:, ::-1]

    worse = noise(blur(photograph.pixels, 0.8), 0.02)
    plain = measure_all(Evidence(photograph.with_pixels(worse), photograph))
    other = measure_all(
        Evidence(photograph.with_pixels(turned(worse)), photograph.with_pixels(turned(photograph.pixels)))
    )
    for key in (
        "psnr_luma",
        "ssim",
        "ms_ssim",
        "gmsd",
        "noise_left",
        "noise_seen",
        "detail_kept",
        "detail_invented",
        "tone",
    ):
        assert other[key].value == pytest.approx(plain[key].value, rel=5e-3, abs=1e-4), key


def test_a_region_counts_only_what_is_in_it(photograph: Frame) -> None:
    spoiled = np.array(photograph.pixels)
    spoiled[:200] = noise(spoiled[:200], 0.2)
    evidence = Evidence(photograph.with_pixels(spoiled), photograph, photograph)
    clean = evidence.within(Region(20, 240, 256, 256))
    assert MEASURES["psnr_luma"].read(clean).value == np.inf
    assert MEASURES["agreement"].read(clean).note == "needs the input" and clean.factor == evidence.factor
    assert evidence.within(Region(0, 0, 512, 512)) is evidence
    with pytest.raises(OutOfLimits, match="does not lie inside"):
        evidence.within(Region(300, 0, 256, 256))


def test_without_truth_and_input_only_the_result_is_read(photograph: Frame) -> None:
    noise = np.random.default_rng(2).normal(0, 6, photograph.pixels.shape)
    codes = np.clip(np.rint(255 * photograph.pixels + noise), 0, 255)
    found = measure_all(Evidence(photograph.with_pixels((codes / 255).astype(np.float32))))
    assert {key for key, measured in found.items() if measured.value is not None} == {
        "noise_left", "noise_seen", "noise_colour", "blockiness",
    }  # fmt: skip
    assert found["effective_bits"].note == "there are no smooth ramps"
    assert "ssim" not in found and found["blotch"].note == "needs a truth or the input"


def test_a_tiny_picture_says_what_it_is_too_small_for() -> None:
    tiny = Frame(np.random.default_rng(1).random((24, 24, 3), np.float32), 8)
    found = measure_all(Evidence(tiny, tiny, tiny))
    assert found["ms_ssim"].note == "needs 176 pixels a side or more"
    assert found["psnr_rgb"].value == np.inf and found["vif"].note and found["blotch"].note


def test_measures_stand_under_known_headings_and_say_what_they_are() -> None:
    assert [m.heading for m in MEASURES.values()] == sorted(
        (m.heading for m in MEASURES.values()), key=HEADINGS.index
    )
    for measure in MEASURES.values():
        texts = [text for text in (measure.meaning, measure.without_truth) if text]
        assert texts and all(text.endswith((".", '"')) for text in texts) and measure.source and measure.tie > 0


def test_all_are_measured_with_progress_and_without_maps(photograph: Frame) -> None:
    told: list[float] = []
    values = measure_all(Evidence(photograph, photograph), told.append)
    with_truth = [key for key, measure in MEASURES.items() if measure.meaning]
    assert list(values) == with_truth and told[-1] > 0.9 and told == sorted(told)
    assert all(measured.map is None for measured in values.values())


def test_ssim_does_not_depend_on_the_strips() -> None:
    """Rows are worked on in strips; a tall pair must give the same map as its parts, inside."""
    rng = np.random.default_rng(2)
    one, two = rng.random((300, 40), np.float32), rng.random((300, 40), np.float32)
    whole = structural_similarity(one, two).map
    part = structural_similarity(one[60:200], two[60:200]).map
    assert whole is not None and part is not None
    assert np.abs(whole[66:194] - part[6:134]).max() < 1e-4


def test_blocks_hold_the_picture() -> None:
    values = np.arange(48.0).reshape(6, 8)
    cut = blocks(values, 2)
    assert cut.shape == (12, 4) and cut[0].tolist() == [0, 1, 8, 9] and cut.sum() == values.sum()
    assert blocks(values[:1, :1], 2).shape == (1, 1)


@pytest.mark.parametrize("sigma", [0.8, 1.2, 2.0, 2.6])
def test_edge_width_of_a_known_blur_without_truth(sigma: float) -> None:
    """The 10-90 % rise of a Gaussian-blurred step is 2.563 sigma (integral of the normal distribution)."""
    y, x = np.mgrid[0:1600, 0:1600]
    fine = ((x - 800) + 0.12 * (y - 800) > 0).astype(np.float32)
    blurred = cv2.resize(cv2.GaussianBlur(fine, (0, 0), 8 * sigma), (200, 200), interpolation=cv2.INTER_AREA)
    # A pixel averages over its own area as well, which adds a variance of 1/12.
    assert edge_width(blurred * 0.6 + 0.2) == pytest.approx(2.563 * np.sqrt(sigma**2 + 1 / 12), rel=0.05)


def test_a_flat_picture_has_no_edges_and_no_detail() -> None:
    flat = Frame(np.full((256, 256, 3), 0.5, np.float32), 8)
    assert edge_width(flat.pixels[..., 0]) is None
    found = measure_all(Evidence(flat, flat))
    assert "edges" in found["edge_width"].note and found["detail_kept"].note == "the truth has no detail"


def test_traits_say_what_they_were_measured_on(photograph: Frame) -> None:
    assert measure_traits(quantise(photograph, 8)[0]).measured_on == "the whole picture"
    wide = np.zeros((20, 5000, 1), np.uint8)
    assert measure_traits(wide).measured_on == "the central 4096 x 20 pixels"


@pytest.mark.parametrize("shape", [(2, 2), (3, 900), (900, 5), (7, 7), (17, 40), (31, 33), (64, 65)])
@pytest.mark.parametrize("content", ["flat", "noise", "half"])
def test_traits_and_measures_of_odd_little_pictures_are_finite_or_say_why(shape: tuple, content: str) -> None:
    codes = np.full((*shape, 3), 120, np.uint8)
    if content != "flat":
        codes[:, : shape[1] // (2 if content == "half" else 1)] += np.random.default_rng(1).integers(
            0, 60, (shape[0], shape[1] // (2 if content == "half" else 1), 3), np.uint8
        )
    traits = vars(measure_traits(codes))
    figures = [value for value in traits.values() if isinstance(value, float)]
    assert np.isfinite(figures).all()
    for measured in measure_all(Evidence(codes, codes)).values():
        assert measured.note or (measured.value is not None and not np.isnan(measured.value))


@pytest.mark.parametrize("share", [0.3, 0.5, 0.8])
def test_a_picture_with_a_noiseless_part_is_measured(share: float) -> None:
    codes = np.full((400, 600, 3), 90, np.uint8)
    codes[:, int(600 * share) :] = np.clip(
        np.random.default_rng(2).normal(150, 9, (400, 600 - int(600 * share), 3)), 0, 255
    )
    traits = measure_traits(codes)
    assert traits.noise_sigma is None or np.isfinite(traits.noise_sigma)


def test_same_pictures_are_told_from_near_ones(photograph: Frame) -> None:
    codes, _ = quantise(photograph, 8)
    one_off = np.array(codes)
    one_off[::40, ::40] ^= 1  # one code value, in one pixel of 1600
    same = sameness(photograph, photograph.with_pixels(one_off / np.float32(255)))
    assert same.same and 60 < same.psnr < 100
    assert sameness(photograph, photograph).psnr == np.inf
    near = sameness(photograph, photograph.with_pixels(noise(photograph.pixels, 0.005)))
    assert not near.same and near.roughest > 1
    assert not sameness(photograph, photograph.with_pixels(blur(photograph.pixels, 2))).same


@pytest.mark.parametrize(("side", "change"), [(70, 0.05), (9, 0.1), (1, 1.0)])
def test_one_small_changed_patch_is_another_picture(side: int, change: float) -> None:
    """However large the rest is: 1500 x 1000 pixels that are equal do not hide it."""
    one = np.full((1000, 1500, 3), 0.4, np.float32)
    other = np.array(one)
    other[501 : 501 + side, 703 : 703 + side] += np.float32(change)
    pair = sameness(Frame(one, 8), Frame(other, 8))
    assert not pair.same and pair.psnr > 40
