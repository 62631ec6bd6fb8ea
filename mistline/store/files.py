"""The media store: originals, plates and view tiles, in a folder or in an object store (fsspec URL).

Originals are content-addressed (`originals/ab/abcdef...`) and written once; pictures have a folder each
(`pictures/<id>/plate.png`, `pictures/<id>/view/...`). Files appear whole or not at all.
"""

import hashlib
import os
import shutil
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path
from typing import BinaryIO

import fsspec

from mistline.errors import NotFound
from mistline.store.settings import settings

__all__ = ["Media", "media"]


class Media:
    """Files by key below one URL."""

    def __init__(self, url: str) -> None:
        self.fs, self.root = fsspec.core.url_to_fs(url, auto_mkdir=True)
        self.local = "file" in self.fs.protocol
        if self.local:
            Path(self.root, "incoming").mkdir(parents=True, exist_ok=True)

    def _at(self, key: str) -> str:
        return f"{self.root}/{key}"

    @contextmanager
    def workspace(self) -> Iterator[Path]:
        """A scratch folder beside the files (one disk, so that adopting is a rename); removed afterwards."""
        folder = tempfile.mkdtemp(dir=Path(self.root, "incoming") if self.local else None)
        try:
            yield Path(folder)
        finally:
            shutil.rmtree(folder, ignore_errors=True)

    def sweep(self, older_than: float) -> None:
        """Remove scratch folders that killed processes left, `older_than` seconds old or more."""
        for folder in Path(self.root, "incoming").iterdir() if self.local else ():
            if time.time() - folder.stat().st_mtime > older_than:
                shutil.rmtree(folder, ignore_errors=True)

    def adopt(self, path: Path, key: str) -> None:
        """Take over a finished file or folder under a key; what is there already stays."""
        target = self._at(key)
        if self.fs.exists(target):
            return
        if not self.local:
            self.fs.put(str(path), target, recursive=path.is_dir())
            return
        Path(target).parent.mkdir(parents=True, exist_ok=True)
        try:
            path.rename(target)
        except OSError:
            if not Path(target).exists():
                raise

    def fetch(self, key: str, folder: Path) -> Path:
        """Return a local path to read from: the file itself, or a copy in `folder`."""
        if not self.fs.exists(self._at(key)):
            raise NotFound(f"The media store has no {key}; was a folder removed by hand?")
        if self.local:
            return Path(self._at(key))
        copy = folder / key.replace("/", "_")
        self.fs.get_file(self._at(key), str(copy))
        return copy

    def read(self, key: str) -> bytes:
        """Return a whole small file."""
        try:
            data: bytes = self.fs.cat_file(self._at(key))
        except FileNotFoundError:
            raise NotFound("There is no such picture, or a part of it was removed from the media store.") from None
        return data

    def open(self, key: str) -> BinaryIO:
        """Open a file for reading in pieces."""
        return self.fs.open(self._at(key), "rb")

    def keep_original(self, stream: BinaryIO) -> tuple[str, int]:
        """Store an upload under the hash of its content; return hash and size in bytes."""
        digest, size = hashlib.sha256(), 0
        with self.workspace() as folder:
            path = folder / "original"
            with path.open("wb") as file:
                while piece := stream.read(1 << 20):
                    digest.update(piece)
                    size += len(piece)
                    file.write(piece)
                file.flush()
                os.fsync(file.fileno())
            self.adopt(path, original_key(digest.hexdigest()))
        return digest.hexdigest(), size


def original_key(content_hash: str) -> str:
    """Where an original lies."""
    return f"originals/{content_hash[:2]}/{content_hash}"


@lru_cache
def media() -> Media:
    """Return the media store of this process."""
    return Media(settings().media)
