"""A trial without a truth over HTTP: a still and a clip, scores, parts, spots that are those of the source, maps."""

import io
import zipfile

import cv2
import numpy as np
import pytest
from skimage import data

from tests.api.test_looking import codes
from tests.conftest import as_png
from tests.core.media.clips import number_of, write_clip
from tests.harness import Running

SIZE = (151, 203)
PLACE = {"left": 41, "top": 61, "width": 160, "height": 150, "frame": 0}


@pytest.fixture(scope="module")
def source(app: Running) -> dict:
    return app.read("small.png", as_png(data.coffee()[40 : 40 + SIZE[0], 100 : 100 + SIZE[1]]))


@pytest.fixture(scope="module")
def trial(app: Running, source: dict) -> dict:
    return app.finished(app.start_trial(source["id"], "Bilinear", "Lanczos 3", factor=2, test="no truth"))


def entry(trial: dict, letter: str) -> dict:
    return next(entry for entry in trial["entries"] if entry["letter"] == letter)


def test_the_source_is_the_input_and_nothing_is_the_truth(app: Running, source: dict, trial: dict) -> None:
    assert trial["input_picture"] == source["picture_id"] and trial["truth_picture"] is None
    assert not trial["has_truth"] and trial["words"] == "no truth, 2x larger"
    assert trial["plan"]["target"] == {"width": 406, "height": 302} and trial["plan"]["takes"] == 3
    assert [(e["letter"], e["control"], e["state"]) for e in trial["entries"]] == [
        ("A", None, "done"), ("B", None, "done"), ("N", "nearest", "done"),
    ]  # fmt: skip
    result = codes(app, entry(trial, "A")["picture_id"])
    wanted = cv2.resize(
        codes(app, source["picture_id"]).astype(np.float32), (406, 302), interpolation=cv2.INTER_LINEAR
    )
    assert np.abs(result / 257 - wanted).max() < 0.51


def test_what_needs_a_truth_is_left_away(trial: dict) -> None:
    measures = {measure["id"]: measure for measure in trial["measures"]}
    assert set(measures) == set(entry(trial, "A")["scores"]) - {"shimmer"}  # of clips
    assert {"agreement", "halo", "detail_beyond", "ciede2000_soft"} <= set(measures)
    assert not {"ssim", "psnr_luma", "detail_kept", "lettering", "shimmer"} & set(measures)
    assert measures["noise_left"]["better"] == "" and measures["agreement"]["heading"] == "close to the input"
    assert trial["lead"] == "agreement" and set(trial["fronts"]["agreement"]) <= set("AB")
    for one in trial["entries"]:
        assert not {"noise_left", "edge_width", "detail_beyond"} & set(one["marks"])
    assert entry(trial, "B")["marks"]["agreement"] == "best"  # Lanczos keeps more of the input than bilinear
    sentence = entry(trial, "B")["sentence"]
    assert sentence and not any(word in sentence for word in ("truth", "invented", "kept"))


def test_a_part_and_a_spot_are_measured_beside_the_input(app: Running, source: dict, trial: dict) -> None:
    found = app.http.post(f"/api/trials/{trial['id']}/regions", json=PLACE).json()
    assert [each["letter"] for each in found] == ["A", "B", "N"]
    assert found[0]["scores"]["halo"]["value"] == pytest.approx(0, abs=0.05)  # bilinear has the rims of the input
    assert found[0]["scores"]["registration"]["value"] < 0.02 and "ssim" not in found[0]["scores"]
    spot = app.http.post(f"/api/trials/{trial['id']}/spots", json={"name": "Cup", **PLACE}).json()
    # It belongs to the source, so it grows to whole pixels of it.
    assert [spot[key] for key in ("left", "top", "width", "height")] == [40, 60, 162, 152]
    truth_test = app.finished(app.start_trial(source["id"], "Bilinear", factor=2))
    (there,) = app.http.get(f"/api/trials/{truth_test['id']}/spots").json()
    assert [there[key] for key in ("left", "top", "width", "height")] == [20, 30, 81, 76]
    scores = app.http.post(f"/api/trials/{trial['id']}/spots/{spot['id']}/scores").json()
    assert scores[1]["scores"]["edge_width"]["value"] is not None or scores[1]["scores"]["edge_width"]["note"]


def test_looking_needs_no_truth(app: Running, trial: dict) -> None:
    here = f"/api/trials/{trial['id']}"
    pixels = app.http.post(f"{here}/pixels", json={"x": 101, "y": 57, "frame": 0}).json()
    assert set(pixels) == {"input", "A", "B", "N"} and pixels["A"]["from_truth"] is None
    assert pixels["input"]["codes"] == codes(app, trial["input_picture"])[28, 50].tolist()
    names = [spot["name"] for spot in app.http.post(f"{here}/spots/suggested").json()]
    assert {"Flat area", "Entries disagree"} <= set(names) and "Hardest place" not in names
    archive = zipfile.ZipFile(io.BytesIO(app.http.get(f"{here}/crops.zip", params=PLACE).content))
    assert sorted(name[0] for name in archive.namelist()) == ["A", "B", "N", "i"]
    kinds = {kind["id"] for kind in app.http.get("/api/maps?has_truth=false").json()}
    assert kinds < {kind["id"] for kind in app.http.get("/api/maps").json()} and "rims" in kinds
    made = app.http.post(f"{here}/entries/B/maps/rims")
    assert made.status_code == 200 and made.json()["value"] > 0
    refused = app.http.post(f"{here}/entries/B/maps/lost")
    assert refused.status_code == 422 and "without a truth" in refused.json()["detail"]


