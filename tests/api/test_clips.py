"""A clip goes the way of a still: Shelf, set-up, shards of frames, scores frame by frame."""

import io
from pathlib import Path

import av
import numpy as np
import pytest
from colour import WEIGHTS_YCBCR, RGB_to_YCbCr, YCbCr_to_RGB
from PIL import Image

from tests.conftest import as_png
from tests.core.media.clips import number_of, write_clip
from tests.harness import Running, until


@pytest.fixture(scope="module")
def source(app: Running, tmp_path_factory: pytest.TempPathFactory) -> dict:
    path = write_clip(tmp_path_factory.mktemp("clips") / "ride.mov", "ffv1", "yuv444p", 40, container="matroska")
    return app.read("ride.mkv", path.read_bytes())


def test_the_shelf_tells_of_a_clip(app: Running, source: dict) -> None:
    facts = source["facts"]
    assert (facts["frames"], facts["rate"], facts["width"], facts["height"]) == (40, "25/1", 128, 96)
    assert "FFmpeg video codec #1" in facts["codec"] and facts["scan"] == "progressive" and facts["sound"] == []
    assert facts["strip"] == sorted(set(facts["strip"])) and len(facts["strip"]) == 16
    small = app.http.get(f"/api/pictures/{source['picture_id']}/frames/{facts['strip'][3]}/thumbnail")
    assert Image.open(io.BytesIO(small.content)).size == (128, 96)


def two_shots(number: int, size: tuple[int, int]) -> np.ndarray:
    """Waves that move, then other waves that move the other way."""
    width, height = size
    y, x = np.mgrid[:height, :width]
    wave = np.sin((x + 4 * number) / 11) * np.cos(y / 7) if number < 70 else np.cos((x - y - 2 * number) / 5)
    return np.repeat((128 + 90 * wave)[..., None], 3, 2).astype(np.uint8)


def test_shots_and_parts_worth_trying_come_with_the_card(app: Running, tmp_path: Path) -> None:
    content = write_clip(tmp_path / "a.mkv", "ffv1", "yuv444p", 140, picture=two_shots).read_bytes()
    source = app.read("shots.mkv", content)

    def looked_through() -> dict | None:
        facts = app.http.get(f"/api/sources/{source['id']}").json()["facts"]
        return facts if facts["shots"] is not None else None

    facts = until(looked_through, what="the look through the clip")
    assert facts["shots"] == [0, 70] and facts["notes"] == source["facts"]["notes"]
    assert any("most movement" in part["reason"] for part in facts["stretches"])
    for part in facts["stretches"]:
        assert part["frames"] == 50 and not part["first"] < 70 < part["first"] + 50


def whole(app: Running, picture: str, frame: int) -> np.ndarray:
    import cv2

    content = app.http.get(f"/api/pictures/{picture}/frames/{frame}/plate").content
    return cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_UNCHANGED)[..., ::-1]


def test_a_clip_without_tags_is_read_as_it_is_told(app: Running, tmp_path: Path) -> None:
    """Against colour-science's conversions with the weights of BT.601 and BT.709."""
    colour = np.array([200, 60, 90], np.uint8)
    path = write_clip(
        tmp_path / "a.mkv",
        "ffv1",
        "yuv444p",
        6,
        picture=lambda _, size: np.full((size[1], size[0], 3), colour, np.uint8),
    )
    source = app.read("untagged.mkv", path.read_bytes())
    assert source["facts"]["read_as"] == {"matrix": "BT.601", "full_range": False}
    stored = RGB_to_YCbCr(colour / 255, K=WEIGHTS_YCBCR["ITU-R BT.601"], out_legal=True)
    url = f"/api/sources/{source['id']}"
    for matrix, full in (("BT.709", False), ("BT.601", True), ("BT.2020", False), ("BT.601", False)):
        assert app.http.put(f"{url}/colour", json={"matrix": matrix, "full_range": full}).status_code == 202
        source = app.settled(source)
        assert source["facts"]["read_as"] == {"matrix": matrix, "full_range": full}
        assert "as was set here" in " ".join(source["facts"]["notes"])
        weights = WEIGHTS_YCBCR[f"ITU-R {matrix}"]
        given = stored - np.array([0, 128, 128]) / 255 if full else stored  # theirs is centred on 0 in full range
        wanted = YCbCr_to_RGB(given, K=weights, in_legal=not full)
        found = whole(app, source["picture_id"], 3)[40, 40] / 65535
        assert np.abs(found - np.clip(wanted, 0, 1)).max() < 2.5 / 255, matrix
    app.start_trial(source["id"], "Bicubic", factor=2)
    refused = app.http.put(f"{url}/colour", json={"matrix": "BT.709", "full_range": False})
    assert refused.status_code == 409 and "used by 1 trial" in refused.json()["detail"]
    still = app.read("still.png", as_png(np.full((64, 64, 3), 90, np.uint8)))
    refused = app.http.put(f"/api/sources/{still['id']}/colour", json={"matrix": "BT.709", "full_range": False})
    assert refused.status_code == 422 and "no matrix to set" in refused.json()["detail"]


