"""Remote services over a bad line: nothing is lost, nothing is paid twice, and what is refused is said in words."""

import contextlib
import socket
import threading
import time
import zipfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import uvicorn

from mistline.errors import OutOfLimits, ProcessingFailed
from mistline.work.connector import Connector, Stopped, carry_out
from standins.service import Behaviour, State, create, describe
from tests.conftest import as_png
from tests.harness import free_port, until

PICTURE = np.random.default_rng(1).integers(0, 255, (24, 32, 3), dtype=np.uint8)


@contextlib.contextmanager
def service(**behaviour: object) -> Iterator[tuple[Connector, State]]:
    """The stand-in on a free port."""
    own = socket.create_server(("127.0.0.1", 0))  # held from now on: nobody else takes the port meanwhile
    port = own.getsockname()[1]
    app = create(Behaviour(**{"queue_seconds": 0.0, "process_seconds": 0.0, **behaviour}))
    server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error"))
    thread = threading.Thread(target=server.run, args=([own],), daemon=True)
    thread.start()
    until(lambda: server.started, what="the stand-in's start")
    try:
        described = {**describe(f"http://127.0.0.1:{port}"), "poll_seconds": 0.01, "patience_seconds": 60}
        yield Connector.model_validate(described), app.state.memory
    finally:
        server.should_exit = True
        thread.join()


@pytest.fixture
def picture(tmp_path: Path) -> Path:
    path = tmp_path / "input.png"
    path.write_bytes(as_png(PICTURE))
    return path


def quiet(*told: object) -> None: ...


def test_a_picture_goes_out_and_comes_back_with_its_fee_and_times(picture: Path, tmp_path: Path) -> None:
    stages: list[str] = []
    with service(asks=3) as (linnet, memory):
        found = carry_out(linnet, picture, "k", tmp_path / "out.png", lambda stage, *_: stages.append(stage))
        assert memory.charged == ["k"]
    assert (tmp_path / "out.png").read_bytes().startswith(b"\x89PNG")
    assert found.fee == pytest.approx(24 * 32 * 4 / 1e6 * 0.02, abs=1e-6)
    assert list(dict.fromkeys(stages)) == ["uploading", "queued", "processing", "downloading"]
    assert found.queued and found.queued > 0 and found.processing is not None and found.repeated == 0


def test_a_hundred_runs_over_a_bad_line_lose_nothing_and_pay_once(picture: Path, tmp_path: Path) -> None:
    """Every fifth request fails, some after the work was done; some runs are cut off and begun again."""
    with service(fails=0.2, seed=7) as (linnet, memory):
        repeated = 0
        for run in range(100):
            out, jobs = tmp_path / f"{run}.png", []

            def report(
                stage: str, share: float, job: str | None, fee: float | None, run: int = run, jobs: list = jobs
            ) -> None:
                jobs.append(job)
                if run % 3 == 0 and len(jobs) == 2 + run % 4:
                    raise Stopped("killed")

            with contextlib.suppress(Stopped):
                carry_out(linnet, picture, f"run {run}", out, report)
            if not out.exists():  # another worker goes on where it was, or from the start
                known = next((job for job in jobs if job), None) if run % 2 else None
                repeated += carry_out(linnet, picture, f"run {run}", out, quiet, known).repeated
            assert out.read_bytes().startswith(b"\x89PNG")
        assert sorted(memory.charged) == sorted(f"run {run}" for run in range(100))  # each once
        assert memory.requests > 350


