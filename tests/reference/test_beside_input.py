"""What is measured without a truth, beside the input: known damage on photographs, against closed forms and OpenCV."""

import cv2
import numpy as np
import pytest
from scipy.stats import norm
from skimage import data

from mistline.core.frame import Frame, Region, Size, decode_srgb, encode_srgb, luma, to_frame
from mistline.core.measure import MEASURES, Evidence, Measured
from mistline.core.measure.colour_shift import PATCHY, WORST
from mistline.core.measure.detail import PLAIN
from mistline.core.measure.measure import enlarged, luma_of
from mistline.core.resample import resize
from mistline.core.setup import NoTruthSetup

PHOTOGRAPHS = ["astronaut", "coffee", "rocket"]


def photograph(name: str, size: tuple[int, int] = (800, 600)) -> np.ndarray:
    return cv2.resize(to_frame(getattr(data, name)()).pixels, size, interpolation=cv2.INTER_AREA)


def frame(pixels: np.ndarray, bits: int = 16) -> Frame:
    return Frame(np.ascontiguousarray(pixels if pixels.ndim == 3 else pixels[..., None], np.float32), bits)


def white(shape: tuple[int, ...], sigma: float, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).normal(0, sigma / 255, shape)


def read(key: str, given: np.ndarray, result: np.ndarray, before: tuple | None = None) -> Measured:
    """A measure of a result beside its input."""
    small = frame(given)
    setup = NoTruthSetup(factor=result.shape[1] / given.shape[1])
    sizes = setup.plan(small.size)
    evidence = Evidence(frame(result), input=small, shrink=lambda large: setup.shrink(large, sizes), before=before)
    return MEASURES[key].read(evidence)


@pytest.mark.parametrize(("size", "target"), [((41, 30), (41, 30)), ((41, 30), (82, 60)), ((37, 53), (140, 199))])
def test_the_input_is_brought_to_size_as_opencv_does(size: tuple[int, int], target: tuple[int, int]) -> None:
    """OpenCV's bilinear interpolation has the same convention of pixel centres; a part is the same as in the whole."""
    small = photograph("coffee", size)
    whole = enlarged(frame(small), Size(*target))
    wanted = cv2.resize(small, target, interpolation=cv2.INTER_LINEAR)
    assert np.abs(whole.rows(slice(None)) - wanted).max() < 1e-5
    part = whole.cut(Region(5, 7, 20, 11))
    assert np.array_equal(luma_of(part), luma_of(whole)[7:18, 5:25])


@pytest.mark.parametrize("kind", ["colour", "grey"])
@pytest.mark.parametrize("factor", [1, 2, 3])
def test_a_part_scores_as_the_whole_cut_to_it(factor: int, kind: str) -> None:
    given = photograph("astronaut", (400, 300))[..., : 3 if kind == "colour" else 1]
    result = resize(np.ascontiguousarray(given), Size(400 * factor, 300 * factor), "lanczos3")
    result = result + white(result.shape, 3)
    evidence = Evidence(frame(result), input=frame(given))
    part = evidence.within(Region(101, 50, 256, 200))
    alone = Evidence(
        frame(result[50:250, 101:357]), beside=enlarged(frame(given), Size(400 * factor, 300 * factor)).cut(
            Region(101, 50, 256, 200)), scale=factor,
    )  # fmt: skip
    for key in ("edge_width", "ciede2000_soft", "tone", "blotch"):
        assert MEASURES[key].read(part) == MEASURES[key].read(alone)


@pytest.mark.parametrize("sigma", [0.8, 1.4])
@pytest.mark.parametrize("factor", [1, 2])
def test_edges_are_as_wide_as_they_are(factor: int, sigma: float) -> None:
    """10-90 % of the normal distribution is 2.563 sigma; the input's is told at the result's size."""
    y, x = np.mgrid[: 241 * factor, : 260 * factor].astype(np.float64)
    across = (x - 130 * factor) * np.cos(0.1) + (y - 120 * factor) * np.sin(0.1)
    result = 0.25 + 0.45 * norm.cdf(across / sigma)
    soft = 0.25 + 0.45 * norm.cdf(across / 1.8)
    given = soft if factor == 1 else resize(soft[..., None].astype(np.float32), Size(260, 241), "area")[..., 0]
    found = read("edge_width", given, result)
    assert found.value == pytest.approx(2.563 * sigma, rel=0.06)
    there = {part.name: part.value for part in found.parts}["of the input"]
    variance = 1.8**2 + (factor**2 / 12 + factor**2 / 6 if factor > 1 else 0)  # of area means and straight lines
    assert there == pytest.approx(2.563 * variance**0.5, rel=0.08)