def test_a_part_is_tried_in_shards_and_scored_frame_by_frame(app: Running, source: dict) -> None:
    body = {"source_id": source["id"], "setup": {"factor": 2, "noise": 4}, "first": 7, "frames": 27}
    answer = app.http.post("/api/trials", json={**body, "recipe_ids": app.recipe_ids("Bicubic", "Bilinear")})
    assert answer.status_code == 201
    trial = app.finished(answer.json()["id"])
    assert (trial["first"], trial["frames"], trial["plan"]["repeats"]) == (7, 27, 1)
    entries = {entry["letter"]: entry for entry in trial["entries"]}
    assert {entry["state"] for entry in entries.values()} == {"done"}
    assert entries["T"]["scores"]["psnr_rgb"]["value"] is None and not entries["T"]["scores"]["psnr_rgb"]["note"]
    for letter in "AB":
        entry = entries[letter]
        psnr = entry["scores"]["psnr_rgb"]
        assert len(psnr["frames"]) == 27 and psnr["value"] == pytest.approx(np.mean(psnr["frames"]))
        assert len(entry["timing"]["process"]) == 27
        picture = app.http.get(f"/api/pictures/{entry['picture_id']}").json()
        assert (picture["frames"], picture["rate"]) == (27, "25/1")
        for frame in (0, 11, 12, 26):
            result, truth = whole(app, entry["picture_id"], frame), whole(app, trial["truth_picture"], frame)
            assert number_of(result) == number_of(truth) == 7 + frame
            error = np.mean(np.square(result.astype(np.float64) - truth)) / 65535**2
            assert psnr["frames"][frame] == pytest.approx(-10 * np.log10(error), abs=1e-3)


def test_frames_are_looked_at_that_nobody_cut_before(app: Running, source: dict) -> None:
    tile = app.http.get(f"/api/pictures/{source['picture_id']}/frames/13/tiles/0/0/0")
    codes = np.asarray(Image.open(io.BytesIO(tile.content))).astype(np.uint16) * 257
    assert number_of(codes) == 13
    assert app.http.get(f"/api/pictures/{source['picture_id']}/frames/40/thumbnail").status_code == 404


def test_a_row_and_a_column_over_time_are_the_frames_own(app: Running, source: dict) -> None:
    frames = np.stack([whole(app, source["picture_id"], frame) for frame in range(40)])
    eight_bit = (frames.astype(np.uint32) + 128) // 257
    for axis, at, wanted in (("row", 17, eight_bit[:, 17]), ("column", 40, eight_bit[:, :, 40].swapaxes(0, 1))):
        answer = app.http.get(f"/api/pictures/{source['picture_id']}/slices/{axis}/{at}")
        assert answer.status_code == 200, answer.text
        assert np.array_equal(np.asarray(Image.open(io.BytesIO(answer.content))), wanted)
    for wrong in ("row/96", "column/128", "row/-1"):
        assert app.http.get(f"/api/pictures/{source['picture_id']}/slices/{wrong}").status_code == 404
    assert app.http.get(f"/api/pictures/{source['picture_id']}/slices/slant/3").status_code == 422


@pytest.mark.parametrize(
    "first, frames, words", [(0, 41, "has 40 frames"), (40, 1, "has 40 frames"), (39, 2, "has 40 frames")]
)
def test_a_part_lies_within_the_clip(app: Running, source: dict, first: int, frames: int, words: str) -> None:
    body = {"source_id": source["id"], "setup": {"factor": 2}, "recipe_ids": [], "first": first, "frames": frames}
    answer = app.http.post("/api/plans", json=body)
    assert answer.status_code == 422 and words in answer.json()["detail"]


def sound_only(path: Path) -> Path:
    with av.open(str(path), "w") as out:
        stream = out.add_stream("pcm_s16le", rate=8000)
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 800), np.int16), layout="mono")
        frame.rate = 8000
        out.mux(stream.encode(frame))
        out.mux(stream.encode())
    return path


def test_bad_clips_end_in_a_sentence_and_the_rest_arrives(app: Running, source: dict, tmp_path: Path) -> None:
    good = write_clip(tmp_path / "good.mkv", "ffv1", "yuv444p", 6).read_bytes()
    bad = {
        "cut.mkv": good[:900],
        "sound.wav": sound_only(tmp_path / "sound.wav").read_bytes(),
        "words.mp4": b"these are words, not pictures\n" * 40,
        "zeros.mov": bytes(5000),
        "rubbish.mkv": good[:400] + np.random.default_rng(3).bytes(len(good) - 400),
    }
    for name, content in bad.items():
        told = app.read(name, content)
        assert (told["state"] == "failed" and told["error"].startswith(name)) or name in told["error"], told
        assert not any(word in told["error"] for word in ("Error", "Traceback", "/tmp", "itself failed")), told
    assert app.read("good.mkv", good)["state"] == "ready"


def test_a_killed_worker_repeats_only_its_shard(app: Running, source: dict) -> None:
    body = {"source_id": source["id"], "setup": {"factor": 1, "noise": 5}, "first": 0, "frames": 40}
    answer = app.http.post("/api/trials", json={**body, "recipe_ids": app.recipe_ids("Non-local means")})
    key = answer.json()["id"]
    take = next(entry["take_key"] for entry in app.trial(key)["entries"] if entry["letter"] == "A")
    shards = app.media / "pictures" / take[:2] / take / "shards"
    until(lambda: shards.exists() and len(list(shards.iterdir())) >= 2, what="two shards")
    app.kill_worker()
    before = {path.name: path.stat().st_mtime_ns for path in shards.iterdir()}
    app.start_worker()
    entry = next(entry for entry in app.finished(key)["entries"] if entry["letter"] == "A")
    after = {path.name: path.stat().st_mtime_ns for path in shards.iterdir()}
    assert entry["state"] == "done" and len(entry["timing"]["process"]) == 40
    # The newest may have been written but not noted when the worker was killed: that one is made again.
    kept = [name for name, changed in before.items() if after[name] == changed]
    assert len(kept) >= len(before) - 1 and len(after) == 4
