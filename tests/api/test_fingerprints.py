"""Methods are measured in general, once a version; two of them are held against one another."""

import io
from pathlib import Path

import httpx
import numpy as np
import pytest
from PIL import Image

from tests.api.test_models import drop
from tests.core.methods.models import resizer
from tests.harness import Running, until


def measured(app: Running, method: str) -> dict:
    """The newest fingerprint of a method, once it is there."""

    def there() -> dict | None:
        found = [one for one in app.http.get("/api/fingerprints").json() if one["method"] == method]
        return found[0] if found and found[0]["state"] in ("ready", "failed") else None

    found = until(there, what=f"measuring {method}")
    assert found["state"] == "ready", found["error"]
    return found


def ask(app: Running, *methods: str) -> httpx.Response:
    return app.http.post("/api/fingerprints", json={"methods": list(methods)})


def picture(app: Running, key: str) -> np.ndarray:
    answer = app.http.get(f"/api/fingerprints/{key}.png")
    assert answer.status_code == 200 and "immutable" in answer.headers["cache-control"]
    return np.asarray(Image.open(io.BytesIO(answer.content)))


@pytest.fixture(scope="module")
def two(app: Running) -> tuple[dict, dict]:
    assert ask(app, "bilinear", "lanczos").json()["count"] == 2
    return measured(app, "bilinear"), measured(app, "lanczos")


def test_a_method_is_measured_once_and_its_plates_are_kept(app: Running, two: tuple[dict, dict]) -> None:
    soft, sharp = (one["found"] for one in two)
    assert (soft["factor"], soft["in_noise"], soft["over"]) == (2, 0, 0)
    assert sharp["over"] > 3 and sharp["noise_gain"] > soft["noise_gain"]
    assert ask(app, "bilinear").json() == {"count": 0}
    before, after = picture(app, "bilinear/1/plate-before"), picture(app, "bilinear/1/plate-after")
    assert after.shape[0] == 2 * before.shape[0] and after.shape[1] == 2 * before.shape[1]
    # Bilinear enlargement is known: between four pixels lies their mixture of 9, 3, 3 and 1 parts.
    known = (9.0 * before[9, 9] + 3.0 * before[9, 10] + 3.0 * before[10, 9] + before[10, 10]) / 16
    assert np.abs(after[19, 19] - known).max() <= 1
    assert (picture(app, "lanczos/1/plate-before") == before).all()


def test_two_methods_are_held_against_one_another_in_words(app: Running, two: tuple[dict, dict]) -> None:
    found = app.http.get("/api/fingerprints/bilinear/1/beside/lanczos/1").json()
    words = {one["name"]: one["words"] for one in found}
    assert words["noise gain"].startswith("noise gain up 4") and words["shift right"] == ""
    assert {one["words"] for one in app.http.get("/api/fingerprints/lanczos/1/beside/lanczos/1").json()} == {""}


def test_a_method_for_noise_is_measured_in_noise(app: Running, two: tuple[dict, dict]) -> None:
    ask(app, "gaussian")
    found = measured(app, "gaussian")["found"]
    assert found["factor"] == 1 and found["in_noise"] == 10 and found["noise_gain"] < 0.8
    refused = app.http.get("/api/fingerprints/bilinear/1/beside/gaussian/3")
    assert refused.status_code in (409, 422) and "do not compare" in refused.json()["detail"]


def test_what_is_not_there_is_said(app: Running) -> None:
    unknown = ask(app, "no_such_method")
    assert unknown.status_code == 404 and "no_such_method" in unknown.json()["detail"]
    for key in ("bicubic/7/plate-after.png", "bicubic/7/beside/bicubic/7"):
        assert app.http.get(f"/api/fingerprints/{key}").status_code == 404


def test_a_dropped_in_model_is_measured_by_itself_and_forgotten_with_it(
    app: Running, two: tuple[dict, dict], tmp_path: Path
) -> None:
    careless = resizer(tmp_path / "careless.onnx", coordinates="asymmetric").read_bytes()
    model = drop(app, "careless.onnx", careless)
    found = measured(app, model["id"])["found"]
    soft = two[0]["found"]
    # Bilinear by another route, but its pixels sit a quarter of an input pixel off.
    assert found["noise_bands"]["1/16 to 1/8"] == pytest.approx(soft["noise_bands"]["1/16 to 1/8"], abs=0.02)
    assert (found["shift_right"], found["shift_down"]) == (pytest.approx(-0.25, abs=0.02),) * 2
    assert found["over"] == pytest.approx(0, abs=0.1)
    assert app.http.delete(f"/api/models/{model['id']}").status_code == 204
    assert model["id"] not in [one["method"] for one in app.http.get("/api/fingerprints").json()]
    assert app.http.get(f"/api/fingerprints/{model['id']}/1/plate-after.png").status_code == 404
