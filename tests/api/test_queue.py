"""The queue under use: many at once, the dock's figures, one take for two trials, lost announcements."""

import threading

import numpy as np
import psycopg
import pytest

from tests.conftest import as_png
from tests.harness import Running, until


@pytest.fixture(scope="module")
def source(app: Running, astronaut: np.ndarray) -> dict:
    return app.read("queue.png", as_png(astronaut[100:400, 100:400]))


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
    assert app.http.get("/api/queue").json() == {"items": [], "seconds_left": 0}


def test_a_trial_removed_while_it_runs_leaves_an_empty_queue(app: Running, source: dict) -> None:
    key = app.start_trial(source["id"], "Denoised, Lanczos 3", "Bicubic", factor=1.7)
    assert app.http.delete(f"/api/trials/{key}").status_code == 204
    until(lambda: app.http.get("/api/queue").json()["items"] == [], what="an empty queue")
    again = app.finished(app.start_trial(source["id"], "Bicubic", factor=1.7))
    assert {entry["state"] for entry in again["entries"]} <= {"done", "cancelled"}


def test_what_lost_its_job_gets_a_new_one(app: Running, source: dict) -> None:
    """As after a crash between writing the take and queueing its job."""
    app.kill_worker()
    key = app.start_trial(source["id"], "Bilinear", factor=1.9)
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        connection.execute(
            "update takes set created_at = now() - interval '1 minute', job_id = null where state = 'waiting'"
        )
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
