"""The queue under use: many at once, the dock's figures, one take for two trials, lost announcements."""

import fcntl
import threading
import time
from pathlib import Path

import numpy as np
import psycopg
import pytest

from tests.conftest import as_png
from tests.harness import Running, until


@pytest.fixture(scope="module")
def source(app: Running, astronaut: np.ndarray) -> dict:
    return app.read("queue.png", as_png(astronaut[100:260, 160:320]))


def test_two_trials_at_the_same_moment_share_their_takes(app: Running, source: dict) -> None:
    made: list[str] = []

    def start() -> None:
        made.append(app.start_trial(source["id"], "Bilinear", "Bicubic", factor=3))

    threads = [threading.Thread(target=start) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    trials = [app.finished(key) for key in made]
    keys = {tuple(entry["take_key"] for entry in trial["entries"]) for trial in trials}
    assert len(keys) == 1 and all(entry["state"] == "done" for trial in trials for entry in trial["entries"])
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        row = connection.execute(
            "select count(*) from takes where key = any(%s)", [list(next(iter(keys)))]
        ).fetchone()
        scores = connection.execute(
            "select max(n) from (select count(*) n from scores group by take_key, measure) s"
        )
        assert row == (4,) and scores.fetchone() == (1,)


def test_the_dock_counts_down(app: Running, source: dict) -> None:
    key = app.start_trial(source["id"], "Bilinear", "Bicubic", "Lanczos 3", "Denoised, Lanczos 3", factor=2.5)
    first = app.http.get("/api/queue").json()
    assert {item["trial_id"] for item in first["items"]} == {key} and len(first["items"]) >= 4
    assert [item["state"] for item in first["items"]] == sorted(item["state"] for item in first["items"])
    assert {"letter", "entry_name", "stage", "progress"} <= set(first["items"][0])
    until(lambda: app.http.get("/api/queue").json()["seconds_left"] is not None, what="a time left")
    app.finished(key)
    told = app.http.get("/api/queue").json()
    assert told == {"items": [], "number": 0, "seconds_left": 0, "failed": 0, "low_disk": told["low_disk"]}


def test_a_trial_removed_while_it_runs_leaves_an_empty_queue(app: Running, source: dict) -> None:
    key = app.start_trial(source["id"], "Denoised, Lanczos 3", "Bicubic", factor=1.7)
    assert app.http.delete(f"/api/trials/{key}").status_code == 204
    until(lambda: app.http.get("/api/queue").json()["items"] == [], what="an empty queue")
    again = app.finished(app.start_trial(source["id"], "Bicubic", factor=1.7))
    assert {entry["state"] for entry in again["entries"]} == {"done"}


def test_removing_a_trial_leaves_what_another_one_wants(app: Running, source: dict) -> None:
    first = app.start_trial(source["id"], "Denoised, Lanczos 3", "Bicubic", factor=1.6)
    second = app.start_trial(source["id"], "Denoised, Lanczos 3", factor=1.6)
    assert app.http.delete(f"/api/trials/{first}").status_code == 204
    assert {entry["state"] for entry in app.finished(second)["entries"]} == {"done"}


def test_a_source_can_be_removed_once_its_trials_are(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("short-lived.png", as_png(astronaut[:100, :111]))
    key = app.start_trial(source["id"], "Bicubic", factor=2)
    app.finished(key)
    url = f"/api/sources/{source['id']}"
    assert app.http.delete(url).status_code == 409
    assert app.http.delete(f"/api/trials/{key}").status_code == 204
    assert app.http.delete(url).status_code == 204 and app.http.get(url).status_code == 404


def test_imports_and_forecasts_never_wait_behind_a_timed_run(app: Running, astronaut: np.ndarray) -> None:
    """The lane is held for the whole test, as by an endless run."""
    busy = app.read("busy.png", as_png(astronaut[:130, :140]))
    with Path(app.environment["MISTLINE_TIMING_LANE"]).open("a") as lane:
        fcntl.flock(lane, fcntl.LOCK_EX)
        key = app.start_trial(busy["id"], "Bicubic", factor=2)
        late = app.read("late.png", as_png(astronaut[:99, :98]))
        passes = [{"method": "bicubic"}, {"method": "grain"}]
        new = app.http.post("/api/recipes", json={"name": "Never run", "passes": passes}).json()["id"]
        body = {"source_id": late["id"], "setup": {"factor": 2}, "recipe_ids": [new]}

        def known() -> bool:
            return app.http.post("/api/plans", json=body).json()["forecasts"][0]["seconds"] is not None

        until(known, what="a forecast beside the lane")
        stages = [entry["stage"] for entry in app.trial(key)["entries"]]
        assert "waiting for the timing lane" in stages
    app.finished(key)


def test_small_before_large_and_nobody_starves(app: Running, source: dict, astronaut: np.ndarray) -> None:
    large = app.read("large.png", as_png(astronaut[:, :360]))
    app.kill_worker()
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        connection.execute("update speeds set seconds_per_megapixel = 60")  # so that no slow request outweighs it
    first = app.start_trial(large["id"], "Bicubic", factor=2)
    second = app.start_trial(source["id"], "Bicubic", factor=1.25)
    items = app.http.get("/api/queue").json()["items"]
    order = [item["trial_id"] for item in items if item["trial_id"] in (first, second)]  # another's may still run
    assert order[-4:] == [second, second, first, first]  # their takes that were timed before
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        rows = connection.execute(
            "select j.priority from procrastinate_jobs j join take_shards h on h.job_id = j.id "
            "join entries e on e.take_key = h.take_key where e.trial_id = %s", [first]
        ).fetchall()  # fmt: skip
    # What arrives later than this stands behind even the largest of them: nobody waits for ever.
    assert all(-priority - time.time() < 600 for (priority,) in rows)
    app.start_worker()
    assert all(entry["state"] == "done" for key in (first, second) for entry in app.finished(key)["entries"])


def test_everything_that_failed_runs_again_by_one_press(app: Running, source: dict) -> None:
    trials = [app.finished(app.start_trial(source["id"], "Bicubic", factor=factor)) for factor in (2.75, 3.25)]
    keys = [entry["take_key"] for trial in trials for entry in trial["entries"]]
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        connection.execute("update takes set state = 'failed', error = 'for a test' where key = any(%s)", [keys])
    assert app.http.get("/api/queue").json()["failed"] == len(keys)
    assert app.http.post("/api/queue/retry").json() == {"count": len(keys)}
    for trial in trials:
        assert {entry["state"] for entry in app.finished(trial["id"])["entries"]} == {"done"}
    assert app.http.get("/api/queue").json()["failed"] == 0


def test_what_lost_its_job_gets_a_new_one(app: Running, source: dict) -> None:
    """As after a crash between writing the take and queueing its job."""
    app.kill_worker()
    key = app.start_trial(source["id"], "Bilinear", factor=1.9)
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        connection.execute("update takes set created_at = now() - interval '1 minute' where state = 'waiting'")
        connection.execute("update take_shards set job_id = null where state = 'waiting'")
        connection.execute("delete from procrastinate_jobs where status = 'todo'")
    app.start_worker()
    assert [entry["state"] for entry in app.finished(key)["entries"]] == ["done"] * 3


def test_a_list_of_many_trials_is_read_in_pages(app: Running, source: dict) -> None:
    for _ in range(7):
        app.start_trial(source["id"], "Bilinear", "Bicubic", factor=3)
    seen, cursor = [], None
    while True:
        page = app.http.get("/api/trials", params={"limit": 4, **({"cursor": cursor} if cursor else {})}).json()
        seen += [trial["id"] for trial in page["items"]]
        cursor = page["next_cursor"]
        if cursor is None:
            break
    assert len(seen) == len(set(seen)) >= 11
    assert all(trial["takes"] == trial["done"] + trial["ended"] for trial in page["items"])


def test_every_operation_of_the_api_is_described(app: Running) -> None:
    document = app.http.get("/api/openapi.json").json()
    operations = [op for path in document["paths"].values() for op in path.values()]
    assert len(operations) > 25
    for operation in operations:
        assert operation["operationId"] and operation.get("description")
        assert operation["responses"]["default"]["content"]["application/problem+json"]["schema"]["$ref"].endswith(
            "/Problem"
        )


def test_a_removed_trial_comes_back_with_what_was_cancelled(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("comes back.png", as_png(astronaut[100:300, 40:290]))
    app.kill_worker()
    kept = app.start_trial(source["id"], "Bicubic", factor=2)
    gone = app.start_trial(source["id"], "Bicubic", "Bilinear", factor=2)  # one more take than the other
    assert app.http.delete(f"/api/trials/{gone}").status_code == 204
    names = {trial["id"] for trial in app.http.get("/api/trials").json()["items"]}
    assert kept in names and gone not in names
    assert {item["trial_id"] for item in app.http.get("/api/queue").json()["items"]} == {kept}
    assert app.http.post(f"/api/trials/{gone}/restore").status_code == 204
    assert app.http.post(f"/api/trials/{gone}/restore").status_code == 404  # it is back already
    app.start_worker()
    assert {entry["state"] for entry in app.finished(gone)["entries"]} == {"done"}
    for key in (kept, gone):
        assert app.http.delete(f"/api/trials/{key}").status_code == 204
    assert app.http.delete(f"/api/sources/{source['id']}").status_code == 204
    refused = app.http.post(f"/api/trials/{kept}/restore")
    assert refused.status_code == 404 and "not on the Shelf" in refused.json()["detail"]
    again = app.http.post("/api/sources", files={"file": ("other.png", as_png(astronaut[100:300, 40:290]))}).json()
    assert (
        again["source"]["id"] == source["id"] and again["source"]["state"] == "ready"
    )  # the same content comes back
    assert app.http.post(f"/api/trials/{kept}/restore").status_code == 204
    assert app.trial(kept)["entries"][0]["state"] == "done"


def test_what_waits_is_brought_forward_or_back(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("moved.png", as_png(astronaut[20:220, 140:390]))
    app.kill_worker()
    trial = app.start_trial(source["id"], "Bilinear", "Bicubic", "Lanczos 3", factor=2)

    def order() -> list[str]:
        return [i["key"] for i in app.http.get("/api/queue").json()["items"] if i["trial_id"] == trial]

    def move(key: str, before: str | None) -> int:
        return app.http.post(f"/api/takes/{key}/move", json={"before": before}).status_code

    expected = order()
    for key, before in ((4, 0), (2, 4), (0, None), (1, 3), (3, 2)):
        moved, ahead = expected[key], None if before is None else expected[before]
        assert move(moved, ahead) == 204
        expected.remove(moved)
        expected.insert(len(expected) if ahead is None else expected.index(ahead), moved)
        assert order() == expected
    assert move(expected[0], "no such take") == 409
    app.start_worker()
    app.finished(trial)
    assert move(expected[0], None) == 409
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        rows = connection.execute("select key from takes where key = any(%s) order by started_at", [expected])
        assert [row[0] for row in rows] == expected
