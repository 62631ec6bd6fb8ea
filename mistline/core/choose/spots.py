"""Spots worth looking at: where a picture is flattest, darkest, finest, hardest, and where results disagree most."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import combinations

import cv2
import numpy as np
import numpy.typing as npt

from mistline.core.frame import Array, Region
from mistline.core.measure import NotMeasurable
from mistline.core.measure.lettering import read_lettering
from mistline.core.measure.ssim import structural_similarity

__all__ = ["SuggestedSpot", "suggest_spots"]

SHARE, SMALLEST, LARGEST = 5, 48, 320  # side of a spot: a fifth of the shorter side of the picture, in pixels
STEPS = 4  # places tried along a side
CLEAR = 0.25  # share of a spot that may lie in another one
DARK = 0.3  # mean luma
BLACK, WHITE = 4 / 255, 250 / 255
FINE_MOST = 8 / 255  # an edge counts no more than texture does
UNLIKE = 0.02  # of SSIM; less is no difference to look for
APART = 0.5 / 255  # luma, RMS
WORD_SURE, WORD_LETTERS, LINE_LETTERS = 80, 3, 5  # fewer are read into any texture

Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class SuggestedSpot:
    """A place with a name, and why it is worth looking at."""

    name: str
    why: str
    region: Region


class _Places:
    """Squares all over a picture, and which of them are still free."""

    def __init__(self, shape: tuple[int, int]) -> None:
        self.height, self.width = shape
        least = min(shape)
        self.side = min(least, max(SMALLEST, min(LARGEST, least // SHARE)))
        step = max(1, self.side // STEPS)

        def along(length: int) -> npt.NDArray[np.int64]:
            return np.unique(np.append(np.arange(0, length - self.side + 1, step), length - self.side))

        self.tops, self.lefts = along(self.height), along(self.width)
        self.free: Mask = np.ones((len(self.tops), len(self.lefts)), bool)

    def means(self, values: Array) -> npt.NDArray[np.float64]:
        """Mean of (H, W) values in each square."""
        sums = cv2.integral(values.astype(np.float64))
        t, l = np.meshgrid(self.tops, self.lefts, indexing="ij")  # noqa: E741
        b, r = t + self.side, l + self.side
        found: npt.NDArray[np.float64] = (sums[b, r] - sums[t, r] - sums[b, l] + sums[t, l]) / self.side**2
        return found

    def take(self, scores: npt.NDArray[np.float64], usable: Mask) -> tuple[int, int] | None:
        """Row and column of the free square with the highest score; what it covers is free no more."""
        if not (usable & self.free).any():
            return None
        row, column = np.unravel_index(int(np.where(usable & self.free, scores, -np.inf).argmax()), scores.shape)
        self.cover(int(self.tops[row]), int(self.lefts[column]), self.side, self.side)
        return int(row), int(column)

    def cover(self, top: int, left: int, height: int, width: int) -> None:
        """Squares that lie in a rectangle by more than a quarter are free no more."""
        down = np.minimum(self.tops + self.side, top + height) - np.maximum(self.tops, top)
        across = np.minimum(self.lefts + self.side, left + width) - np.maximum(self.lefts, left)
        shared = np.outer(np.maximum(down, 0), np.maximum(across, 0))
        self.free &= shared <= CLEAR * self.side**2

    def region(self, place: tuple[int, int]) -> Region:
        """The square in a row and column."""
        return Region(int(self.lefts[place[1]]), int(self.tops[place[0]]), self.side, self.side)


def _lettering(reference: Array, where: str) -> SuggestedSpot | None:
    """The surest line of lettering, with some room around it."""
    try:
        words = [
            word for word in read_lettering(reference)
            if word.sure >= WORD_SURE and sum(letter.isalnum() for letter in word.text) >= WORD_LETTERS
        ]  # fmt: skip
    except NotMeasurable:
        return None
    if not words:
        return None
    first = max(words, key=lambda word: (len(word.text), word.sure))
    line = [word for word in words if first.top <= (word.top + word.bottom) / 2 <= first.bottom]
    height, width = reference.shape
    room = first.bottom - first.top
    left, right = (min(word.left for word in line), max(word.right for word in line))
    x0, x1 = max(0, int(left * width - room * height)), min(width, int(right * width + room * height) + 1)
    y0, y1 = max(0, int((first.top - room) * height)), min(height, int((first.bottom + room) * height) + 1)
    text = " ".join(word.text for word in sorted(line, key=lambda word: word.left))
    if sum(letter.isalpha() for letter in text) < LINE_LETTERS:
        return None
    if min(x1 - x0, y1 - y0) < SMALLEST // 4:
        return None
    return SuggestedSpot("Lettering", f"reads “{text[:40]}” in the {where}", Region(x0, y0, x1 - x0, y1 - y0))


def _disagreement(results: Mapping[str, Array], places: _Places) -> SuggestedSpot | None:
    """Where results lie farthest from one another, and which two."""
    mean = np.mean(list(results.values()), axis=0, dtype=np.float32)
    spread = np.sqrt(np.mean([np.square(result - mean) for result in results.values()], axis=0))
    scores = places.means(spread)
    place = places.take(scores, scores > APART)
    if place is None:
        return None
    region = places.region(place)

    def apart(pair: tuple[str, str]) -> float:
        first, second = (results[letter][region.slices] for letter in pair)
        return float(np.sqrt(np.mean(np.square(first - second), dtype=np.float64)))

    pair = max(combinations(sorted(results), 2), key=apart)
    return SuggestedSpot(
        "Entries disagree", f"{pair[0]} and {pair[1]} differ by {255 * apart(pair):.1f} cv here, RMS", region
    )


def suggest_spots(
    reference: Array, results: Mapping[str, Array], *, has_truth: bool = True
) -> list[SuggestedSpot]:
    """Spots of a picture, each with its reason; they hardly overlap, and what the picture lacks is left out.

    Parameters
    ----------
    reference : (H, W) float32 in 0..1
        Luma of the truth, or of the input at the results' size.
    results : letters to (H, W) float32
        Luma of the entries, the controls left out; may be empty.
    """
    places = _Places((reference.shape[0], reference.shape[1]))
    level = places.means(reference)
    spread = np.sqrt(np.maximum(places.means(np.square(reference, dtype=np.float64)) - level**2, 0))
    soft = cv2.GaussianBlur(reference, (0, 0), 1.2)
    slope = cv2.magnitude(*(cv2.Sobel(soft, cv2.CV_32F, *way, scale=1 / 8) for way in ((1, 0), (0, 1))))
    slopes = places.means(slope)
    found: list[SuggestedSpot] = []

    def add(
        name: str, scores: npt.NDArray[np.float64], usable: Mask, why: Callable[[tuple[int, int]], str]
    ) -> None:
        place = places.take(scores, usable)
        if place is not None:
            found.append(SuggestedSpot(name, why(place), places.region(place)))

    if lettering := _lettering(reference, "truth" if has_truth else "input"):
        found.append(lettering)
        places.cover(lettering.region.top, lettering.region.left, lettering.region.height, lettering.region.width)
    if len(results) > 1 and (apart := _disagreement(results, places)):
        found.append(apart)
    if has_truth and results and min(reference.shape) >= SMALLEST:
        alike = np.zeros(reference.shape, np.float32)
        for result in results.values():
            there = structural_similarity(reference, result).map
            assert there is not None
            alike += there / len(results)
        unlike = places.means(1 - alike)
        add(
            "Hardest place",
            unlike,
            unlike > UNLIKE,
            lambda at: f"SSIM {1 - unlike[at]:.2f} here, mean of all entries",
        )
    seen = (level > BLACK) & (level < WHITE)
    fine = places.means(np.minimum(np.abs(reference - cv2.GaussianBlur(reference, (0, 0), 1.0)), FINE_MOST))
    add("Fine detail", fine, seen & (fine > 1 / 255), lambda at: f"texture of {255 * fine[at]:.1f} cv")
    hard = places.means(slope * slope) / (slopes + 1e-3)
    add(
        "Hard edges", hard, seen & (slopes > 1 / 255),
        lambda at: f"slopes of {255 * hard[at]:.0f} cv a pixel at the edges",
    )  # fmt: skip
    add("Flat area", -slopes, seen, lambda at: f"slopes of {255 * slopes[at]:.1f} cv a pixel")
    add(
        "Dark area", -level, (level < DARK) & (spread > 0.5 / 255),
        lambda at: f"mean level {100 * level[at]:.0f} %",
    )  # fmt: skip
    return found
