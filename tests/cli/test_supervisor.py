"""The start command: everything up, everything down, and everything back after a blow."""

import contextlib
import json
import os
import signal
import socket
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import httpx
import numpy as np
import psutil
import psycopg
import pytest
from PIL import Image
from typer.testing import CliRunner

from mistline.cli.__main__ import app as cli
from mistline.cli.demo import PLATES
from mistline.core.media.clip import read_clip
from mistline.core.media.still import read_still
from mistline.core.setup import read_setup
from mistline.store import cluster
from mistline.store.recipes import SHIPPED
from mistline.store.settings import ROOT
from tests.conftest import as_png
from tests.harness import PATIENCE, children, ended, free_port, until

Started = tuple[subprocess.Popen[bytes], httpx.Client]


@pytest.fixture(scope="module")
def data() -> Iterator[Path]:
    import shutil
    import tempfile

    folder = Path(tempfile.mkdtemp(prefix="mistline-cli-"))
    folder.chmod(0o755)
    yield folder
    shutil.rmtree(folder, ignore_errors=True)


@contextlib.contextmanager
def started(data: Path) -> Iterator[Started]:
    """`start` in a process of its own; yields it and a client."""
    port = free_port()
    environment = {**os.environ, "MISTLINE_DATA": str(data), "MISTLINE_PORT": str(port)}
    environment.pop("MISTLINE_DATABASE_URL", None)
    told = data / "told.log"  # not a pipe: once that is full, whoever writes stands still
    with told.open("wb") as log:
        process = subprocess.Popen(
            [sys.executable, "-m", "mistline.cli", "start", "--no-browser"], cwd=ROOT, env=environment,
            stdout=log, stderr=log,
        )  # fmt: skip
    client = httpx.Client(base_url=f"http://127.0.0.1:{port}", timeout=10)

    def answers() -> bool:
        assert process.poll() is None, told.read_text()
        with contextlib.suppress(httpx.TransportError):
            return client.get("/api/kinds").status_code == 200
        return False

    try:
        until(answers, what="the start")
        yield process, client
    finally:
        client.close()
        if process.poll() is None:
            process.send_signal(signal.SIGINT)
            process.wait(PATIENCE)


def _ready(client: httpx.Client, source: str) -> bool:
    with contextlib.suppress(httpx.TransportError):
        answer = client.get(f"/api/sources/{source}")
        return answer.status_code == 200 and answer.json()["state"] == "ready"
    return False


@pytest.fixture(scope="module")
def kept(data: Path) -> str:
    """A source that was read in a first run, which was stopped in good order."""
    picture = as_png(np.random.default_rng(1).integers(0, 256, (64, 64, 3), np.uint8))
    with started(data) as (process, client):
        source = client.post("/api/sources", files={"file": ("kept.png", picture)}).json()["source"]["id"]
        until(lambda: _ready(client, source), what="reading")
        assert [recipe["name"] for recipe in client.get("/api/recipes").json()] == [r.name for r in SHIPPED]
        below = psutil.Process(process.pid).children(recursive=True)
        process.send_signal(signal.SIGINT)
        assert process.wait(PATIENCE) == 0
        until(lambda: all(ended(child) for child in below), what="the end of all that it started")
        assert not (data / "postgres" / "postmaster.pid").exists()
    return source


@pytest.fixture(scope="module")
def again(data: Path, kept: str) -> Iterator[Started]:
    """A second run on the same folder; the last test that uses it ends it with a blow."""
    with started(data) as running:
        yield running


def test_start_stop_and_start_again(kept: str, again: Started) -> None:
    assert _ready(again[1], kept)


def test_killed_processes_and_a_restarted_database_are_survived(data: Path, again: Started) -> None:
    rng, (process, client) = np.random.default_rng(2), again
    for role, module in (("worker", "mistline.work"), ("web", "mistline.api")):
        children(process.pid, module)[0].kill()
        picture = as_png(rng.integers(0, 256, (48, 48, 3), np.uint8))

        def upload(picture: bytes = picture) -> str | None:
            with contextlib.suppress(httpx.TransportError):
                answer = client.post("/api/sources", files={"file": ("after.png", picture)})
                return answer.json()["source"]["id"] if answer.status_code == 201 else None
            return None

        source = until(upload, what=f"an upload after the {role} was killed")
        until(lambda source=source: _ready(client, source), what=f"reading after the {role} was killed")
    for blow in (signal.SIGKILL, signal.SIGQUIT, signal.SIGINT):
        server = psutil.Process(int((data / "postgres" / "postmaster.pid").read_text().splitlines()[0]))
        server.send_signal(blow)
        until(lambda server=server: ended(server), what="the database's end")
        picture = as_png(rng.integers(0, 256, (40, 40, 3), np.uint8))
        source = until(lambda picture=picture: upload(picture), what=f"an upload after {blow.name}")
        until(lambda source=source: _ready(client, source), what=f"reading after {blow.name}")


