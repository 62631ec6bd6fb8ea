"""Letters misread: the edit distance on worked examples, and Tesseract on known lines."""

import shutil

import cv2
import numpy as np
import pytest
from PIL import Image, ImageDraw, ImageFont
from skimage import data

from mistline.core.frame import Frame
from mistline.core.measure import MEASURES, Evidence
from mistline.core.measure import lettering as module
from mistline.core.measure.lettering import Word, character_errors, misread, read_lettering

LINES = ["Harbour line every twelve minutes", "Change here for the ferry steps", "Last car leaves at midnight"]
needs_tesseract = pytest.mark.skipif(shutil.which("tesseract") is None, reason="Tesseract is not installed")


@pytest.mark.parametrize(
    ("wanted", "read", "edits"),
    # The classic pairs of textbooks on the edit distance (common practice).
    [
        ("kitten", "sitting", 3),
        ("sunday", "saturday", 3),
        ("flaw", "lawn", 2),
        ("same", "same", 0),
        ("abc", "", 3),
    ],
)
def test_edit_distance(wanted: str, read: str, edits: int) -> None:
    assert character_errors(wanted, read) == pytest.approx(edits / len(wanted))


def _page() -> Frame:
    page = Image.new("RGB", (900, 240), (236, 232, 220))
    draw = ImageDraw.Draw(page)
    for number, line in enumerate(LINES):
        draw.text((30, 30 + 64 * number), line, (30, 30, 40), ImageFont.load_default(36))
    return Frame(np.asarray(page, np.float32) / 255, 8)


@needs_tesseract
def test_known_lines_are_read() -> None:
    page = _page()
    words = sorted(read_lettering(page.pixels[..., 1]), key=lambda word: (round(word.top, 1), word.left))
    assert character_errors(" ".join(LINES), " ".join(word.text for word in words)) < 0.03


def word(text: str, sure: float, left: float = 0.1) -> Word:
    return Word(text, sure, left, 0.1, left + 0.2, 0.2)


def test_only_sure_words_count_and_a_clearer_reading_is_right() -> None:
    truth = [word("ferry", 95), word("steps", 90, 0.4), word("blurry", 60, 0.7)]
    assert misread(truth, truth) == (0, 10)
    assert misread(truth, [word("ferry", 95), word("more", 99, 0.7)]) == (0.5, 10)
    assert misread([word("fcrry", 82)], [word("ferry", 97)]) == (0, 5)
    assert misread([word("ferry", 95)], [word("fcrry", 97)])[0] == pytest.approx(0.2)


@needs_tesseract
def test_a_result_that_reads_better_than_its_truth_is_not_misread() -> None:
    page = _page()
    soft = page.with_pixels(cv2.GaussianBlur(page.pixels, (0, 0), 4.2))
    found = MEASURES["lettering"].read(Evidence(page, soft))
    assert found.value is None or found.value < 25


@needs_tesseract
def test_truth_is_the_floor_and_more_blur_is_worse() -> None:
    page = _page()

    def misread(sigma: float) -> float:
        soft = page.with_pixels(cv2.GaussianBlur(page.pixels, (0, 0), sigma))
        value = MEASURES["lettering"].of(Evidence(soft, page)).value
        assert value is not None
        return value

    assert MEASURES["lettering"].of(Evidence(page, page)).value == 0
    assert misread(1) <= misread(9) and misread(9) > 50


@needs_tesseract
@pytest.mark.parametrize("change", ["lighter", "darker", "flatter", "another gamma", "noise", "moved"])
def test_what_nobody_sees_ties_though_small_print_is_read_otherwise(change: str) -> None:
    """A printed page with letters of some 10 pixels; changes of one code value and of one pixel (common practice)."""
    page = Frame(np.repeat(data.page()[..., None], 3, 2).astype(np.float32) / 255, 8)
    noise = np.random.default_rng(3).normal(0, 0.5, page.pixels.shape)
    changed = {
        "lighter": page.pixels * 255 + 1, "darker": page.pixels * 255 - 1, "flatter": page.pixels * 255 * 0.99,
        "another gamma": page.pixels**1.01 * 255, "noise": page.pixels * 255 + noise,
        "moved": np.roll(page.pixels, 1, axis=0) * 255,
    }[change]  # fmt: skip
    result = page.with_pixels((np.clip(np.rint(changed), 0, 255) / 255).astype(np.float32))
    misread_share = MEASURES["lettering"].of(Evidence(result, page)).value
    surely = MEASURES["lettering_sure"].of(Evidence(result, None, page))
    assert misread_share is not None and misread_share <= MEASURES["lettering"].tie
    assert surely.value is not None and abs(surely.value - surely.parts[0].value) <= MEASURES["lettering_sure"].tie


def test_without_tesseract_it_says_so(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(module, "PROGRAM", "no-such-program")
    page = _page()
    assert "Tesseract is not installed" in MEASURES["lettering"].read(Evidence(page, page)).note


@needs_tesseract
def test_a_picture_without_words_has_no_figure(photograph: Frame) -> None:
    assert "too little lettering" in MEASURES["lettering"].read(Evidence(photograph, photograph)).note
