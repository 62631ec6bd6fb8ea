"""Numbered sequences: a clip whose frames are stills, kept together in one ZIP archive of files as they came.

The archive may hold `rate.txt` with the frames a second ("24", "24000/1001"); without it 24 is assumed, and that is
said. Frames are taken in the order of their numbers; numbers that are missing are named.
"""

import re
import tempfile
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import pairwise
from pathlib import Path, PurePosixPath

import numpy as np

from mistline.core.frame import Array, Codes, luma, to_frame
from mistline.core.media.archive import RATE_NAME
from mistline.core.media.clip import ClipFacts
from mistline.core.media.still import Still, read_still
from mistline.core.plain import plain
from mistline.errors import BadMedia

__all__ = ["Sequence", "numbers_in_words", "read_sequence"]

ASSUMED_RATE = Fraction(24)
RATES = (Fraction(1), Fraction(1000))
SUFFIXES = {".png", ".tif", ".tiff", ".dpx", ".exr", ".jpg", ".jpeg", ".webp"}
MAX_MEMBERS = 100_000
LARGEST_MEMBER = 2**31
NUMBERED = re.compile(r"(?P<before>.*?)(?P<number>\d{1,9})(?P<after>\D*)")
NAMED_GAPS = 5


@dataclass(frozen=True)
class _Member:
    number: int
    name: str
    group: tuple[str, str]


def _member(name: str) -> _Member | None:
    path = PurePosixPath(name)
    found = NUMBERED.fullmatch(path.stem)
    hidden = path.name.startswith(".") or "__MACOSX" in path.parts
    if found is None or hidden or path.suffix.lower() not in SUFFIXES:
        return None
    return _Member(int(found["number"]), name, (f"{path.parent}/{found['before']}", found["after"] + path.suffix))


def numbers_in_words(numbers: list[int]) -> str:
    """Runs of numbers in words.

    >>> numbers_in_words([3, 7, 8, 9])
    '3, 7 to 9'
    """
    runs: list[list[int]] = []
    for number in numbers:
        if runs and number == runs[-1][1] + 1:
            runs[-1][1] = number
        else:
            runs.append([number, number])
    words = [str(first) if first == last else f"{first} to {last}" for first, last in runs]
    more = len(words) - NAMED_GAPS
    return ", ".join(words[:NAMED_GAPS]) + (f" and {more} more gaps" if more > 0 else "")


