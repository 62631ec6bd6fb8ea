"""A test against a native version over HTTP: the two are aligned, the larger one is the truth, others are refused."""

import cv2
import numpy as np
import pytest
from skimage import data

from tests.api.test_looking import codes
from tests.conftest import as_png
from tests.core.media.clips import write_clip
from tests.harness import Running

LARGE = np.ascontiguousarray(data.astronaut()[100:340, 60:380])


def aligned(app: Running, small: dict, large: dict) -> dict:
    return app.http.post("/api/alignments", json={"source_id": small["id"], "native_id": large["id"]}).json()


@pytest.fixture(scope="module")
def pair(app: Running) -> tuple[dict, dict]:
    """A render and one at half size."""
    half = cv2.resize(LARGE, (160, 120), interpolation=cv2.INTER_AREA)
    return app.read("half.png", as_png(half)), app.read("whole.png", as_png(LARGE))


def start(app: Running, source: dict, setup: dict, *names: str, **part: int) -> dict:
    body = {"source_id": source["id"], "setup": setup, "recipe_ids": app.recipe_ids(*names), **part}
    answer = app.http.post("/api/trials", json=body)
    assert answer.status_code == 201, answer.text
    return app.finished(answer.json()["id"])


def test_half_a_render_is_held_against_the_whole(app: Running, pair: tuple[dict, dict]) -> None:
    small, large = pair
    setup = aligned(app, small, large)
    assert setup["alignment"]["scale"] == pytest.approx(2, abs=0.002) and setup["width"] == 320
    plan = app.http.post("/api/plans", json={"source_id": small["id"], "setup": setup, "recipe_ids": []}).json()
    assert plan["target"] == {"width": 320, "height": 240} and plan["cropped"] == [0, 0]
    trial = start(app, small, setup, "Bilinear", "Lanczos 3")
    assert trial["words"] == "against the native 320 x 240" and trial["has_truth"] and trial["factor"] == 2
    assert trial["input_picture"] == small["picture_id"]
    assert np.array_equal(codes(app, trial["truth_picture"]), LARGE)  # its own pixels
    scores = {entry["letter"]: entry["scores"] for entry in trial["entries"]}
    assert scores["T"]["psnr_luma"]["value"] is None and not scores["T"]["psnr_luma"]["note"]  # equal
    wanted = cv2.PSNR(codes(app, next(e for e in trial["entries"] if e["letter"] == "B")["picture_id"]),
                      LARGE.astype(np.uint16) * 257, 65535)  # fmt: skip
    assert scores["B"]["psnr_rgb"]["value"] == pytest.approx(wanted, abs=0.02)
    assert scores["B"]["registration"]["value"] < 0.1
    # How the input was made nobody said, so the larger version does not limit what agrees with it.
    assert scores["B"]["agreement"]["value"] > scores["A"]["agreement"]["value"] > 30
    assert trial["break_even"] is None
    spot = {"name": "Eye", "left": 101, "top": 61, "width": 80, "height": 60, "frame": 0}
    place = app.http.post(f"/api/trials/{trial['id']}/spots", json=spot).json()
    assert [place[key] for key in ("left", "top", "width", "height")] == [
        100,
        60,
        82,
        62,
    ]  # whole pixels of the source


def test_the_shortcut_is_weighed_against_the_native_way(app: Running, pair: tuple[dict, dict]) -> None:
    """56 s at full size and 15 s at half leave 41 s; with 10 of them it needs under half the time (common practice)."""
    times = {"native_seconds": 56, "source_seconds": 13, "transfer_seconds": 2}
    trial = start(app, pair[0], {**aligned(app, *pair), **times}, "Bilinear", "Lanczos 3")
    large = cv2.resize(LARGE[::2, ::2], (320, 240))
    form = {"stated": '{"tool": "Plover", "seconds": 10}'}
    app.http.post(f"/api/trials/{trial['id']}/delivered", files=[("files", ("a.png", as_png(large)))], data=form)
    found = app.finished(trial["id"])["break_even"]
    assert (found["native"], found["small"], found["transfer"], found["left"]) == (56, 13, 2, 41)
    told = {each["letter"]: each for each in found["entries"]}
    assert told["C"]["stated"] and told["C"]["used"] == 10 / 41 and told["C"]["share"] == 25 / 56 < 0.5
    assert not told["A"]["stated"] and told["A"]["seconds"] < 10 and "T" not in told


def test_one_that_lies_otherwise_is_brought_to_its_place(app: Running, pair: tuple[dict, dict]) -> None:
    """Cut by pixels that are no whole pixels of the source, darker: told, and matched where that is asked for."""
    small, _ = pair
    other = np.clip(LARGE[7:233, 5:311].astype(np.float32) * 0.8, 0, 255).astype(np.uint8)
    large = app.read("cut.png", as_png(other))
    setup = aligned(app, small, large)
    assert all(gain["times"] == pytest.approx(1.25, abs=0.03) for gain in setup["gains"])
    trial = start(app, small, {**setup, "match_colours": True}, "Bilinear")
    assert trial["words"].endswith("colours matched") and trial["plan"]["cropped"][0] >= 10
    scores = next(entry for entry in trial["entries"] if entry["letter"] == "A")["scores"]
    assert scores["registration"]["value"] < 0.15 and scores["ciede2000_soft"]["value"] < 0.5
    assert scores["psnr_luma"]["value"] > 24


def test_another_scene_and_a_smaller_one_are_refused_in_words(app: Running, pair: tuple[dict, dict]) -> None:
    small, large = pair
    other = app.read("cat.png", as_png(np.ascontiguousarray(data.chelsea())))
    assert aligned(app, small, other)["detail"] == (
        "half.png and cat.png cannot be aligned: these do not show the same scene."
    )
    assert "the larger version is smaller than the source" in aligned(app, large, small)["detail"]
    setup = {"test": "native", "native": large["id"], "factor": 2}
    answer = app.http.post("/api/plans", json={"source_id": small["id"], "setup": setup, "recipe_ids": []})
    assert answer.status_code == 422 and "not aligned yet" in answer.json()["detail"]


def test_the_larger_version_stays_while_a_trial_needs_it(app: Running, pair: tuple[dict, dict]) -> None:
    answer = app.http.delete(f"/api/sources/{pair[1]['id']}")
    assert answer.status_code == 409 and "whole.png is used by" in answer.json()["detail"]


def test_clips_are_held_against_one_another_frame_by_frame(app: Running, tmp_path) -> None:
    def frame(number: int, size: tuple[int, int]) -> np.ndarray:
        moved = np.ascontiguousarray(data.astronaut()[:, 3 * number :][:360, :400])
        return cv2.resize(moved, size, interpolation=cv2.INTER_AREA)

    sources = [
        app.read(path.name, path.read_bytes())
        for name, size, count in (("half.mkv", (200, 180), 5), ("whole.mkv", (400, 360), 4))
        for path in [write_clip(tmp_path / name, "ffv1", "bgr0", count, size=size, picture=frame)]
    ]
    setup = aligned(app, *sources)
    trial = start(app, sources[0], setup, "Bilinear", first=1, frames=3)
    frames = trial["entries"][0]["scores"]["psnr_luma"]["frames"]
    assert len(frames) == 3 and min(frames) > 24  # a frame off it would be below 20
    body = {"source_id": sources[0]["id"], "setup": setup, "recipe_ids": [], "first": 1, "frames": 4}
    answer = app.http.post("/api/plans", json=body)
    assert answer.json()["detail"] == "The native version has 4 frames; choose a part of half.mkv within them."
