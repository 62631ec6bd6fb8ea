"""The child process: limits, time-outs, signals, sentences."""

import asyncio
import os
import signal
import subprocess
import sys
import threading
from concurrent.futures import ThreadPoolExecutor
from multiprocessing.process import BaseProcess
from pathlib import Path

import numpy as np
import pytest
from pydantic import BaseModel

from mistline.core.media.plate import Plate, ShardWriter
from mistline.errors import BadMedia, OutOfLimits, ProcessingFailed
from mistline.store.settings import ROOT
from mistline.work.requests import MakeShard, Original, ReadOriginal, Request, ShardMade
from mistline.work.sandbox import FORKS, run_child
from tests.conftest import as_png
from tests.core.media.test_still import bomb
from tests.harness import PATIENCE, children, jobs_of

GIB = 2**30
CODES = np.random.default_rng(3).integers(0, 256, (96, 128, 3), np.uint8)
NLM = {
    "name": "nlm",
    "passes": [{"method": "non_local_means", "settings": {"luma": 50, "colour": 50}}, {"method": "bicubic"}],
}
TRAITS = {"noise_sigma": 5.0, "edge_width": 2.0, "mean_level": 0.5, "measured_on": "the whole picture"}


def run(request: Request, *, memory: int = 6 * GIB, seconds: float = 3600, told: list | None = None) -> BaseModel:
    async def go() -> BaseModel:
        heard = told if told is not None else []
        return await run_child(
            request, what="a test", memory_bytes=memory, seconds=seconds, report=lambda *news: heard.append(news)
        )

    # In a thread of its own: the browser tests leave an event loop running in this one.
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(lambda: asyncio.run(go())).result()


def reading(folder: Path, name: str, content: bytes) -> ReadOriginal:
    (folder / name).write_bytes(content)
    (folder / "out").mkdir()
    return ReadOriginal(name=name, path=folder / name, out=folder / "out")


def kept(path: Path, *frames: np.ndarray) -> list[Path]:
    with ShardWriter(path) as shard:
        for number, codes in enumerate(frames):
            shard.add(number, codes)
    return [path]


def taking(folder: Path, recipe: dict | None, side: int = 32, frames: int = 1, **more: object) -> MakeShard:
    small = [np.roll(CODES, 5 * number, 1)[:side, :side] for number in range(frames)]
    (folder / "out").mkdir()
    return MakeShard.model_validate({
        "name": "plate", "recipe": recipe, "repeats": 2, "setup": {"factor": 2}, "traits": TRAITS, "frames": frames,
        "length": frames,
        "truth": kept(folder / "truth.zip", *(codes.repeat(2, 0).repeat(2, 1) for codes in small)),
        "input": kept(folder / "input.zip", *small), "out": folder / "out",
        "target": {"width": 2 * side, "height": 2 * side}, "lane": folder / "lane", **more,
    })  # fmt: skip


def test_a_good_file_is_read_with_progress(tmp_path: Path) -> None:
    told: list[tuple[str, float]] = []
    found = run(reading(tmp_path, "a.png", as_png(CODES)), told=told)
    assert isinstance(found, Original) and found.facts["width"] == 128 and found.picture.levels == 1
    assert np.array_equal(Plate([tmp_path / "out/picture/shards/000000.zip"]).codes(), CODES)
    assert [stage for stage, _ in told] == ["reading", "writing", "measuring"]


def test_a_bomb_is_refused_before_it_is_decoded(tmp_path: Path) -> None:
    with pytest.raises(BadMedia, match=r"bomb.png is 30000 x 30000 .* limit is 200"):
        run(reading(tmp_path, "bomb.png", bomb(30_000, 30_000)), memory=3 * GIB)


def test_a_file_that_lies_about_its_size_ends_in_words(tmp_path: Path) -> None:
    """Within the limit of pixels, but no data behind them, and little memory to find out."""
    with pytest.raises((BadMedia, OutOfLimits, ProcessingFailed), match=r"liar\.png"):
        run(reading(tmp_path, "liar.png", bomb(14_000, 14_000)), memory=int(1.2 * GIB))


def test_too_little_memory_ends_in_words(tmp_path: Path) -> None:
    big = np.zeros((6000, 6000, 3), np.uint8)
    with pytest.raises((BadMedia, OutOfLimits, ProcessingFailed)) as caught:
        run(reading(tmp_path, "big.png", as_png(big)), memory=int(1.1 * GIB))
    assert "big.png" in str(caught.value) or "a test" in str(caught.value)


def test_a_step_that_takes_too_long_is_stopped(tmp_path: Path) -> None:
    with pytest.raises(ProcessingFailed, match="longer than 0 s"):
        run(taking(tmp_path, NLM), seconds=0.2)
    assert not jobs_of(os.getpid())


def test_a_take_is_timed_written_and_scored(tmp_path: Path) -> None:
    told: list[tuple[str, float]] = []
    made = run(taking(tmp_path, NLM), told=told)
    assert isinstance(made, ShardMade) and len(made.timing.process) == 2 and made.timing.peak_bytes > 10e6
    assert made.settings[0] == {
        "method": "non_local_means",
        "luma": 50.0,
        "colour": 50.0,
        "rule": "even",
        "read": 0.0,
    }
    assert made.picture.bit_depth == 16 and 0 < made.scores[0]["ssim"].value < 1
    shares = [share for _, share in told]
    assert shares == sorted(shares) and shares[-1] == 0.96
    assert "processing 2 of 2" in [stage for stage, _ in told]


def test_the_truth_without_a_recipe_stays_identical(tmp_path: Path) -> None:
    made = run(taking(tmp_path, None))
    assert isinstance(made, ShardMade) and made.clipped == 0
    assert made.scores[0]["psnr_rgb"].value is None and made.scores[0]["ciede2000"].value == 0
    assert made.timing.process == [] and made.settings == []