def test_what_the_service_refuses_is_said_in_its_words(picture: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.png"
    for behaviour, words in (
        ({"credit": 0.0}, "not enough credit"),
        ({"daily_cap": 0}, "no more than 0 pictures a day"),
        ({"max_megapixels": 0.0001}, "pictures up to 0.0001 megapixels"),
    ):
        with service(**behaviour) as (linnet, memory):
            with pytest.raises(ProcessingFailed, match=words):
                carry_out(linnet, picture, "k", out, quiet)
            assert memory.charged == [] and not out.exists()


def test_a_result_that_never_comes_is_given_up(picture: Path, tmp_path: Path) -> None:
    with service(never=1.0) as (linnet, _):
        short = linnet.model_copy(update={"patience_seconds": 0.3})
        with pytest.raises(ProcessingFailed, match=r"no progress for 0\.3 s"):
            carry_out(short, picture, "k", tmp_path / "out.png", quiet)


def test_a_service_that_is_away_is_given_up_after_its_patience(picture: Path, tmp_path: Path) -> None:
    away = Connector.model_validate({**describe(f"http://127.0.0.1:{free_port()}"), "patience_seconds": 0.5})
    with pytest.raises(ProcessingFailed, match="given up: it cannot be reached"):
        carry_out(away, picture, "k", tmp_path / "out.png", quiet)


def test_a_key_is_sent_from_the_environment_and_told_nowhere(
    picture: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with service(secret="plain-to-see") as (linnet, memory):
        keyed = linnet.model_copy(update={"secret_env": "MISTLINE_TEST_KEY"})
        with pytest.raises(OutOfLimits, match="set MISTLINE_TEST_KEY"):
            carry_out(keyed, picture, "k", tmp_path / "out.png", quiet)
        monkeypatch.setenv("MISTLINE_TEST_KEY", "wrong-one")
        with pytest.raises(ProcessingFailed) as refused:
            carry_out(keyed, picture, "k", tmp_path / "out.png", quiet)
        assert "unknown key" in str(refused.value) and "wrong-one" not in str(refused.value)
        monkeypatch.setenv("MISTLINE_TEST_KEY", "plain-to-see")
        carry_out(keyed, picture, "k", tmp_path / "out.png", quiet)
        assert memory.charged == ["k"] and "plain-to-see" not in keyed.model_dump_json()


def test_the_line_and_the_queue_are_told_apart(picture: Path, tmp_path: Path) -> None:
    size = picture.stat().st_size
    with service(bytes_a_second=size / 0.4, queue_seconds=0.0, process_seconds=0.0) as (linnet, _):
        begun = time.monotonic()
        found = carry_out(linnet, picture, "k", tmp_path / "out.png", quiet)
        whole = time.monotonic() - begun
    assert found.uploading and found.uploading >= 0.4 and found.downloading >= 0.4
    assert found.uploading + found.downloading <= whole + 0.01


def test_limits_are_said_before_anything_is_sent() -> None:
    linnet = Connector.model_validate(describe("http://127.0.0.1:1"))
    with pytest.raises(OutOfLimits, match="enlarges 2 times and this trial 4"):
        linnet.check(1, 4)
    with pytest.raises(OutOfLimits, match="enlarges 2 times and this trial keeps the size"):
        linnet.check(1, 1)
    with pytest.raises(OutOfLimits, match="up to 4 megapixels"):
        linnet.check(4.1, 2)
    assert linnet.fee.of(8) == pytest.approx(0.16)


def test_a_clip_goes_as_an_archive_of_its_frames_and_so_it_comes_back(tmp_path: Path) -> None:
    path, out = tmp_path / "input.zip", tmp_path / "result.zip"
    with path.open("wb") as file, zipfile.ZipFile(file, "w") as archive:
        archive.writestr("rate.txt", "25")
        for number in range(5):
            archive.writestr(f"input-{number:06d}.png", as_png(np.roll(PICTURE, number, axis=1)))
    for behaviour, fee in (({}, 5 * 24 * 32 * 4 / 1e6 * 0.02), ({"fee_a_minute": 30.0}, 30 * 5 / 25 / 60)):
        with service(fails=0.3, seed=3, **behaviour) as (linnet, memory):
            found = carry_out(linnet, path, "k", out, quiet)
            assert memory.charged == ["k"] and found.fee == pytest.approx(fee, abs=1e-6)
        with zipfile.ZipFile(out) as archive:
            assert archive.read("rate.txt") == b"25" and len(archive.namelist()) == 6
            assert archive.read("input-000004.png").startswith(b"\x89PNG")


def test_what_a_service_takes_and_asks_for_clips() -> None:
    """A minute of 30 seconds at 24 frames a second is half of one; stills have no length."""
    described = describe("http://127.0.0.1:1")
    linnet = Connector.model_validate({**described, "takes": ["stills"]})
    with pytest.raises(OutOfLimits, match="takes stills, and this trial is about a clip"):
        linnet.check(1, 2, 10)
    with pytest.raises(OutOfLimits, match="takes clips, and this trial is about a still"):
        Connector.model_validate({**described, "takes": ["clips"]}).check(1, 2)
    with pytest.raises(OutOfLimits, match="up to 200 frames and this trial has 201"):
        Connector.model_validate(described).check(1, 2, 201)
    by_minute = Connector.model_validate(
        {**described, "fee": {"amount": 3, "unit": "minute", "currency": "EUR"}}
    ).fee
    assert by_minute.of(2, 720, 24) == pytest.approx(1.5) and by_minute.of(2) == 0
    assert Connector.model_validate(described).fee.of(0.5, 10) == pytest.approx(0.1)
