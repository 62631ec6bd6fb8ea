"""Every mode of Look: exact pixels at any scaling of the screen, panes that agree, addresses that come back, keys alone."""

import random
import re

import numpy as np
import pytest
from playwright.sync_api import Browser, FilePayload, Page, expect

from tests.browser.test_main_job import canvas_codes, eight_bit, origin
from tests.conftest import as_png
from tests.harness import Running, until

SIZE = (301, 405)
PLACE = {"left": 150, "top": 110, "width": 60, "height": 60, "frame": 0, "name": "Eye"}
NAMES = {"truth": "Truth", "A": "Bilinear", "B": "Lanczos 3"}


@pytest.fixture(scope="module")
def trial(app: Running, astronaut: np.ndarray) -> dict:
    source = app.read("modes.png", as_png(astronaut[-SIZE[0] :, -SIZE[1] :]))
    made = app.finished(app.start_trial(source["id"], "Bilinear", "Lanczos 3", factor=2))
    app.http.post(f"/api/trials/{made['id']}/spots", json=PLACE).raise_for_status()
    return made


@pytest.fixture(scope="module")
def codes(app: Running, trial: dict) -> dict[str, np.ndarray]:
    ids = {entry["letter"]: entry["picture_id"] for entry in trial["entries"]}
    return {name: eight_bit(app, ids.get(name, trial["truth_picture"])) for name in NAMES}


def settled(page: Page, canvases: int) -> None:
    expect(page.locator("canvas[data-exact=true]")).to_have_count(canvases)


def assert_exact(canvas: np.ndarray, codes: np.ndarray, x: float, y: float, zoom: int, first: int = 0) -> None:
    """From column `first` on each picture pixel covers zoom x zoom canvas pixels, (x, y) in the middle."""
    top, left = origin(canvas, x, y, zoom)
    rows, columns = (np.arange(canvas.shape[0]) - top) // zoom, (np.arange(canvas.shape[1]) - left) // zoom
    inside = np.outer((rows >= 0) & (rows < codes.shape[0]), (columns >= 0) & (columns < codes.shape[1]))
    inside[:, :first] = False
    wanted = codes[rows.clip(0, codes.shape[0] - 1)][:, columns.clip(0, codes.shape[1] - 1)]
    assert inside.any() and np.array_equal(canvas[inside], wanted[inside])


@pytest.mark.parametrize(("scale", "zoom"), [(1, 1), (1, 2), (1.25, 1), (1.5, 2), (2, 1)])
def test_every_mode_is_exact_at_any_scaling(
    browser: Browser, app: Running, trial: dict, codes: dict[str, np.ndarray], scale: float, zoom: int
) -> None:
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, base_url=app.address, device_scale_factor=scale
    )
    page, x, y = context.new_page(), 180.0, 140.0
    look = f"/trials/{trial['id']}/look?x={x}&y={y}&z={zoom}"
    page.goto(f"{look}&panes=truth,A&focus=1")
    settled(page, 2)
    assert_exact(canvas_codes(page, "Truth"), codes["truth"], x, y, zoom)
    assert_exact(canvas_codes(page, "Bilinear"), codes["A"], x, y, zoom)
    page.keyboard.press("2")  # a flip
    expect(page.get_by_role("img", name="Lanczos 3")).to_be_visible()
    picture = next(entry["picture_id"] for entry in trial["entries"] if entry["letter"] == "B")
    expect(page.locator("canvas").last).to_have_attribute("data-shown", picture)
    assert_exact(canvas_codes(page, "Lanczos 3"), codes["B"], x, y, zoom)
    page.goto(f"{look}&mode=wipe&panes=truth,A&focus=1&divider=0.5")
    settled(page, 1)
    at = int(page.get_by_role("slider", name="Divider").get_attribute("data-at") or 0)
    assert_exact(canvas_codes(page, "Truth beside Bilinear"), codes["A"], x, y, zoom, first=at)
    page.goto(f"{look}&mode=wall")
    settled(page, 5)
    for name in ("truth", "A", "B"):
        assert_exact(canvas_codes(page, f"{NAMES[name]} at Eye"), codes[name], 180, 140, zoom)
    page.goto(f"{look}&mode=zooms&panes=truth,A")
    settled(page, 6)
    assert_exact(canvas_codes(page, f"Bilinear, {zoom}00 %"), codes["A"], x, y, zoom)
    context.close()


