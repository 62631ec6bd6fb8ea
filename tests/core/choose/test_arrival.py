"""What is found of a file from outside: another picture, something laid over it, clipped values, 8 bits in 16.

Photographs come with scikit-image; the damage and the methods are Mistline's own, so that no method is taken for one
that shows something else. That another picture correlates with none is the ground of template matching [Lewis 1995].
"""

import cv2
import numpy as np
import pytest
from skimage import data

from mistline.core.choose.arrival import boxed, findings, overlay
from mistline.core.frame import Frame, luma, to_frame
from mistline.core.measure import MEASURES, Evidence, measure_traits
from mistline.core.measure.likeness import likeness
from mistline.core.media.plate import quantise
from mistline.core.methods import Window
from mistline.core.methods.recipe import Recipe, run_recipe
from mistline.core.setup import TruthSetup, crop_part

PHOTOGRAPHS = {"astronaut": data.astronaut, "coffee": data.coffee, "cat": data.chelsea}
SETUPS = [
    {"factor": 2},
    {"factor": 4},
    {"factor": 2, "noise": 10},
    {"factor": 2, "jpeg": 50},
    {"factor": 2, "blur": 1.5},
]
CHAINS = {
    "repeated": [{"method": "nearest"}],
    "sharpened": [{"method": "lanczos"}, {"method": "unsharp_mask", "settings": {"amount": 1.5}}],
    "smoothed": [{"method": "median"}, {"method": "bicubic"}],
    "denoised": [{"method": "sliding_dct"}, {"method": "bicubic"}],
    "by a network": [{"method": "blind_denoise"}, {"method": "bicubic"}],
}  # fmt: skip


class Case:
    """A photograph, its damaged input, and results brought back to it."""

    def __init__(self, picture: str, setup: dict) -> None:
        self.setup = TruthSetup(**setup)
        truth = to_frame(np.ascontiguousarray(PHOTOGRAPHS[picture]()[:288, :320]))
        self.plan = self.setup.plan(truth.size)
        self.truth = crop_part(truth, self.plan)
        given = next(self.setup.inputs([self.truth], self.plan))
        self.codes, _ = quantise(given, given.bit_depth)
        self.input = to_frame(self.codes)
        self.small = luma(self.input.pixels)

    def result(self, chain: str) -> Frame:
        recipe = Recipe.model_validate({"name": "Tried", "passes": CHAINS[chain]})
        made = run_recipe(Window((self.input,), 0, 0), recipe, self.plan.target, measure_traits(self.codes)).frame
        return made.with_pixels(np.clip(made.pixels, 0, 1))

    def shrink(self, frame: Frame) -> Frame:
        return self.setup.shrink(frame, self.plan)

    def back(self, result: Frame) -> np.ndarray:
        return luma(self.shrink(result).pixels)

    def told(self, result: Frame, codes: np.ndarray | None = None) -> list:
        evidence = Evidence(result, self.truth, self.input, self.shrink)
        place = {part.name: part.value for part in MEASURES["registration"].read(evidence).parts}
        return findings(evidence, place, eight_bits=codes is not None and boxed(codes))


