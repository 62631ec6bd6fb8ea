"""Spots, remarks, standings, the wall, maps, three zooms, the loupe: marked and looked at in the browser."""

import io
import re
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Locator, Page, expect

from tests.browser.test_main_job import canvas_codes, eight_bit, origin
from tests.conftest import as_png
from tests.core.media.clips import write_clip
from tests.harness import Running

SIZE = (301, 405)
PLACE = {"left": 40, "top": 60, "width": 120, "height": 90, "frame": 0}


@pytest.fixture
def trial(app: Running, astronaut: np.ndarray) -> dict:
    """A trial whose marks are those of the test alone; its takes are made once."""
    source = app.read("marks.png", as_png(astronaut[: SIZE[0], : SIZE[1]]))
    made = app.finished(app.start_trial(source["id"], "Bilinear", "Lanczos 3", factor=2))
    for spot in app.http.get(f"/api/trials/{made['id']}/spots").json():
        app.http.patch(f"/api/spots/{spot['id']}", json={"removed": True})
    return made


def spot(app: Running, trial: dict, name: str, **place: int) -> dict:
    return app.http.post(f"/api/trials/{trial['id']}/spots", json={"name": name, **PLACE, **place}).json()


def open_look(page: Page, trial: dict, rest: str) -> None:
    """Open Look with panes that are named first, and wait until all of them show their pictures."""
    page.goto(f"/trials/{trial['id']}/look?{rest}")
    panes = rest.partition("&")[0].count(",") + 1
    expect(page.locator("canvas[data-shown]:not([data-shown=''])")).to_have_count(panes)


def drag(page: Page, pane: Locator, first: tuple[float, float], last: tuple[float, float]) -> None:
    """Drag between two places in pixels from the pane's middle."""
    box = pane.bounding_box()
    assert box
    middle = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(middle[0] + first[0], middle[1] + first[1])
    page.mouse.down()
    page.mouse.move(middle[0] + last[0], middle[1] + last[1], steps=3)
    page.mouse.up()


def test_a_part_is_drawn_measured_made_a_spot_and_undone(page: Page, app: Running, trial: dict) -> None:
    open_look(page, trial, "panes=truth,B&focus=1&x=200&y=150&z=1&side=spots")
    page.keyboard.press("n")
    drag(page, page.get_by_test_id("marks").nth(1), (-60, -40), (40, 30))
    strip = page.get_by_role("region", name="Scores of this part")
    heading = strip.get_by_role("heading")
    expect(heading).to_have_text(re.compile(r"^100 × 70 pixels at (139|140), (109|110)$"))
    left, top = (int(number) for number in re.findall(r"\d+", heading.inner_text())[2:])
    place = {"left": left, "top": top, "width": 100, "height": 70}
    entries = app.http.post(f"/api/trials/{trial['id']}/regions", json=place).json()
    for entry in entries:
        value = entry["scores"]["ssim"]["value"]
        expect(strip.get_by_test_id("part-ssim").locator(f"[data-letter={entry['letter']}]")).to_contain_text(
            f"{value:.4f}" if value is not None else "equal"
        )
    expect(strip.get_by_test_id("part-ssim")).to_contain_text("best")
    strip.get_by_label("Name of the spot").fill("Badge")
    strip.get_by_role("button", name="Make it a spot").click()
    spots = page.get_by_role("list", name="Spots", exact=True)
    expect(spots.get_by_role("listitem")).to_have_text([re.compile("Badge")])
    expect(page.get_by_test_id("spot-box").filter(has_text="Badge")).to_have_count(2)
    page.get_by_role("button", name=re.compile("^Entries")).focus()
    for key, count in (("Control+z", 0), ("Control+Shift+z", 1)):
        page.keyboard.press(key)
        expect(spots.get_by_role("listitem")).to_have_count(count)
    kept = app.http.get(f"/api/trials/{trial['id']}/spots").json()
    assert [{key: each[key] for key in place} for each in kept] == [place]
    page.keyboard.press("Escape")
    expect(strip).to_have_count(0)


def test_a_spot_lies_on_its_pixels_at_every_zoom(page: Page, app: Running, trial: dict) -> None:
    spot(app, trial, "Eye")
    for zoom in (0.7, 1, 3):
        open_look(page, trial, f"panes=truth&focus=0&x=100&y=100&z={zoom}")
        canvas = page.locator("canvas").bounding_box()
        box = page.get_by_test_id("spot-box").bounding_box()
        assert canvas and box
        top, left = origin(canvas_codes(page, "Truth"), 100, 100, zoom)
        top, left = top + 60 * zoom, left + 40 * zoom
        assert [box["x"] - canvas["x"], box["y"] - canvas["y"]] == pytest.approx([left, top], abs=0.51)
        assert [box["width"], box["height"]] == pytest.approx([120 * zoom, 90 * zoom], abs=0.51)
    page.keyboard.press("k")
    expect(page.get_by_test_id("spot-box")).to_have_count(0)


