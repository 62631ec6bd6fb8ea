"""Results that were made elsewhere over HTTP: the input goes out exactly, what comes in is checked and measured."""

import io
import json
import zipfile

import cv2
import numpy as np
import pytest
from skimage import data

from tests.api.test_looking import codes
from tests.conftest import as_png
from tests.core.media.clips import write_clip
from tests.harness import Running

STATED = {"tool": "Plover", "version": "2.1", "settings": "strength 20", "machine": "a laptop", "seconds": 12.5,
          "fee": 0.4, "currency": "credits"}  # fmt: skip


@pytest.fixture(scope="module")
def truth() -> np.ndarray:
    return np.ascontiguousarray(data.coffee()[20:220, 100:340])


@pytest.fixture(scope="module")
def trial(app: Running, truth: np.ndarray) -> str:
    key = app.start_trial(app.read("cup.png", as_png(truth))["id"], "Bicubic", factor=2)
    app.finished(key)
    return key


def deliver(app: Running, trial: str, name: str, content: bytes, **form: str) -> tuple[int, dict]:
    answer = app.http.post(f"/api/trials/{trial}/delivered", files=[("files", (name, content))], data=form)
    return answer.status_code, answer.json()


def arrived(app: Running, trial: str, name: str, content: bytes, **form: str) -> dict:
    status, body = deliver(app, trial, name, content, **form)
    assert status == 201, body
    return entry(app.finished(trial), body["letter"])


def entry(trial: dict, letter: str) -> dict:
    return next(each for each in trial["entries"] if each["letter"] == letter)


def words(found: dict) -> str:
    return " ".join(finding["words"] for finding in found["findings"])


def given_out(app: Running, trial: str) -> bytes:
    answer = app.http.get(f"/api/trials/{trial}/input")
    assert answer.status_code == 200, answer.text
    return answer.content


def test_the_input_goes_out_as_it_is_and_tagged(app: Running, trial: str) -> None:
    answer = app.http.get(f"/api/trials/{trial}/input")
    assert "input.png" in answer.headers["Content-Disposition"] and b"sRGB" in answer.content[:60]
    picture = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_UNCHANGED)[..., ::-1]
    assert np.array_equal(picture, codes(app, app.trial(trial)["input_picture"]))


def test_a_result_is_measured_like_any_other_and_its_time_is_only_stated(app: Running, trial: str) -> None:
    small = cv2.imdecode(np.frombuffer(given_out(app, trial), np.uint8), cv2.IMREAD_UNCHANGED)
    large = cv2.resize(small, None, fx=2, fy=2, interpolation=cv2.INTER_LINEAR)
    found = arrived(app, trial, "out.png", as_png(large[..., ::-1]), stated=json.dumps(STATED))
    assert found["state"] == "done" and found["letter"] == "B" and found["control"] is None
    assert found["name"] == "Plover 2.1" and found["stated"] == STATED
    assert found["words"] == "Made elsewhere with Plover 2.1: strength 20"
    assert found["timing"].get("median") is None and found["marks"]["ssim"] in ("", "best", "tied")
    assert "time" not in found["marks"]
    whole = app.trial(trial)
    assert [each["letter"] for each in whole["entries"]] == ["A", "B", "N", "T"]
    assert all("B" not in letters for letters in whole["fronts"].values())
    assert found["scores"]["registration"]["value"] < 0.1 and not any(one["grave"] for one in found["findings"])
    assert words(found) == "It carries no colour tag and was read as sRGB, as the input is tagged."
    result = codes(app, found["picture_id"])
    assert np.array_equal(result, large[..., ::-1].astype(np.uint16) * 257)
    status, body = deliver(app, trial, "again.png", as_png(large[..., ::-1]))
    assert status == 409 and body["detail"] == "again.png is in this trial already, as entry B."


