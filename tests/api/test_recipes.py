"""Methods and recipes over HTTP."""

import numpy as np
import pytest

from mistline.core.methods import METHODS
from mistline.core.methods.recipe import Recipe
from tests.conftest import as_png
from tests.harness import Running

TWO = {"name": "Soft print", "passes": [{"method": "wavelet", "settings": {"luma": 12}}, {"method": "lanczos"}]}


def test_the_catalogue_tells_all_of_every_method(app: Running) -> None:
    shown = {method["id"]: method for method in app.http.get("/api/methods").json()}
    assert set(shown) == set(METHODS)
    nlm = shown["non_local_means"]
    assert nlm["family"] == "reduce noise" and set(nlm["defaults"]) == {"luma", "colour", "rule", "read"}
    assert nlm["form"]["properties"]["luma"]["anyOf"][0]["maximum"] == 100
    assert nlm["limits"] == "results up to 60 megapixels" and shown["bicubic"]["limits"].endswith("up to 16 times")


def test_a_recipe_is_added_changed_saved_as_json_and_removed(app: Running) -> None:
    added = app.http.post("/api/recipes", json=TWO)
    assert added.status_code == 201 and added.json()["words"] == "Wavelet shrinkage (luma 12.0), then Lanczos"
    key = added.json()["id"]
    assert app.http.post("/api/recipes", json=TWO).status_code == 409
    file = app.http.get(f"/api/recipes/{key}/file")
    assert "attachment" in file.headers["content-disposition"] and Recipe.model_validate(file.json()) == Recipe(
        **TWO
    )
    changed = {"name": "Crisp print", "passes": [{"method": "back_projection", "settings": {"rounds": 20}}]}
    there = app.http.put(f"/api/recipes/{key}?version=1", json=changed)
    assert there.status_code == 200 and there.json()["version"] == 2
    late = app.http.put(f"/api/recipes/{key}?version=1", json=changed)
    assert late.status_code == 409 and "was changed elsewhere" in late.json()["detail"]
    assert app.http.put(f"/api/recipes/{key}", json={**changed, "name": "Bicubic"}).status_code == 409
    names = [recipe["name"] for recipe in app.http.get("/api/recipes").json()]
    assert names[-1] == "Crisp print" and "Soft print" not in names
    assert app.http.delete(f"/api/recipes/{key}").status_code == 204
    assert app.http.delete(f"/api/recipes/{key}").status_code == 404


def test_a_shipped_recipe_stays_as_it_is(app: Running) -> None:
    [key] = app.recipe_ids("Bicubic")
    refused = app.http.put(f"/api/recipes/{key}", json=TWO)
    assert refused.status_code == 409 and "duplicate it" in refused.json()["detail"]
    assert app.http.delete(f"/api/recipes/{key}").status_code == 409


@pytest.mark.parametrize(
    ("recipe", "part"),
    [
        ({"name": "", "passes": [{"method": "bicubic"}]}, "name"),
        ({"name": "x", "passes": []}, "passes"),
        ({"name": "x", "passes": [{"method": "magic"}]}, "no method named 'magic'"),
        ({"name": "x", "passes": [{"method": "median", "settings": {"luma": 300}}]}, "Median: luma"),
        ({"name": "x", "passes": [{"method": "lanczos", "settings": {"lobes": 9}}]}, "Lanczos: lobes"),
        ({"name": "x", "passes": [{"method": "bicubic"}] * 13}, "passes"),
    ],
)
def test_a_wrong_recipe_is_refused_in_words(app: Running, recipe: dict, part: str) -> None:
    answer = app.http.post("/api/recipes", json=recipe)
    assert answer.status_code == 422 and part in answer.json()["detail"]


def test_a_trial_keeps_the_recipe_that_it_ran(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("a.png", as_png(astronaut[:160, :160]))
    key = app.http.post("/api/recipes", json={**TWO, "name": "Kept"}).json()["id"]
    body = {"source_id": source["id"], "setup": {"factor": 2}, "recipe_ids": [key]}
    trial = app.http.post("/api/trials", json=body).json()["id"]
    assert app.http.delete(f"/api/recipes/{key}").status_code == 204
    entry = app.finished(trial)["entries"][0]
    assert (entry["name"], entry["state"]) == ("Kept", "done")
    wavelet = entry["passes"][0]
    assert wavelet["changed"] == {"luma": 12.0} and wavelet["settings"]["colour"] >= 0


def test_a_recipe_that_cannot_enlarge_is_refused_before_it_runs(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("b.png", as_png(astronaut[:150, :150]))
    key = app.http.post("/api/recipes", json={"name": "Only grain", "passes": [{"method": "grain"}]}).json()["id"]
    body = {"source_id": source["id"], "setup": {"factor": 2}, "recipe_ids": [key]}
    for path in ("/api/plans", "/api/trials"):
        answer = app.http.post(path, json=body)
        assert answer.status_code == 422 and "has no enlarging pass" in answer.json()["detail"]


def test_a_method_of_every_family_runs_in_a_trial(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("c.png", as_png(astronaut[60:124, 200:280]))
    families = {method.family: (key, method) for key, method in METHODS.items()}
    recipes = []
    for family, (key, method) in families.items():
        passes = [{"method": key}] if method.resizes else [{"method": key}, {"method": "bilinear"}]
        made = app.http.post("/api/recipes", json={"name": f"only {family}", "passes": passes}).json()
        recipes.append(made["id"])
    body = {"source_id": source["id"], "setup": {"factor": 2}, "recipe_ids": recipes}
    for entry in app.finished(app.http.post("/api/trials", json=body).json()["id"])["entries"]:
        assert entry["state"] == "done", (entry["name"], entry["error"])
        assert entry["control"] or 18 < entry["scores"]["psnr_luma"]["value"] < 45, entry["name"]
