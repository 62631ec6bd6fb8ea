"""Grids of JPEG squares at known pitch and place, effective bits of ramps of known depth, tones and mistakes of colour."""

import cv2
import numpy as np
import pytest
from skimage import data

from mistline.core.choose.words import THRESHOLDS
from mistline.core.degrade.compression import halve_chroma, jpeg
from mistline.core.frame import Frame, Size, luma, to_frame
from mistline.core.measure import MEASURES, Evidence
from mistline.core.measure.colour_difference import lab
from mistline.core.measure.colour_shift import CONTRAST, MISTAKES, PATCHY, WORST
from mistline.core.measure.compression import block_grid, blockiness, effective_bits
from mistline.core.measure.measure import NotMeasurable
from mistline.core.resample import resize


@pytest.fixture(scope="module")
def photograph() -> Frame:
    return to_frame(data.coffee())


def squares(frame: Frame, quality: int) -> np.ndarray:
    return luma(jpeg(frame, quality, half_chroma=False).pixels)


def test_squares_grow_as_quality_falls(photograph: Frame) -> None:
    found = [blockiness(squares(photograph, quality))[0] for quality in (90, 60, 30, 10)]
    assert all(np.diff(found) > 0) and found[0] < 15 < found[-1]


@pytest.mark.parametrize("name", ["astronaut", "camera", "coffee", "chelsea", "clock", "moon"])
def test_a_grid_is_never_told_as_a_wider_one(name: str) -> None:
    """JPEG works on 8 x 8 blocks (ITU-T T.81), whatever 16 or 24 pixels a picture repeats itself at."""
    codes = getattr(data, name)()
    frame = to_frame(codes if codes.ndim == 3 else codes[..., None])
    found = [blockiness(squares(frame, quality)) for quality in (70, 50, 30, 15)]
    assert all(grid is not None and grid.pitch == pytest.approx(8, rel=0.005) for _, grid in found)
    assert all(np.diff([value for value, _ in found]) > 0)


@pytest.mark.parametrize("name", ["astronaut", "camera", "coffee", "chelsea", "brick", "grass", "gravel"])
@pytest.mark.parametrize("factor", [1, 1.5, 2])
def test_a_clean_picture_has_no_grid_however_enlarged(name: str, factor: float) -> None:
    codes = getattr(data, name)()
    pixels = to_frame(codes if codes.ndim == 3 else codes[..., None]).pixels
    size = Size(round(pixels.shape[1] * factor), round(pixels.shape[0] * factor))
    assert blockiness(luma(pixels if factor == 1 else resize(pixels, size, "bicubic"))) == (0.0, None)


@pytest.mark.parametrize("factor", [1, 1.5, 2, 3, 4])
@pytest.mark.parametrize(("left", "top"), [(0, 0), (3, 5)])
@pytest.mark.parametrize("kernel", ["bicubic", "bilinear"])
def test_the_grid_is_found_cropped_and_enlarged(
    factor: float, left: int, top: int, kernel: str, photograph: Frame
) -> None:
    """JPEG works on 8 x 8 blocks (ITU-T T.81): the pitch is 8 times the factor, the first line 8 less the crop."""
    coarse = squares(photograph, 30)[top : top + 320, left : left + 480]
    size = Size(int(coarse.shape[1] * factor), int(coarse.shape[0] * factor))
    grid = block_grid(np.ascontiguousarray(resize(coarse[..., None], size, kernel)[..., 0]))
    assert grid is not None and grid.pitch == pytest.approx(8 * factor, rel=0.005) and grid.strength > 5
    for found, cut in ((grid.left, left), (grid.top, top)):
        off = (found - (8 - cut) * factor) % (8 * factor)
        assert min(off, 8 * factor - off) < 0.8 * factor


@pytest.mark.parametrize("bits", [6, 8, 10, 12, 14, 16])
@pytest.mark.parametrize("span", [0.06, 0.1, 0.4])
def test_ramps_of_known_depth_fast_and_slow(bits: int, span: float) -> None:
    y, x = np.mgrid[0:256, 0:1024]
    ramp = 0.3 + span * x / 1024 + 0.01 * y / 256
    if span * 2**bits < 16:
        pytest.skip("fewer than 16 steps")
    boxed = np.round(np.round(ramp * (2**bits - 1)) / (2**bits - 1) * 65535) / 65535
    assert effective_bits(boxed.astype(np.float32), 16).value == bits


