"""Figures for those who watch over an installation, read by the format's own parser."""

import json
from pathlib import Path

import numpy as np
from prometheus_client.parser import text_string_to_metric_families

from tests.conftest import as_png
from tests.harness import Running, until


def figures(app: Running) -> dict[tuple[str, tuple[str, ...]], float]:
    """Every sample by its name and the values of its labels."""
    answer = app.http.get("/api/metrics")
    assert answer.headers["content-type"].startswith("text/plain; version=")
    return {
        (sample.name, tuple(sample.labels.values())): sample.value
        for family in text_string_to_metric_families(answer.text) for sample in family.samples
    }  # fmt: skip


def test_takes_lanes_space_and_times_are_told(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("watched.png", as_png(astronaut[:100, :120]))
    trial = app.finished(app.start_trial(source["id"], "Bilinear", factor=2))
    until(lambda: figures(app)["mistline_worker_lanes", ()] == 5, what="the worker being heard of")
    found = figures(app)
    assert found["mistline_takes", ("done",)] == len(trial["entries"])
    assert found["mistline_media_free_bytes", ()] > 0
    timed = ("GET", "/trials/{trial_id}", "2xx")
    before = found["mistline_request_seconds_count", timed]
    app.trial(trial["id"])
    app.http.get("/api/trials/00000000-0000-0000-0000-000000000000")
    after = figures(app)
    assert after["mistline_request_seconds_count", timed] == before + 1
    assert after["mistline_request_seconds_count", ("GET", "/trials/{trial_id}", "4xx")] == 1
    assert 0 < found["mistline_request_seconds_sum", timed] < after["mistline_request_seconds_sum", timed]


def test_jobs_that_run_are_told_and_a_dead_worker_is_missed(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("slow.png", as_png(astronaut[:200, :200]))
    app.start_trial(source["id"], app.slow_recipe(), factor=2)
    until(lambda: figures(app).get(("mistline_jobs", ("takes", "doing"))) == 1, what="a take at work")
    app.kill_worker()
    until(lambda: figures(app)["mistline_worker_lanes", ()] == 0, what="the worker being missed")
    app.start_worker()
    until(lambda: figures(app)["mistline_worker_lanes", ()] == 5, what="the worker's return")


def test_every_request_is_in_the_log_with_its_time(app: Running) -> None:
    app.http.get("/api/kinds")
    path = Path(app.environment["MISTLINE_DATA"]) / "logs" / "web.log"
    asked = [json.loads(line) for line in path.read_text().splitlines()]
    mine = [line for line in asked if line.get("path") == "/api/kinds"]
    assert mine and all(line["status"] == 200 and line["seconds"] >= 0 for line in mine)
