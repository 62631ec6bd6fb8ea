"""The price book and what entries cost by it."""

import numpy as np
import pytest
from skimage import data

from tests.conftest import as_png
from tests.harness import Running


def book(app: Running) -> dict:
    return app.http.get("/api/prices").json()


@pytest.fixture(scope="module")
def trial(app: Running) -> dict:
    source = app.read("a.png", as_png(np.ascontiguousarray(data.coffee()[:200, :200])))
    return app.finished(app.start_trial(source["id"], "Bilinear", "Bicubic, sharpened", factor=2))


def test_costs_follow_the_book_and_the_job(app: Running, trial: dict) -> None:
    assert trial["cost"]["priced"] is False and trial["cost"]["job"] == {"frames": 1, "a_year": 1}
    assert trial["cost"]["entries"][0]["cost"]["seconds"] > 0
    now = book(app)
    now["book"] |= {
        "currency": "EUR", "machine_hour": 3.6,
        "methods": {"unsharp_mask": {"licence": 90, "licence_years": 3, "fee": 0.5, "unit": "megapixel"}},
    }  # fmt: skip
    saved = app.http.put("/api/prices", json=now)
    assert saved.status_code == 200 and saved.json()["version"] == now["version"] + 1
    assert app.http.put(f"/api/trials/{trial['id']}/job", json={"frames": 200, "a_year": 12}).status_code == 204
    cost = app.trial(trial["id"])["cost"]
    assert cost["priced"] and [one["letter"] for one in cost["entries"]] == ["A", "B"]
    for one, fee, fixed in zip(cost["entries"], (0.0, 0.5 * 0.04), (0.0, 30.0), strict=True):
        entry = next(e for e in trial["entries"] if e["letter"] == one["letter"])
        frame = fee + entry["timing"]["median"] * 3.6 / 3600
        assert one["cost"]["frame"] == pytest.approx(frame) and one["cost"]["minute"] is None
        assert one["cost"]["job"] == pytest.approx(200 * frame)
        assert one["cost"]["year"] == pytest.approx(12 * 200 * frame + fixed)


def test_a_book_that_somebody_else_changed_is_not_overwritten(app: Running, trial: dict) -> None:
    mine, other = book(app), book(app)
    other["book"]["machine_hour"] = 9
    assert app.http.put("/api/prices", json=other).status_code == 200
    mine["book"]["machine_hour"] = 1
    refused = app.http.put("/api/prices", json=mine)
    assert refused.status_code == 409 and "changed elsewhere" in refused.json()["detail"]
    assert book(app)["book"]["machine_hour"] == 9


def test_what_is_stated_is_marked_and_not_mixed(app: Running, trial: dict) -> None:
    for number, (tool, currency) in enumerate((("Plover", "EUR"), ("Dunlin", "JPY"))):
        result = as_png(np.ascontiguousarray(data.coffee()[:200, :200] // (number + 1)))
        answer = app.http.post(
            f"/api/trials/{trial['id']}/delivered", files={"files": ("r.png", result)},
            data={"stated": f'{{"tool": "{tool}", "seconds": 7, "fee": 0.25, "currency": "{currency}"}}'},
        )  # fmt: skip
        assert answer.status_code == 201, answer.text
    found = {one["letter"]: one for one in app.finished(trial["id"])["cost"]["entries"]}
    assert found["C"]["stated"] and found["C"]["cost"]["frame"] == 0.25 and found["C"]["note"] == ""
    assert found["D"]["stated"] and found["D"]["cost"]["frame"] == 0 and "JPY" in found["D"]["note"]
    assert found["C"]["cost"]["seconds"] == 7 * 200
