"""Models that are dropped in: they become methods, or it is said why not."""

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import as_png
from tests.core.methods.models import blur, resizer, save
from tests.harness import Running, until


def drop(app: Running, name: str, content: bytes) -> dict:
    """Upload a model and wait until it has been looked into."""
    answer = app.http.post("/api/models", files={"file": (name, content)})
    assert answer.status_code == 201, answer.text
    key = answer.json()["model"]["id"]

    def looked() -> dict | None:
        model = next(model for model in app.http.get("/api/models").json() if model["id"] == key)
        return model if model["state"] in ("ready", "failed") else None

    return until(looked, what=f"looking into {name}")


@pytest.fixture(scope="module")
def twice(app: Running, tmp_path_factory: pytest.TempPathFactory) -> dict:
    return drop(app, "twice.onnx", resizer(tmp_path_factory.mktemp("models") / "twice.onnx").read_bytes())


def test_a_model_becomes_a_method_that_runs_in_a_trial(app: Running, twice: dict, astronaut: np.ndarray) -> None:
    assert twice["state"] == "ready", twice["error"]
    method = next(m for m in app.http.get("/api/methods").json() if m["id"] == twice["id"])
    assert method["family"] == "learned" and method["resizes"] and method["card"]["factor"] == 2
    recipe = app.http.post("/api/recipes", json={"name": "Dropped", "passes": [{"method": twice["id"]}]}).json()
    source = app.read("a.png", as_png(astronaut[:128, :128]))
    body = {"source_id": source["id"], "setup": {"factor": 2}}
    body["recipe_ids"] = [recipe["id"], *app.recipe_ids("Bilinear")]
    trial = app.finished(app.http.post("/api/trials", json=body).json()["id"])
    own, plain = trial["entries"][:2]
    assert own["state"] == "done", own["error"]
    # The model is bilinear enlargement, so the two results are one picture, and the trial says so.
    assert own["scores"]["psnr_luma"]["value"] == pytest.approx(plain["scores"]["psnr_luma"]["value"], abs=0.05)
    assert {"first": "A", "second": "B"}.items() <= trial["same"][0].items()
    refused = app.http.delete(f"/api/models/{twice['id']}")
    assert refused.status_code == 409 and "twice.onnx" in refused.json()["detail"]


def test_the_same_file_is_one_model_and_another_version_is_another(
    app: Running, twice: dict, tmp_path: Path
) -> None:
    content = resizer(tmp_path / "m.onnx").read_bytes()
    again = app.http.post("/api/models", files={"file": ("again.onnx", content)}).json()
    assert again["new"] is False and again["model"]["id"] == twice["id"]
    other = drop(app, "twice.onnx", resizer(tmp_path / "n.onnx", coordinates="asymmetric").read_bytes())
    methods = [m["id"] for m in app.http.get("/api/methods").json()]
    assert other["state"] == "ready" and {twice["id"], other["id"]} <= set(methods) and other["id"] != twice["id"]
    assert app.http.delete(f"/api/models/{other['id']}").status_code == 204
    assert other["id"] not in [model["id"] for model in app.http.get("/api/models").json()]
    assert other["id"] not in [m["id"] for m in app.http.get("/api/methods").json()]
    assert app.http.post(f"/api/models/{other['id']}/restore").status_code == 204
    assert app.http.post(f"/api/models/{other['id']}/restore").status_code == 404
    assert other["id"] in [m["id"] for m in app.http.get("/api/methods").json()]
    assert app.http.delete(f"/api/models/{other['id']}").status_code == 204
    back = drop(app, "twice.onnx", (tmp_path / "n.onnx").read_bytes())
    assert back["id"] == other["id"] and back["state"] == "ready"  # what comes in again is back too


def test_a_model_that_is_only_blended_in_is_kept_too(app: Running, tmp_path: Path) -> None:
    third = drop(app, "third.onnx", resizer(tmp_path / "t.onnx", scale=3).read_bytes())
    blend = {"name": "third", "passes": [{"method": third["id"]}], "opacity": 0.4}
    body = {"name": "Blended", "passes": [{"method": "bicubic"}], "blend": blend}
    made = app.http.post("/api/recipes", json=body).json()
    assert made["words"] == "Bicubic, then 40 % of third over it" and made["blend"]["opacity"] == 0.4
    assert app.http.get(f"/api/recipes/{made['id']}/file").json()["blend"]["passes"][0]["method"] == third["id"]
    wrong = app.http.post("/api/recipes", json={**body, "blend": {**blend, "opacity": 1.5}})
    assert wrong.status_code == 422 and "opacity" in wrong.json()["detail"]
    assert app.http.delete(f"/api/models/{third['id']}").status_code == 409
    assert app.http.delete(f"/api/recipes/{made['id']}").status_code == 204
    assert app.http.delete(f"/api/models/{third['id']}").status_code == 204


def test_hostile_models_are_refused_in_words_and_nothing_else_suffers(app: Running, tmp_path: Path) -> None:
    from onnx import helper

    strange = save(
        tmp_path / "s.onnx", [helper.make_node("Magic", ["input"], ["output"], domain="odd")], domain="odd"
    )
    huge = save(
        tmp_path / "h.onnx",
        [
            helper.make_node("Tile", ["input", "times"], ["wide"]),
            helper.make_node("Identity", ["wide"], ["output"]),
        ],
        {"times": np.array([1, 1, 4000, 4000], np.int64)},
    )
    for name, content, part in (
        ("notes.onnx", b"These are notes, not a model.", "notes.onnx"),
        ("strange.onnx", strange.read_bytes(), "strange.onnx"),
        ("huge.onnx", huge.read_bytes(), "huge.onnx"),
        ("cut.onnx", blur(tmp_path / "c.onnx").read_bytes()[:120], "cut.onnx"),
    ):
        model = drop(app, name, content)
        assert model["state"] == "failed" and part in model["error"] and model["error"].endswith(".")
        assert model["id"] not in [m["id"] for m in app.http.get("/api/methods").json()]
    assert app.http.post(f"/api/models/{model['id']}/inspect").status_code == 202
    assert app.http.get("/api/kinds").status_code == 200
