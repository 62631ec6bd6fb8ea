"""A trial's input goes to a remote service and comes back as an entry: fee, times, budget, a killed worker, a cancel."""

from pathlib import Path

import numpy as np
import pytest
from skimage import data

from mistline.work.connector import Connector
from standins.service import State
from tests.conftest import as_png
from tests.core.media.clips import write_clip
from tests.harness import Running, until
from tests.work.test_connector import service


def trial(app: Running, at: int) -> dict:
    """A small trial of its own input."""
    source = app.read(f"a{at}.png", as_png(np.ascontiguousarray(data.coffee()[at : at + 120, :160])))
    return app.finished(app.start_trial(source["id"], "Bilinear", factor=2))


def errands(app: Running, made: dict) -> dict:
    answer = app.http.get(f"/api/trials/{made['id']}/errands")
    assert answer.status_code == 200, answer.text
    return answer.json()


def over(app: Running, made: dict) -> dict:
    """The trial's last errand, once it is over."""

    def ended() -> dict | None:
        last = errands(app, made)["errands"][-1]
        return last if last["state"] in ("done", "failed", "cancelled") else None

    return until(ended, what="the errand's end")


def send(app: Running, made: dict) -> None:
    answer = app.http.post(f"/api/trials/{made['id']}/errands", json={"connector": "linnet"})
    assert answer.status_code == 202, answer.text


@pytest.fixture
def linnet(app: Running, request: pytest.FixtureRequest):
    with service(**getattr(request, "param", {})) as (connector, memory):
        app.describe(connector)
        yield connector, memory


def test_a_result_comes_back_as_an_entry_with_its_fee_and_times(
    app: Running, linnet: tuple[Connector, State]
) -> None:
    made = trial(app, 0)
    offer = errands(app, made)["offers"][0]
    assert offer["refused"] == "" and offer["fee"] == pytest.approx(0.02 * 160 * 120 / 1e6)
    send(app, made)
    done = over(app, made)
    assert done["state"] == "done" and done["letter"] == "B", done["error"]
    assert done["fee"] == pytest.approx(offer["fee"], abs=1e-6) and set(done["times"]) == {
        "uploading", "queued", "processing", "downloading",
    }  # fmt: skip
    entry = next(e for e in app.finished(made["id"])["entries"] if e["letter"] == "B")
    assert entry["state"] == "done" and entry["stated"]["tool"].startswith("Linnet")
    assert entry["scores"]["ssim"]["value"] > 0.8 and not any(finding["grave"] for finding in entry["findings"])
    again = app.http.post(f"/api/trials/{made['id']}/errands", json={"connector": "linnet"})
    assert again.status_code == 409 and len(linnet[1].charged) == 1
    takes = errands(app, made)["offers"][0]["takes"]
    times = done["times"]
    assert takes["transfer"] == pytest.approx(times["uploading"] + times["downloading"], rel=1e-3)
    assert takes["wait"] == pytest.approx(times["queued"], rel=1e-3, abs=1e-6)


def test_a_budget_holds(app: Running, linnet: tuple[Connector, State]) -> None:
    made = trial(app, 30)
    address = f"/api/trials/{made['id']}/budget"
    assert app.http.put(address, json={"budget": 0.0001}).status_code == 204
    refused = app.http.post(f"/api/trials/{made['id']}/errands", json={"connector": "linnet"})
    assert refused.status_code == 422 and "budget" in refused.json()["detail"] and not linnet[1].charged
    assert app.http.put(address, json={"budget": 1}).status_code == 204
    send(app, made)
    assert over(app, made)["state"] == "done"
    assert errands(app, made)["spent"] == pytest.approx(0.02 * 160 * 120 / 1e6, abs=1e-6)


