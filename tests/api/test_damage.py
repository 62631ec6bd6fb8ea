"""The chain of damage in the application: the preview, a denoise truth test, what is suggested for it."""

import base64

import cv2
import numpy as np
import pytest
from skimage.restoration import estimate_sigma

from tests.conftest import as_png
from tests.harness import Running

NOISY = {"factor": 1, "noise": 15}
DENOISERS = ["Non-local means", "Sliding-window DCT", "Learned noise reduction"]


@pytest.fixture(scope="module")
def source(app: Running, astronaut: np.ndarray) -> dict:
    return app.read("a.png", as_png(astronaut[:320, 60:380]))


def preview(app: Running, source: dict, setup: dict, across: float = 0.5, down: float = 0.5) -> dict:
    body = {"source_id": source["id"], "setup": setup, "across": across, "down": down}
    answer = app.http.post("/api/previews", json=body)
    assert answer.status_code == 200, answer.text
    return answer.json()


def picture(data: str) -> np.ndarray:
    codes = cv2.imdecode(np.frombuffer(base64.b64decode(data), np.uint8), cv2.IMREAD_UNCHANGED)
    return codes[..., ::-1].astype(np.float32)


def test_a_preview_is_the_input_of_the_trial_on_a_crop(app: Running, source: dict, astronaut: np.ndarray) -> None:
    shown = preview(app, source, {"factor": 2, "light": "encoded"}, 0, 0)
    truth, small = picture(shown["truth"]), picture(shown["input"])
    assert truth.shape[:2] == (shown["height"], shown["width"]) == (216, 288)
    assert np.array_equal(truth, astronaut[:216, 60:348])
    wanted = truth.reshape(108, 2, 144, 2, 3).mean((1, 3))
    assert np.abs(small - wanted).max() <= 0.51  # area by 2 is the mean of 2 x 2, rounded to a code value


def test_a_preview_shows_the_noise_that_is_asked_for(app: Running, astronaut: np.ndarray) -> None:
    grey = app.read("grey.png", as_png(np.full((240, 300, 3), 128, np.uint8)))
    noisy = picture(preview(app, grey, NOISY)["input"])
    assert estimate_sigma(noisy[..., 1] / 255) * 255 == pytest.approx(15, rel=0.05)
    wrong = app.http.post("/api/previews", json={"source_id": grey["id"], "setup": {"factor": 4, "noise": 900}})
    assert wrong.status_code == 422 and "noise" in wrong.json()["detail"]


def test_a_denoise_truth_test_is_a_trial_like_any_other(app: Running, source: dict) -> None:
    body = {"source_id": source["id"], "setup": NOISY, "recipe_ids": app.recipe_ids(*DENOISERS)}
    plan = app.http.post("/api/plans", json=body).json()
    assert plan["target"] == plan["input"] and plan["share"] == 1
    suggested = {known["recipe_id"]: known["reason"] for known in plan["suggested"]}
    assert set(body["recipe_ids"]) <= set(suggested) and "11 cv of luma noise" in suggested[body["recipe_ids"][0]]
    assert not set(app.recipe_ids("Bicubic", "Denoised, Lanczos 3")) & set(suggested)
    trial = app.finished(app.http.post("/api/trials", json=body).json()["id"])
    assert [entry["state"] for entry in trial["entries"]] == ["done"] * 5
    by_letter = {entry["letter"]: entry for entry in trial["entries"]}
    untouched = by_letter["N"]["scores"]
    weighted = 15 * np.linalg.norm([0.2126, 0.7152, 0.0722])  # independent noise in R, G and B, seen in luma
    assert untouched["noise_left"]["value"] == pytest.approx(weighted, rel=0.08)
    # 20 log10(255 / 15) = 24.6 dB; clipping at the ends takes a little noise away.
    assert 24 < untouched["psnr_rgb"]["value"] < 25.5
    for letter in "ABC":
        scores = by_letter[letter]["scores"]
        assert scores["psnr_rgb"]["value"] > untouched["psnr_rgb"]["value"] + 3
        assert scores["noise_left"]["value"] < 8
        assert "Noise down" in by_letter[letter]["sentence"]
