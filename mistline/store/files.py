"""The media store: originals, plates and view tiles, in a folder or in an object store (fsspec URL).

Originals are content-addressed (`originals/ab/abcdef...`) and written once; pictures have a folder each
(`pictures/<id>/shards/...`, `pictures/<id>/view/...`). Files appear whole or not at all.
"""

import contextlib
import ctypes
import errno
import hashlib
import logging
import os
import shutil
import socket
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path
from typing import Any, BinaryIO, TypeVar
from urllib.parse import parse_qsl

import fsspec
from fsspec import AbstractFileSystem

from mistline.errors import NotFound
from mistline.store.cache import Cache
from mistline.store.hashes import file_hash, known_hash
from mistline.store.settings import settings

__all__ = ["Media", "ObjectStore", "media", "media_at", "original_key"]

log = logging.getLogger("mistline.store")
T = TypeVar("T")
SCRATCH_LIVES = 24 * 3600.0
FIRST_PAUSE, LONGEST_PAUSE = 0.2, 3.0  # seconds between two tries of a store that does not answer
S3_ANSWERS_WITHIN = {"connect_timeout": 5, "read_timeout": 20, "retries": {"max_attempts": 1}}


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


class Media:
    """Files by key below one URL, in a folder of this machine; `ObjectStore` keeps them elsewhere.

    Attributes
    ----------
    patience : float
        How many seconds a store that does not answer is asked again; a folder answers or fails at once.
    lost : bool
        Whether it was asked in vain for so long.
    """

    patience, lost = 3.0, False

    def __init__(self, fs: AbstractFileSystem, root: str, scratch: Path) -> None:
        self.fs, self.root, self.scratch = fs, root, scratch
        self.scratch.mkdir(parents=True, exist_ok=True)
        with contextlib.suppress(PermissionError):  # a folder of somebody else's stays as he has it
            scratch.parent.chmod(0o700)

    def _at(self, key: str) -> str:
        return f"{self.root}/{key}"

    def _ask(self, step: Callable[..., T], *arguments: Any, **named: Any) -> T:
        """Ask the file system for something that may be repeated."""
        return step(*arguments, **named)

    @contextmanager
    def workspace(self) -> Iterator[Path]:
        """A scratch folder (of a local store on its disk, so that adopting is a rename); removed afterwards.

        Its name tells whose it is, so that what a killed process left can be swept at once.
        """
        owner = f"{socket.gethostname()}@{_process(str(os.getpid()))}@"
        folder = tempfile.mkdtemp(dir=self.scratch, prefix=owner)
        try:
            yield Path(folder)
        finally:
            shutil.rmtree(folder, ignore_errors=True)

    def sweep(self) -> None:
        """Remove scratch folders of processes of this machine that are gone, and what is a day old of others."""
        for folder in self.scratch.iterdir():
            host, _, rest = folder.name.partition("@")
            owner = rest.rpartition("@")[0]
            gone = host == socket.gethostname() and owner != _process(owner.partition(".")[0])
            with contextlib.suppress(FileNotFoundError):
                if gone or time.time() - folder.stat().st_mtime > SCRATCH_LIVES:
                    shutil.rmtree(folder, ignore_errors=True)

    def answers(self) -> bool:
        """Whether the store is there."""
        try:
            return bool(self.fs.exists(self.root))
        except Exception:  # whatever a client of a store raises
            return False

    def free_bytes(self) -> int | None:
        """Free space of the disk of the store; None where nobody knows it."""
        return self.room()

    def all_bytes(self) -> int | None:
        """Size of the disk of the store; None where nobody knows it."""
        return shutil.disk_usage(self.root).total

    def room(self) -> int:
        """Free space of the disk that scratch folders lie on."""
        return shutil.disk_usage(self.scratch).free

    def drop_uploads(self, before: float) -> None:
        """Let go of uploads that were begun before a time and never ended; a folder has none."""

    def bytes_below(self, key: str) -> int:
        """What a file or folder holds; 0 where there is none."""
        try:
            return int(self._ask(self.fs.du, self._at(key)))
        except FileNotFoundError:
            return 0

    def keys(self, folder: str) -> Iterator[str]:
        """Keys of all files below a folder."""
        top = self._at(folder)
        for name in self._ask(self.fs.find, top):
            yield folder + name[name.index(top) + len(top) :]

    def names(self, folder: str) -> Iterator[str]:
        """What lies in the folders of a folder."""
        for part in self._within(self._at(folder)):
            for name in self._within(part):
                yield name.rstrip("/").rpartition("/")[2]

    def _within(self, folder: str) -> list[str]:
        try:
            return self._ask(self.fs.ls, folder, detail=False)
        except FileNotFoundError:
            return []

    def changed(self, key: str) -> float:
        """When a file was written last, seconds of the epoch; now where there is none."""
        try:
            return float(self._ask(self.fs.modified, self._at(key)).timestamp())
        except FileNotFoundError:
            return time.time()

    def remove(self, key: str) -> None:
        """Remove a file or folder, first out of the way, so that nobody sees half of it; does nothing without one."""
        if Path(self._at(key)).exists():
            with self.workspace() as folder:
                Path(self._at(key)).rename(folder / "removed")

    def adopt(self, path: Path, key: str) -> None:
        """Take over a finished file or folder under a key, safe on the disk; what is there already stays."""
        target = Path(self._at(key))
        if target.exists():
            return
        target.parent.mkdir(parents=True, exist_ok=True)
        _write_out(path)
        try:
            path.rename(target)
        except OSError:
            if not target.exists():
                raise
        _write_out(target.parent)

    def replace(self, path: Path, key: str) -> None:
        """Take over a finished file or folder in the place of what is there; a file is there at every moment."""
        target = Path(self._at(key))
        if path.is_file() and target.is_file():
            _write_out(path)
            path.replace(target)
            _write_out(target.parent)
            return
        self.remove(key)
        self.adopt(path, key)

    def fetch(self, key: str, content_hash: str, folder: Path) -> Path | None:
        """A local path to read a file from, in `folder` if it is a copy; None if it is missing or not what it was.

        Parameters
        ----------
        key, content_hash : str
            Where it lies, and SHA-256 of what it was when it was written.
        """
        path = Path(self._at(key))
        try:
            return path if known_hash(path) == content_hash else None
        except OSError:  # missing, or on a part of the disk that cannot be read
            return None

    def read(self, key: str) -> bytes:
        """Return a whole small file."""
        try:
            data: bytes = self._ask(self.fs.cat_file, self._at(key))
        except FileNotFoundError:
            raise NotFound("There is no such picture, or a part of it was removed from the media store.") from None
        return data

    def open(self, key: str) -> BinaryIO:
        """Open a file for reading in pieces."""
        return self._ask(self.fs.open, self._at(key), "rb")

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
            self._keep(path, original_key(digest.hexdigest()), digest.hexdigest())
        return digest.hexdigest(), size

    def _keep(self, path: Path, key: str, content_hash: str) -> None:
        """Take over an original; however long it has lain there, it has come now."""
        target = Path(self._at(key))
        if target.exists() and file_hash(target) != content_hash:
            self.remove(key)  # damaged meanwhile: the upload takes its place
        self.adopt(path, key)
        os.utime(target)


