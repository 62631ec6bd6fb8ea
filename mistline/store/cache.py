"""Copies of files of a distant store, by the hash of their content, on the disk of this machine."""

import contextlib
import os
import time
from collections.abc import Callable
from pathlib import Path

from mistline.store.hashes import file_hash, known_hash

__all__ = ["Cache"]


class Cache:
    """A bounded folder of files by content; what was used longest ago goes first.

    Processes of one machine share it. Files are handed out as links, so that what goes stays with whoever reads it.
    """

    def __init__(self, folder: Path, most_bytes: int) -> None:
        self.folder, self.most_bytes = folder, most_bytes
        self.kept = folder / "kept"
        self.kept.mkdir(parents=True, exist_ok=True)

    def get(self, content_hash: str, folder: Path, bring: Callable[[Path], object]) -> Path | None:
        """Link a file into `folder`, brought (to a path) if it is not here; None if it is not there, or is another."""
        path, copy = self.kept / content_hash, folder / content_hash
        if copy.exists():
            return copy
        if self._link(path, copy) and known_hash(path) == content_hash:
            return copy
        copy.unlink(missing_ok=True)
        try:
            bring(copy)
        except FileNotFoundError:
            return None
        if file_hash(copy) != content_hash:
            copy.unlink()
            return None
        with contextlib.suppress(FileNotFoundError):
            path.unlink()
        with contextlib.suppress(FileExistsError):  # another process brought it as well
            os.link(copy, path)
        self._shrink()
        return copy

    def _link(self, path: Path, copy: Path) -> bool:
        try:
            os.link(path, copy)
            os.utime(path, (time.time(), path.stat().st_mtime))
        except FileNotFoundError:
            return copy.exists()
        return True

    def _shrink(self) -> None:
        """Let go what was used longest ago, until the rest fits."""
        found = []
        for path in self.kept.iterdir():
            with contextlib.suppress(FileNotFoundError):
                found.append((path.stat(), path))
        total = sum(seen.st_size for seen, _ in found)
        for seen, path in sorted(found, key=lambda pair: pair[0].st_atime):
            if total <= self.most_bytes:
                return
            path.unlink(missing_ok=True)
            total -= seen.st_size
