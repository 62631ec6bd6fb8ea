"""A trial without a truth gets stand-ins: material with one, damaged alike; what they foretell is told as evidence by
analogy."""

import io

import numpy as np
import pytest
from PIL import Image
from skimage import data

from tests.conftest import as_png
from tests.harness import Running


def as_jpeg(codes: np.ndarray, quality: int) -> bytes:
    file = io.BytesIO()
    Image.fromarray(codes).save(file, "JPEG", quality=quality, subsampling=2)
    return file.getvalue()


@pytest.fixture(scope="module")
def real(app: Running) -> dict:
    """A small JPEG of which no larger original is known, tried with three recipes; clean pictures lie on the Shelf."""
    small = np.asarray(Image.fromarray(data.coffee()).resize((300, 200), Image.Resampling.BOX))
    source = app.read("old.jpg", as_jpeg(small, 60))
    for name, picture in (
        ("cat.png", data.chelsea()),
        ("rocket.png", data.rocket()),
        ("face.png", data.astronaut()),
    ):
        clean = Image.fromarray(picture).resize((560, 560), Image.Resampling.LANCZOS)
        app.read(name, as_png(np.asarray(clean)))
    body = {"source_id": source["id"], "setup": {"test": "no truth", "factor": 2},
            "recipe_ids": app.recipe_ids("Bilinear", "Lanczos 3", "Sturdy network")}  # fmt: skip
    return app.finished(app.http.post("/api/trials", json=body).json()["id"])


def stand_ins(app: Running, trial: dict, measure: str = "ssim") -> dict:
    answer = app.http.get(f"/api/trials/{trial['id']}/stand-ins", params={"measure": measure})
    assert answer.status_code == 200, answer.text
    return answer.json()


def test_the_damage_is_read_off_the_source_and_said(app: Running, real: dict) -> None:
    found = stand_ins(app, real)
    assert (found["setup"]["factor"], found["setup"]["jpeg"], found["setup"]["half_chroma"]) == (2, 60, True)
    assert "JPEG 60" in found["words"] and any("JPEG at about 60" in reason for reason in found["reasons"])
    assert found["candidates"] and "old.jpg" not in [one["name"] for one in found["candidates"]]
    assert found["stand_ins"] == [] and found["analogy"]["order"] == []


def test_stand_ins_run_with_a_truth_and_foretell(app: Running, real: dict) -> None:
    found = stand_ins(app, real)
    chosen = [one["source_id"] for one in found["candidates"][:2]]
    request = {"source_ids": chosen, "setup": found["setup"]}
    answer = app.http.post(f"/api/trials/{real['id']}/stand-ins", json=request)
    assert answer.status_code == 201, answer.text
    made = [app.finished(key) for key in answer.json()]
    assert all(trial["has_truth"] and trial["stands_in_for"] == real["id"] for trial in made)
    assert all(trial["setup"]["jpeg"] == 60 for trial in made)
    found = stand_ins(app, real)
    letters = {entry["name"]: entry["letter"] for entry in real["entries"]}
    for trial, shown in zip(made, found["stand_ins"], strict=True):
        there = {
            entry["name"]: entry["scores"]["ssim"]["value"] for entry in trial["entries"] if not entry["control"]
        }
        assert shown["values"] == {letters[name]: pytest.approx(value) for name, value in there.items()}
        rows = {row["name"]: row for row in shown["compared"]}
        assert rows["mean level"]["real"] > 0 and rows["squares"]["stand_in"] is not None
    analogy = found["analogy"]
    assert sorted(placed["name"] for placed in analogy["order"]) == sorted(
        entry["letter"] for entry in real["entries"] if not entry["control"]
    )
    assert analogy["tau"] is not None and "stand-ins" in analogy["sentence"]
    # The order is that of the mean of the ranks.
    ranks = [placed["rank"] for placed in analogy["order"]]
    assert ranks == sorted(ranks) and ranks[0] == pytest.approx(np.mean(analogy["order"][0]["ranks"]))


def test_what_has_a_truth_needs_none(app: Running, real: dict) -> None:
    made = stand_ins(app, real)["stand_ins"][0]["trial_id"]
    refused = app.http.get(f"/api/trials/{made}/stand-ins")
    assert refused.status_code == 422 and "truth of its own" in refused.json()["detail"]
    unknown = app.http.get(f"/api/trials/{real['id']}/stand-ins", params={"measure": "charm"})
    assert unknown.status_code == 422 and "charm" in unknown.json()["detail"]
    assert app.http.delete(f"/api/trials/{made}").status_code == 204
    assert made not in [one["trial_id"] for one in stand_ins(app, real)["stand_ins"]]
