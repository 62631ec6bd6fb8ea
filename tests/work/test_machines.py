"""More than one machine on one database and one object store: work is shared, and no cut loses or doubles anything."""

import os
import signal
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import psycopg
import pytest

from mistline.store.settings import ROOT
from tests.conftest import as_png
from tests.distant import Machine, objects_of, served_objects
from tests.harness import Running, fresh_database, served, shaped, until

RECIPES = ("Bilinear", "Lanczos 3")


@pytest.fixture(scope="module")
def store() -> Iterator[str]:
    """A bucket of these tests alone."""
    with served_objects() as url:
        yield url


@pytest.fixture(scope="module")
def app(cluster_url: str, store: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Running]:
    with served(
        fresh_database(cluster_url, shaped(cluster_url)), tmp_path_factory.mktemp("main"), store
    ) as started:
        yield started


@pytest.fixture(scope="module")
def second(app: Running, store: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Machine]:
    folder = tmp_path_factory.mktemp("other")
    with Machine("second", folder, app.environment["MISTLINE_DATABASE_URL"], store) as machine:
        until(lambda: "second" in at_work(app), what="the second machine's coming")
        yield machine


def at_work(app: Running) -> dict[str, dict]:
    """The workers that are heard of, by host."""
    return {row["host"]: row for row in app.http.get("/api/workers").json() if row["silent_seconds"] < 8}


def kept_at_work(app: Running, source: str) -> list[str]:
    """Trials that are started, four at a time, until the second machine is heard to be at work, however fast it is."""
    trials: list[str] = []

    def heard() -> object:
        if not app.http.get("/api/queue").json()["number"]:
            factors = [1.5 + (len(trials) + more) / 10 for more in range(4)]
            trials.extend(app.start_trial(source, *RECIPES, app.slow_recipe(), factor=f) for f in factors)
        return at_work(app).get("second", {}).get("doing")

    until(heard, what="the second machine's work")
    return trials


def counted(app: Running, query: str) -> int:
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        row = connection.execute(query).fetchone()  # type: ignore[call-overload]
        return int(row[0])


def test_another_machine_reads_makes_and_measures(app: Running, second: Machine, astronaut: np.ndarray) -> None:
    """While the main machine's worker is dead, all that is needed is done by the other, and can be looked at."""
    app.kill_worker()
    source = app.read("far.png", as_png(astronaut[:200, :240]))
    made = app.finished(app.start_trial(source["id"], *RECIPES[:2], factor=2))
    assert {entry["state"] for entry in made["entries"]} == {"done"}
    for entry in made["entries"]:
        tile = app.http.get(f"/api/pictures/{entry['picture_id']}/frames/0/tiles/0/0/0")
        assert tile.status_code == 200 and tile.content.startswith(b"\x89PNG")
    until(lambda: at_work(app).keys() == {"second"}, what="the silence of the worker that was killed")
    assert list((second.folder / "cache" / "kept").iterdir())
    app.start_worker()
    until(lambda: len(at_work(app)) == 2, what="the main worker's coming back")


@pytest.mark.parametrize("line", ["store", "database"])
def test_a_cut_while_takes_run_loses_nothing_and_doubles_nothing(
    app: Running, second: Machine, astronaut: np.ndarray, line: str
) -> None:
    left = {"store": 0, "database": 200}[line]  # another picture each time: what was made once is there
    source = app.read(f"{line}.png", as_png(astronaut[100:260, left : left + 200]))
    trials = kept_at_work(app, source["id"])
    cut = getattr(second, line)
    cut.cut()
    if line == "database":
        until(lambda: "second" not in at_work(app), what="the silence of the second machine")
    else:
        app.finished(trials[0])
    cut.mend()
    for trial in trials:
        assert {entry["state"] for entry in app.finished(trial)["entries"]} == {"done"}
    until(lambda: "second" in at_work(app), what="the second machine's coming back")
    assert counted(app, "select count(*) from takes where state <> 'done'") == 0
    assert (
        counted(app, "select count(*) from (select from scores group by take_key, measure having count(*) > 1) x")
        == 0
    )


def test_a_machine_that_is_killed_leaves_its_work_to_the_others(
    app: Running, second: Machine, astronaut: np.ndarray
) -> None:
    source = app.read("killed.png", as_png(astronaut[:160, 60:260]))
    trials = kept_at_work(app, source["id"])
    second.end(signal.SIGKILL)
    for trial in trials:
        assert {entry["state"] for entry in app.finished(trial)["entries"]} == {"done"}
    until(lambda: "second" not in at_work(app), what="its silence")
    second.start()
    until(lambda: "second" in at_work(app), what="its coming back")


def test_after_everything_is_removed_the_store_and_all_scratch_are_empty(
    app: Running, second: Machine, store: str
) -> None:
    assert objects_of(store)
    for trial in app.http.get("/api/trials").json()["items"]:
        assert app.http.delete(f"/api/trials/{trial['id']}").status_code == 204
    for source in app.http.get("/api/sources").json()["items"]:
        assert app.http.delete(f"/api/sources/{source['id']}").status_code == 204
    assert app.http.post("/api/storage/clear/bin").status_code == 202

    def empty() -> bool:
        app.http.post("/api/storage/clear/unneeded")
        return not objects_of(store)

    until(empty, what="the emptying of the store")
    for scratch in (
        second.folder / "cache" / "incoming",
        Path(app.environment["MISTLINE_DATA"]) / "cache" / "incoming",
    ):
        until(lambda scratch=scratch: not list(scratch.iterdir()), what=f"the emptying of {scratch}")


def refused(**environment: str) -> str:
    done = subprocess.run(
        [sys.executable, "-m", "mistline.cli", "worker"], cwd=ROOT, env={**os.environ, **environment},
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 1
    return " ".join(done.stdout.split())


def test_a_worker_that_cannot_join_says_why(app: Running, store: str, tmp_path: Path, cluster_url: str) -> None:
    here = {
        "MISTLINE_DATA": str(tmp_path / "data"),
        "MISTLINE_DATABASE_URL": app.environment["MISTLINE_DATABASE_URL"],
    }
    assert "set MISTLINE_DATABASE_URL and MISTLINE_MEDIA_URL" in refused(**here, MISTLINE_MEDIA_URL="")
    assert "no such bucket or folder" in refused(
        **here, MISTLINE_MEDIA_URL=store.replace("s3://mistline", "s3://nowhere")
    )
    here["MISTLINE_MEDIA_URL"] = store
    empty = {"MISTLINE_DATABASE_URL": fresh_database(cluster_url)}
    assert "not shaped by this version" in refused(**{**here, **empty})
    nowhere = {"MISTLINE_DATABASE_URL": "postgresql://nobody@127.0.0.1:9/none"}
    assert "The database does not answer" in refused(**{**here, **nowhere})


def test_a_worker_refuses_the_media_store_of_another_installation(
    app: Running, tmp_path: Path, astronaut: np.ndarray
) -> None:
    app.read("own.png", as_png(astronaut[:64, :64]))
    other = tmp_path / "other"
    other.mkdir()
    here = {
        "MISTLINE_DATABASE_URL": app.environment["MISTLINE_DATABASE_URL"],
        "MISTLINE_DATA": str(tmp_path / "data"),
    }
    assert "not the one that this database's pictures lie in" in refused(**here, MISTLINE_MEDIA_URL=other.as_uri())
