"""Numbered frames kept together in one ZIP archive, as they came; `rate.txt` in it says the frames a second."""

import shutil
import zipfile
from collections.abc import Iterable
from pathlib import Path
from typing import BinaryIO

__all__ = ["MARK", "RATE_NAME", "in_order", "write_archive"]

MARK = b"PK\x03\x04"
RATE_NAME = "rate.txt"


def in_order(frames: Iterable[tuple[str, BinaryIO]]) -> list[tuple[str, BinaryIO]]:
    """Files with their names in the order of their numbers: 9 before 10."""
    return sorted(frames, key=lambda frame: (len(frame[0]), frame[0]))


def write_archive(path: Path, frames: Iterable[tuple[str, BinaryIO]], rate: str) -> None:
    """Write files by name, stored as they are and without times: the same frames make the same archive."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr(zipfile.ZipInfo(RATE_NAME), rate)
        for name, content in frames:
            with archive.open(zipfile.ZipInfo(name), "w", force_zip64=True) as member:
                shutil.copyfileobj(content, member, 1 << 20)
