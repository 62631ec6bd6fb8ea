"""Spots, remarks, standings, suggestions and maps of faults over HTTP, against numpy and scikit-image."""

import io
import zipfile

import colour
import cv2
import httpx
import numpy as np
import psycopg
import pytest
from piffle.image import IIIFImageClient
from PIL import Image
from skimage.metrics import structural_similarity

from mistline.core.frame import luma, to_frame
from tests.conftest import as_png
from tests.harness import Running

SIZE = (301, 405)
PLACE = {"left": 40, "top": 60, "width": 120, "height": 90, "frame": 0}


@pytest.fixture(scope="module")
def trial(app: Running, astronaut: np.ndarray) -> dict:
    source = app.read("marked.png", as_png(astronaut[: SIZE[0], : SIZE[1]]))
    return app.finished(app.start_trial(source["id"], "Bilinear", "Lanczos 3", factor=2))


def codes(app: Running, picture: str) -> np.ndarray:
    content = app.http.get(f"/api/pictures/{picture}/frames/0/plate").content
    return cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_UNCHANGED)[..., ::-1]


def pair(app: Running, trial: dict, letter: str = "A") -> tuple[np.ndarray, np.ndarray]:
    """Luma of truth and an entry."""
    entry = next(entry for entry in trial["entries"] if entry["letter"] == letter)
    truth, result = codes(app, trial["truth_picture"]), codes(app, entry["picture_id"])
    return luma(to_frame(truth).pixels), luma(to_frame(result).pixels)