class ObjectStore(Media):
    """Files by key in a store that several machines share; what is read often is kept on this machine's disk.

    A store that does not answer is asked again for `patience` seconds. Objects appear whole; folders file by file, so
    that whoever writes one notes it in the database when it is complete.
    """

    def __init__(self, fs: AbstractFileSystem, root: str, cache: Cache) -> None:
        super().__init__(fs, root, cache.folder / "incoming")
        self.cache = cache

    def _ask(self, step: Callable[..., T], *arguments: Any, **named: Any) -> T:
        begun, pause = time.monotonic(), FIRST_PAUSE
        while True:
            try:
                return step(*arguments, **named)
            except (FileNotFoundError, PermissionError):
                raise
            except Exception as error:  # whatever a client of a store raises
                if time.monotonic() + pause - begun > self.patience:
                    self.lost = True
                    reason = f"it does not answer, {type(error).__name__}"
                    raise OSError(errno.EHOSTUNREACH, reason) from error
                if pause == FIRST_PAUSE:
                    log.warning("The media store does not answer (%s); it is asked again.", type(error).__name__)
            time.sleep(pause)
            pause = min(2 * pause, LONGEST_PAUSE)

    def answers(self) -> bool:
        """Whether the bucket is there; a folder in it comes with what is written."""
        try:
            return bool(self.fs.exists(self.root.partition("/")[0]))
        except Exception:  # whatever a client of a store raises
            return False

    def free_bytes(self) -> int | None:
        """Nobody knows."""
        return None

    def all_bytes(self) -> int | None:
        """Nobody knows."""
        return None

    def remove(self, key: str) -> None:
        """Remove an object, or all of a folder; does nothing where there is none."""
        with contextlib.suppress(FileNotFoundError):
            self._ask(self.fs.rm, self._at(key), recursive=True)

    def adopt(self, path: Path, key: str) -> None:
        """Store a finished file or folder under a key; what is there already stays."""
        if not self._ask(self.fs.exists, self._at(key)):
            self.replace(path, key)

    def replace(self, path: Path, key: str) -> None:
        """Store a finished file or folder in the place of what is there, object by object."""
        files = [path] if path.is_file() else [file for file in path.rglob("*") if file.is_file()]
        there = [self._at(key + str(file)[len(str(path)) :]) for file in files]
        self._ask(self.fs.put, [str(file) for file in files], there)

    def drop_uploads(self, before: float) -> None:
        """Let go of what killed processes left: parts of large objects, which lie there unseen and cost space."""
        if not hasattr(self.fs, "list_multipart_uploads"):
            return
        bucket, _, folder = self.root.partition("/")
        for upload in self._ask(self.fs.list_multipart_uploads, bucket):
            if upload["Key"].startswith(folder) and upload["Initiated"].timestamp() < before:
                which = {"Bucket": bucket, "Key": upload["Key"], "UploadId": upload["UploadId"]}
                self._ask(self.fs.call_s3, "abort_multipart_upload", **which)

    def fetch(self, key: str, content_hash: str, folder: Path) -> Path | None:
        """As in a folder; the copy is linked from the cache, where it may go meanwhile."""
        return self.cache.get(content_hash, folder, lambda to: self._ask(self.fs.get_file, self._at(key), str(to)))

    def _keep(self, path: Path, key: str, content_hash: str) -> None:
        self.replace(path, key)