def test_suggestions_are_kept_with_a_press(page: Page, trial: dict) -> None:
    open_look(page, trial, "panes=truth&focus=0&side=spots")
    page.get_by_role("button", name="Suggest spots").click()
    suggested = page.get_by_role("list", name="Suggested spots")
    suggested.get_by_role("button", name=re.compile("^Flat area")).click()
    expect(page.get_by_role("region", name="Scores of this part").get_by_test_id("part-ssim")).to_be_visible()
    page.get_by_role("button", name="Keep the spot Flat area").click()
    expect(page.get_by_role("list", name="Spots", exact=True)).to_contain_text("Flat area")
    expect(suggested.get_by_role("button", name=re.compile("^Flat area"))).to_have_count(0)
    page.get_by_role("button", name="Remove the spot Flat area").click()
    expect(page.get_by_role("list", name="Spots", exact=True).get_by_role("listitem")).to_have_count(0)


def test_a_remark_is_written_listed_and_shown_on_its_entry_alone(page: Page, app: Running, trial: dict) -> None:
    open_look(page, trial, "panes=A,B&focus=0&x=200&y=150&z=1&side=remarks")
    page.keyboard.press("n")
    drag(page, page.get_by_test_id("marks").first, (10, 10), (10, 10))
    strip = page.get_by_role("region", name="Scores of this part")
    expect(strip.get_by_role("heading")).to_have_text(re.compile(r"^Point (209|210), (159|160)$"))
    left, top = (int(number) for number in re.findall(r"\d+", strip.get_by_role("heading").inner_text()))
    values = eight_bit(app, trial["truth_picture"])[top, left]
    row = strip.get_by_test_id("pixel").locator("[data-letter=truth]")
    expect(row).to_contain_text(f"{' '.join(str(value) for value in values)} 8-bit")
    strip.get_by_label("Remark on A").fill("smeared detail")
    strip.get_by_label("Severity").select_option("3")
    strip.get_by_role("button", name="Write it").click()
    expect(page.get_by_role("list", name="Remarks")).to_contain_text("smeared detail")
    expect(page.get_by_role("list", name="Remarks")).to_contain_text(re.compile(r"rules it out, at \d+, 1\d\d"))
    expect(page.get_by_test_id("remark-box")).to_have_count(1)
    page.get_by_role("button", name=re.compile("^Entries")).click()
    expect(page.get_by_test_id("tray-A")).to_contain_text("1 remark")


def test_entries_are_put_by_drag_retired_and_the_finalists_flipped(page: Page, app: Running, trial: dict) -> None:
    spot(app, trial, "Eye")
    open_look(page, trial, "panes=truth,A&focus=0")
    page.get_by_test_id("tray-B").drag_to(page.get_by_role("region", name="Bilinear"))
    expect(page).to_have_url(re.compile("panes=truth%2CB&focus=1"))
    for letter in "AB":
        page.get_by_role("button", name=f"Finalist {letter}").click()
    page.get_by_role("button", name="Flip the finalists").click()
    expect(page).to_have_url(re.compile(r"panes=A&focus=0.*x=100.0&y=105.0"))
    a, b = (trial["entries"][at]["picture_id"] for at in (0, 1))
    canvas = page.locator("canvas")
    expect(canvas).to_have_attribute("data-shown", a)
    for picture in (b, a, b):
        page.keyboard.press("b")
        expect(canvas).to_have_attribute("data-shown", picture)
    page.get_by_role("button", name="Retire B").click()
    page.get_by_label("Why B is retired").fill("softer than A")
    page.keyboard.press("Enter")
    expect(page.get_by_role("list", name="Entries").get_by_role("listitem").last).to_contain_text("Lanczos 3")
    page.reload()
    expect(page.get_by_label("Why B is retired")).to_have_value("softer than A")
    entry = app.trial(trial["id"])["entries"][1]
    assert (entry["standing"], entry["standing_reason"]) == ("retired", "softer than A")