def test_what_was_stated_can_be_said_anew(app: Running, trial: str) -> None:
    path = f"/api/trials/{trial}/entries"
    assert app.http.put(f"{path}/B/stated", json={"tool": "Plover", "version": "3"}).status_code == 204
    found = entry(app.trial(trial), "B")
    assert found["name"] == "Plover 3" and found["stated"]["seconds"] is None
    assert app.http.put(f"{path}/A/stated", json={"tool": "Plover"}).status_code == 404
    assert app.http.delete(f"{path}/B").status_code == 404  # only what came to nothing goes away


def test_two_versions_are_held_beside_one_another(app: Running, trial: str, truth: np.ndarray) -> None:
    """What differs comes first; a figure that is the same to its tie is tied; a stated time is held against none."""
    stated = {"tool": "Plover", "version": "4", "settings": "strength 30, grain 5", "seconds": 3}
    worse = as_png(cv2.GaussianBlur(truth, (0, 0), 2))
    there = arrived(app, trial, "four.png", worse, stated=json.dumps(stated))["letter"]
    app.http.put(
        f"/api/trials/{trial}/entries/B/stated",
        json={**stated, "version": "3", "settings": "strength 20, grain 5"},
    )
    found = app.http.get(f"/api/trials/{trial}/beside", params={"first": "B", "second": there}).json()
    told = [(each["name"], each["first"], each["second"]) for each in found["settings"] if each["differs"]]
    assert told == [("version", "3", "4"), ("strength", "20", "30")]
    assert [each["name"] for each in found["settings"] if not each["differs"]] == ["made with", "time", "grain"]
    assert found["better"]["psnr_luma"] == "B" and "time" not in found["better"]
    mirrored = app.http.get(f"/api/trials/{trial}/beside", params={"first": there, "second": "B"}).json()
    assert mirrored["better"] == found["better"]
    ours = app.http.get(f"/api/trials/{trial}/beside", params={"first": "A", "second": "B"}).json()
    assert ("made with", "Mistline", "Plover") in [(s["name"], s["first"], s["second"]) for s in ours["settings"]]
    for first, second in (("A", "A"), ("A", "Z"), ("A", "N")):
        answer = app.http.get(f"/api/trials/{trial}/beside", params={"first": first, "second": second})
        assert answer.status_code == 404


def test_another_size_is_refused_until_it_may_be_resampled(app: Running, trial: str, truth: np.ndarray) -> None:
    answer = app.http.post(
        f"/api/trials/{trial}/delivered", files=[("files", (name, as_png(truth))) for name in ("a.png", "b.png")]
    )
    assert answer.status_code == 422 and answer.json()["detail"].startswith(
        "This trial is about one still, and 2 files"
    )
    small = as_png(cv2.resize(truth, (180, 150), interpolation=cv2.INTER_AREA))
    found = arrived(app, trial, "small.png", small)
    assert found["state"] == "failed" and found["error"] == (
        "small.png is 180 x 150 pixels and the results of this trial are 240 x 200; deliver that size, or let it be "
        "resampled."
    )  # fmt: skip
    letter = found["letter"]
    again = f"/api/trials/{trial}/entries/{letter}/resample"
    assert found["other_size"] and app.http.post(again).status_code == 204
    found = entry(app.finished(trial), letter)
    assert found["state"] == "done" and "It came as 180 x 150 and was resampled to 240 x 200" in words(found)
    assert app.http.post(again).status_code == 409 and not found["other_size"]
    refused = arrived(app, trial, "small.png", small)  # the same once more: it is there already
    assert app.http.post(f"/api/trials/{trial}/entries/{refused['letter']}/resample").status_code == 409
    letter = refused["letter"]
    assert app.http.delete(f"/api/trials/{trial}/entries/{letter}").status_code == 204
    assert letter not in [each["letter"] for each in app.trial(trial)["entries"]]