@pytest.mark.parametrize("linnet", [{"hold": True}], indirect=True)
def test_a_killed_worker_goes_on_and_nothing_is_paid_twice(app: Running, linnet: tuple[Connector, State]) -> None:
    made = trial(app, 60)
    send(app, made)
    until(lambda: errands(app, made)["errands"][-1]["state"] == "queued", what="the service's queue")
    app.kill_worker()
    linnet[1].behaviour.hold = False
    app.start_worker()
    done = over(app, made)
    assert done["state"] == "done" and len(linnet[1].charged) == 1, done["error"]
    assert done["times"]["processing"] is None  # the clock of the first worker is gone, so nothing is said


@pytest.mark.parametrize("linnet", [{"hold": True}], indirect=True)
def test_an_errand_is_given_up(app: Running, linnet: tuple[Connector, State]) -> None:
    made = trial(app, 90)
    send(app, made)
    until(lambda: errands(app, made)["errands"][-1]["state"] == "queued", what="the service's queue")
    key = errands(app, made)["errands"][-1]["id"]
    assert app.http.post(f"/api/errands/{key}/cancel").status_code == 204
    assert over(app, made)["state"] == "cancelled"
    assert app.http.post(f"/api/errands/{key}/cancel").status_code == 409


@pytest.mark.parametrize("linnet", [{"credit": 0.0}], indirect=True)
def test_what_a_service_refuses_is_said_and_can_be_tried_again(
    app: Running, linnet: tuple[Connector, State]
) -> None:
    made = trial(app, 120)
    send(app, made)
    failed = over(app, made)
    assert failed["state"] == "failed" and "not enough credit" in failed["error"]
    with service() as (connector, memory):
        app.describe(connector)
        send(app, made)
        assert over(app, made)["state"] == "done" and len(memory.charged) == 1


@pytest.mark.parametrize("linnet", [{"breaks": 1}], indirect=True)
def test_a_job_that_failed_there_is_another_one_when_tried_again(
    app: Running, linnet: tuple[Connector, State]
) -> None:
    made = trial(app, 150)
    send(app, made)
    failed = over(app, made)
    assert failed["state"] == "failed" and "could not be processed" in failed["error"]
    send(app, made)
    done = over(app, made)
    assert done["state"] == "done" and len(linnet[1].charged) == 1 and len(linnet[1].jobs) == 2, done["error"]


def test_a_clip_goes_there_and_back(app: Running, linnet: tuple[Connector, State], tmp_path: Path) -> None:
    path = tmp_path / "moving.mkv"
    write_clip(path, "ffv1", "bgr0", frames=5, size=(96, 64))
    source = app.read("moving.mkv", path.read_bytes())
    body = {"source_id": source["id"], "setup": {"factor": 2}, "recipe_ids": app.recipe_ids("Bicubic"),
            "first": 1, "frames": 4}  # fmt: skip
    made = app.finished(app.http.post("/api/trials", json=body).json()["id"])
    offer = errands(app, made)["offers"][0]
    assert offer["refused"] == "" and offer["fee"] == pytest.approx(0.02 * 96 * 64 / 1e6 * 4)
    send(app, made)
    done = over(app, made)
    assert done["state"] == "done" and done["fee"] == pytest.approx(offer["fee"], abs=1e-5), done["error"]
    entry = next(e for e in app.finished(made["id"])["entries"] if e["letter"] == done["letter"])
    assert entry["state"] == "done" and len(entry["scores"]["psnr_luma"]["frames"]) == 4, entry["error"]
    assert not any(finding["grave"] for finding in entry["findings"])


def test_what_it_does_not_take_is_said_before(app: Running, linnet: tuple[Connector, State]) -> None:
    source = app.read("b.png", as_png(np.ascontiguousarray(data.coffee()[:120, 200:320])))
    made = app.finished(app.start_trial(source["id"], "Bilinear", factor=4))
    assert "enlarges 2 times and this trial 4 times" in errands(app, made)["offers"][0]["refused"]
    refused = app.http.post(f"/api/trials/{made['id']}/errands", json={"connector": "linnet"})
    assert refused.status_code == 422
    unknown = app.http.post(f"/api/trials/{made['id']}/errands", json={"connector": "nobody"})
    assert unknown.status_code == 404
