"""Noise read off a picture, over a grid of kinds, levels, textures and sizes of known noise."""

from collections.abc import Callable
from itertools import product

import cv2
import numpy as np
import pytest
from skimage.restoration import estimate_sigma

from mistline.core.degrade.compression import jpeg
from mistline.core.frame import Frame, Size, luma
from mistline.core.measure import MEASURES, Evidence, NotMeasurable, measure_traits
from mistline.core.measure.noise import IN_PLACES, LOST, TEXTURED, noise_colour, noise_luma
from mistline.core.measure.noise_cells import BANDS
from mistline.core.measure.noise_spectrum import Bounded, Hidden, Noise, Specks, Texture, Uneven
from mistline.core.media.plate import quantise
from mistline.core.resample import resize
from tests.reference.noises import KINDS, noisy, plate, quiet

PHOTOGRAPHS = ("astronaut", "camera", "chelsea", "clock", "coffee", "coins", "moon", "retina", "rocket")
LUMA_OF_WHITE = np.sqrt(np.sum(np.square([0.2126, 0.7152, 0.0722])))  # BT.709 weights, independent channels


def unclipped(name: str) -> Frame:
    """A photograph with its values well inside the range, at most 700 x 900."""
    photograph = plate(name)
    return photograph.with_pixels(np.ascontiguousarray(0.05 + 0.9 * photograph.pixels[:700, :900]))


def told_or_bounded(frame: Frame, true: float, within: float) -> float | None:
    """By what share of it the noise is told wrong; None where it is bounded, and then it is no more than the bound."""
    try:
        sigma = told(frame).sigma
    except Bounded as why:
        assert why.most > 0.95 * true
        return None
    assert sigma == pytest.approx(true, rel=within)
    return sigma / true - 1


def told(frame: Frame) -> Noise:
    return noise_luma(frame, luma(frame.pixels))


def left(result: Frame, truth: Frame, key: str = "noise_left") -> float:
    value = MEASURES[key].of(Evidence(result, truth)).value
    assert value is not None
    return value


def spread(one: Frame, other: Frame) -> float:
    return float(luma(one.pixels - other.pixels).std() * 255)