def test_a_database_whose_port_was_taken_comes_back_at_another(data: Path, again: Started) -> None:
    process, client = again
    port = int((data / "postgres.port").read_text())
    server = psutil.Process(int((data / "postgres" / "postmaster.pid").read_text().splitlines()[0]))
    process.send_signal(signal.SIGSTOP)
    server.kill()
    until(lambda: ended(server), what="the database's end")
    with socket.socket() as foreign:
        foreign.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        foreign.bind(("127.0.0.1", port))
        foreign.listen()
        process.send_signal(signal.SIGCONT)
        until(lambda: int((data / "postgres.port").read_text()) != port, what="another port")

        def answered() -> bool:
            with contextlib.suppress(httpx.TransportError):
                return client.get("/api/sources").status_code == 200
            return False

        until(answered, what="an answer from the database at its other port")


def _refused(data: Path) -> str:
    """What a start on a folder says that cannot run."""
    port = str(free_port())
    environment = {**os.environ, "MISTLINE_DATA": str(data), "MISTLINE_PORT": port}
    environment.pop("MISTLINE_DATABASE_URL", None)
    run = subprocess.run([sys.executable, "-m", "mistline.cli", "start", "--no-browser"], cwd=ROOT, env=environment,
                         capture_output=True, text=True, timeout=PATIENCE, check=False)  # fmt: skip
    assert run.returncode == 1 and "Traceback" not in run.stdout + run.stderr
    return " ".join(run.stdout.split())


def test_two_starts_on_one_folder_are_told_apart(data: Path, again: Started) -> None:
    process, client = again
    said = _refused(data).replace(" ", "")
    assert f"alreadyrunson{data}(process{process.pid},{client.base_url}".rstrip("/") in said
    assert client.get("/api/kinds").status_code == 200


def test_a_killed_supervisor_leaves_nothing(again: Started) -> None:
    process, _ = again
    below = psutil.Process(process.pid).children(recursive=True)
    assert len(below) > 5
    process.kill()
    until(lambda: all(ended(one) for one in below), what="the end of all that it started")


def test_what_a_crash_or_a_hand_left_is_mended_or_said(data: Path) -> None:
    """A killed start, a lock of a killed migration, a lost password, a process number that is somebody else's now."""
    with started(data) as (_, client):
        assert client.get("/api/sources").json()["items"]
        url = cluster.url(data / "postgres", int((data / "postgres.port").read_text()))
        with psycopg.connect(url) as connection:
            connection.execute("insert into yoyo_lock (locked, ctime, pid) values (1, now(), 12345)")
    (data / "postgres.password").unlink()
    (data / "postgres" / "postmaster.pid").write_text(f"{os.getpid()}\n{data / 'postgres'}\n1\n5432\n")
    with started(data) as (_, client):
        assert client.get("/api/sources").json()["items"]


def test_another_version_of_the_database_is_said(data: Path) -> None:
    place = data / "postgres" / "PG_VERSION"
    version = place.read_text()
    place.write_text("9\n")
    try:
        assert "made by PostgreSQL 9, which is not installed; install it by" in _refused(data)
    finally:
        place.write_text(version)


def test_a_port_in_use_is_said_with_the_remedy(data: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        monkeypatch.setenv("MISTLINE_PORT", str(taken.getsockname()[1]))
        monkeypatch.setenv("MISTLINE_DATA", str(data))
        result = CliRunner().invoke(cli, ["start", "--no-browser"])
    assert result.exit_code == 1 and "set MISTLINE_PORT to another" in " ".join(result.output.split())


def test_missing_pages_are_said_with_the_remedy(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("MISTLINE_WEB", str(tmp_path))
    result = CliRunner().invoke(cli, ["start", "--no-browser"])
    assert result.exit_code == 1 and "make start" in result.output


def test_a_missing_postgresql_is_said_with_the_remedy(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(Path, "glob", lambda self, pattern: iter(()))
    monkeypatch.setenv("PATH", str(tmp_path))
    with pytest.raises(cluster.SetupError, match="apt-get install postgresql"):
        cluster.binary("initdb")


def test_the_demo_plates_are_what_they_are_said_to_be() -> None:
    manifest = json.loads((PLATES / "plates.json").read_text())
    kinds, sizes, depths, types, clips = set(), [], set(), set(), {}
    for plate in manifest["plates"]:
        path = PLATES / plate["file"]
        assert path.stat().st_size < 4_000_000 and len(plate["story"]) > 20
        kinds.add(plate["kind"])
        if path.suffix == ".mp4":
            clips[plate["file"]] = read_clip(path, path.name).count
            continue
        still = read_still(path, path.name)
        sizes.append(still.size.megapixels)
        depths.add(still.bit_depth)
        types.add(still.file_type)
    assert len(manifest["plates"]) >= 6 and len(kinds) >= 5
    assert max(sizes) >= 24 and depths == {8, 16} and types == {"PNG", "TIFF", "JPEG"}
    shipped = {recipe.name for recipe in SHIPPED}
    for trial in manifest["trials"]:
        assert {trial["pick"], trial["fallback"]} < set(trial["recipes"]) <= shipped
        assert {trial["file"], trial.get("native", trial["file"])} <= {
            plate["file"] for plate in manifest["plates"]
        }
        assert "native" in trial or read_setup(trial["setup"]).words()
        assert trial.get("first", 0) + trial.get("frames", 1) <= clips.get(trial["file"], 1)


def test_the_screenshots_are_of_the_agreed_size() -> None:
    shots = list((ROOT / "docs" / "screenshots").glob("*.png"))
    assert 0 < len(shots) < 20
    for path in shots:
        assert Image.open(path).size == (1280, 800)
        assert path.name in (ROOT / "README.md").read_text()