def test_panes_agree_after_a_random_walk(page: Page, trial: dict, codes: dict[str, np.ndarray]) -> None:
    page.goto(f"/trials/{trial['id']}/look?panes=A,A&focus=1&x=200&y=150&z=1&side=none")
    settled(page, 2)
    box = page.locator("canvas").last.bounding_box()
    assert box
    chance = random.Random(4)
    for _ in range(30):
        step = chance.choice(["key", "key", "wheel", "drag"])
        place = box["x"] + chance.uniform(9, box["width"] - 9), box["y"] + chance.uniform(9, box["height"] - 9)
        page.mouse.move(*place)
        if step == "key":
            page.keyboard.press(
                chance.choice(["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "+", "-", "h", "s"])
            )
        elif step == "wheel":
            page.mouse.wheel(0, chance.choice([-90, 90, 240]))
        else:
            page.mouse.down()
            page.mouse.move(place[0] + chance.randint(-60, 60), place[1] + chance.randint(-60, 60), steps=2)
            page.mouse.up()
    settled(page, 2)
    first, second = (page.locator("canvas").nth(n).evaluate("canvas => canvas.toDataURL()") for n in (0, 1))
    zooms = page.locator("canvas").evaluate_all("all => all.map(canvas => canvas.dataset.zoom)")
    assert first == second and len(set(zooms)) == 1
    page.keyboard.press("g")
    expect(page).to_have_url(re.compile(r"z=1(&|$)"))
    page.reload()  # so that the address, which follows at rest, and the view are one
    settled(page, 2)
    x, y = (float(re.search(rf"[?&]{axis}=([\d.]+)", page.url)[1]) for axis in "xy")  # type: ignore[index]
    page.keyboard.down("t")  # held: the truth in the active pane
    expect(page.get_by_role("img", name="Truth")).to_have_attribute("data-shown", trial["truth_picture"])
    canvas = canvas_codes(page, "Truth")
    page.keyboard.up("t")
    top, left = origin(canvas, x, y, 1)  # the address rounds to a tenth: it may be a pixel beside, never more
    near = [
        np.array_equal(a, b)
        for dy in (-1, 0, 1)
        for dx in (-1, 0, 1)
        for a, b in [_overlap(canvas, codes["truth"], top + dy, left + dx)]
    ]
    assert any(near)


def _overlap(canvas: np.ndarray, codes: np.ndarray, top: int, left: int) -> tuple[np.ndarray, np.ndarray]:
    height = min(canvas.shape[0], top + codes.shape[0]) - max(0, top)
    width = min(canvas.shape[1], left + codes.shape[1]) - max(0, left)
    there = canvas[max(0, top) :, max(0, left) :][:height, :width]
    return there, codes[max(0, -top) :, max(0, -left) :][:height, :width]


@pytest.mark.parametrize("mode", ["panes", "wipe", "difference", "wall", "zooms"])
def test_an_address_brings_the_same_view_back(page: Page, trial: dict, mode: str) -> None:
    page.goto(f"/trials/{trial['id']}/look?panes=truth,A&focus=1&x=190.5&y=120.5&z=1&lift=2")
    settled(page, 2)
    page.keyboard.press({"panes": "p", "wipe": "w", "difference": "d", "wall": "q", "zooms": "r"}[mode])
    count = {"panes": 2, "wipe": 1, "difference": 1, "wall": 5, "zooms": 6}[mode]
    expect(page.locator("canvas")).to_have_count(count)
    page.keyboard.press("h")
    expect(page).to_have_url(re.compile(r"z=2"))
    canvases = page.locator("canvas[data-shown]:not([data-shown=''])")

    def seen() -> list[str]:
        expect(canvases).to_have_count(count)
        if mode != "difference":
            settled(page, count)
        return page.locator("canvas").evaluate_all("all => all.map(canvas => canvas.toDataURL())")

    before, address = seen(), page.url
    page.reload()
    assert seen() == before and page.url == address


@pytest.mark.parametrize("size", [(64, 900), (900, 64)])
def test_portrait_and_very_wide_pictures_fit(page: Page, app: Running, astronaut: np.ndarray, size) -> None:
    picture = np.tile(astronaut, (2, 2, 1))[: size[0], : size[1]]
    made = app.finished(app.start_trial(app.read(f"{size[0]}.png", as_png(picture))["id"], "Bilinear", factor=2))
    page.goto(f"/trials/{made['id']}/look?panes=truth,A&focus=1&z=0")
    settled(page, 2)
    for name in ("Truth", "Bilinear"):
        canvas = canvas_codes(page, name)
        ground = np.all(canvas == canvas[0, 0], axis=2)
        rows, columns = np.flatnonzero(~ground.all(axis=1)), np.flatnonzero(~ground.all(axis=0))
        spans = rows[-1] - rows[0] + 1, columns[-1] - columns[0] + 1
        assert spans[0] / spans[1] == pytest.approx(size[0] / size[1], rel=0.1)
        assert max(spans[0] / canvas.shape[0], spans[1] / canvas.shape[1]) > 0.97  # the whole, as large as it goes
    page.keyboard.press("g")
    expect(page.locator("canvas").last).to_have_attribute("data-zoom", "1")
    settled(page, 2)
    assert_exact(canvas_codes(page, "Truth"), picture, size[1] / 2, size[0] / 2, 1)


def tab_to(page: Page, words: str) -> None:
    """Move the focus by the Tab key until what has it says these words."""
    says = """() => { const on = document.activeElement;
        if (on === document.body) return '';  // nothing has it; but the body's text is all of the page
        return [on.getAttribute('aria-label'), on.labels?.[0]?.textContent, on.textContent].filter(Boolean).join(' '); }"""
    heard: list[str] = []
    for _ in range(150):
        page.keyboard.press("Tab")
        heard.append(page.evaluate(says))
        if re.search(words, heard[-1]):
            return
    raise AssertionError(f"the focus never came to {words}, only to {heard}")


def test_the_main_job_is_done_by_keys_alone(page: Page, app: Running, astronaut: np.ndarray) -> None:
    file = FilePayload(name="by-keys.png", mimeType="image/png", buffer=as_png(astronaut[100:260, 100:300]))
    # Heard from the start: when it is asked for at the press, a busy browser opens a chooser of its own.
    page.on("filechooser", lambda chooser: chooser.set_files([file]))
    page.goto("/shelf")
    expect(page.get_by_role("button", name="Choose files")).to_be_visible()
    tab_to(page, "Choose files")
    page.keyboard.press("Enter")
    card = page.get_by_test_id("source").filter(has_text="by-keys.png")
    expect(card.get_by_role("link", name="Set up a trial")).to_be_visible()
    page.get_by_role("heading", name="Shelf").click()  # the focus back to the top of the page
    tab_to(page, "Set up a trial")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name=re.compile("^Run "))).to_be_enabled()
    tab_to(page, "^Run ")
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile("/trials/.*/run"))
    trial = page.url.split("/")[-2]
    app.finished(trial)
    tab_to(page, "^Look at the results")
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile("/look"))
    expect(page.locator("canvas[data-exact=true]").first).to_be_visible()
    for key in ("g", "1", "b", "w", "d", "p", "m"):
        page.keyboard.press(key)
    expect(page.get_by_role("region", name="Scores of this part")).to_be_visible()
    page.keyboard.press("Escape")
    tab_to(page, r"^Scores\s*$")
    page.keyboard.press("Enter")
    expect(page.get_by_role("table").first).to_be_visible()
    tab_to(page, r"^Verdict\s*$")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name=re.compile("^Write"))).to_be_visible()
    tab_to(page, "^A ?Bicubic")
    page.keyboard.press("Space")
    tab_to(page, "Reasons")
    page.keyboard.type("Closest to the truth at the eye.")
    expect(page.get_by_label("Kind").locator("option")).not_to_have_count(1)  # the kinds are there
    tab_to(page, "^Kind")
    page.keyboard.type("Faces")
    tab_to(page, "^Write")
    page.keyboard.press("Enter")
    until(lambda: app.trial(trial)["verdicts"], what="the verdict")
