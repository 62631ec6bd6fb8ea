"""The media store: whole files or none, once, in a folder or in another file system."""

import hashlib
import io
import os
import subprocess
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from mistline.errors import NotFound
from mistline.store.files import Media, original_key
from mistline.store.settings import ROOT


@pytest.fixture(params=["folder", "memory"])
def media(request: pytest.FixtureRequest, tmp_path: Path) -> Media:
    """The same store on a local folder and on fsspec's in-memory file system, which stands for an object store."""
    return Media(tmp_path.as_uri() if request.param == "folder" else f"memory://mistline-{tmp_path.name}")


def test_an_original_lies_under_its_hash(media: Media, tmp_path: Path) -> None:
    content = b"the same bytes " * 100_000
    digest, size = media.keep_original(io.BytesIO(content))
    assert (digest, size) == (hashlib.sha256(content).hexdigest(), len(content))
    assert media.keep_original(io.BytesIO(content)) == (digest, size)
    assert media.read(original_key(digest)) == content
    with media.open(original_key(digest)) as file:
        assert file.read(8) == content[:8]
    assert media.fetch(original_key(digest), tmp_path).read_bytes() == content


def test_a_folder_is_taken_over_whole_and_what_is_there_stays(media: Media) -> None:
    for text in ("first", "second"):
        with media.workspace() as folder:
            made = folder / "picture"
            (made / "view" / "0").mkdir(parents=True)
            (made / "whole.zip").write_text(text)
            (made / "view" / "0" / "0_0.png").write_text(text)
            media.adopt(made, "pictures/ab/abc")
        assert not folder.exists()
    assert media.read("pictures/ab/abc/whole.zip") == b"first"
    assert media.read("pictures/ab/abc/view/0/0_0.png") == b"first"


def test_what_is_not_there_is_said_in_words(media: Media, tmp_path: Path) -> None:
    with pytest.raises(NotFound, match="no such picture"):
        media.read("pictures/none/shards/000000.zip")
    with pytest.raises(NotFound, match="was a folder removed by hand"):
        media.fetch("originals/no/none", tmp_path)


def test_scratch_of_killed_processes_is_swept(tmp_path: Path) -> None:
    media = Media(tmp_path.as_uri())
    code = (
        "import os, sys; from mistline.store.files import Media; media = Media(sys.argv[1])\n"
        "with media.workspace() as folder: (folder / 'picture').mkdir(); os.kill(os.getpid(), 9)"
    )
    subprocess.run([sys.executable, "-c", code, tmp_path.as_uri()], check=False, cwd=ROOT)
    [left] = (tmp_path / "incoming").iterdir()
    foreign, old = (tmp_path / "incoming" / f"elsewhere@1.0@{name}" for name in ("fresh", "old"))
    foreign.mkdir()
    old.mkdir()
    os.utime(old, (1, 1))
    with media.workspace() as mine:
        media.sweep()
        assert mine.exists() and foreign.exists() and not old.exists() and not left.exists()


def test_a_failing_upload_leaves_nothing_behind(tmp_path: Path) -> None:
    class Broken(io.BytesIO):
        def read(self, size: int | None = -1) -> bytes:
            raise ConnectionError("the browser went away")

    media = Media(tmp_path.as_uri())
    with pytest.raises(ConnectionError):
        media.keep_original(Broken())
    assert [path for path in tmp_path.rglob("*") if path.is_file()] == []


def test_a_file_in_use_is_there_while_another_takes_its_place(tmp_path: Path) -> None:
    store = Media(tmp_path.as_uri())
    seen, over = [], threading.Event()

    def read() -> None:
        while not over.is_set():
            seen.append(store.fetch("pictures/a/shard.zip", tmp_path).read_bytes())

    def write(number: int) -> None:
        with store.workspace() as folder:
            (folder / "shard.zip").write_text(f"frames {number}")
            store.replace(folder / "shard.zip", "pictures/a/shard.zip")

    write(0)
    with ThreadPoolExecutor(1) as reader:
        reading = reader.submit(read)
        for number in range(200):
            write(number)
        over.set()
        reading.result()
    assert seen and all(content.startswith(b"frames ") for content in seen)


def test_what_lies_there_is_listed_and_summed(media: Media) -> None:
    """Names, keys, bytes and times, which the collector and the backup go by."""
    digests = {media.keep_original(io.BytesIO(content))[0] for content in (b"one", b"three")}
    assert set(media.names("originals")) == digests
    assert set(media.keys("originals")) == {original_key(digest) for digest in digests}
    assert media.bytes_below("originals") == 8
    assert media.bytes_below(original_key(hashlib.sha256(b"one").hexdigest())) == 3
    assert (list(media.names("pictures")), list(media.keys("pictures")), media.bytes_below("pictures")) == (
        [],
        [],
        0,
    )
    assert all(abs(media.changed(original_key(digest)) - time.time()) < 3600 for digest in digests)


def test_an_original_that_comes_again_has_come_now(tmp_path: Path) -> None:
    """Else one that lay there needed by nothing could go before what needs it is noted."""
    media = Media(tmp_path.as_uri())
    digest, _ = media.keep_original(io.BytesIO(b"again"))
    place = tmp_path / original_key(digest)
    os.utime(place, (1e9, 1e9))
    assert media.changed(original_key(digest)) == 1e9
    media.keep_original(io.BytesIO(b"again"))
    assert media.changed(original_key(digest)) > 1.5e9
