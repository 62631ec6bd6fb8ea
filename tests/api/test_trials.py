"""Trials over HTTP with a real queue, worker and database: run, cancel, fail, survive, decide."""

import contextlib
import csv
import fcntl
import hashlib
import io
import json
import threading
from pathlib import Path

import cv2
import httpx
import numpy as np
import psycopg
import pytest
from skimage.metrics import peak_signal_noise_ratio

from tests.conftest import as_png
from tests.harness import PATIENCE, Running, ended, jobs_of, until

RECIPES = ["Bilinear", "Bicubic", "Lanczos 3"]


@pytest.fixture(scope="module")
def codes(astronaut: np.ndarray) -> np.ndarray:
    return np.ascontiguousarray(astronaut[:256, 100:356])


@pytest.fixture(scope="module")
def source(app: Running, codes: np.ndarray) -> dict:
    return app.read("astronaut.png", as_png(codes))


@pytest.fixture(scope="module")
def slow_source(app: Running) -> dict:
    return app.read("noise.png", as_png(np.random.default_rng(0).integers(0, 256, (300, 300, 3), np.uint8)))


@pytest.fixture(scope="module")
def trial(app: Running, source: dict) -> dict:
    return app.finished(app.start_trial(source["id"], *RECIPES))


def _entry(trial: dict, letter: str) -> dict:
    return next(entry for entry in trial["entries"] if entry["letter"] == letter)


def test_a_plan_says_what_will_happen_in_numbers(app: Running, source: dict) -> None:
    body = {"source_id": source["id"], "setup": {"factor": 5}, "recipe_ids": app.recipe_ids(*RECIPES)}
    plan = app.http.post("/api/plans", json=body).json()
    assert plan["target"] == {"width": 255, "height": 255} and plan["cropped"] == [1, 1]
    assert plan["input"] == {"width": 51, "height": 51} and plan["share"] == pytest.approx(1 / 25)
    assert plan["takes"] == 5 and plan["repeats"] == 3

    def forecasts() -> list[dict] | None:
        now = app.http.post("/api/plans", json=body).json()["forecasts"]
        return now if all(known["seconds"] is not None for known in now) else None

    for known in until(forecasts, what="timing the crops"):
        assert 0 < known["seconds"] < 10 and known["basis"] in ("a timed crop", "earlier takes")


def test_a_truth_test_ranks_the_enlargers_as_everybody_knows(trial: dict) -> None:
    """Common practice on a photograph shrunk by area: nearest < bilinear < bicubic < Lanczos 3 in PSNR."""
    assert [entry["letter"] for entry in trial["entries"]] == ["A", "B", "C", "N", "T"]
    psnr = [_entry(trial, letter)["scores"]["psnr_luma"]["value"] for letter in "NABC"]
    assert psnr == sorted(psnr) and 20 < psnr[0] < psnr[-1] < 30
    assert _entry(trial, "C")["marks"]["psnr_luma"] == "best"
    assert trial["fronts"]["ssim"] and set(trial["fronts"]["ssim"]) <= set("ABC")


def test_the_truth_control_is_identical_after_write_and_read(trial: dict) -> None:
    control = _entry(trial, "T")
    assert control["control"] == "truth" and control["scores"]["psnr_rgb"]["value"] is None
    assert control["scores"]["ssim"]["value"] == pytest.approx(1) and control["scores"]["ciede2000"]["value"] == 0
    assert control["marks"] == {} == _entry(trial, "N")["marks"]


def test_the_timing_is_whole(trial: dict) -> None:
    entry = _entry(trial, "B")
    timing = entry["timing"]
    assert len(timing["process"]) == 3 and min(timing["process"]) <= timing["median"] <= max(timing["process"])
    assert timing["spread"] == pytest.approx(max(timing["process"]) - min(timing["process"]))
    for part in ("load", "warm_up", "write", "peak_bytes"):
        assert timing[part] > 0
    assert entry["machine"]["processor"] and entry["machine"]["cores"] >= 1


def test_the_take_is_written_losslessly_in_16_bits(app: Running, trial: dict, codes: np.ndarray) -> None:
    plate = app.http.get(f"/api/pictures/{_entry(trial, 'T')['picture_id']}/frames/0/plate").content
    written = cv2.imdecode(np.frombuffer(plate, np.uint8), cv2.IMREAD_UNCHANGED)[..., ::-1]
    assert written.dtype == np.uint16 and np.array_equal(written, codes.astype(np.uint16) * 257)