def media_at(url: str, cache: Path, cache_bytes: int) -> Media:
    """The media store at a URL of fsspec; options of its file system follow a question mark.

    Parameters
    ----------
    url : str
        As `file:///srv/mistline` or `s3://bucket/folder?endpoint_url=http://store.example:9000`.
    cache : path
        Folder for scratch and copies where the store is not a folder itself, with `cache_bytes` of them at most.
    """
    place, _, options = url.partition("?")
    if place.startswith("file:"):
        fs, root = fsspec.core.url_to_fs(place, auto_mkdir=True)
        return Media(fs, root, Path(root) / "incoming")
    known = {"config_kwargs": S3_ANSWERS_WITHIN} if place.startswith("s3:") else {}
    # Other machines write there too, so that no listing may be kept.
    asked = {"use_listings_cache": False, **known, **dict(parse_qsl(options))}
    fs, root = fsspec.core.url_to_fs(place, **asked)
    if fs.async_impl:  # what fails is told by whoever asked, not by its loop of events too
        fs.loop.call_soon_threadsafe(fs.loop.set_exception_handler, lambda loop, context: None)
    return ObjectStore(fs, root, Cache(cache, cache_bytes))


def original_key(content_hash: str) -> str:
    """Where an original lies."""
    return f"originals/{content_hash[:2]}/{content_hash}"


@lru_cache
def media() -> Media:
    """Return the media store of this process."""
    here = settings()
    return media_at(here.media, here.cache_folder, here.cache_bytes)