def test_two_timings_never_run_at_once(tmp_path: Path) -> None:
    """While somebody holds the lane, a take waits in front of it and says so."""
    import fcntl

    request = taking(tmp_path, NLM)
    told: list[tuple[str, float]] = []
    with request.lane.open("a") as lane:
        fcntl.flock(lane, fcntl.LOCK_EX)
        with pytest.raises(ProcessingFailed, match="longer"):
            run(request, seconds=4, told=told)
    assert told[-1][0] == "waiting for the timing lane"


def test_a_full_disk_is_said_in_words(tmp_path: Path) -> None:
    """A tiny file system of its own stands for a full disk; needs the right to mount one."""
    disk = tmp_path / "disk"
    disk.mkdir()
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=64k", "none", str(disk)], capture_output=True, check=False
    )
    if mounted.returncode:
        pytest.skip("no right to mount a file system here")
    try:
        (tmp_path / "a.png").write_bytes(as_png(CODES))
        request = ReadOriginal(name="a.png", path=tmp_path / "a.png", out=disk)
        with pytest.raises(ProcessingFailed, match="disk of the media store is full; free some space"):
            run(request)
    finally:
        subprocess.run(["umount", str(disk)], check=True)


def test_the_child_dies_with_its_parent(tmp_path: Path) -> None:
    request = taking(tmp_path, NLM, side=96, target={"width": 1500, "height": 1500}, repeats=2000)
    code = (
        "import asyncio, sys; from mistline.work.sandbox import run_child\n"
        "from mistline.work.requests import MakeShard\n"
        "request = MakeShard.model_validate_json(sys.stdin.read())\n"
        "say = lambda stage, share: print(stage, flush=True)\n"
        "asyncio.run(run_child(request, what='x', memory_bytes=2**33, seconds=99, report=say))"
    )
    parent = subprocess.Popen(
        [sys.executable, "-c", code], cwd=ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE
    )
    assert parent.stdin and parent.stdout
    parent.stdin.write(request.model_dump_json().encode())
    parent.stdin.close()
    while b"processing" not in parent.stdout.readline():
        assert parent.poll() is None
    [child] = jobs_of(parent.pid)
    child.suspend()  # as in a long step, it will not notice by itself that nobody listens
    os.kill(parent.pid, signal.SIGKILL)
    parent.wait()
    child.wait(PATIENCE)


def test_a_child_that_is_killed_is_tried_again(tmp_path: Path) -> None:
    """Twice killed from outside in its long step, it still gives a whole result."""
    request, killed, told = taking(tmp_path, NLM, side=96, repeats=80), [], []

    def kill(stage: str, share: float) -> None:
        told.append(stage)
        # One that was killed may have last words.
        jobs = [job for job in jobs_of(os.getpid()) if job.pid not in killed]
        if jobs and stage == f"processing {3 + len(killed)} of 80" and len(killed) < 2:
            jobs[0].kill()
            killed.append(jobs[0].pid)

    class Heard(list):
        def append(self, news: tuple[str, float]) -> None:
            kill(*news)

    made = run(request, told=Heard())
    assert len(killed) == 2 and told.count("processing 1 of 80") == 3
    assert len(made.timing.process) == 80 and (tmp_path / "out/picture/shards/000000.zip").exists()


def test_a_killed_fork_server_is_replaced(tmp_path: Path) -> None:
    """With its children it goes in the middle of a step; the step is done again by another."""
    request, killed = taking(tmp_path, NLM, side=96, repeats=80), []

    class Heard(list):
        def append(self, news: tuple[str, float]) -> None:
            servers = [server for server in children(os.getpid(), "forkserver") if server.pid not in killed]
            if servers and news[0] == f"processing {3 + len(killed)} of 80" and len(killed) < 3:
                servers[0].kill()
                killed.append(servers[0].pid)

    made = run(request, told=Heard())
    assert len(killed) == 3 and len(made.timing.process) == 80


def test_a_step_that_is_cancelled_while_its_process_starts_leaves_none(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It would go on to its end and write where nobody looks."""
    begun, go_on, start = threading.Event(), threading.Event(), FORKS.Process.start

    def slowly(child: BaseProcess) -> None:
        start(child)
        begun.set()
        assert go_on.wait(PATIENCE)

    async def cancelled() -> None:
        request = taking(tmp_path, NLM, side=96, repeats=80)
        task = asyncio.create_task(run_child(request, what="a test", memory_bytes=6 * GIB, seconds=3600))
        await asyncio.to_thread(begun.wait, PATIENCE)
        task.cancel()
        go_on.set()
        await task

    monkeypatch.setattr(FORKS.Process, "start", slowly)
    with ThreadPoolExecutor(1) as pool, pytest.raises(asyncio.CancelledError):
        pool.submit(asyncio.run, cancelled()).result()
    assert begun.is_set() and not jobs_of(os.getpid())


class Nonsense(Request[Original]):
    """A step that nobody knows."""


def test_a_failure_of_the_child_itself_is_told() -> None:
    with pytest.raises(ProcessingFailed, match="a test: Mistline itself failed here; run it again"):
        run(Nonsense(name="x"))


def test_what_the_fork_server_works_out_leaves_no_thread_behind() -> None:
    """A child is forked without it, and waits for it for ever."""
    script = (
        "import psutil, mistline.work.child; before = psutil.Process().num_threads();"
        "import mistline.work.loaded; print(psutil.Process().num_threads() - before)"
    )
    told = subprocess.run([sys.executable, "-c", script], cwd=ROOT, capture_output=True, text=True, check=True)
    assert told.stdout == "0\n"
