"""The Shelf over HTTP, with a real worker that reads the files."""

import base64
import io

import imagecodecs
import numpy as np
import tifffile
from PIL import Image

from mistline.store.files import original_key
from tests.conftest import as_png
from tests.core.media.test_still import BAD
from tests.harness import Running, until


def _sources(app: Running) -> dict[str, dict]:
    return {source["name"]: source for source in app.http.get("/api/sources").json()["items"]}


def test_a_batch_arrives_although_some_files_are_bad(app: Running, astronaut: np.ndarray) -> None:
    good = {"one.png": as_png(astronaut), "two.png": as_png(astronaut[:100, :120])}
    for name, content in {**good, **{name: content for name, (content, _) in BAD.items()}}.items():
        app.upload(name, content)
    until(lambda: all(s["state"] in ("ready", "failed") for s in _sources(app).values()), what="reading all")
    found = _sources(app)
    assert {name for name, source in found.items() if source["state"] == "ready"} == set(good)
    for name in BAD:
        assert found[name]["error"].startswith(name) and found[name]["picture_id"] is None
    facts, traits = found["one.png"]["facts"], found["one.png"]["traits"]
    assert (facts["width"], facts["height"], facts["bit_depth"], facts["channels"]) == (512, 512, 8, "RGB")
    assert facts["file_type"] == "PNG" and found["one.png"]["file_bytes"] == len(good["one.png"])
    assert traits["noise_sigma"] is None and 0 < traits["noise_least"] < traits["noise_most"]
    assert f"at most {traits['noise_most']:.1f} cv" in traits["noise_note"]
    assert 1 < traits["edge_width"] < 4 and 0.3 < traits["mean_level"] < 0.6


def test_the_original_is_kept_untouched_and_once(app: Running, astronaut: np.ndarray) -> None:
    content = as_png(astronaut[5:90, 7:80])
    first = app.read("kept.png", content)
    again = app.http.post("/api/sources", files={"file": ("other name.png", content)}).json()
    assert again["new"] is False and again["source"]["id"] == first["id"]
    answer = app.http.get(f"/api/sources/{first['id']}/original")
    assert answer.content == content
    assert answer.headers["content-type"] == "application/octet-stream"
    assert answer.headers["content-disposition"].startswith('attachment; filename="kept.png"; filename*=')
    import hashlib

    stored = app.media / original_key(hashlib.sha256(content).hexdigest())
    assert stored.read_bytes() == content
    assert list((app.media / "incoming").iterdir()) == []


def test_a_long_sequence_of_large_frames_is_one_clip_in_the_order_of_its_numbers(app: Running) -> None:
    rng = np.random.default_rng(5)
    large = as_png(rng.integers(0, 256, (620, 700, 3), np.uint8))  # over what requests may have
    small = as_png(rng.integers(0, 256, (32, 32), np.uint8))
    frames = [("files", (f"run_{number}.png", large)) for number in (2, 10, 1)]
    answer = app.http.post("/api/sequences", files=frames)
    assert answer.status_code == 201, answer.text
    source = answer.json()["source"]
    assert source["name"] == "run_1-10.png" and source["file_bytes"] > 3_000_000
    many = [("files", (f"many_{number}.png", small)) for number in range(1200)]
    answer = app.http.post("/api/sequences", files=many)
    assert answer.status_code == 201, answer.text
    source = app.settled(answer.json()["source"])
    assert source["state"] == "ready" and source["facts"]["frames"] == 1200, source