@pytest.mark.parametrize("kept", ["as they are", "with half a step", "in the middle of 16"])
@pytest.mark.parametrize(("bits", "of"), [(5, 8), (6, 8), (7, 8), (8, 16), (10, 16), (12, 16)])
def test_last_bits_that_are_cut_off_are_found(bits: int, of: int, kept: str) -> None:
    """The first bits of a longer code, the last ones 0 or one half, on ramps of three slopes."""
    step = 2 ** (of - bits)
    ramp = np.concatenate([np.tile(np.linspace(0.08, top, 768), (128, 1)) for top in (0.3, 0.6, 0.95)])
    codes = np.floor(ramp * (2**of - 1) / step) * step + (step // 2 if kept == "with half a step" else 0)
    codes = np.minimum(codes / (2**of - 1), 1)
    if kept == "in the middle of 16":
        codes = np.round(codes * 65535) / 65535
    assert effective_bits(codes.astype(np.float32), max(of, 16)).value == bits


@pytest.mark.parametrize("factor", [2, 4])
@pytest.mark.parametrize("kernel", ["bicubic", "bilinear", "lanczos3"])
@pytest.mark.parametrize(("bits", "expected"), [(8, 8), (16, 16)])
def test_eight_bits_hidden_by_enlarging_are_found(bits: int, expected: int, kernel: str, factor: int) -> None:
    y, x = np.mgrid[0:200, 0:300]
    ramp = 0.4 + 0.1 * np.sin(x / 150) * np.cos(y / 170)
    small = (np.round(ramp * (2**bits - 1)) / (2**bits - 1)).astype(np.float32)[..., None]
    large = resize(small, Size(300 * factor, 200 * factor), kernel)[..., 0]
    assert effective_bits((np.round(large * 65535) / 65535).astype(np.float32), 16).value == expected


def test_a_rough_picture_has_no_ramps() -> None:
    with pytest.raises(NotMeasurable, match="no smooth ramps"):
        effective_bits(np.random.default_rng(1).random((256, 256)).astype(np.float32), 16)


@pytest.mark.parametrize("lift", [-0.08, 0.05])
def test_a_lift_of_all_values_is_the_tone_shift_of_its_darkest_tones(lift: float) -> None:
    """On greys L* is a function of the code value alone (CIE 1976), so the shift has a closed form."""
    grey = np.repeat(np.repeat(np.linspace(0.2, 0.8, 64, dtype=np.float32), 32)[None, :, None], 64, 0)
    measured = MEASURES["tone"].of(Evidence(Frame(grey + np.float32(lift), 8), Frame(grey, 8)))
    parts = {part.name: part.value for part in measured.parts}
    for name, share in (("darkest", 0.01), ("middle", 0.5), ("lightest", 0.99)):
        value = np.float32(np.quantile(grey, share))
        both = lab(np.array([[[value]], [[value + np.float32(lift)]]], np.float32))[:, 0, 0]
        assert parts[name] == pytest.approx(both[1] - both[0], abs=0.15)
    assert abs(measured.value) == pytest.approx(max(abs(v) for v in parts.values()))


def test_lost_detail_is_no_colour_shift_but_a_cast_is(photograph: Frame) -> None:
    soft = photograph.with_pixels(cv2.GaussianBlur(photograph.pixels, (0, 0), 1.0))
    cast = photograph.with_pixels(photograph.pixels * np.float32([1.08, 1, 0.94]))
    shift, mean = MEASURES["ciede2000_soft"].of, MEASURES["ciede2000"].of
    assert shift(Evidence(soft, photograph)).value < 0.2 < mean(Evidence(soft, photograph)).value
    assert shift(Evidence(cast, photograph)).value > 1.5


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea", "retina"])
def test_clouds_of_colour_are_told_from_a_change_of_colour(name: str) -> None:
    """Clouds: white noise of 4 code values blurred by a Gaussian of 6 pixels, without luma, as denoised colour has."""
    truth = getattr(data, name)()[:512, :512].astype(np.float32) / 255
    noise = cv2.GaussianBlur(np.random.default_rng(2).normal(0, 1, truth.shape).astype(np.float32), (0, 0), 6)
    noise *= 4 / 255 / noise.std()
    grey = luma(truth)[..., None]
    made = {
        "clouds": truth + noise - luma(noise)[..., None],
        "paler": grey + 0.8 * (truth - grey),
        "darker": np.clip(truth, 0, 1) ** 1.15,
        "warmer": truth * np.array([1.05, 1, 0.93], np.float32),
    }
    patchy = {key: soft_parts(np.clip(pixels, 0, 1), truth)[PATCHY] for key, pixels in made.items()}
    assert patchy.pop("clouds") > 0.8 and max(patchy.values()) < 0.15


def soft_parts(result: np.ndarray, truth: np.ndarray) -> dict[str, float]:
    found = MEASURES["ciede2000_soft"].of(Evidence(Frame(result, 16), Frame(truth, 16)))
    return {part.name: part.value for part in found.parts}


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
@pytest.mark.parametrize("sigma", [5, 10, 20])
def test_zero_mean_noise_is_no_colour_shift(sigma: float, name: str) -> None:
    truth = to_frame(getattr(data, name)())
    noise = np.random.default_rng(1).standard_normal(truth.pixels.shape) * sigma / 255
    evidence = Evidence(truth.with_pixels(np.clip(truth.pixels + noise, 0, 1)), truth)
    assert MEASURES["ciede2000_soft"].of(evidence).value < 0.3 and abs(MEASURES["tone"].of(evidence).value) < 0.6


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
@pytest.mark.parametrize("damage", ["none", "noise", "blur"])
@pytest.mark.parametrize("mistake", [*MISTAKES, "another contrast", "a cast", "another gamma"])
def test_mistakes_of_range_and_matrix_are_named_and_no_others(mistake: str, damage: str, name: str) -> None:
    """Matrices by colour-science from the weights of ITU-R BT.601 and BT.709; 16 to 235 as these have it."""
    import colour

    def weights(name: str) -> np.ndarray:
        return colour.WEIGHTS_YCBCR[name]

    truth = to_frame(getattr(data, name)())
    pixels = truth.pixels.astype(np.float64)

    def read_as(written: str, read: str) -> np.ndarray:
        planes = colour.RGB_to_YCbCr(pixels, K=weights(written), in_legal=False, out_legal=False)
        return colour.YCbCr_to_RGB(planes, K=weights(read), in_legal=False, out_legal=False)

    changed = {
        "full range taken for 16-235": (pixels * 255 - 16) / 219,
        "16-235 taken for full range": pixels * 219 / 255 + 16 / 255,
        "BT.709 read as BT.601": read_as("ITU-R BT.709", "ITU-R BT.601"),
        "BT.601 read as BT.709": read_as("ITU-R BT.601", "ITU-R BT.709"),
        "another contrast": 0.9 * pixels + 0.05,
        "a cast": pixels * [1.06, 1, 0.97],
        "another gamma": pixels**1.1,
    }[mistake]
    if damage == "noise":
        changed = changed + np.random.default_rng(1).standard_normal(pixels.shape) * 8 / 255
    elif damage == "blur":
        changed = cv2.GaussianBlur(changed, (0, 0), 1.2)
    result = truth.with_pixels(np.clip(changed, 0, 1))
    parts = {part.name: part.value for part in MEASURES["ciede2000_soft"].of(Evidence(result, truth)).parts}
    assert [name for name in parts if name in MISTAKES] == ([mistake] if mistake in MISTAKES else [])
    if mistake in MISTAKES or mistake == "a cast":
        assert CONTRAST not in parts
    elif mistake == "another contrast":
        assert abs(parts[CONTRAST] - 90) < 1.5


@pytest.mark.parametrize("paper", [220, 235, 245, 255])
@pytest.mark.parametrize("ink", [0, 10, 60])
@pytest.mark.parametrize("size", [(300, 400), (97, 130)])
def test_full_range_taken_for_limited_is_named_where_most_of_it_is_clipped(
    size: tuple[int, int], ink: int, paper: int
) -> None:
    """A page of print: white paper and black ink leave the range. On paper of code 255 hardly anything changes."""
    codes = np.full((*size, 3), paper, np.uint8)
    for row in range(30, size[0], 34):
        cv2.putText(
            codes, "plain words in a row", (6, row), cv2.FONT_HERSHEY_SIMPLEX, 0.8, (ink,) * 3, 2, cv2.LINE_AA
        )
    truth = to_frame(codes)

    def named(values: np.ndarray) -> list[str]:
        result = truth.with_pixels(np.clip(values, 0, 255).astype(np.float32) / 255)
        try:
            parts = MEASURES["ciede2000_soft"].of(Evidence(result, truth)).parts
        except NotMeasurable:
            return []
        return [part.name for part in parts if part.name in {CONTRAST, *MISTAKES}]

    values = codes.astype(np.float64)
    if paper < 255:
        assert named((values - 16) * 255 / 219) == ["full range taken for 16-235"]
    for harmless in (values, values + 8, (values - 128) * 1.05 + 128, cv2.GaussianBlur(values, (0, 0), 1.5)):
        assert named(harmless) == []


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea", "page"])
@pytest.mark.parametrize("still", [0.2, 0.5])
@pytest.mark.parametrize("gain", [0.6, 0.7, 0.8, 0.9, 1.1])
def test_another_contrast_is_told_by_its_size_and_no_mistake(gain: float, still: float, name: str) -> None:
    codes = getattr(data, name)()
    truth = to_frame(codes[..., None] if codes.ndim == 2 else codes)
    changed = np.clip((truth.pixels - still) * gain + still, 0, 1)
    blurred = cv2.GaussianBlur(changed, (0, 0), 1.0).reshape(changed.shape)
    for pixels in (changed, blurred):
        parts = {
            p.name: p.value
            for p in MEASURES["ciede2000_soft"].of(Evidence(truth.with_pixels(pixels), truth)).parts
        }
        assert not [mistake for mistake in parts if mistake in MISTAKES]
        assert abs(parts[CONTRAST] - 100 * gain) < 2


@pytest.mark.parametrize("name", ["astronaut", "coffee", "chelsea"])
def test_a_part_that_changed_is_found_and_what_only_lost_detail_is_none(name: str) -> None:
    truth = to_frame(getattr(data, name)())
    height, width, _ = truth.pixels.shape
    rng = np.random.default_rng(2)

    def worst(pixels: np.ndarray) -> float:
        result = truth.with_pixels(np.clip(pixels, 0, 1).astype(np.float32))
        return {p.name: p.value for p in MEASURES["ciede2000_soft"].of(Evidence(result, truth)).parts}[WORST]

    brighter = truth.pixels.copy()
    brighter[height // 3 : height // 3 + 70, width // 3 : width // 3 + 70] += 13 / 255
    small = cv2.resize(truth.pixels, (width // 4, height // 4), interpolation=cv2.INTER_AREA)
    lost = [
        cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC),
        cv2.GaussianBlur(truth.pixels, (0, 0), 1.5),
        truth.pixels + rng.normal(0, 10 / 255, truth.pixels.shape),
        truth.pixels + 1.0 * (truth.pixels - cv2.GaussianBlur(truth.pixels, (0, 0), 1)),
    ]
    told = THRESHOLDS["colour shift in places, dE00"]
    assert worst(brighter) > 1.5 * told and max(map(worst, lost)) < told


def test_half_chroma_keeps_luma_and_grey(photograph: Frame) -> None:
    """4:2:0 as ITU-R BT.601 has it: brightness whole, colour one in four."""
    halved = halve_chroma(photograph)
    assert np.abs(luma(halved.pixels) - luma(photograph.pixels)).max() < 1e-5
    assert np.abs(halved.pixels - photograph.pixels).max() > 0.02
    grey = Frame(photograph.pixels[..., :1], 8)
    assert halve_chroma(grey) is grey
