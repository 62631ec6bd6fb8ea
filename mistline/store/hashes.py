"""Hashes of the content of files."""

import hashlib
from functools import lru_cache
from pathlib import Path

__all__ = ["file_hash", "known_hash"]


def file_hash(path: Path) -> str:
    """SHA-256 of a file, in hexadecimal."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def known_hash(path: Path) -> str:
    """`file_hash`, read once: size and time of change tell whether it is known already."""
    seen = path.stat()
    return _hash_of(path, seen.st_size, seen.st_mtime_ns)


@lru_cache(maxsize=4096)
def _hash_of(path: Path, size: int, changed: int) -> str:
    return file_hash(path)