def calm_spread(one: Frame, other: Frame) -> float:
    """Of the cells of 16 pixels of eight brightnesses, the calmest fifth each: what compression loses is elsewhere.

    Clipped ones do not count.
    """
    height, width = (side // 16 for side in other.pixels.shape[:2])
    off, level = (
        luma(plane)[: 16 * height, : 16 * width].reshape(height, 16, width, 16).swapaxes(1, 2).reshape(-1, 256)
        for plane in (255 * (one.pixels - other.pixels), other.pixels)
    )
    whole = (one.pixels.min(axis=2) > 1.5 / 255)[: 16 * height, : 16 * width].reshape(height, 16, width, 16)
    free = whole.mean(axis=(1, 3)).ravel() > 0.95
    off, level = off[free], level[free]
    unrest, variances = level.std(axis=1), []
    for part in np.array_split(np.argsort(level.mean(axis=1)), 8):
        variances.append(off[part[unrest[part] <= np.quantile(unrest[part], 0.2)]].var())
    return float(np.sqrt(np.mean(variances)))


def in_places(frame: Frame) -> float:
    """The most that noise can be that compression left in some places only."""
    with pytest.raises(Bounded, match="noise is at most") as why:
        told(frame)
    return why.value.most


def filtered(frame: Frame, by: Callable[[np.ndarray], np.ndarray]) -> Frame:
    """What a filter of 8-bit codes makes of it."""
    codes = np.rint(frame.pixels * 255).astype(np.uint8)
    return frame.with_pixels(by(codes).reshape(codes.shape).astype(np.float32) / 255)


@pytest.mark.parametrize("channels", [1, 3])
@pytest.mark.parametrize("sigma", [1.0, 3.0, 10.0, 25.0, 40.0])
@pytest.mark.parametrize("kind", KINDS)
def test_known_noise_without_truth_within_ten_percent(kind: str, sigma: float, channels: int) -> None:
    frame, clean = noisy(quiet(channels=channels), kind, sigma)
    if kind == "JPEG 70" and sigma == 1:
        wiped = spread(noisy(clean, kind, 0)[0], clean)  # what is left is the error of the clean picture
        assert told(frame).sigma < 0.3 and spread(frame, clean) == pytest.approx(wiped, rel=0.05)
        return
    if kind == "JPEG 70" and sigma == 3:
        assert in_places(frame) > 0.85 * spread(frame, clean)
        return
    assert told(frame).sigma == pytest.approx(spread(frame, clean), rel=0.1, abs=0.15)


@pytest.mark.parametrize("sigma", [6.0, 12.0, 30.0])
@pytest.mark.parametrize("quality", [50, 70, 85, 95])
@pytest.mark.parametrize("channels", [1, 3])
@pytest.mark.parametrize("kind", KINDS[:-1])
def test_known_noise_that_was_compressed_afterwards_within_ten_percent(
    kind: str, channels: int, quality: int, sigma: float
) -> None:
    """JPEG wipes out the finest noise and leaves the coarse: in enlarged pictures nearly all of it."""
    frame, clean = noisy(quiet(channels=channels), kind, sigma)
    frame = jpeg(frame, quality, half_chroma=sigma > 6)
    if quality == 50 and kind == "white" and sigma / channels < 3:
        assert in_places(frame) > 0.85 * spread(frame, clean)
        return
    assert told(frame).sigma == pytest.approx(spread(frame, clean), rel=0.1)


@pytest.mark.parametrize("channels", [1, 3])
@pytest.mark.parametrize("quality", [30, 40])
@pytest.mark.parametrize("kind", KINDS[:-1])
def test_noise_that_compression_left_in_places_is_told_or_bounded(kind: str, quality: int, channels: int) -> None:
    """Of what is told, the error of the coarse steps that compression makes of shading is not noise."""
    frame, clean = noisy(quiet(channels=channels), kind, 3)
    frame = jpeg(frame, quality, half_chroma=False)
    steps = spread(jpeg(clean, quality, half_chroma=False), clean)
    try:
        assert told(frame).sigma == pytest.approx(spread(frame, clean), rel=0.1)
    except Bounded as why:
        assert why.most**2 > 0.9 * (spread(frame, clean) ** 2 - steps**2)


@pytest.mark.parametrize(
    ("kind", "sigma", "quality"), [("white", 16, 50), ("grain", 5, 70), ("enlarged 2x", 8, 50)]
)
def test_specks_of_colour_that_compression_left_are_not_told_as_none(
    kind: str, sigma: float, quality: int
) -> None:
    frame = jpeg(noisy(quiet(), kind, sigma)[0], quality, half_chroma=True)
    with pytest.raises(Specks, match="specks and little else, as after compression; noise is at most"):
        noise_colour(frame, luma(frame.pixels))


def share_in_places(result: Frame, truth: Frame) -> float:
    parts = MEASURES["noise_left"].of(Evidence(result, truth)).parts
    return {part.name: part.value for part in parts}[IN_PLACES]


@pytest.mark.parametrize("name", ["astronaut", "coffee", "moon"])
def test_a_patch_beside_a_truth_is_told_from_noise_alike_all_over(name: str) -> None:
    """A twentieth of the cells holds some 6 % of what is white, more of what is coarse; of a patch nearly all."""
    for kind in KINDS:
        assert share_in_places(*noisy(plate(name), kind, 4)) < 0.35
    truth = plate(name).with_pixels(0.1 + 0.8 * plate(name).pixels)  # nothing clipped
    patched, restless = truth.pixels.copy(), np.abs(cv2.Laplacian(luma(truth.pixels), cv2.CV_32F))
    calm = cv2.blur(restless, (81, 81))[48:-48, 48:-48]
    top, left_side = np.add(np.unravel_index(calm.argmin(), calm.shape), 48 - 20)
    patched[top : top + 40, left_side : left_side + 40] += 0.05
    assert share_in_places(truth.with_pixels(patched), truth) > 0.6


@pytest.mark.parametrize("quality", [None, 70, 90])
@pytest.mark.parametrize("size", [0.4, 0.7, 1.2])
def test_lettering_on_flat_grounds_is_neither_noise_nor_specks(size: float, quality: int | None) -> None:
    codes = np.full((600, 800, 3), (230, 225, 210), np.uint8)
    for line in range(30, 600, int(60 * size + 20)):
        cv2.putText(codes, "The tram leaves at 07:45 and 09:30", (20, line), 0, size, (40, 30, 90), 1, cv2.LINE_AA)
    frame = Frame(codes.astype(np.float32) / 255, 8)
    frame = frame if quality is None else jpeg(frame, quality, half_chroma=True)
    assert told(frame).sigma < 0.3 and noise_colour(frame, luma(frame.pixels)).sigma < 0.3


SOFT = {
    "median 5": lambda codes: cv2.medianBlur(codes, 5),
    "box 3": lambda codes: cv2.blur(codes, (3, 3)),
    "box 5": lambda codes: cv2.blur(codes, (5, 5)),
    "Gaussian 1": lambda codes: cv2.GaussianBlur(codes, (0, 0), 1.0),
    "Gaussian 1.5": lambda codes: cv2.GaussianBlur(codes, (0, 0), 1.5),
}


@pytest.mark.parametrize("sigma", [8.0, 20.0])
@pytest.mark.parametrize("name", ["quiet", "clock", "rocket"])
@pytest.mark.parametrize("soft", SOFT)
def test_noise_that_a_filter_softened_within_ten_percent(soft: str, name: str, sigma: float) -> None:
    """Filters leave side lobes beside noise that is coarse: 5 pixels wide has its first zero at 1/5 cycle a pixel."""
    frame, clean = noisy(quiet(channels=1) if name == "quiet" else plate(name), "white", sigma)
    softened, without = (filtered(each, SOFT[soft]) for each in (frame, clean))
    unrest = np.abs(luma(clean.pixels) - cv2.blur(luma(clean.pixels), (9, 9)))
    calm = cv2.dilate(unrest, np.ones((9, 9))) < 4 / 255
    true = float(luma(softened.pixels - without.pixels)[calm].std() * 255)
    assert told(softened).sigma == pytest.approx(true, rel=0.1)


@pytest.mark.parametrize(("spread_of", "sigma"), [(3.0, 12.0), (3.0, 20.0), (3.0, 40.0), (4.0, 20.0)])
def test_noise_that_is_coarser_than_can_be_told_is_bounded(spread_of: float, sigma: float) -> None:
    frame, clean = noisy(quiet(channels=1), "white", sigma)
    softened, without = (
        filtered(each, lambda codes: cv2.GaussianBlur(codes, (0, 0), spread_of)) for each in (frame, clean)
    )
    with pytest.raises(
        Texture, match="more at coarse scales than noise has, as smoothed noise or texture has"
    ) as why:
        told(softened)
    assert why.value.least < spread(softened, without) < why.value.most
    assert why.value.least > 0.25 * spread(softened, without)  # what automatic strengths start from


@pytest.mark.parametrize("quality", [70, 90])
@pytest.mark.parametrize("kind", ["grain", "enlarged 2x", "enlarged 3x", "enlarged 4x"])
@pytest.mark.parametrize("name", ["camera", "rocket", "moon", "clock"])
def test_noise_of_photographs_that_was_compressed_afterwards(name: str, kind: str, quality: int) -> None:
    """With noise of their own and texture that JPEG loses: within 20 % in calm parts."""
    frame, clean = noisy(plate(name), kind, 10)
    frame = jpeg(frame, quality, half_chroma=False)
    off = told_or_bounded(frame, calm_spread(frame, clean), 0.2)
    assert off is not None or (name, kind) == ("rocket", "enlarged 4x")


@pytest.mark.parametrize("stops", [2, 4, 5, 6])
def test_sensor_noise_and_its_dependence_on_brightness(stops: int) -> None:
    frame, clean = noisy(quiet(601, 800), "sensor", stops)
    found = told(frame)
    assert found.sigma == pytest.approx(spread(frame, clean), rel=0.1)
    error, level = luma(frame.pixels - clean.pixels) * 255, luma(clean.pixels)
    for where in (0.35, 0.5):
        near = np.abs(level - where) < 0.02
        assert float(found.at(np.array([where]))[0]) == pytest.approx(error[near].std(), rel=0.12)


@pytest.mark.parametrize("kind", ["white", "grain", "enlarged 2x", "enlarged 3x"])
def test_known_noise_on_photographs_mostly_within_ten_percent_or_bounded(kind: str) -> None:
    """All with noise and texture of their own; between the coins no part is free of it."""
    off = []
    for name, sigma in product(PHOTOGRAPHS, (8.0, 10.0, 20.0)):
        frame, clean = noisy(unclipped(name), kind, sigma)
        within = 0.2 if name in ("camera", "clock", "coffee", "moon", "retina", "rocket") else 0.3
        off.append(told_or_bounded(frame, spread(frame, clean), within))
    is_told = [abs(each) for each in off if each is not None]
    assert len(is_told) > 0.6 * len(off) and np.mean(np.array(is_told) > 0.1) < 0.16


@pytest.mark.parametrize("quality", [100, 88, 70])
def test_sensor_noise_of_photographs_is_told_where_their_brightnesses_show_it(quality: int) -> None:
    """What is bright and calm does not tell what noise a dark and textured part has, least of all after JPEG."""
    off = []
    for name, stops in product(PHOTOGRAPHS, (4, 5, 6)):
        frame, clean = noisy(unclipped(name), "sensor", stops)
        frame = frame if quality == 100 else jpeg(frame, quality, half_chroma=False)
        off.append(told_or_bounded(frame, calm_spread(frame, clean), 0.25))
    is_told = [abs(each) for each in off if each is not None]
    assert len(is_told) > 0.25 * len(off) and np.mean(np.array(is_told) > 0.15) <= 0.3


@pytest.mark.parametrize(("stops", "width"), [(4, 300), (5, 400), (6, 400)])
def test_noise_of_the_dark_that_texture_hides_is_bounded_and_that_of_the_light_is_kept(
    stops: int, width: int
) -> None:
    light, dark = quiet(512, width), plate("grass").pixels[:512, :512, :1]
    pixels = np.hstack([0.06 + 0.3 * np.repeat(dark, 3, axis=2), 0.2 + 0.8 * light.pixels])
    frame, clean = noisy(light.with_pixels(pixels.astype(np.float32)), "sensor", stops)
    with pytest.raises(Hidden, match=r"hides it in \d+% of the picture \(elsewhere .* cv\); noise") as why:
        told(frame)
    assert why.value.least < 1.1 * spread(frame, clean) < why.value.most
    traits, known = measure_traits(quantise(frame, 8)[0]), why.value.known
    assert traits.noise_sigma is None and traits.noise_most == pytest.approx(why.value.most, rel=0.02)
    assert traits.noise_known == pytest.approx(known.sigma, rel=0.02) and len(traits.noise_curve) > 2
    assert left(frame, frame) == pytest.approx(known.sigma, rel=0.02)  # what a truth has of its own is kept
    off, level = 255 * luma(frame.pixels - clean.pixels), luma(clean.pixels)
    for where in (0.5, 0.6):
        near = np.abs(level - where) < 0.02
        assert float(known.at(np.array([where]))[0]) == pytest.approx(off[near].std(), rel=0.12)


@pytest.mark.parametrize("kind", ["enlarged 2x", "enlarged 3x"])
def test_texture_that_grows_calmer_in_fewer_cells_bounds_the_noise_and_colour_tells_it(kind: str) -> None:
    """Fur in and out of focus has no flat parts; but noise differs from colour to colour, and fur does not."""
    frame, clean = noisy(unclipped("chelsea"), kind, 5, seed=5)
    grey, clean_grey = (each.with_pixels(luma(each.pixels)[..., None]) for each in (frame, clean))
    with pytest.raises(Texture, match="even its calmest parts seem to hold texture; noise is at most") as why:
        told(grey)
    assert why.value.least < 1.2 * spread(grey, clean_grey) < why.value.most
    assert told_or_bounded(frame, spread(frame, clean), 0.1) is not None or kind == "enlarged 3x"


@pytest.mark.parametrize("sigma", [1.5, 4.0, 12.0])
@pytest.mark.parametrize("soft", [0.3, 0.8, 1.5])
@pytest.mark.parametrize("own", [0.0, 0.5])
def test_grain_that_colours_share_is_not_told_as_less(own: float, soft: float, sigma: float) -> None:
    """Grain of black and white film, rounded for each colour; where colours have noise of their own it is bounded."""
    clean, rng = quiet(), np.random.default_rng(8)
    grain = cv2.GaussianBlur(rng.standard_normal(clean.pixels.shape[:2]), (0, 0), soft)
    noise = sigma * (grain / grain.std())[..., None] + own * rng.standard_normal(clean.pixels.shape)
    frame = clean.with_pixels((np.rint(clean.pixels * 255 + noise) / 255).astype(np.float32))
    assert told_or_bounded(frame, spread(frame, clean), 0.1) is not None or own


def test_beside_scikit_image_on_white_noise() -> None:
    frame, _ = noisy(quiet(channels=1), "white", 8)
    assert told(frame).sigma == pytest.approx(estimate_sigma(frame.pixels[..., 0]) * 255, rel=0.05)


@pytest.mark.parametrize("name", ["brick", "grass", "gravel", "hubble_deep_field"])
def test_clean_texture_is_not_noise(name: str) -> None:
    with pytest.raises(NotMeasurable, match=r"(as texture has|hold texture); noise is at most"):
        told(plate(name))


@pytest.mark.parametrize("read", [2.0, 6.0])
@pytest.mark.parametrize("name", ["grass", "gravel", "coffee", "coins"])
def test_the_most_that_noise_can_be_is_no_less_where_dark_parts_are_calmer(name: str, read: float) -> None:
    """Noise whose variance grows with brightness, and texture that hides it: what is said holds over the picture."""
    truth = plate(name)
    sigma = np.sqrt(truth.pixels * 12.0**2 + read**2) / 255
    noise = np.random.default_rng(6).normal(0, 1, truth.pixels.shape) * sigma
    shown = truth.with_pixels((0.1 + 0.8 * (truth.pixels + noise)).astype(np.float32))
    true = 0.8 * 255 * float(luma(noise.astype(np.float32)).std())
    try:
        assert told(shown).sigma == pytest.approx(true, rel=0.2)
    except Texture as why:
        assert why.most > 0.95 * true


@pytest.mark.parametrize("kernel", ["area", "lanczos3"])
@pytest.mark.parametrize("factor", [1.1, 1.25, 1.4, 1.5, 1.7, 2, 3, 0.8, 0.5])
@pytest.mark.parametrize("name", ["grass", "gravel", "hubble_deep_field"])
def test_texture_that_was_shrunk_or_enlarged_is_not_noise(name: str, factor: float, kernel: str) -> None:
    """What takes up the whole picture and looks much like grain is lopsided, which grain is not."""
    clean = plate(name)
    kernel = "bicubic" if factor < 1 and kernel == "area" else kernel
    size = Size(round(clean.size.width / factor), round(clean.size.height / factor))
    with pytest.raises(NotMeasurable, match=r"(as texture has|hold texture); noise is at most"):
        told(clean.with_pixels(resize(clean.pixels, size, kernel)))


@pytest.mark.parametrize("kind", ["white", "enlarged 2x", "enlarged 4x"])
def test_bands_tell_fine_from_coarse_noise(kind: str) -> None:
    """White noise has 3/4 of its energy and more beyond 1/4 cycle per pixel; enlarged twice, nearly none."""
    frame, _ = noisy(quiet(channels=1), kind, 10)
    bands = told(frame).bands
    energy = np.square(list(bands.values()))
    assert list(bands) == list(BANDS) and told(frame).sigma ** 2 == pytest.approx(energy.sum(), rel=1e-3)
    share = energy[-1] / energy.sum()
    assert share > 0.75 if kind == "white" else share < 0.25


def test_colour_noise_is_told_apart_from_luma_noise() -> None:
    clean = quiet()
    rng = np.random.default_rng(3)
    grain = rng.standard_normal(clean.pixels.shape[:2])[..., None] * [1, 1, 1] * 8 / 255
    grey = clean.with_pixels(clean.pixels + grain)
    assert noise_colour(grey, luma(grey.pixels)).sigma < 0.3
    assert left(grey, clean) == pytest.approx(8, rel=0.05) and left(grey, clean, "noise_colour") < 0.3
    both, _ = noisy(clean, "white", 8)
    # Cb and Cr of independent channels, by the BT.709 equations.
    planes = np.array([[-0.1146, -0.3854, 0.5], [0.5, -0.4542, -0.0458]])
    expected = 8 * np.sqrt(np.square(planes).sum() / 2)
    assert noise_colour(both, luma(both.pixels)).sigma == pytest.approx(expected, rel=0.1)
    assert left(both, clean, "noise_colour") == pytest.approx(expected, rel=0.1)


@pytest.mark.parametrize("sigma", [1.0, 5.0, 20.0])
@pytest.mark.parametrize("kind", KINDS[:-1])
@pytest.mark.parametrize("name", ["camera", "grass", "chelsea"])
def test_noise_beside_the_truth(name: str, kind: str, sigma: float) -> None:
    """With a truth the texture does not matter. (JPEG loses texture as well, which is not noise.)"""
    frame, clean = noisy(plate(name), kind, sigma)
    inside = (np.abs(frame.pixels - 0.5) < 0.48).all(axis=2)
    true = np.hypot(luma(frame.pixels - clean.pixels)[inside].std() * 255, left(clean, clean))
    assert left(frame, clean) == pytest.approx(true, rel=0.15, abs=0.2)


@pytest.mark.parametrize("factor", [2, 4])
def test_an_enlarged_noisy_input_is_never_as_clean_as_its_truth(factor: int) -> None:
    frame, clean = noisy(plate("rocket"), f"enlarged {factor}x", 10)
    assert left(frame, clean) > left(clean, clean) + 3


@pytest.mark.parametrize(("name", "textured"), [("grass", 1.0), ("gravel", 1.0), ("astronaut", 0.0)])
def test_sharpened_texture_is_not_lost_and_a_truth_of_texture_is_said_to_be_one(
    name: str, textured: float
) -> None:
    truth = plate(name)

    def parts(pixels: np.ndarray) -> dict[str, float]:
        result = truth.with_pixels(np.clip(pixels, 0, 1).astype(np.float32).reshape(truth.pixels.shape))
        return {part.name: part.value for part in MEASURES["noise_left"].of(Evidence(result, truth)).parts}

    soft = cv2.GaussianBlur(truth.pixels, (0, 0), 1.0).reshape(truth.pixels.shape)
    blurred, sharpened = parts(soft), parts(1.5 * truth.pixels - 0.5 * soft)
    assert blurred[TEXTURED] == sharpened[TEXTURED] == textured
    assert sharpened[LOST] < 0.2 * blurred[LOST]


@pytest.mark.parametrize("name", ["coffee", "brick", "chelsea"])
def test_lost_or_sharpened_texture_is_no_noise(name: str) -> None:
    from scipy.ndimage import gaussian_filter

    truth = plate(name)
    soft = gaussian_filter(truth.pixels, (1, 1, 0))
    for pixels in (soft, 2 * truth.pixels - soft, 0.8 * truth.pixels + 0.05):
        assert left(truth.with_pixels(pixels), truth) < 0.3 + left(truth, truth)


@pytest.mark.parametrize("added", [0.0, 4.0])
@pytest.mark.parametrize("soft", [1.0, 2.0])
@pytest.mark.parametrize("share", [0.5, 0.25])
@pytest.mark.parametrize("name", ["coffee", "chelsea", "camera", "coins"])
def test_texture_lost_in_a_part_is_no_noise_and_hides_none(
    name: str, share: float, soft: float, added: float
) -> None:
    truth = plate(name)
    height, width, _ = truth.pixels.shape
    blurred = cv2.GaussianBlur(truth.pixels, (0, 0), soft)
    part = (np.arange(width) < share * width)[None, :, None] & (np.arange(height) < 2 * share * height)[
        :, None, None
    ]
    noise = np.random.default_rng(3).normal(0, added / 255, truth.pixels.shape)
    result = truth.with_pixels((np.where(part, blurred, truth.pixels) + noise).astype(np.float32))
    found, own = left(result, truth), left(truth, truth)
    if added:
        assert found**2 - own**2 == pytest.approx((added * LUMA_OF_WHITE) ** 2, rel=0.25)
    else:
        assert found < own + 0.65


@pytest.mark.parametrize("share", [0.25, 0.5])
@pytest.mark.parametrize("kind", ["white", "grain", "sensor"])
@pytest.mark.parametrize("name", ["astronaut", "moon", "rocket", "clock", "quiet"])
def test_a_picture_that_was_cleaned_in_a_part_has_no_one_noise(name: str, kind: str, share: float) -> None:
    """A Gaussian cleans it; what is told of the rest is its noise, and of the whole, as long as all of it is noisy."""
    frame, clean = noisy(quiet() if name == "quiet" else unclipped(name), kind, 5 if kind == "sensor" else 10)
    width = frame.size.width
    part = (np.arange(width) < share * width)[None, :, None]
    cleaned = np.where(part, cv2.GaussianBlur(frame.pixels, (0, 0), 2.0).reshape(frame.pixels.shape), frame.pixels)
    with pytest.raises(Uneven, match="one part of it is noisier") as why:
        told(frame.with_pixels(cleaned.astype(np.float32)))
    assert why.value.least < 0.5 * why.value.most
    true = np.hypot(spread(frame, clean), left(clean, clean))
    assert why.value.most == pytest.approx(true, rel=0.3)
    if (kind, name) != ("sensor", "astronaut"):  # its dark parts are texture, in which noise cannot be read
        assert told(frame).sigma == pytest.approx(true, rel=0.2)


def test_no_noise_is_none_and_a_black_picture_tells_nothing() -> None:
    smooth = quiet().with_pixels(np.full((200, 200, 3), 0.5, np.float32))
    assert told(smooth).sigma < 0.01
    with pytest.raises(NotMeasurable, match="neither clipped"):
        told(smooth.with_pixels(np.zeros((64, 64, 3), np.float32)))
    with pytest.raises(NotMeasurable):
        told(smooth.with_pixels(np.full((12, 12, 3), 0.5, np.float32)))
