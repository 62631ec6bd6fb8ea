"""Requests that nobody thought of: generated from the API's description, judged by all of schemathesis' checks."""

import subprocess
import sys
from pathlib import Path

import numpy as np

from mistline.api.guard import HEADERS
from tests.conftest import as_png
from tests.harness import PATIENCE, Running

CONFIG = Path(__file__).with_name("schemathesis.toml")


def test_every_answer_carries_the_safety_headers(app: Running) -> None:
    """Also refusals of the server's own, of unknown addresses, of methods and of what is not a request of ours."""
    asked = [("GET", "/api/kinds"), ("GET", "/api/nothing"), ("PUT", "/api/kinds"), ("GET", "/nowhere"), ("POST", "/api/plans"),
             ("GET", "/api/pictures/%00"), ("GET", "/api/sources?cursor=MXwy"), ("GET", "/api/takes/x/cancel")]  # fmt: skip
    for method, path in asked:
        answer = app.http.request(method, path)
        assert answer.status_code < 500, path
        assert {name: answer.headers.get(name) for name in HEADERS} == HEADERS, path


def test_a_method_that_is_not_possible_is_told_the_possible_ones(app: Running) -> None:
    answer = app.http.request("PUT", "/api/sources/5d1d6a60-0000-4000-8000-000000000000")
    assert answer.status_code == 405 and answer.headers["allow"] == "DELETE, GET, PATCH"
    assert "DELETE, GET, PATCH" in answer.json()["detail"]


def test_characters_and_numbers_that_cannot_be_stored_are_refused(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("odd.png", as_png(astronaut[:90, :95]))
    url = f"/api/sources/{source['id']}"
    for story in (r"nul \u0000", r"lone \ud800"):
        answer = app.http.patch(
            url, content=f'{{"story": "{story}"}}', headers={"content-type": "application/json"}
        )
        assert answer.status_code == 422 and len(answer.json()["detail"]) > 20
    huge = app.http.post(
        "/api/trials", json={"source_id": source["id"], "recipe_ids": [], "setup": {"seed": 10**40}}
    )
    assert huge.status_code == 422
    assert app.http.post("/api/takes/%00/cancel").status_code == 422


def test_a_request_without_end_is_cut_off(app: Running) -> None:
    answer = app.http.post("/api/plans", content=b" " * 1_100_000)
    assert answer.status_code == 413 and "1 MB" in answer.json()["detail"]


def test_names_keep_their_letters_and_tables_hold_no_formulas(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("=Straße, 電車.png", as_png(astronaut[:96, :99]))
    header = app.http.get(f"/api/sources/{source['id']}/original").headers["content-disposition"]
    assert header.endswith("filename*=UTF-8''%3DStra%C3%9Fe%2C%20%E9%9B%BB%E8%BB%8A.png")
    recipe = {"name": "=HYPERLINK(1)", "passes": [{"method": "bicubic"}, {"method": "grain"}]}
    assert app.http.post("/api/recipes", json=recipe).status_code == 201
    table = app.http.get(f"/api/trials/{app.start_trial(source['id'], '=HYPERLINK(1)', factor=2)}/scores.csv")
    assert ",'=HYPERLINK(1)," in table.text and ",=HYPERLINK" not in table.text


def test_the_same_set_up_shares_its_takes_however_it_is_written(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("same.png", as_png(astronaut[:97, :99]))
    ways = [{"factor": 2}, {"factor": 2.0, "seed": 9, "noise": 0}, {"factor": 2, "blur": -0.0, "jpeg": None}]
    keys = set()
    for setup in ways:
        body = {"source_id": source["id"], "setup": setup, "recipe_ids": app.recipe_ids("Bicubic")}
        trial = app.trial(app.http.post("/api/trials", json=body).json()["id"])
        keys.add(tuple(entry["take_key"] for entry in trial["entries"]))
    assert len(keys) == 1


def test_no_generated_request_breaks_the_api(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("generated.png", as_png(astronaut[:120, :160]))
    app.finished(app.start_trial(source["id"], "Bicubic", factor=2))
    app.kill_worker()  # the jobs that are asked for would be carried out beside
    run = subprocess.run(
        [sys.executable, "-m", "schemathesis.cli", "--config-file", CONFIG, "run", f"{app.address}/api/openapi.json",
         "--phases", "examples,coverage,fuzzing", "--max-examples", "5", "--exclude-path", "/api/events",
         "--seed", "7", "--request-timeout", str(PATIENCE), "--no-color"],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert run.returncode == 0, run.stdout[-6000:] + run.stderr[-2000:]