def test_the_same_recipe_again_is_there_at_once(app: Running, source: dict, trial: dict) -> None:
    again = app.trial(app.start_trial(source["id"], *RECIPES))
    assert [entry["state"] for entry in again["entries"]] == ["done"] * 5
    assert [entry["take_key"] for entry in again["entries"]] == [entry["take_key"] for entry in trial["entries"]]


def test_scores_go_out_as_csv_and_json(app: Running, trial: dict) -> None:
    answer = app.http.get(f"/api/trials/{trial['id']}/scores.csv")
    assert answer.headers["content-type"].startswith("text/csv")
    rows = {row["entry"]: row for row in csv.DictReader(io.StringIO(answer.text))}
    assert float(rows["A"]["SSIM (1)"]) == pytest.approx(_entry(trial, "A")["scores"]["ssim"]["value"])
    assert rows["T"]["PSNR, RGB (dB)"] == "inf" and rows["N"]["control"] == "nearest"
    assert app.http.get(f"/api/trials/{trial['id']}/scores.json").json()["entries"][0]["letter"] == "A"


def test_a_part_is_measured_by_itself(app: Running, trial: dict, codes: np.ndarray) -> None:
    """Within a region PSNR is that of the region alone; the truth stays the best there too."""
    url, region = f"/api/trials/{trial['id']}/regions", {"left": 90, "top": 60, "width": 130, "height": 140}
    entries = {entry["letter"]: entry for entry in app.http.post(url, json=region).json()}
    assert set(entries) == set("ABCNT") and entries["T"]["scores"]["psnr_rgb"]["value"] is None
    plate = app.http.get(f"/api/pictures/{_entry(trial, 'C')['picture_id']}/frames/0/plate").content
    written = cv2.imdecode(np.frombuffer(plate, np.uint8), cv2.IMREAD_UNCHANGED)[60:200, 90:220, ::-1]
    wanted = peak_signal_noise_ratio(codes[60:200, 90:220] / 255, written / 65535, data_range=1)
    assert entries["C"]["scores"]["psnr_rgb"]["value"] == pytest.approx(wanted, abs=1e-3)
    assert entries["C"]["scores"]["agreement"]["note"] == "needs the input"
    assert _entry(app.trial(trial["id"]), "C")["scores"] == _entry(trial, "C")["scores"]  # nothing is kept
    large = app.http.post(url, json={**region, "width": 20_000, "height": 20_000})
    assert large.status_code == 422 and "zoom in to 16 megapixels" in large.json()["detail"]
    outside = app.http.post(url, json={**region, "left": 250})
    assert outside.status_code == 422 and "does not lie inside the picture" in outside.json()["detail"]


def test_cancel_stops_the_work_at_once_and_retry_makes_it_whole(app: Running, slow_source: dict) -> None:
    key = app.start_trial(slow_source["id"], app.slow_recipe(), factor=1.5)

    def processing() -> dict | None:
        entry = _entry(app.trial(key), "A")
        return entry if entry["stage"].startswith("processing") else None

    entry = until(processing, what="processing")
    (child,) = jobs_of(app.worker.pid)
    assert app.http.post(f"/api/takes/{entry['take_key']}/cancel").json() == {"count": 1}
    assert _entry(app.trial(key), "A")["state"] == "cancelled"
    until(lambda: ended(child), what="the child's end")
    assert app.http.post(f"/api/takes/{entry['take_key']}/cancel").json() == {"count": 0}
    assert app.http.post(f"/api/takes/{entry['take_key']}/retry").status_code == 202
    assert _entry(app.finished(key), "A")["state"] == "done"
    again = app.http.post(f"/api/takes/{entry['take_key']}/retry")
    assert again.status_code == 409 and "nothing to retry" in again.json()["detail"]


def test_a_killed_worker_loses_nothing(app: Running, slow_source: dict) -> None:
    key = app.start_trial(slow_source["id"], app.slow_recipe(), "Bicubic", factor=1.4)
    until(lambda: _entry(app.trial(key), "B")["stage"].startswith("processing"), what="processing")
    children = jobs_of(app.worker.pid)
    for child in children:
        child.suspend()  # as in a long step, it will not notice by itself that nobody listens
    scratch = set((app.media / "incoming").iterdir())
    assert scratch
    app.kill_worker()
    until(lambda: all(ended(child) for child in children), what="the children's end")
    with Path(app.environment["MISTLINE_TIMING_LANE"]).open() as lane:
        fcntl.flock(lane, fcntl.LOCK_EX | fcntl.LOCK_NB)
    app.start_worker()
    until(lambda: not scratch & set((app.media / "incoming").iterdir()), what="the sweep of its scratch")
    trial = app.finished(key)
    assert [entry["state"] for entry in trial["entries"]] == ["done"] * 4
    scores = app.http.get("/api/queue").json()
    assert scores["items"] == []
    folders = [path.name for path in (app.media / "pictures").glob("*/*")]
    assert len(folders) == len(set(folders)) and trial["entries"][0]["picture_id"] in folders