@pytest.mark.parametrize(("kernel", "rim"), [("bilinear", 0.0), ("bicubic", 100 * 2 / 27)])
def test_rims_are_those_that_the_input_lacks(kernel: str, rim: float) -> None:
    """Beside a step Keys' cubic reaches t (1 - t)^2 / 2 beyond, 2/27 at most, at a third of a pixel; bilinear nothing."""
    hard = np.full((240, 240), 0.25, np.float32)
    hard[:, 120:] = 0.75
    result = resize(hard[..., None], Size(720, 720), kernel)[..., 0]
    assert read("halo", hard, result).value == pytest.approx(rim, abs=0.5)


def band(shape: tuple[int, int], low: float, high: float, sigma: float) -> np.ndarray:
    """Noise of a known sigma between two frequencies, of cycles per pixel."""
    spectrum = np.fft.rfft2(np.random.default_rng(3).standard_normal(shape))
    frequency = np.hypot(np.fft.fftfreq(shape[0])[:, None], np.fft.rfftfreq(shape[1]))
    values = np.fft.irfft2(spectrum * ((frequency >= low) & (frequency < high)), shape)
    return (values * sigma / 255 / values.std()).astype(np.float32)


@pytest.mark.parametrize("name", PHOTOGRAPHS)
@pytest.mark.parametrize("patches", [0.0, 1.0, 3.0])
@pytest.mark.parametrize("noise", [0.0, 1.0, 3.0, 8.0])
def test_patches_are_told_or_hidden(name: str, patches: float, noise: float) -> None:
    """A clean result of a noisy input has none; what is told lies within 15 % and 0.25 cv of what was put there."""
    truth = luma(photograph(name, (1024, 768)))
    given = truth + white(truth.shape, noise)
    found = read("blotch", given, truth + band(truth.shape, 1 / 64, 1 / 8, patches))
    if found.value is None:
        assert "hide in what the input itself has" in found.note and patches < max(noise / 2, 0.1)
    else:
        assert found.value == pytest.approx(patches, rel=0.15, abs=0.25)


