"""The media store: originals, plates and view tiles, in a folder or in an object store (fsspec URL).

Originals are content-addressed (`originals/ab/abcdef...`) and written once; pictures have a folder each
(`pictures/<id>/shards/...`, `pictures/<id>/view/...`). Files appear whole or not at all.
"""

import contextlib
import ctypes
import hashlib
import os
import shutil
import socket
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

__all__ = ["Media", "file_hash", "known_hash", "media", "original_key"]

SCRATCH_LIVES = 24 * 3600.0


def _process(pid: str) -> str:
    """A process by its number and start time, since numbers are used again; empty if there is none."""
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    except OSError:
        return ""
    return f"{pid}.{fields[19]}"  # ticks from the start of the machine


def _write_out(path: Path) -> None:
    """Have the file system write out what it holds of a file or folder, before the database says that it is there."""
    handle = os.open(path, os.O_RDONLY)
    try:
        if ctypes.CDLL(None, use_errno=True).syncfs(handle):
            raise OSError(ctypes.get_errno(), os.strerror(ctypes.get_errno()))
    finally:
        os.close(handle)


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


class Media:
    """Files by key below one URL."""

    def __init__(self, url: str) -> None:
        self.fs, self.root = fsspec.core.url_to_fs(url, auto_mkdir=True)
        self.local = "file" in self.fs.protocol
        if self.local:
            Path(self.root, "incoming").mkdir(parents=True, exist_ok=True)
            with contextlib.suppress(PermissionError):  # a folder of somebody else's stays as he has it
                Path(self.root).chmod(0o700)

    def _at(self, key: str) -> str:
        return f"{self.root}/{key}"

    @contextmanager
    def workspace(self) -> Iterator[Path]:
        """A scratch folder beside the files (one disk, so that adopting is a rename); removed afterwards.

        Its name tells whose it is, so that what a killed process left can be swept at once.
        """
        where = Path(self.root, "incoming") if self.local else None
        folder = tempfile.mkdtemp(dir=where, prefix=f"{socket.gethostname()}@{_process(str(os.getpid()))}@")
        try:
            yield Path(folder)
        finally:
            shutil.rmtree(folder, ignore_errors=True)

    def sweep(self) -> None:
        """Remove scratch folders of processes of this machine that are gone, and what is a day old of others."""
        for folder in Path(self.root, "incoming").iterdir() if self.local else ():
            host, _, rest = folder.name.partition("@")
            owner = rest.rpartition("@")[0]
            gone = host == socket.gethostname() and owner != _process(owner.partition(".")[0])
            with contextlib.suppress(FileNotFoundError):
                if gone or time.time() - folder.stat().st_mtime > SCRATCH_LIVES:
                    shutil.rmtree(folder, ignore_errors=True)

    def free_bytes(self) -> int | None:
        """Free space of the disk of a local store; None for others, whose space nobody knows."""
        return shutil.disk_usage(self.root).free if self.local else None

    def all_bytes(self) -> int | None:
        """Size of the disk of a local store; None for others."""
        return shutil.disk_usage(self.root).total if self.local else None

    def bytes_below(self, key: str) -> int:
        """What a file or folder holds; 0 where there is none."""
        return int(self.fs.du(self._at(key))) if self.fs.exists(self._at(key)) else 0

    def keys(self, folder: str) -> Iterator[str]:
        """Keys of all files below a folder."""
        top = self._at(folder)
        for name in self.fs.find(top) if self.fs.exists(top) else ():
            yield folder + name[name.index(top) + len(top) :]

    def names(self, folder: str) -> Iterator[str]:
        """What lies in the folders of a folder."""
        top = self._at(folder)
        for part in self.fs.ls(top, detail=False) if self.fs.exists(top) else ():
            for name in self.fs.ls(part, detail=False):
                yield name.rstrip("/").rpartition("/")[2]

    def changed(self, key: str) -> float:
        """When a file was written last, seconds of the epoch; now where there is none."""
        try:
            return float(self.fs.modified(self._at(key)).timestamp())
        except FileNotFoundError:
            return time.time()

    def remove(self, key: str) -> None:
        """Remove a file or folder; does nothing where there is none."""
        if not self.fs.exists(self._at(key)):
            return
        if self.local:  # first out of the way, so that nobody sees half of it
            with self.workspace() as folder:
                Path(self._at(key)).rename(folder / "removed")
            return
        self.fs.rm(self._at(key), recursive=True)

    def adopt(self, path: Path, key: str) -> None:
        """Take over a finished file or folder under a key, safe on the disk; what is there already stays."""
        target = self._at(key)
        if self.fs.exists(target):
            return
        if not self.local:
            self.fs.put(str(path), target, recursive=path.is_dir())
            return
        Path(target).parent.mkdir(parents=True, exist_ok=True)
        _write_out(path)
        try:
            path.rename(target)
        except OSError:
            if not Path(target).exists():
                raise
        _write_out(Path(target).parent)

    def replace(self, path: Path, key: str) -> None:
        """Take over a finished file or folder in the place of what is there; a file is there at every moment."""
        if self.local and path.is_file() and Path(self._at(key)).is_file():
            _write_out(path)
            path.replace(self._at(key))
            _write_out(Path(self._at(key)).parent)
            return
        self.remove(key)
        self.adopt(path, key)

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
            key = original_key(digest.hexdigest())
            if (
                self.local
                and Path(self._at(key)).exists()
                and file_hash(Path(self._at(key))) != digest.hexdigest()
            ):
                self.remove(key)  # damaged meanwhile: the upload takes its place
            self.adopt(path, key)
            # However long it took to write, and however long it has lain there: it has come now.
            if self.local:
                os.utime(self._at(key))
        return digest.hexdigest(), size


def original_key(content_hash: str) -> str:
    """Where an original lies."""
    return f"originals/{content_hash[:2]}/{content_hash}"


@lru_cache
def media() -> Media:
    """Return the media store of this process."""
    return Media(settings().media)