def test_a_spot_is_the_same_pixels_in_every_trial_of_its_source(app: Running, trial: dict) -> None:
    spot = app.http.post(f"/api/trials/{trial['id']}/spots", json={"name": " Eye ", **PLACE})
    assert spot.status_code == 201
    assert spot.json() == {"id": spot.json()["id"], "name": "Eye", "note": "", **PLACE}
    begun = app.start_trial(trial["source_id"], "Bilinear", factor=7)
    assert len(app.http.get(f"/api/trials/{begun}/spots").json()) == 1  # also before anything is done
    other = app.finished(begun)
    (there,) = app.http.get(f"/api/trials/{other['id']}/spots").json()
    cut = [trial["plan"]["target"], other["plan"]["target"]]
    first, second = ([(SIZE[1] - size["width"]) // 2, (SIZE[0] - size["height"]) // 2] for size in cut)
    assert [there["left"] + second[0], there["top"] + second[1]] == [
        PLACE["left"] + first[0],
        PLACE["top"] + first[1],
    ]
    assert np.array_equal(*(
        codes(app, each["truth_picture"])[p["top"] : p["top"] + 90, p["left"] : p["left"] + 120]
        for each, p in ((trial, PLACE), (other, there))
    ))  # fmt: skip
    spot_id = spot.json()["id"]
    for removed, count in ((True, 0), (False, 1)):
        assert app.http.patch(f"/api/spots/{spot_id}", json={"removed": removed}).status_code == 204
        assert len(app.http.get(f"/api/trials/{trial['id']}/spots").json()) == count
    app.http.patch(f"/api/spots/{spot_id}", json={"removed": True})


def test_scores_at_a_spot_are_measured_once_and_kept(app: Running, trial: dict) -> None:
    place = {**PLACE, "left": 200}
    spot = app.http.post(f"/api/trials/{trial['id']}/spots", json={"name": "Edge", **place}).json()
    address = f"/api/trials/{trial['id']}/spots/{spot['id']}/scores"
    found = app.http.post(address).json()
    assert [entry["letter"] for entry in found] == ["A", "B", "N", "T"]
    truth, result = (part[60:150, 200:320] for part in pair(app, trial))
    psnr = 10 * np.log10(1 / np.mean(np.square(truth.astype(np.float64) - result)))
    assert found[0]["scores"]["psnr_luma"]["value"] == pytest.approx(psnr, abs=1e-3)
    again = app.http.post(f"/api/trials/{trial['id']}/regions", json=place).json()
    for one, other in zip(found, again, strict=True):
        values = [{key: score["value"] or 0 for key, score in each["scores"].items()} for each in (one, other)]
        assert values[0] == pytest.approx(values[1], rel=1e-6)
    with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
        kept = "select count(*) from spot_scores where spot_id = %s"
        assert connection.execute(kept, [spot["id"]]).fetchone() == (4,)
        connection.execute("update spot_scores set scores = jsonb_set(scores, '{psnr_luma,value}', '12.5')")
    assert app.http.post(address).json()[0]["scores"]["psnr_luma"]["value"] == 12.5
    app.http.patch(f"/api/spots/{spot['id']}", json={"removed": True})


def test_places_outside_are_refused_in_a_sentence(app: Running, trial: dict) -> None:
    where = f"/api/trials/{trial['id']}/spots"
    for place in ({"left": 300}, {"top": 250}, {"frame": 1}):
        answer = app.http.post(where, json={"name": "Out", **PLACE, **place})
        assert answer.status_code == 422 and answer.json()["detail"].endswith((".", "again."))
    foreign = app.read("other.png", as_png(np.full((64, 64, 3), 90, np.uint8)))
    other = app.finished(app.start_trial(foreign["id"], "Bilinear", factor=2))
    spot = app.http.post(f"/api/trials/{other['id']}/spots",
                         json={"name": "Here", "left": 0, "top": 0, "width": 20, "height": 20}).json()  # fmt: skip
    assert app.http.post(f"{where}/{spot['id']}/scores").status_code == 404


def test_suggested_spots_lie_where_they_say(app: Running, trial: dict) -> None:
    found = app.http.post(f"/api/trials/{trial['id']}/spots/suggested").json()
    names = [spot["name"] for spot in found]
    assert {"Flat area", "Fine detail", "Hard edges", "Hardest place"} <= set(names) and len(set(names)) == len(
        names
    )
    truth, _ = pair(app, trial)
    slope = {}
    for spot in found:
        part = truth[spot["top"] : spot["top"] + spot["height"], spot["left"] : spot["left"] + spot["width"]]
        assert part.shape == (spot["height"], spot["width"]) and spot["why"]
        slope[spot["name"]] = float(np.abs(np.diff(part, axis=1)).mean())
    assert min(slope, key=slope.__getitem__) == "Flat area"


def grey(answer: httpx.Response) -> np.ndarray:
    assert answer.headers["content-type"] == "image/png"
    return np.asarray(Image.open(io.BytesIO(answer.content)))


def test_maps_of_faults(app: Running, trial: dict) -> None:
    truth, result = pair(app, trial)
    kinds = app.http.get("/api/maps").json()
    for fault in (kind for kind in kinds if not kind["of_all"]):
        address = f"/api/trials/{trial['id']}/entries/A/maps/{fault['id']}"
        facts = app.http.post(address).json()
        assert app.http.post(address).json() == facts
        found = grey(app.http.get(f"/api/pictures/{facts['picture_id']}/maps/{fault['id']}/0"))
        assert found.shape == truth.shape == (facts["height"], facts["width"])
        worst = facts["worst"]
        part = found[worst["top"] :, worst["left"] :][: worst["height"], : worst["width"]]
        if facts["value"] < fault["most"] / 4:  # what is beyond the scale is cut in the picture
            assert part.mean() / 255 * fault["most"] == pytest.approx(facts["value"], abs=fault["most"] / 255)
        if fault["id"] == "unlike":  # scikit-image as Wang, Bovik, Sheikh and Simoncelli 2004 have it
            _, theirs = structural_similarity(
                truth,
                result,
                data_range=1,
                gaussian_weights=True,
                sigma=1.5,
                use_sample_covariance=False,
                full=True,
            )
            wanted = np.clip(np.rint(255 * (1 - theirs)), 0, 255)[8:-8, 8:-8]
            assert np.abs(found[8:-8, 8:-8] - wanted).max() <= 1
        of_truth = app.http.post(f"/api/trials/{trial['id']}/entries/T/maps/{fault['id']}").json()
        assert of_truth["value"] == pytest.approx(0, abs=1e-4)
    assert app.http.post(f"/api/trials/{trial['id']}/entries/A/maps/heat").status_code == 404
    assert app.http.get(f"/api/pictures/{facts['picture_id']}/maps/lost/7").status_code == 404


def test_the_map_of_disagreement_is_of_those_in_the_race(app: Running, trial: dict) -> None:
    """The spread of two values is half of what lies between them."""
    address = f"/api/trials/{trial['id']}/entries/A/maps/disagreement"
    facts = app.http.post(address).json()
    found = grey(app.http.get(f"/api/pictures/{facts['picture_id']}/maps/{facts['name']}/0"))
    apart = np.square((pair(app, trial, "A")[1] - pair(app, trial, "B")[1]) / 2)
    wanted = 255 * np.sqrt(cv2.GaussianBlur(apart, (0, 0), 2, borderType=cv2.BORDER_REFLECT))
    assert np.abs(found - np.clip(wanted * 255 / 16, 0, 255)).max() <= 1
    standing = f"/api/trials/{trial['id']}/entries/B/standing"
    app.http.put(standing, json={"standing": "retired", "reason": ""}).raise_for_status()
    refused = app.http.post(address)
    assert refused.status_code == 422 and "Two entries must be finished" in refused.json()["detail"]
    app.http.put(standing, json={"standing": None, "reason": ""}).raise_for_status()
    assert app.http.post(address).json() == facts
    for name in ("../secret", "lost%2F..%2F..", "a" * 41):
        assert app.http.get(f"/api/pictures/{facts['picture_id']}/maps/{name}/0").status_code == 404


def test_exact_values_of_a_pixel_and_pixels_to_take_away(app: Running, trial: dict) -> None:
    found = app.http.post(f"/api/trials/{trial['id']}/pixels", json={"x": 123, "y": 77}).json()
    assert list(found) == ["truth", "input", "A", "B", "N"]
    sizes = {"truth": (123, 77), "input": (61, 38), "A": (123, 77)}
    whole = {"truth": trial["truth_picture"], "input": trial["input_picture"],
             "A": trial["entries"][0]["picture_id"]}  # fmt: skip
    for name, (x, y) in sizes.items():
        picture = codes(app, whole[name])
        assert found[name]["codes"] == picture[y, x].tolist()
        assert found[name]["bits"] == 8 * picture.itemsize
        # colour-science: sRGB to L*a*b* under D65, and CIEDE2000
        xyz = colour.sRGB_to_XYZ(picture[y, x] / (2 ** found[name]["bits"] - 1))
        assert found[name]["lab"] == pytest.approx(colour.XYZ_to_Lab(xyz), abs=0.05)
    off = colour.delta_E(found["truth"]["lab"], found["A"]["lab"], method="CIE 2000")
    assert found["A"]["from_truth"] == pytest.approx(off, abs=1e-3) and found["truth"]["from_truth"] == 0
    answer = app.http.get(f"/api/trials/{trial['id']}/crops.zip", params=PLACE)
    archive = zipfile.ZipFile(io.BytesIO(answer.content))
    names = archive.namelist()
    assert [name.split(",")[0] for name in names] == ["truth Truth", "input Input", "A Bilinear", "B Lanczos 3",
                                                      "N Nearest neighbour"]  # fmt: skip
    cut = cv2.imdecode(np.frombuffer(archive.read(names[2]), np.uint8), cv2.IMREAD_UNCHANGED)[..., ::-1]
    assert cut.dtype == np.uint16 and np.array_equal(cut, codes(app, whole["A"])[60:150, 40:160])
    small = cv2.imdecode(np.frombuffer(archive.read(names[1]), np.uint8), cv2.IMREAD_UNCHANGED)[..., ::-1]
    assert np.array_equal(small, codes(app, whole["input"])[30:75, 20:80])
    assert app.http.post(f"/api/trials/{trial['id']}/pixels", json={"x": 5000, "y": 0}).status_code == 422


def test_a_take_can_be_read_by_other_viewers(app: Running, trial: dict) -> None:
    """Through piffle, a client of the open IIIF Image API: the description, every tile of every level, all of it."""
    noise = np.random.default_rng(2).integers(0, 256, (700, 1300, 3), np.uint8)
    wide = app.read("wide-noise.png", as_png(noise))["picture_id"]
    client = IIIFImageClient(f"{app.address}/api/iiif/3", f"{wide}-0")
    described = app.http.get(str(client.info())).json()
    assert described["id"] == f"{app.address}/api/iiif/3/{wide}-0"
    assert (described["width"], described["height"], described["type"]) == (1300, 700, "ImageService3")
    (tiles,) = described["tiles"]
    for factor in tiles["scaleFactors"]:
        step = tiles["width"] * factor
        for y in range(0, 700, step):
            for x in range(0, 1300, step):
                cut = min(step, 1300 - x), min(step, 700 - y)
                small = [-(-length // factor) for length in cut]
                part = client.region(x=x, y=y, width=cut[0], height=cut[1]).size(width=small[0], height=small[1])
                answer = app.http.get(str(part.format("png")))
                assert answer.status_code == 200, str(part)
                found = np.asarray(Image.open(io.BytesIO(answer.content)))
                assert found.shape == (small[1], small[0], 3)
                if factor == 1:
                    assert np.array_equal(found, noise[y : y + cut[1], x : x + cut[0]])
    for size in described["sizes"]:
        answer = app.http.get(str(client.size(**size).format("png")))
        assert Image.open(io.BytesIO(answer.content)).size == (size["width"], size["height"])
    assert str(app.http.get(f"/api/iiif/3/{wide}-0").next_request.url).endswith("/info.json")
    for wrong in ("1,0,512,512/512,512/0/default.png", "full/max/90/default.png", "full/200,/0/default.jpg"):
        assert app.http.get(f"/api/iiif/3/{wide}-0/{wrong}").status_code == 422
    assert app.http.get(f"/api/iiif/3/{wide}-1/info.json").status_code == 404


def test_parts_of_pictures_come_on_a_sheet(app: Running) -> None:
    """Parts of pictures of 8 and 16 bits, colour and grey, below one another; what is none of their pixels is refused."""
    rng = np.random.default_rng(4)
    noise = rng.integers(0, 256, (400, 700, 3), np.uint8)
    deep = rng.integers(0, 2**16, (130, 90), np.uint16)
    out = io.BytesIO()
    Image.fromarray(deep).save(out, "PNG")
    wide, grey = (app.read("sheet.png", as_png(noise)), app.read("deep.png", out.getvalue()))
    first, second = (f"{source['picture_id']}-0" for source in (wide, grey))
    parts = [f"{first}/500,3,168,128", f"{second}/0,0,90,130", f"{first}/699,399,1,1"]
    answer = app.http.get("/api/sheet", params={"part": parts})
    sheet = np.asarray(Image.open(io.BytesIO(answer.content)))
    assert sheet.shape == (259, 168, 3) and "immutable" in answer.headers["cache-control"]
    assert np.array_equal(sheet[:128], noise[3:131, 500:668])
    assert np.array_equal(sheet[128:258, :90], np.rint(deep / 257).astype(np.uint8)[..., None].repeat(3, axis=2))
    assert np.array_equal(sheet[258, 0], noise[399, 699]) and not sheet[128:258, 90:].any()
    for wrong, status in ((f"{first}/0,0,701,1", 422), (f"{first}/0,0,0,1", 422), ("x/0,0,1,1", 422),
                          (f"{wide['picture_id']}-1/0,0,1,1", 404), (f"{'0' * 64}-0/0,0,1,1", 404)):  # fmt: skip
        answer = app.http.get("/api/sheet", params={"part": [parts[0], wrong]})
        assert (answer.status_code, answer.headers["content-type"]) == (status, "application/problem+json"), wrong


def test_spots_say_who_wins_where(app: Running, trial: dict) -> None:
    for number, place in enumerate(({"left": 0, "top": 0}, {"left": 240, "top": 180})):
        spot = app.http.post(
            f"/api/trials/{trial['id']}/spots", json={"name": f"S{number}", **PLACE, **place}
        ).json()
        app.http.post(f"/api/trials/{trial['id']}/spots/{spot['id']}/scores")
        better = "B" if number else "A"
        with psycopg.connect(app.environment["MISTLINE_DATABASE_URL"]) as connection:
            for letter, value in (("A", 0.8), ("B", 0.8), (better, 0.9)):
                key = next(entry["take_key"] for entry in trial["entries"] if entry["letter"] == letter)
                connection.execute(
                    "update spot_scores set scores = jsonb_set(scores, '{ssim,value}', %s::jsonb)"
                    " where spot_id = %s and take_key = %s", [str(value), spot["id"], key],
                )  # fmt: skip
    words = app.http.get(f"/api/trials/{trial['id']}/spots/words", params={"measure": "ssim"}).json()
    assert words == ["A wins at S0 (SSIM 0.9000) and comes last at S1 (SSIM 0.8000).",
                     "B wins at S1 (SSIM 0.9000) and comes last at S0 (SSIM 0.8000)."]  # fmt: skip
    assert app.http.get(f"/api/trials/{trial['id']}/spots/words", params={"measure": "x"}).status_code == 404
    for spot in app.http.get(f"/api/trials/{trial['id']}/spots").json():
        app.http.patch(f"/api/spots/{spot['id']}", json={"removed": True})


def test_remarks_and_standings_come_back_after_removal(app: Running, trial: dict) -> None:
    where = f"/api/trials/{trial['id']}/remarks"
    remark = {"letter": "B", "left": 7, "top": 9, "width": 0, "height": 0, "frame": 0, "defect": "rims",
              "severity": 2, "note": "beside the badge"}  # fmt: skip
    made = app.http.post(where, json=remark).json()["id"]
    assert app.http.get(where).json()[0] | remark == app.http.get(where).json()[0]
    app.http.patch(f"/api/remarks/{made}", json={"severity": 3, "removed": True})
    assert app.http.get(where).json() == []
    app.http.patch(f"/api/remarks/{made}", json={"removed": False})
    assert [each["severity"] for each in app.http.get(where).json()] == [3]
    assert app.http.post(where, json={**remark, "letter": "Q"}).status_code == 404
    for outside in ({"left": SIZE[1]}, {"top": 290, "height": 40}, {"frame": 1}):
        answer = app.http.post(where, json={**remark, **outside})
        assert answer.status_code == 422 and answer.json()["detail"].endswith((".", "again."))
    standing = f"/api/trials/{trial['id']}/entries/B/standing"
    app.http.put(standing, json={"standing": "retired", "reason": "softer than A"})
    entry = app.trial(trial["id"])["entries"][1]
    assert (entry["standing"], entry["standing_reason"]) == ("retired", "softer than A")
    app.http.put(standing, json={"standing": None})
    assert app.trial(trial["id"])["entries"][1]["standing"] is None
    assert app.http.put(standing.replace("/B/", "/Q/"), json={"standing": "kept"}).status_code == 404
