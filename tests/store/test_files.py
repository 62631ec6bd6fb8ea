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
from tests.distant import Line, store_at


@pytest.fixture(params=["folder", "object store"])
def media(request: pytest.FixtureRequest, tmp_path: Path) -> Media:
    """The same store on a local folder and on a simulated S3 server."""
    if request.param == "folder":
        return store_at((tmp_path / "media").as_uri(), tmp_path)
    bucket = request.getfixturevalue("object_store")
    return store_at(bucket.replace("?", f"/{tmp_path.name}?"), tmp_path)


def test_an_original_lies_under_its_hash(media: Media, tmp_path: Path) -> None:
    content = b"the same bytes " * 100_000
    digest, size = media.keep_original(io.BytesIO(content))
    assert (digest, size) == (hashlib.sha256(content).hexdigest(), len(content))
    assert media.keep_original(io.BytesIO(content)) == (digest, size)
    assert media.read(original_key(digest)) == content
    with media.open(original_key(digest)) as file:
        assert file.read(8) == content[:8]
    path = media.fetch(original_key(digest), digest, tmp_path)
    assert path and path.read_bytes() == content


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
    assert media.fetch("originals/no/none", "none", tmp_path) is None
    media.remove("originals/no/none")


def test_scratch_of_killed_processes_is_swept(tmp_path: Path) -> None:
    media = store_at(tmp_path.as_uri(), tmp_path)
    code = (
        "import os, sys; from pathlib import Path; from mistline.store.files import media_at\n"
        "media = media_at(sys.argv[1], Path('unused'), 0)\n"
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

    media = store_at(tmp_path.as_uri(), tmp_path)
    with pytest.raises(ConnectionError):
        media.keep_original(Broken())
    assert [path for path in tmp_path.rglob("*") if path.is_file()] == []


def test_a_file_in_use_is_there_while_another_takes_its_place(tmp_path: Path) -> None:
    store = store_at(tmp_path.as_uri(), tmp_path)
    seen, over = [], threading.Event()

    def read() -> None:
        while not over.is_set():
            seen.append(store.read("pictures/a/shard.zip"))

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
    media = store_at(tmp_path.as_uri(), tmp_path)
    digest, _ = media.keep_original(io.BytesIO(b"again"))
    place = tmp_path / original_key(digest)
    os.utime(place, (1e9, 1e9))
    assert media.changed(original_key(digest)) == 1e9
    media.keep_original(io.BytesIO(b"again"))
    assert media.changed(original_key(digest)) > 1.5e9


@pytest.fixture
def distant(object_store: str, tmp_path: Path) -> Media:
    return store_at(object_store.replace("?", f"/{tmp_path.name}?"), tmp_path)


def fetched(store: Media, digest: str, folder: Path) -> bytes | None:
    path = store.fetch(original_key(digest), digest, folder)
    return path.read_bytes() if path else None


def test_copies_of_a_distant_store_are_bounded_and_stay_with_whoever_reads_them(
    distant: Media, tmp_path: Path
) -> None:
    contents = {hashlib.sha256(some).hexdigest(): some for some in (bytes([n]) * 100_000 for n in range(5))}
    for some in contents.values():
        distant.keep_original(io.BytesIO(some))
    with distant.workspace() as folder:
        assert {digest: fetched(distant, digest, folder) for digest in contents} == contents
        kept = list((tmp_path / "cache" / "kept").iterdir())
        assert 0 < sum(path.stat().st_size for path in kept) <= 250_000
        assert len(list(folder.iterdir())) == len(contents)
    assert list((tmp_path / "cache" / "incoming").iterdir()) == []


def test_what_was_used_lately_needs_no_store(distant: Media, tmp_path: Path) -> None:
    digest, _ = distant.keep_original(io.BytesIO(b"used"))
    with distant.workspace() as folder:
        assert fetched(distant, digest, folder) == b"used"
    distant.remove(original_key(digest))
    with distant.workspace() as folder:
        assert fetched(distant, digest, folder) == b"used"


def test_a_copy_that_was_spoilt_is_fetched_again_and_a_spoilt_object_is_told(
    distant: Media, tmp_path: Path
) -> None:
    digest, _ = distant.keep_original(io.BytesIO(b"as it was"))
    with distant.workspace() as folder:
        assert fetched(distant, digest, folder) == b"as it was"
    (tmp_path / "cache" / "kept" / digest).write_bytes(b"as it is!")
    with distant.workspace() as folder:
        assert fetched(distant, digest, folder) == b"as it was"
        other = folder / "other"
        other.write_bytes(b"something")
        distant.replace(other, original_key(digest))
    (tmp_path / "cache" / "kept" / digest).unlink()
    with distant.workspace() as folder:
        assert fetched(distant, digest, folder) is None
    distant.keep_original(io.BytesIO(b"as it was"))
    with distant.workspace() as folder:
        assert fetched(distant, digest, folder) == b"as it was"


def test_a_store_that_is_away_for_a_while_is_waited_for(object_store: str, tmp_path: Path) -> None:
    with Line(object_store) as line:
        store = store_at(line.url.replace("?", f"/{tmp_path.name}?"), tmp_path)
        digest, _ = store.keep_original(io.BytesIO(b"over the line"))
        line.cut()
        assert not store.answers()
        store.patience = 0.0
        with pytest.raises(OSError, match="does not answer"):
            store.read(original_key(digest))
        store.patience = 1e9
        with ThreadPoolExecutor(1) as reader:
            reading = reader.submit(store.read, original_key(digest))
            line.mend()
            assert reading.result() == b"over the line"
        assert store.answers()


def test_a_bucket_that_does_not_exist_is_no_store(object_store: str, tmp_path: Path) -> None:
    assert not store_at(object_store.replace("s3://mistline", "s3://nowhere"), tmp_path).answers()


def test_parts_of_uploads_that_never_ended_are_let_go(distant: Media) -> None:
    """A killed process leaves them where nobody sees them; those begun later may still go on."""
    bucket, _, folder = distant.root.partition("/")
    distant.fs.call_s3("create_multipart_upload", Bucket=bucket, Key=f"{folder}/originals/aa/aabb")
    distant.fs.call_s3("create_multipart_upload", Bucket=bucket, Key="somebody else's")

    def left() -> list[str]:
        return [upload["Key"] for upload in distant.fs.list_multipart_uploads(bucket)]

    distant.drop_uploads(0.0)  # the simulated server dates every upload to 2010
    assert f"{folder}/originals/aa/aabb" in left()
    distant.drop_uploads(time.time())
    assert left() == ["somebody else's"]