def test_the_wall_shows_the_same_pixels_in_every_cell(page: Page, app: Running, trial: dict) -> None:
    open_look(page, trial, "panes=truth,A&focus=0")
    page.keyboard.press("q")
    expect(page.get_by_role("heading", name="No spots yet")).to_be_visible()
    first, second = spot(app, trial, "Eye"), spot(app, trial, "Badge", left=250, top=150)
    wall = page.get_by_role("region", name="Wall")
    heads = wall.get_by_role("columnheader")
    expect(heads).to_have_text([re.compile(word) for word in ("Truth", "Input", "Bilinear", "Lanczos", "Nearest")])
    for letter, name in (("A", "Bilinear"), ("B", "Lanczos 3")):
        picture = next(entry["picture_id"] for entry in trial["entries"] if entry["letter"] == letter)
        codes = eight_bit(app, picture)
        for each in (first, second):
            title = f"{name} at {each['name']}"
            expect(wall.get_by_role("img", name=title)).to_have_attribute("data-shown", picture)
            found = canvas_codes(page, title)
            top, left = origin(found, each["left"] + 60, each["top"] + 45, 1)
            wanted = codes[-top : found.shape[0] - top, -left : found.shape[1] - left]
            assert np.array_equal(found[: wanted.shape[0], : wanted.shape[1]], wanted)
    wall.get_by_label("Order and scores").select_option("by SSIM")
    scores = {entry["letter"]: entry["scores"]["ssim"]["value"] for entry in trial["entries"]}
    order = sorted("ABN", key=lambda letter: -scores[letter])
    names = {"A": "Bilinear", "B": "Lanczos", "N": "Nearest"}
    expect(heads).to_have_text([re.compile(word) for word in ("Truth", "Input", *(names[each] for each in order))])
    entries = app.http.post(f"/api/trials/{trial['id']}/spots/{first['id']}/scores").json()
    row = wall.get_by_role("row", name=re.compile("^Eye"))
    for entry in entries[:2]:
        expect(row).to_contain_text(f"{entry['scores']['ssim']['value']:.4f}")
    wall.get_by_role("button", name="Retire A").click()
    expect(heads.last).to_contain_text("Bilinear")
    wall.get_by_title("Lanczos 3 at Badge").click()
    expect(page).to_have_url(re.compile(r"panes=B&focus=0.*mode=panes|mode=panes.*panes=B&focus=0"))
    expect(page).to_have_url(re.compile(r"x=310.0&y=195.0&z=1"))


def test_a_map_lies_over_the_entries_and_leads_to_its_worst_place(page: Page, app: Running, trial: dict) -> None:
    open_look(page, trial, "panes=truth,A&focus=1&x=200&y=150&z=1")
    pane, plain = page.get_by_role("img", name="Bilinear"), eight_bit(app, trial["entries"][0]["picture_id"])

    def shown() -> np.ndarray:
        """The picture's pixels as the pane shows them."""
        codes = canvas_codes(page, "Bilinear")
        top, left = origin(codes, 200, 150, 1)
        return codes[top : top + plain.shape[0], left : left + plain.shape[1]]

    assert np.array_equal(shown(), plain)
    page.get_by_label("Map", exact=True).select_option("Unlike (1 − SSIM)")
    expect(page.get_by_test_id("map-scale")).to_contain_text("Unlike")
    facts = app.http.post(f"/api/trials/{trial['id']}/entries/A/maps/unlike").json()
    worst = page.get_by_role("button", name=f"Worst place of A: {float(format(facts['value'], '.2g')):g}")
    expect(worst).to_be_visible()
    expect(page).to_have_url(re.compile("map=unlike"))
    expect(pane).to_have_attribute("data-mapped", re.compile("/maps/unlike/0$"))
    assert 0.05 < np.any(shown() != plain, axis=-1).mean() < 1
    page.get_by_role("button", name="Alone").click()
    found = Image.open(io.BytesIO(app.http.get(f"/api/pictures/{facts['picture_id']}/maps/unlike/0").content))
    expect(pane).to_have_attribute("data-mapped", re.compile("alone$"))
    assert np.array_equal(shown(), np.repeat(np.asarray(found)[..., None], 3, axis=2))
    page.keyboard.press("v")
    place = facts["worst"]
    middle = [place["left"] + place["width"] / 2, place["top"] + place["height"] / 2]
    expect(page).to_have_url(re.compile(rf"x={middle[0]:.1f}&y={middle[1]:.1f}&z=1"))
    page.reload()
    expect(page.get_by_role("button", name="Alone")).to_have_attribute("aria-pressed", "true")


def test_three_zooms_and_a_loupe(page: Page, trial: dict) -> None:
    open_look(page, trial, "panes=truth,A&focus=1&x=200&y=150&z=1")
    page.keyboard.press("u")
    box = page.get_by_role("img", name="Bilinear").bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(page.get_by_test_id("loupe")).to_have_count(2)
    page.keyboard.press("u")
    expect(page.get_by_test_id("loupe")).to_have_count(0)
    page.keyboard.press("r")
    for name in ("Truth", "Bilinear"):
        for zoom in ("Fit", "100 %", "200 %"):
            expect(page.get_by_role("img", name=f"{name}, {zoom}")).not_to_have_attribute("data-shown", "")
    expect(page).to_have_url(re.compile("mode=zooms"))