def test_events_tell_of_every_change(app: Running, source: dict) -> None:
    heard: list[dict] = []

    def listen() -> None:
        with (
            contextlib.suppress(httpx.HTTPError),
            httpx.stream("GET", f"{app.address}/api/events", timeout=PATIENCE) as stream,
        ):
            for line in stream.iter_lines():
                if line.startswith("data: "):
                    heard.append(json.loads(line[6:]))

    threading.Thread(target=listen, daemon=True).start()
    until(lambda: heard, what="the first event")
    trial = app.finished(app.start_trial(source["id"], "Bilinear", factor=2))
    until(lambda: any(event["table"] == "takes" for event in heard), what="an event of a take")
    keys = {event["key"] for event in heard if event["table"] == "takes"}
    assert {entry["take_key"] for entry in trial["entries"]} <= keys
    # Every answer tells how many changes had been announced when it was asked for.
    counts = [int(app.http.get("/api/kinds").headers["Mistline-Heard"]) for _ in range(2)]
    assert counts[0] <= counts[1] and counts[0] >= heard[0]["heard"] + len(keys)


def test_a_broken_media_store_fails_in_words(app: Running, astronaut: np.ndarray) -> None:
    content = as_png(astronaut[:128, :128])
    source = app.read("lost.png", content)
    (app.media / "pictures" / source["picture_id"][:2] / source["picture_id"] / "shards/000000.zip").unlink()
    name = hashlib.sha256(content).hexdigest()
    (app.media / "originals" / name[:2] / name).unlink()
    key = app.start_trial(source["id"], "Bicubic", factor=2)
    entry = _entry(app.finished(key), "A")
    assert entry["state"] == "failed" and "media store" in entry["error"]
    assert app.upload("lost.png", content)["id"] == source["id"]
    for entry in app.trial(key)["entries"]:
        app.http.post(f"/api/takes/{entry['take_key']}/retry")
    assert [entry["state"] for entry in app.finished(key)["entries"]] == ["done"] * 3


@pytest.mark.parametrize(
    ("change", "part"),
    [
        ({"setup": {"factor": 0.5}}, "greater than or equal to 1"),
        ({"setup": {"factor": 2.71828}}, "round it to three"),
        ({"setup": {"factor": 40}}, "less than or equal to 16"),
        ({"setup": {"factor": 4, "kernel": "guess"}}, "kernel"),
        ({"setup": {"factor": 4, "jpeg": 0}}, "jpeg"),
        ({"setup": {"factor": 1}}, "truth itself"),
        ({"recipe_ids": []}, "Choose 1 to 24 recipes"),
    ],
)
def test_a_wrong_set_up_is_refused_in_words(app: Running, source: dict, change: dict, part: str) -> None:
    body = {
        "source_id": source["id"],
        "setup": {"factor": 4},
        "recipe_ids": app.recipe_ids("Bicubic"),
        **change,
    }
    answer = app.http.post("/api/trials", json=body)
    assert answer.status_code == 422 and part in answer.json()["detail"]


def test_a_verdict_is_kept_with_its_history_and_shown_in_the_playbook(app: Running, trial: dict) -> None:
    url = f"/api/trials/{trial['id']}/verdicts"
    first = {"kind": "faces", "pick": "A", "fallback": None, "reasons": "Soft, but no rims."}
    second = {"kind": "faces", "pick": "C", "fallback": "B", "reasons": "Eyes came out right.", "author": "Rook"}
    assert app.http.post(url, json=first).status_code == 201
    assert [v["pick"] for v in app.http.post(url, json=second).json()["verdicts"]] == ["C", "A"]
    assert app.http.post(url, json={**first, "pick": "Z"}).status_code == 404
    assert app.http.post(url, json={**first, "pick": "T"}).status_code == 404
    kinds = {kind["kind"]: kind["standing"] for kind in app.http.get("/api/playbook").json()}
    assert len(kinds) == 10 and kinds["night"] is None
    standing = kinds["faces"]
    assert (standing["pick_name"], standing["fallback_name"]) == ("Lanczos 3", "Bicubic")
    assert standing["trial_id"] == trial["id"] and standing["pick_seconds"] > 0
    assert standing["author"] == "Rook"
    assert [v["author"] for v in app.trial(trial["id"])["verdicts"]] == ["Rook", ""]


