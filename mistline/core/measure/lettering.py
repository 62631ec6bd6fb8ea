"""Lettering: can the words of the truth still be read? By Tesseract, where it is installed.

References
----------
.. [1] V. I. Levenshtein, "Binary codes capable of correcting deletions, insertions, and reversals", Soviet
       Physics Doklady 10(8), 707-710, 1966.
"""

import os
import shutil
import subprocess

import cv2
import numpy as np

from mistline.core.frame import Array
from mistline.core.measure.measure import Evidence, Measure, Measured, NotMeasurable, Part

__all__ = ["MEASURES", "character_errors", "read_lettering"]

PROGRAM = "tesseract"
FEWEST = 12
SURE = 60.0
LARGEST = 2400
LONGEST = 60


def read_lettering(brightness: Array) -> str:
    """The words that Tesseract reads with a confidence of 60 or more in (H, W) luma in 0..1.

    Pictures beyond 2400 pixels are read shrunk to that. Raises `NotMeasurable` where Tesseract is missing.
    """
    if shutil.which(PROGRAM) is None:
        raise NotMeasurable("Tesseract is not installed (Debian package tesseract-ocr)")
    scale = min(1.0, LARGEST / max(brightness.shape))
    small = cv2.resize(brightness, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    _, png = cv2.imencode(".png", np.clip(np.round(small * 255), 0, 255).astype(np.uint8))
    try:
        read = subprocess.run(
            [PROGRAM, "stdin", "stdout", "--psm", "11", "tsv"], input=png.tobytes(), capture_output=True,
            env={**os.environ, "OMP_THREAD_LIMIT": "1"}, timeout=LONGEST, check=False,
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        raise NotMeasurable(f"reading took more than {LONGEST} s") from None
    rows = [line.split("\t") for line in read.stdout.decode("utf-8", "replace").splitlines()[1:]]
    return " ".join(
        row[11].strip() for row in rows if len(row) > 11 and float(row[10]) >= SURE and row[11].strip()
    )


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


def _of(evidence: Evidence) -> Measured:
    wanted = read_lettering(evidence.truth_luma)
    letters = sum(letter.isalnum() for letter in wanted)
    if letters < FEWEST:
        raise NotMeasurable("there is too little lettering to read in the truth")
    wrong = character_errors(wanted, read_lettering(evidence.result_luma))
    return Measured(100 * min(wrong, 1.0), parts=(Part("letters in the truth", float(letters)),))


MEASURES = [
    Measure(
        "lettering", 1, "Letters misread", "%", "lower", "lettering",
        "Share of the letters read in the truth that is read wrongly in the result, by optical character "
        "recognition.",
        "Levenshtein 1966; Tesseract", tie=2.0, digits=0, of=_of,
    )
]  # fmt: skip