def test_what_is_shown_is_saved_with_its_caption(page: Page, app: Running, trial: dict) -> None:
    open_look(page, trial, "panes=truth,A&focus=1&x=200&y=150&z=1")
    shown = [canvas_codes(page, name) for name in ("Truth", "Bilinear")]
    boxes = [page.get_by_role("img", name=name).bounding_box() for name in ("Truth", "Bilinear")]
    area = page.get_by_role("region", name="Truth").bounding_box()
    with page.expect_download() as download:
        page.get_by_role("button", name="Save", exact=True).click()
    saved = np.asarray(Image.open(download.value.path()))
    assert download.value.suggested_filename.endswith(".png") and area
    for codes, box in zip(shown, boxes, strict=True):
        assert box
        top, left = round(box["y"] - area["y"]), round(box["x"] - area["x"])
        assert np.array_equal(saved[top : top + codes.shape[0], left : left + codes.shape[1], :3], codes)
    assert saved.shape[0] > shown[0].shape[0] + 28 and len(np.unique(saved[-28:])) > 10  # words in the strip


def test_scores_at_the_spots_stand_on_the_scores_page(page: Page, app: Running, trial: dict) -> None:
    page.goto(f"/trials/{trial['id']}/scores")
    expect(page.get_by_text("No spots yet.")).to_be_visible()
    eye = spot(app, trial, "Eye")
    entries = app.http.post(f"/api/trials/{trial['id']}/spots/{eye['id']}/scores").json()
    row = page.get_by_test_id("at-spots").get_by_role("row", name=re.compile("^Eye"))
    for entry in entries[:3]:
        expect(row).to_contain_text(f"{entry['scores']['ssim']['value']:.4f}")
    page.get_by_label("Measure").select_option("Colour difference")
    expect(row).to_contain_text(f"{entries[0]['scores']['ciede2000']['value']:.2f}")


def test_twelve_entries_with_long_names_stand_on_the_wall(page: Page, app: Running, astronaut: np.ndarray) -> None:
    """Heads and the first column stay in sight however far it is scrolled; the page itself does not scroll."""
    names = [f"Number {number}, a recipe whose name is longer than any column is wide" for number in range(12)]
    for name in names:
        app.http.post("/api/recipes", json={"name": name, "passes": [{"method": "bilinear"}]}).raise_for_status()
    source = app.read("twelve.png", as_png(astronaut[100:196, 100:228]))
    trial = app.finished(app.start_trial(source["id"], *names, factor=2))
    for number in range(8):
        spot(app, trial, f"Spot {number}", left=10 * number, top=5 * number, width=30, height=30)
    page.goto(f"/trials/{trial['id']}/look?mode=wall&z=1")
    shown = page.locator("canvas[data-shown]:not([data-shown=''])")
    expect(shown).to_have_count(8 * 15)
    wall = page.get_by_role("region", name="Wall")
    first = wall.get_by_role("rowheader").first.bounding_box()
    wall.get_by_role("img").last.scroll_into_view_if_needed()
    box = wall.bounding_box()
    head, row = (
        wall.get_by_role("columnheader").last.bounding_box(),
        wall.get_by_role("rowheader").last.bounding_box(),
    )
    assert box and head and row and first
    assert row["x"] == first["x"] and box["y"] <= head["y"] < box["y"] + 60
    assert head["x"] + head["width"] <= box["x"] + box["width"] + 1
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    assert page.evaluate("document.documentElement.scrollHeight <= innerHeight")
    page.keyboard.press("Shift+Digit2")  # the eleventh entry, by key
    page.keyboard.press("p")
    expect(page.get_by_role("region", name=names[10])).to_be_visible()
    expect(page).to_have_url(re.compile("z=1"))
    assert page.get_by_test_id("spot-box").count() > 0  # a zoom without a place is the middle


def test_no_map_is_asked_for_while_a_clip_plays(page: Page, app: Running, tmp_path: Path) -> None:
    path = write_clip(tmp_path / "maps.mkv", "ffv1", "yuv444p", 8)
    source = app.read("maps.mkv", path.read_bytes())
    trial = app.finished(app.start_trial(source["id"], "Bilinear", factor=2))
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url) if "/maps/" in request.url else None)
    page.goto(f"/trials/{trial['id']}/look?panes=truth,A&focus=1&map=unlike")
    expect(page.get_by_role("img", name="Bilinear")).to_have_attribute(
        "data-mapped", re.compile("/maps/unlike/0$")
    )
    before = len(asked)
    page.keyboard.press(" ")
    expect(page.get_by_text(re.compile("frames/s shown"))).to_be_visible()
    assert len(asked) == before
    page.keyboard.press(" ")
    expect(page.get_by_role("img", name="Bilinear")).to_have_attribute("data-mapped", re.compile("/maps/unlike/"))