def stamped(frame: Frame, kind: str, opacity: float) -> Frame:
    """A picture with white lettering or a disc over it."""
    height, width = frame.pixels.shape[:2]
    mask = np.zeros((height, width), np.uint8)
    if kind == "lettering":
        cv2.putText(mask, "SAMPLE", (width // 8, height * 2 // 3), cv2.FONT_HERSHEY_SIMPLEX, width / 220, 255, 10)
    else:
        cv2.circle(mask, (width * 9 // 10, height * 9 // 10), width // 16, 255, -1)
    share = (mask / 255 * opacity)[..., None].astype(np.float32)
    return frame.with_pixels(frame.pixels * (1 - share) + share)


@pytest.mark.parametrize("setup", SETUPS, ids=str)
@pytest.mark.parametrize("picture", PHOTOGRAPHS)
def test_no_method_is_taken_for_another_picture_or_an_overlay(picture: str, setup: dict) -> None:
    case = Case(picture, setup)
    for chain in CHAINS:
        back = case.back(case.result(chain))
        alike, places = likeness(case.small, back)
        assert alike > 0.98 and places > 20, chain
        assert overlay(case.small, back) is None, chain


@pytest.mark.parametrize("setup", SETUPS, ids=str)
@pytest.mark.parametrize("picture", PHOTOGRAPHS)
def test_another_picture_looks_like_the_input_nowhere(picture: str, setup: dict) -> None:
    case = Case(picture, setup)
    for other in PHOTOGRAPHS:
        if other != picture:
            alike, _ = likeness(case.small, case.back(Case(other, setup).result("repeated")))
            assert alike < 0.1, other
    mirrored = case.truth.with_pixels(case.truth.pixels[:, ::-1])
    assert likeness(case.small, case.back(mirrored))[0] < 0.15


@pytest.mark.parametrize("kind", ["lettering", "disc"])
@pytest.mark.parametrize("setup", SETUPS, ids=str)
@pytest.mark.parametrize("picture", PHOTOGRAPHS)
def test_what_lies_over_it_is_found_where_it_is(picture: str, setup: dict, kind: str) -> None:
    if (kind, setup["factor"]) == ("lettering", 4):
        pytest.skip("letters eight pixels of the input high over texture are out of the valid range")
    case = Case(picture, setup)
    found = overlay(case.small, case.back(stamped(case.result("denoised"), kind, 0.3)))
    assert found is not None
    if kind == "disc":
        assert found == pytest.approx((0.9, 0.9), abs=0.08)


TONES = {
    "gamma 0.7": lambda v: v**0.7,
    "blacks lifted": lambda v: v + 0.08 * np.exp(-((v / 0.08) ** 2)),
    "a shoulder": lambda v: np.minimum(v, 0.8 + 0.3 * (v - 0.8)),
    "a vignette": lambda v: v * (1 - 0.15 * sum(np.meshgrid(*(np.linspace(-1, 1, n) ** 2 for n in v.shape[1::-1])))[..., None]),
    "shadows lifted": lambda v: v + 0.12 * np.clip(1 - cv2.GaussianBlur(v, (0, 0), 20) / 0.3, 0, 1),
    "local contrast": lambda v: v + 0.4 * (v - cv2.GaussianBlur(v, (0, 0), 40)),
}  # fmt: skip


@pytest.mark.parametrize("tone", TONES)
@pytest.mark.parametrize("picture", PHOTOGRAPHS)
def test_another_tone_is_no_overlay_and_no_other_picture(picture: str, tone: str) -> None:
    for setup in SETUPS[:3]:
        case = Case(picture, setup)
        result = case.result("denoised")
        changed = result.with_pixels(np.clip(TONES[tone](result.pixels), 0, 1).astype(np.float32))
        assert not any(finding.grave for finding in case.told(changed)), setup


@pytest.mark.parametrize("degrees", [-2.0, 0.4, 1.0])
@pytest.mark.parametrize("factor", [2, 4])
def test_a_turned_result_is_neither_another_picture_nor_laid_over(factor: int, degrees: float) -> None:
    for picture in PHOTOGRAPHS:
        case = Case(picture, {"factor": factor})
        height, width = case.truth.pixels.shape[:2]
        way = cv2.getRotationMatrix2D(((width - 1) / 2, (height - 1) / 2), degrees, 1)
        pixels = case.result("smoothed").pixels
        turned = cv2.warpAffine(
            pixels, way, (width, height), flags=cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT
        )
        assert not case.told(case.truth.with_pixels(np.clip(turned, 0, 1))), picture


def test_a_part_that_was_made_anew_is_told() -> None:
    case = Case("astronaut", {"factor": 2})
    pixels = case.truth.pixels.copy()
    pixels[40:160, 130:250] = pixels[40:160, 130:250][::-1, ::-1]
    (told, *_) = case.told(case.truth.with_pixels(pixels))
    assert told.grave and told.words.startswith("It shows something else than the input in ")


def test_a_displaced_result_is_still_the_picture() -> None:
    """It is told as displaced by the registration, not as something else."""
    case = Case("coffee", {"factor": 2})
    for right, down in ((7, 0), (-3, 5)):
        moved = np.roll(case.truth.pixels, (down, right), (0, 1))
        assert not any(finding.grave for finding in case.told(case.truth.with_pixels(moved)))


def test_clipped_values_and_eight_bits_are_told() -> None:
    case = Case("cat", {"factor": 2})
    assert case.told(case.truth) == []
    bright = case.truth.with_pixels(np.clip(case.truth.pixels * 1.6, 0, 1))
    words = " ".join(finding.words for finding in case.told(bright))
    assert "of its values are clipped, 0.0 % of the truth" in words
    sixteen = TruthSetup(factor=2).plan(case.truth.size)
    assert sixteen == case.plan
    deep = Frame(case.input.pixels, 16)
    codes = (PHOTOGRAPHS["cat"]()[:288, :320].astype(np.uint16)) * 257
    evidence = Evidence(case.truth, case.truth, deep, case.shrink)
    assert [finding.words for finding in findings(evidence, {}, eight_bits=boxed(codes))] == [
        "It holds 8 bits in a file of 16, and the input has more."
    ]
    assert not boxed(codes + np.uint16(1))
