"""A child reaches the files that its request names and nothing else; that the libraries still work, all takes show."""

import os
import socket
import subprocess
import tempfile
from collections.abc import Callable
from multiprocessing import get_context
from pathlib import Path

import pytest
from landlock import landlock_abi_version

from mistline.work import confine
from mistline.work.requests import ReadOriginal


def held() -> bool:
    try:
        return landlock_abi_version() > 0
    except OSError:
        return False


needs_landlock = pytest.mark.skipif(not held(), reason="this kernel has no Landlock")


def outcome(request: ReadOriginal, scratch: Path, step: Callable[[], object]) -> str:
    """What becomes of a step in a process that is held: "done", or the name of its error."""
    ours, theirs = get_context("fork").Pipe()

    def run() -> None:
        confine.confine(request, scratch)
        try:
            step()
            theirs.send("done")
        except Exception as error:
            theirs.send(type(error).__name__)

    process = get_context("fork").Process(target=run)
    process.start()
    process.join()
    return ours.recv()


@pytest.fixture
def request_of(tmp_path: Path) -> ReadOriginal:
    for name in ("given", "made", "scratch", "other"):
        (tmp_path / name).mkdir()
    (tmp_path / "given" / "a.png").write_text("picture")
    (tmp_path / "other" / "secret").write_text("secret")
    return ReadOriginal(name="a", path=tmp_path / "given" / "a.png", out=tmp_path / "made")


@needs_landlock
def test_only_what_the_request_names_can_be_read_and_written(request_of: ReadOriginal, tmp_path: Path) -> None:
    def tried(step: Callable[[], object]) -> str:
        return outcome(request_of, tmp_path / "scratch", step)

    assert tried(lambda: request_of.path.read_text()) == "done"
    assert tried(lambda: (request_of.out / "b").write_text("made")) == "done"
    assert tried(tempfile.mkdtemp) == "done"
    assert tried(lambda: (tmp_path / "other" / "secret").read_text()) == "PermissionError"
    assert tried(lambda: request_of.path.write_text("spoilt")) == "PermissionError"
    assert tried(lambda: list(tmp_path.iterdir())) == "PermissionError"
    assert tried(lambda: (Path.home() / "left behind").write_text("x")) == "PermissionError"
    assert tried(lambda: Path(f"/proc/{os.getppid()}/environ").read_bytes()) == "PermissionError"
    assert request_of.path.read_text() == "picture"


@pytest.mark.skipif(confine.pyseccomp is None, reason="libseccomp is missing")
@pytest.mark.parametrize("family", [socket.AF_INET, socket.AF_INET6, socket.AF_UNIX])
def test_there_is_no_network(request_of: ReadOriginal, tmp_path: Path, family: int) -> None:
    assert outcome(request_of, tmp_path / "scratch", lambda: socket.socket(family)) == "PermissionError"


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can become another user")
def test_a_child_of_root_is_nobody_and_stays_so(request_of: ReadOriginal, tmp_path: Path) -> None:
    def nobody() -> None:
        assert (os.getresuid(), os.getresgid(), os.getgroups()) == ((65534,) * 3, (65534,) * 3, [])
        with pytest.raises(PermissionError):
            os.setuid(0)
        with pytest.raises(PermissionError):
            os.kill(os.getppid(), 0)
        Path("/proc/self/clear_refs").write_text("5")
        (request_of.out / "made").write_text("x")

    assert outcome(request_of, tmp_path / "scratch", nobody) == "done"
    (tmp_path / "made" / "made").rename(tmp_path / "scratch" / "moved")
    (tmp_path / "scratch" / "moved").unlink()


def test_programs_of_the_system_still_run(request_of: ReadOriginal, tmp_path: Path) -> None:
    def run() -> None:
        subprocess.run(["true"], check=True)

    assert outcome(request_of, tmp_path / "scratch", run) == "done"


def test_what_a_system_cannot_do_is_said_and_the_rest_goes_on(
    request_of: ReadOriginal, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def missing(*arguments: object, **named: object) -> int:
        raise OSError("Function not implemented")

    monkeypatch.setattr(confine, "Ruleset", missing)
    monkeypatch.setattr(confine, "landlock_abi_version", missing)
    monkeypatch.setattr(confine, "pyseccomp", None)
    monkeypatch.setattr(confine, "_capabilities", confine.Capabilities)
    assert confine.not_possible() == [
        "their own files (the kernel has no Landlock)", "no network (libseccomp is missing)",
        *(["a user without rights (root itself lacks the capabilities to change users)"] if os.geteuid() == 0 else []),
    ]  # fmt: skip
    assert outcome(request_of, tmp_path / "scratch", lambda: request_of.path.read_text()) == "done"