def test_earlier_verdicts_of_a_kind_are_read_in_pages(app: Running, trial: dict) -> None:
    """The newest stands; those before it come in their order, each once, and a trial's own earlier ones not at all."""
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        connection.execute(
            """with made as (
                insert into trials (name, source_id, setup, plate_key)
                select 'paged ' || n, source_id, setup, plate_key from trials, generate_series(1, 45) n
                where id = %(id)s returning id),
            entered as (
                insert into entries (trial_id, letter, position, name, take_key)
                select m.id, e.letter, e.position, e.name, e.take_key from made m, entries e
                where e.trial_id = %(id)s and e.letter = 'A' returning trial_id)
            insert into verdicts (trial_id, kind, pick, reasons)
            select trial_id, 'wrap', 'A', 'take ' || n from entered, generate_series(1, 2) n""",
            {"id": trial["id"]},
        )
    [kind] = [kind for kind in app.http.get("/api/playbook").json() if kind["kind"] == "wrap"]
    seen, more = [kind["standing"]["id"]], kind["earlier"]
    assert more == 44
    while more:
        page = app.http.get("/api/playbook/wrap", params={"before": seen[-1]}).json()
        seen += [verdict["id"] for verdict in page["verdicts"]]
        assert {verdict["reasons"] for verdict in page["verdicts"]} == {"take 2"}
        more = page["more"]
    assert len(seen) == len(set(seen)) == 45 and seen == sorted(seen, reverse=True)
    assert app.http.get("/api/playbook/none", params={"before": 5}).json() == {"verdicts": [], "more": 0}


def test_the_playbook_shows_a_choice_whose_take_is_still_being_made(app: Running, source: dict) -> None:
    """As in the first minutes of the demo."""
    app.kill_worker()
    key = app.start_trial(source["id"], "Bicubic", "Bilinear", factor=2.6)
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        connection.execute(
            "insert into verdicts (trial_id, kind, pick, fallback, reasons) values (%s, 'night', 'A', 'B', 'Early.')", [key]
        )  # fmt: skip
    answer = app.http.get("/api/playbook")
    app.start_worker()
    assert answer.status_code == 200
    early = next(kind["standing"] for kind in answer.json() if kind["kind"] == "night")
    assert early["pick"] == "A"
    assert (early["pick_seconds"], early["fallback_seconds"], early["pick_figures"]) == (None, None, [])


def test_a_source_in_use_is_not_removed_and_a_removed_trial_is_gone(app: Running, source: dict) -> None:
    refused = app.http.delete(f"/api/sources/{source['id']}")
    assert refused.status_code == 409 and "trials" in refused.json()["detail"]
    key = app.start_trial(source["id"], "Bicubic")
    assert app.http.delete(f"/api/trials/{key}").status_code == 204
    assert app.http.get(f"/api/trials/{key}").status_code == 404


def test_damage_of_clips_is_refused_for_a_still(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("still.png", as_png(astronaut[:64, :80]))
    for damage in ({"hold": True}, {"fields": "upper first"}, {"flicker": 5}, {"h264": 30}):
        body = {
            "source_id": source["id"],
            "setup": {"factor": 2, **damage},
            "recipe_ids": app.recipe_ids("Bicubic"),
        }
        for address in ("/api/plans", "/api/trials"):
            answer = app.http.post(address, json=body)
            assert answer.status_code == 422 and "switch them off for a still" in answer.json()["detail"]


def test_a_network_says_how_it_comes_to_a_factor_that_is_not_its_own(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("three.png", as_png(astronaut[:120, :120]))
    body = {
        "source_id": source["id"],
        "setup": {"factor": 3},
        "recipe_ids": app.recipe_ids("Faithful network", "Bicubic"),
    }
    planned = app.http.post("/api/plans", json=body).json()["forecasts"]
    assert sorted(one["way"] for one in planned) == [
        "", "Faithful network, 2x: run 2 times to 4x, then down to 3x by Lanczos",
    ]  # fmt: skip
    trial = app.finished(app.http.post("/api/trials", json=body).json()["id"])
    words = {entry["name"]: entry["words"] for entry in trial["entries"]}
    assert "then down to 3x by Lanczos" in words["Faithful network"] and words["Bicubic"] == "Bicubic"