@pytest.mark.parametrize("name", PHOTOGRAPHS)
@pytest.mark.parametrize(("low", "high", "octave"), [(0.3, 0.45, "1/4 and finer"), (0.15, 0.22, "1/8 to 1/4")])
def test_detail_finer_than_the_input_is_weighed_by_octave(name: str, low: float, high: float, octave: str) -> None:
    factor = 2 if low > 0.25 else 4
    truth = luma(photograph(name))
    given = resize(truth[..., None], Size(800 // factor, 600 // factor), "area")[..., 0]
    plain = resize(given[..., None], Size(800, 600), "lanczos3")[..., 0]
    before, after = (
        read("detail_beyond", given, result) for result in (plain, plain + band(plain.shape, low, high, 4.0))
    )
    own = {part.name: part.value for part in before.parts}.get(octave, 0.0)
    assert {part.name: part.value for part in after.parts}[octave] == pytest.approx(np.hypot(4, own), rel=0.06)


@pytest.mark.parametrize("name", PHOTOGRAPHS)
@pytest.mark.parametrize("factor", [2, 3, 4])
def test_what_a_plain_enlargement_leaves_is_not_said_to_be_detail(factor: int, name: str) -> None:
    """Every kernel leaves some of the input's repeated spectra; a sharpened one or the truth has more."""
    truth = luma(photograph(name, (768, 576)))
    given = resize(truth[..., None], Size(768 // factor, 576 // factor), "area")[..., 0]
    plain = {
        kernel: resize(given[..., None], Size(768, 576), kernel)[..., 0]
        for kernel in ("bilinear", "bicubic", "lanczos3")
    }
    for result in plain.values():
        found = read("detail_beyond", given, result)
        assert found.value < 1.5 * found.parts[-1].value
    found = read("detail_beyond", given, truth)
    assert found.parts[-1].name == PLAIN and found.value > 1.5 * found.parts[-1].value


@pytest.mark.parametrize(("right", "down"), [(0.5, 0.5), (-1.25, 0.75), (0.0, 0.0)])
@pytest.mark.parametrize("factor", [1, 2])
def test_a_shift_off_the_input_is_found(factor: int, right: float, down: float) -> None:
    large = luma(photograph("astronaut"))
    given = resize(large[..., None], Size(800 // factor, 600 // factor), "area")[..., 0]
    way = np.array([[1, 0, right], [0, 1, down]])
    moved = cv2.warpAffine(large, way, (800, 600), flags=cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT)
    parts = {part.name: part.value for part in read("registration", given, moved).parts}
    assert parts["right"] == pytest.approx(right, abs=0.05) and parts["down"] == pytest.approx(down, abs=0.05)
    assert bool(parts["sure"]) == bool(right or down)


@pytest.mark.parametrize("factor", [1, 2])
def test_colours_are_held_against_the_input(factor: int) -> None:
    """Noise is no colour; a gain is; 16-235 taken for full range (ITU-R BT.709) is named."""
    given = photograph("coffee", (640, 480)) * np.float32(0.9) + np.float32(0.05)
    same = resize(given, Size(640 * factor, 480 * factor), "lanczos3")
    assert read("ciede2000_soft", given + white(given.shape, 6), same).value == pytest.approx(0, abs=0.15)
    assert abs(read("tone", given, same).value) < 0.2
    darker = encode_srgb(decode_srgb(same) * np.float32(0.8))
    assert read("ciede2000_soft", given, darker).value > 2 and read("tone", given, darker).value < -2
    narrow = read("ciede2000_soft", given, (same * 219 + 16) / 255)
    assert [part.name for part in narrow.parts] == ["16-235 taken for full range", WORST, PATCHY]


@pytest.mark.parametrize("name", PHOTOGRAPHS)
@pytest.mark.parametrize("sigma", [4.0, 12.0])
def test_noise_is_told_where_the_input_has_any_to_tell(name: str, sigma: float) -> None:
    truth = photograph(name)
    given = truth + white(truth.shape, sigma)
    half = truth + (given - truth) / 2
    share = np.linalg.norm([0.2126, 0.7152, 0.0722])  # of independent noise in three channels, in BT.709 luma
    halved, left = read("noise_left", given, half), sigma * share / 2
    at_most = next((part.value for part in halved.parts if part.name == "at most"), 0.0)
    assert at_most > left if halved.value is None else halved.value == pytest.approx(left, rel=0.25, abs=0.6)
    assert halved.value is not None or sigma < 12
    grass = np.repeat(to_frame(data.grass()[..., None]).pixels, 3, 2)
    assert "in the input" in read("noise_left", grass, grass).note
    smooth = read("noise_left", given, truth)
    assert smooth.value is not None or {part.name for part in smooth.parts} == {"of the input", "at most"}
    repeated = read("noise_left", given, resize(given.astype(np.float32), Size(1600, 1200), "nearest"))
    assert "equal blocks" in repeated.note


def test_agreement_is_that_of_the_shrunk_result() -> None:
    """A result that shrinks to its input agrees wholly; at the same size it would say how little was done."""
    given = photograph("rocket", (320, 240))
    whole = read("agreement", given, resize(given, Size(960, 720), "nearest"))
    assert {part.name: part.value for part in whole.parts}.get("without regard to its noise", whole.value) > 90
    off = read("agreement", given, resize(given, Size(960, 720), "nearest") + np.float32(0.01))
    assert off.value == pytest.approx(
        40, abs=2
    )  # 20 log10(1 / 0.01); a little less light at the ends of the range
    assert "how little was done" in read("agreement", given, given).note
    noisy = given + white(given.shape, 10)
    follows = resize(noisy.astype(np.float32), Size(960, 720), "nearest")
    most = 20 * np.log10(255 / (10 * np.linalg.norm([0.2126, 0.7152, 0.0722])))
    assert read("agreement", noisy, follows).value == pytest.approx(most, abs=1)  # no reward for following noise


def moved(picture: np.ndarray, step: float) -> np.ndarray:
    way = np.array([[1, 0, -60 - step], [0, 1, -40 - 0.3 * step]], np.float32)
    return cv2.warpAffine(picture, way, (640, 480), flags=cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT)


@pytest.mark.parametrize("name", PHOTOGRAPHS)
@pytest.mark.parametrize("step", [0.0, 0.5, 3.7, 9.5])
@pytest.mark.parametrize("sigma", [0.0, 3.0, 10.0])
def test_what_moves_with_the_input_does_not_shimmer(name: str, step: float, sigma: float) -> None:
    """New noise of sigma s scores s, less what fetching between pixels averages; nearest crawls, Lanczos hardly."""
    picture = luma(photograph(name, (1000, 800)))
    clean = [moved(picture, 0), moved(picture, step)]
    given = [one + white(one.shape, sigma, seed) for seed, one in enumerate(clean)]

    def shimmer(results: list[np.ndarray], inputs: list[np.ndarray]) -> Measured:
        size = Size(results[0].shape[1], results[0].shape[0])
        before = luma_of(enlarged(frame(inputs[0]), size)), frame(results[0]).pixels[..., 0]
        return read("shimmer", inputs[1], results[1], before)

    noisy = shimmer(given, given)
    assert sigma * 0.8 - 0.05 <= noisy.value <= sigma * 1.02 + 0.4
    assert noisy.parts[0].name == "of the input" and noisy.parts[0].value == pytest.approx(noisy.value)
    assert shimmer(clean, given).value < 0.4 + 0.1 * sigma
    small = [resize(one[..., None].astype(np.float32), Size(320, 240), "area") for one in clean]
    crawls, calm = (
        shimmer([resize(one, Size(640, 480), kernel)[..., 0] for one in small], [one[..., 0] for one in small])
        for kernel in ("nearest", "lanczos3")
    )
    assert calm.value < 0.6 and (step == 0 or crawls.value > 1.7 * calm.value)