class Sequence:
    """The frames of a numbered sequence, read one after another.

    Raises
    ------
    BadMedia
        With a sentence that names the file, here or while frames are read.
    """

    def __init__(self, path: Path, name: str) -> None:
        self.path, self.name = path, name

    @cached_property
    def _members(self) -> list[_Member]:
        """The frames in the order of their numbers."""
        try:
            with zipfile.ZipFile(self.path) as archive:
                names = archive.namelist()
        except (zipfile.BadZipFile, ValueError, NotImplementedError):
            raise BadMedia(f"{self.name} is a damaged archive; import the frames again.") from None
        if len(names) > MAX_MEMBERS:
            raise BadMedia(
                f"{self.name} holds {len(names)} files; the limit is {MAX_MEMBERS}, so cut a part out of it."
            )
        found = [member for name in names if (member := _member(name))]
        if not found:
            raise BadMedia(
                f"{self.name} is an archive without numbered frames; put PNG, TIFF, DPX or EXR files into it that are "
                "named like frame_0001."
            )
        groups = {member.group for member in found}
        if len(groups) > 1:
            raise BadMedia(f"{self.name} holds frames of {len(groups)} sequences; import each by itself.")
        found.sort(key=lambda member: member.number)
        for one, other in pairwise(found):
            if one.number == other.number:
                raise BadMedia(f"{self.name} has frame {one.number} twice; take one of them out.")
        return found

    def _still(self, place: int) -> Still:
        member = self._members[place]
        named = f"{plain(PurePosixPath(member.name).name, 80)} in {self.name}"
        try:
            with zipfile.ZipFile(self.path) as archive, tempfile.TemporaryDirectory() as folder:
                if archive.getinfo(member.name).file_size > LARGEST_MEMBER:
                    raise BadMedia(f"{named} is larger than 2 GiB; import smaller frames.")
                copy = Path(folder) / "frame"
                with archive.open(member.name) as inside, copy.open("wb") as out:
                    while piece := inside.read(1 << 20):
                        out.write(piece)
                return read_still(copy, named, PurePosixPath(member.name).suffix)
        except (zipfile.BadZipFile, RuntimeError, NotImplementedError, EOFError):
            raise BadMedia(f"{named} is cut short or damaged; import the frames again.") from None

    @property
    def count(self) -> int:
        """Number of frames."""
        return len(self._members)

    def _rate(self, notes: list[str]) -> Fraction:
        with zipfile.ZipFile(self.path) as archive:
            stated = [name for name in archive.namelist() if PurePosixPath(name).name == RATE_NAME]
            text = archive.read(stated[0])[:40].decode("ascii", "replace").strip() if stated else ""
        try:
            rate = Fraction(text)
            if RATES[0] <= rate <= RATES[1]:
                return rate
        except (ValueError, ZeroDivisionError):
            pass
        notes.append(f"It does not say its rate: {ASSUMED_RATE} frames/s are assumed.")
        return ASSUMED_RATE

    @cached_property
    def facts(self) -> ClipFacts:
        """What the sequence is, from its first frame and its numbers."""
        first, numbers = self._still(0), [member.number for member in self._members]
        notes = [*first.notes]
        rate = self._rate(notes)
        missing = sorted(set(range(numbers[0], numbers[-1] + 1)) - set(numbers)) if self._dense(numbers) else []
        if missing:
            notes.append(
                f"Frame{'s'[: len(missing) != 1]} {numbers_in_words(missing)} {'are' if len(missing) > 1 else 'is'} "
                f"missing: {len(numbers)} of {numbers[-1] - numbers[0] + 1} are there and follow one another."
            )
        elif not self._dense(numbers):
            notes.append(f"Its numbers run from {numbers[0]} to {numbers[-1]} for {len(numbers)} frames.")
        return ClipFacts(
            size=first.size, count=len(numbers), rate=rate, file_type="numbered sequence",
            codec=f"{first.file_type} files", bit_depth=first.bit_depth, channels=first.channels, colour=first.colour,
            matrix="RGB", full_range=True, centred=False, scan="progressive",
            bits_a_second=8 * self.path.stat().st_size / float(len(numbers) / rate), sound=[], notes=notes,
        )  # fmt: skip

    @staticmethod
    def _dense(numbers: list[int]) -> bool:
        """Whether gaps can be named at all: not where numbers are times or the like."""
        return numbers[-1] - numbers[0] < 10 * len(numbers)

    def codes(self, number: int = 0) -> Codes:
        """One frame as (H, W, 1 or 3) uint16."""
        if not 0 <= number < self.count:
            raise BadMedia(
                f"{self.name} has {self.count} frames and no frame {number}; choose a part that it has."
            )
        still, first = self._still(number), self.facts
        channels = 1 if first.channels.startswith("grey") else 3
        if still.size != first.size or still.codes.shape[2] != channels:
            member = plain(PurePosixPath(self._members[number].name).name, 80)
            raise BadMedia(
                f"{member} in {self.name} is {still.size} {still.channels}, the first frame {first.size} "
                f"{first.channels}; import frames of one kind."
            )
        return still.codes.astype(np.uint16) * 257 if still.codes.dtype == np.uint8 else still.codes

    def stream(self, first: int, count: int) -> Iterator[Codes]:
        """Frames one after another, as (H, W, 1 or 3) uint16."""
        return (self.codes(number) for number in range(first, first + count))

    def lumas(self) -> Iterator[Array]:
        """Luma of every frame, (H, W) float32 in 0..1."""
        return (luma(to_frame(codes).pixels) for codes in self.stream(0, self.count))


def read_sequence(path: Path, name: str) -> Sequence:
    """Open a sequence and look into it, so that what is wrong with it is said now."""
    sequence = Sequence(path, name)
    _ = sequence.facts
    return sequence