@pytest.mark.parametrize(
    ("made", "told", "grave"),
    [
        (lambda truth: data.coffee()[200:400, 300:540], "This is another picture", True),
        (lambda truth: cv2.putText(truth.copy(), "TRIAL", (30, 130), 0, 2.0, (255, 255, 255), 5), "as a watermark", True),
        (lambda truth: cv2.cvtColor(truth, cv2.COLOR_RGB2GRAY), "It is grey", False),
        (lambda truth: np.clip(truth * 1.25, 0, 255).astype(np.uint8), "are clipped", False),
    ],
    ids=["another picture", "lettering", "grey", "clipped"],
)  # fmt: skip
def test_what_is_wrong_with_a_file_is_said(app: Running, trial: str, truth: np.ndarray, made, told, grave) -> None:
    found = arrived(app, trial, f"{told}.png", as_png(np.ascontiguousarray(made(truth))))
    assert found["state"] == "done"
    assert told in words(found) and any(one["grave"] for one in found["findings"]) is grave


@pytest.mark.parametrize(("name", "content"), [("notes.png", b"no picture"), ("cut.png", None)])
def test_what_cannot_be_read_fails_alone(
    app: Running, trial: str, truth: np.ndarray, name: str, content: bytes
) -> None:
    found = arrived(app, trial, name, content or as_png(truth)[:900])
    assert found["state"] == "failed" and name in found["error"]
    assert app.http.delete(f"/api/trials/{trial}/entries/{found['letter']}").status_code == 204


def test_a_wrong_range_is_named(app: Running, trial: str, truth: np.ndarray) -> None:
    narrow = np.rint(truth * (219 / 255) + 16).astype(np.uint8)
    found = arrived(app, trial, "narrow.png", as_png(narrow))
    assert "16-235 taken for full range" in found["sentence"] or "full range taken for 16-235" in found["sentence"]


def test_a_large_file_may_come(app: Running, trial: str) -> None:
    noise = np.random.default_rng(1).integers(0, 256, (900, 800, 3)).astype(np.uint8)
    content = as_png(noise)
    assert len(content) > 2_000_000
    found = arrived(app, trial, "large.png", content)
    assert found["error"].startswith("large.png is 800 x 900 pixels")


def test_frames_of_a_clip_go_out_and_come_back(app: Running, tmp_path) -> None:
    path = tmp_path / "counted.mkv"
    write_clip(path, "ffv1", "bgr0", frames=6, size=(96, 64))
    source = app.read("counted.mkv", path.read_bytes())
    ids = app.recipe_ids("Bicubic")
    body = {"source_id": source["id"], "setup": {"factor": 2}, "recipe_ids": ids, "first": 1, "frames": 4}
    key = app.http.post("/api/trials", json=body).json()["id"]
    app.finished(key)
    archive = zipfile.ZipFile(io.BytesIO(given_out(app, key)))
    rate, *names = archive.namelist()
    assert names == [f"input-{number:06d}.png" for number in range(4)]
    assert rate == "rate.txt" and archive.read(rate).decode() == source["facts"]["rate"]
    frames = [cv2.imdecode(np.frombuffer(archive.read(name), np.uint8), cv2.IMREAD_UNCHANGED) for name in names]
    files = [
        (
            "files",
            (f"out-{number}.png", cv2.imencode(".png", np.repeat(np.repeat(frame, 2, 0), 2, 1))[1].tobytes()),
        )
        for number, frame in enumerate(frames)
    ]
    later = [
        (field, (name, each[1][1])) for (field, (name, _)), each in zip(files, [files[0], *files[:3]], strict=True)
    ]
    late = app.http.post(f"/api/trials/{key}/delivered", files=later).json()["letter"]
    few = app.http.post(f"/api/trials/{key}/delivered", files=files[:3]).json()["letter"]
    letter = app.http.post(f"/api/trials/{key}/delivered", files=files).json()["letter"]
    trial = app.finished(key)
    assert entry(trial, few)["error"].startswith("out-0.png has 3 frames and this trial 4")
    assert [one["words"] for one in entry(trial, late)["findings"] if one["grave"]] == [
        "It is 1 frame late: each frame shows another."
    ]
    found, nearest = entry(trial, letter), entry(trial, "N")
    assert found["state"] == "done" and len(found["scores"]["psnr_luma"]["frames"]) == 4
    assert found["scores"]["psnr_luma"]["value"] == pytest.approx(
        nearest["scores"]["psnr_luma"]["value"], abs=0.01
    )