def test_it_is_decided_as_any_other(app: Running, trial: dict) -> None:
    verdict = {"kind": "archive", "pick": "B", "reasons": "Crisper, and nothing moved."}
    assert app.http.post(f"/api/trials/{trial['id']}/verdicts", json=verdict).status_code == 201
    (kind,) = [kind for kind in app.http.get("/api/playbook").json() if kind["kind"] == "archive"]
    standing = kind["standing"]
    assert standing["setup_words"] == "no truth, 2x larger" and standing["pick_recipe_id"]
    assert any(figure.startswith("Agreement with the input") for figure in standing["pick_figures"])
    table = app.http.get(f"/api/trials/{trial['id']}/scores.csv").text
    assert "Agreement with the input (dB)" in table and "SSIM" not in table


def test_plans_and_previews_say_what_there_is(app: Running, source: dict) -> None:
    body = {"source_id": source["id"], "setup": {"test": "no truth", "factor": 1}, "recipe_ids": []}
    plan = app.http.post("/api/plans", json=body).json()
    assert plan["target"] == plan["input"] == {"width": SIZE[1], "height": SIZE[0]} and plan["takes"] == 1
    refused = app.http.post("/api/previews", json={key: body[key] for key in ("source_id", "setup")})
    assert refused.status_code == 422 and "the input is the source itself" in refused.json()["detail"]
    plain = app.http.post("/api/plans", json={**body, "setup": {"factor": 1}})
    assert plain.status_code == 422 and "would be the truth itself" in plain.json()["detail"]
    huge = app.http.post("/api/trials", json={**body, "setup": {"test": "no truth", "factor": 17}})
    assert huge.status_code == 422


def test_a_frame_of_another_shape_is_filled_from_a_crop(app: Running, source: dict) -> None:
    setup = {"test": "no truth", "target": {"kind": "frame", "width": 400, "height": 400, "fit": "fill"}}
    body = {"source_id": source["id"], "setup": setup, "recipe_ids": app.recipe_ids("Bilinear")}
    plan = app.http.post("/api/plans", json=body).json()
    assert plan["source"] == {"width": SIZE[1], "height": SIZE[0]} and plan["cropped"] == [SIZE[1] - SIZE[0], 0]
    trial = app.finished(app.http.post("/api/trials", json=body).json()["id"])
    assert trial["words"] == "no truth, to 400 x 400, fill and crop" and trial["factor"] == 400 / 151
    given, result = (codes(app, key) for key in (trial["input_picture"], entry(trial, "A")["picture_id"]))
    assert np.array_equal(given, codes(app, source["picture_id"])[:, 26 : 26 + 151])
    wanted = cv2.resize(given.astype(np.float32), (400, 400), interpolation=cv2.INTER_LINEAR)
    assert np.abs(result / 257 - wanted).max() < 0.51
    spot = {"name": "Rim", "left": 100, "top": 120, "width": 90, "height": 80, "frame": 0}
    made = app.http.post(f"/api/trials/{trial['id']}/spots", json=spot).json()
    assert abs(made["left"] - 100) <= 3 and abs(made["top"] - 120) <= 3 and made["width"] >= 90
    found = app.http.post(f"/api/trials/{trial['id']}/regions", json=PLACE).json()
    assert found[0]["scores"]["registration"]["value"] < 0.03 and found[0]["scores"]["halo"]["value"] < 0.05
    for spot in app.http.get(f"/api/trials/{trial['id']}/spots").json():
        app.http.patch(f"/api/spots/{spot['id']}", json={"removed": True})


def test_a_part_of_a_clip_is_tried_without_a_truth(app: Running, tmp_path_factory: pytest.TempPathFactory) -> None:
    path = write_clip(tmp_path_factory.mktemp("clips") / "ride.mkv", "ffv1", "yuv444p", 30)
    clip = app.read("ride.mkv", path.read_bytes())
    body = {"source_id": clip["id"], "setup": {"test": "no truth", "factor": 2}, "first": 5, "frames": 14}
    answer = app.http.post("/api/trials", json={**body, "recipe_ids": app.recipe_ids("Bicubic")})
    trial = app.finished(answer.json()["id"])
    (made, control) = trial["entries"]
    assert (made["state"], control["letter"], trial["lead"]) == ("done", "N", "agreement")
    assert trial["input_picture"] != clip["picture_id"]  # a copy of the part
    given = app.http.get(f"/api/pictures/{trial['input_picture']}").json()
    assert (given["frames"], given["rate"]) == (14, "25/1")
    content = app.http.get(f"/api/pictures/{trial['input_picture']}/frames/9/plate").content
    frame = cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_UNCHANGED)[..., ::-1]
    assert number_of(frame) == 14
    shimmer = made["scores"]["shimmer"]
    assert len(shimmer["frames"]) == 14 and shimmer["frames"][0] is None and shimmer["value"] is not None
    assert "of the input" in shimmer["parts"]
    assert {m["id"] for m in trial["measures"] if m["heading"] == "in motion"} == {"shimmer"}
