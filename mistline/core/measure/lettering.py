"""Lettering: can the words of the truth still be read? By Tesseract, where it is installed.

References
----------
.. [1] V. I. Levenshtein, "Binary codes capable of correcting deletions, insertions, and reversals", Soviet
       Physics Doklady 10(8), 707-710, 1966.
"""

import os
import shutil
import subprocess
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from mistline.core.frame import Array
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable, Part

__all__ = [
    "MEASURES",
    "Page",
    "Word",
    "as_page",
    "character_errors",
    "misread",
    "read_lettering",
    "read_pages",
    "surely_read",
]

Page = npt.NDArray[np.uint8]

PROGRAM = "tesseract"
FEWEST = 12
SURE, LIKELY = 80.0, 30.0
BETTER = 8.0  # points of confidence
LARGEST = 2400
LONGEST = 60


@dataclass(frozen=True)
class Word:
    """A word that was read, how sure the reader is (0..100), and its box as shares of the picture."""

    text: str
    sure: float
    left: float
    top: float
    right: float
    bottom: float

    def meets(self, other: "Word") -> bool:
        """Whether the middle of the other word's height lies in this line, and the two overlap across."""
        middle = (other.top + other.bottom) / 2
        return self.top <= middle <= self.bottom and self.left < other.right and other.left < self.right


def as_page(brightness: Array) -> Page:
    """(H, W) luma in 0..1 as the reader wants it: in 8 bits, shrunk to 2400 pixels where it is larger."""
    scale = min(1.0, LARGEST / max(brightness.shape))
    small = cv2.resize(brightness, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return np.clip(np.round(small * 255), 0, 255).astype(np.uint8)


def read_pages(pages: Sequence[Page]) -> list[list[Word]]:
    """The words that Tesseract reads with a confidence of 30 or more on each of several pages (`as_page`).

    Raises `NotMeasurable` where it is missing. It is started once for all: that takes longer than a small page.
    """
    if shutil.which(PROGRAM) is None:
        raise NotMeasurable("Tesseract is not installed (Debian package tesseract-ocr)")
    _, tiff = cv2.imencodemulti(".tiff", pages)
    longest = LONGEST * len(pages)
    try:
        read = subprocess.run(
            [PROGRAM, "stdin", "stdout", "--psm", "11", "tsv"], input=tiff.tobytes(), capture_output=True,
            env={**os.environ, "OMP_THREAD_LIMIT": "1"}, timeout=longest, check=False,
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        raise NotMeasurable(f"reading took more than {longest} s") from None
    words: list[list[Word]] = [[] for _ in pages]
    for line in read.stdout.decode("utf-8", "replace").splitlines()[1:]:
        row = line.split("\t")
        if len(row) > 11 and float(row[10]) >= LIKELY and row[11].strip():
            number, (x, y, w, h) = int(row[1]) - 1, (int(length) for length in row[6:10])
            height, width = pages[number].shape
            words[number].append(
                Word(row[11].strip(), float(row[10]), x / width, y / height, (x + w) / width, (y + h) / height)
            )
    return words


def read_lettering(brightness: Array) -> list[Word]:
    """The words of one picture, (H, W) luma in 0..1 (`read_pages`)."""
    return read_pages([as_page(brightness)])[0]


def character_errors(wanted: str, read: str) -> float:
    """Edits from `read` to `wanted` [1]_ over the length of `wanted`; 0 is perfect, 1 or more is unreadable.

    >>> round(character_errors("kitten", "sitting"), 3)
    0.5
    """
    before = list(range(len(read) + 1))
    for number, letter in enumerate(wanted, 1):
        row = [number]
        for index, other in enumerate(read, 1):
            row.append(min(before[index] + 1, row[-1] + 1, before[index - 1] + (letter != other)))
        before = row
    return before[-1] / max(1, len(wanted))


def _letters(word: Word) -> int:
    return sum(letter.isalnum() for letter in word.text)


def surely_read(words: list[Word]) -> list[Word]:
    """Those of two letters or more that the reader is sure of."""
    return [word for word in words if word.sure >= SURE and _letters(word) >= 2]


def misread(wanted: list[Word], found: list[Word]) -> tuple[float, int]:
    """Share of the letters of the surely read words that are not read at their place, and how many letters these are.

    A word is compared with what was read where it stands. Where that is read with more confidence than the word
    itself, the better reading counts as right: nobody knows that the first one was. Words that only the result
    shows do not count. Valid range: 12 letters read with a confidence of 80 or more, of about 10 pixels height or more.
    """
    letters, wrong = 0, 0.0
    for word in surely_read(wanted):
        count = _letters(word)
        here = sorted((other for other in found if word.meets(other)), key=lambda other: other.left)
        text, sure = "".join(other.text for other in here), max((other.sure for other in here), default=0.0)
        letters += count
        if sure < word.sure + BETTER or len(text) < len(word.text):
            wrong += count * min(1.0, character_errors(word.text, text))
    return wrong / max(1, letters), letters


def _of(evidence: Evidence) -> Measured:
    wanted = evidence.once_of_reference(read_lettering, lambda: read_lettering(evidence.truth_luma))
    share, letters = misread(wanted, wanted)
    if letters < FEWEST:
        raise NotMeasurable("there is too little lettering that the reader is sure of in the truth")
    share, letters = misread(wanted, read_lettering(evidence.result_luma))
    return Measured(100 * share, parts=(Part("letters in the truth", float(letters)),))


def _letters_read(evidence: Evidence) -> Measured:
    """How many letters are read with a confidence of 80 or more, and how many in the input at the same size.

    Valid range: 12 letters in one of them, of about 10 pixels height or more. Nobody knows whether they are right.
    """
    given = evidence.once_of_reference(read_lettering, lambda: read_lettering(evidence.reference_luma))
    before, after = (
        sum(_letters(word) for word in surely_read(words))
        for words in (given, read_lettering(evidence.result_luma))
    )
    if max(before, after) < FEWEST:
        raise NotMeasurable("there is too little lettering that the reader is sure of")
    return Measured(float(after), parts=(Part("in the input", float(before)),))


MEASURES = [
    Measure(
        "lettering", 2, "Letters misread", "%", "lower", "lettering",
        "Share of the letters read for sure in the truth that cannot be read at the same place in the result, by "
        "optical character recognition. A clearer reading than that of the truth counts as right.",
        "Levenshtein 1966; Tesseract", tie=8.0, digits=0, of=_of,
    ),
    Measure(
        "lettering_sure", 1, "Letters read surely", "", "higher", "lettering", "",
        "Confidence of Tesseract's reading", tie=8.0, digits=0, of=_letters_read, needs=("reference",),
        without_truth="Letters that optical character recognition is sure of; whether it reads them rightly only a "
        "known text could tell.",
    ),
]  # fmt: skip