def test_tiles_hold_the_pictures_values(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("tiles.png", as_png(astronaut))
    picture = app.http.get(f"/api/pictures/{source['picture_id']}").json()
    assert (picture["width"], picture["levels"], picture["tile"]) == (512, 1, 512)
    answer = app.http.get(f"/api/pictures/{source['picture_id']}/frames/0/tiles/0/0/0")
    assert np.array_equal(np.asarray(Image.open(io.BytesIO(answer.content))), astronaut)
    assert answer.headers["content-type"] == "image/png" and "immutable" in answer.headers["cache-control"]
    assert app.http.get(f"/api/pictures/{source['picture_id']}/frames/0/tiles/0/7/7").status_code == 404
    assert app.http.get("/api/pictures/..%2f..%2fetc/frames/0/tiles/0/0/0").status_code == 404


def test_the_small_pictures_of_a_list_come_in_one_answer(app: Running, astronaut: np.ndarray) -> None:
    some = [app.read(f"{n}.png", as_png(astronaut[n : n + 90, : 80 + n]))["picture_id"] for n in (1, 2)]
    answer = app.http.get("/api/thumbnails", params={"of": some})
    for picture in some:
        alone = app.http.get(f"/api/pictures/{picture}/frames/0/thumbnail").content
        assert base64.b64decode(answer.json()["png"][picture]) == alone
    assert "immutable" in answer.headers["cache-control"]
    short = app.http.get("/api/thumbnails", params={"of": [some[0], "0" * 64, "../../etc/passwd"]})
    assert set(short.json()["png"]) == {some[0]} and "cache-control" not in short.headers
    assert app.http.get("/api/thumbnails", params={"of": ["0" * 64] * 61}).status_code == 422


def test_kind_and_story_can_be_set_and_an_unused_source_removed(app: Running, astronaut: np.ndarray) -> None:
    source = app.read("edit.png", as_png(astronaut[:64, :64]))
    edited = app.http.patch(f"/api/sources/{source['id']}", json={"kind": "faces", "story": "A portrait"}).json()
    assert (edited["kind"], edited["story"], edited["name"]) == ("faces", "A portrait", "edit.png")
    assert app.http.patch(f"/api/sources/{source['id']}", json={"kind": "nonsense"}).status_code == 422
    assert app.http.delete(f"/api/sources/{source['id']}").status_code == 204
    gone = app.http.get(f"/api/sources/{source['id']}")
    assert gone.status_code == 404 and gone.headers["content-type"] == "application/problem+json"


def test_names_are_cleaned_of_paths_and_control_characters(app: Running, astronaut: np.ndarray) -> None:
    assert app.upload("..\\..\\a/b/sly\x07.png", as_png(astronaut[:70, :70]))["name"].startswith("sly")


def test_a_page_ends_where_the_next_begins(app: Running) -> None:
    whole = [source["id"] for source in app.http.get("/api/sources", params={"limit": 200}).json()["items"]]
    seen, cursor = [], None
    while True:
        page = app.http.get("/api/sources", params={"limit": 3, **({"cursor": cursor} if cursor else {})}).json()
        seen += [source["id"] for source in page["items"]]
        cursor = page["next_cursor"]
        if cursor is None:
            break
    assert seen == whole
    assert app.http.get("/api/sources", params={"cursor": "garbage"}).status_code == 422


def test_the_shelf_is_asked_for_words_size_noise_and_what_was_tried(app: Running, astronaut: np.ndarray) -> None:
    rng = np.random.default_rng(8)
    grain = np.clip(astronaut[:250, :250].astype(int) + rng.normal(0, 12, (250, 250, 3)), 0, 255).astype(np.uint8)
    noisy = app.read("Asked Grain.png", as_png(grain))
    large = app.read("asked large.png", as_png(np.tile(astronaut, (3, 4, 1))))
    app.http.patch(f"/api/sources/{large['id']}", json={"kind": "faces", "story": "100 % of_the Portrait"})
    trial = app.finished(app.start_trial(noisy["id"], "Bilinear", factor=2))

    def found(**asked: object) -> set[str]:
        items = app.http.get("/api/sources", params={"words": "asked", **asked}).json()["items"]
        return {source["name"] for source in items}

    both = {"Asked Grain.png", "asked large.png"}
    assert found() == both and found(words="ASKED g") == {"Asked Grain.png"}
    assert found(words="100 % of_the p") == {"asked large.png"} and found(words="asked%") == set()
    assert found(kind="faces") == {"asked large.png"} and found(kind="none") == {"Asked Grain.png"}
    assert found(least_mp=2, most_mp=9) == {"asked large.png"} and found(most_mp=2) == {"Asked Grain.png"}
    bounds = large["traits"]  # cannot be told: it answers what lies within
    assert found(most_noise=6) == {"asked large.png"} and found(least_noise=6) == both
    assert found(least_noise=bounds["noise_most"] + 0.1, most_noise=99) <= {"Asked Grain.png"}
    assert found(most_noise=bounds["noise_least"]) == set()
    assert found(tried="new") == {"asked large.png"} and found(tried="tried") == {"Asked Grain.png"}
    body = {"kind": "faces", "pick": "A", "fallback": None, "reasons": "The only one."}
    app.http.post(f"/api/trials/{trial['id']}/verdicts", json=body).raise_for_status()
    assert found(tried="decided") == {"Asked Grain.png"} and found(tried="tried") == set()
    row = app.http.get("/api/sources", params={"words": "asked grain"}).json()["items"][0]
    assert row["tried"] == 1 and row["trials"] == [{"id": trial["id"], "name": trial["name"], "pick": "Bilinear"}]
    for wrong in ({"tried": "often"}, {"least_mp": "nan"}, {"words": "x" * 201}, {"limit": 0}, {"words": "a\0b"}):
        assert app.http.get("/api/sources", params=wrong).status_code == 422
    first = app.http.get("/api/sources", params={"words": "asked", "limit": 1}).json()
    after = {"words": "asked", "limit": 1, "cursor": first["next_cursor"]}
    second = app.http.get("/api/sources", params=after).json()
    assert {page["items"][0]["name"] for page in (first, second)} == both


def test_a_part_of_a_still_becomes_a_source_with_the_same_pixels(app: Running) -> None:
    """At 8 and at 16 bits, by its own edges; a clip has none, and a part must lie within the picture."""
    for depth in (np.uint8, np.uint16):
        codes = np.random.default_rng(depth(3)).integers(
            0, np.iinfo(depth).max, (90, 140, 3), depth, endpoint=True
        )
        out = io.BytesIO()
        tifffile.imwrite(out, codes, photometric="rgb")
        whole = app.read(f"whole {codes.itemsize}.tif", out.getvalue())
        place = {"left": 31, "top": 17, "width": 64, "height": 40}
        answer = app.http.post(f"/api/sources/{whole['id']}/parts", json=place)
        assert answer.status_code == 201, answer.text
        part = app.settled(answer.json())
        assert part["name"] == f"whole {codes.itemsize}, 64 x 40 at 31, 17.png" and "A part of" in part["story"]
        assert (part["facts"]["width"], part["facts"]["bit_depth"]) == (64, 8 * codes.itemsize)
        plate = app.http.get(f"/api/pictures/{part['picture_id']}/frames/0/plate").content
        assert np.array_equal(imagecodecs.png_decode(plate), codes[17:57, 31:95])
        beyond = app.http.post(f"/api/sources/{whole['id']}/parts", json={**place, "left": 100})
        assert beyond.status_code == 422 and "does not lie inside" in beyond.json()["detail"]
