"""Two pictures in one pane: the divider's column, the difference as numpy has it, keys, swapping, the address."""

import io
import re

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Browser, Page, expect

from mistline.core.measure.colour_difference import ciede2000, lab
from mistline.core.media.plate import to_eight_bit
from tests.browser.test_main_job import READ_CANVAS, canvas_codes
from tests.conftest import as_png
from tests.harness import Running

SIZE = (301, 405)


@pytest.fixture(scope="module")
def trial(app: Running, astronaut: np.ndarray) -> dict:
    source = app.read("wide.png", as_png(astronaut[: SIZE[0], : SIZE[1]]))
    return app.finished(app.start_trial(source["id"], "Bilinear", "Lanczos 3", factor=2))


@pytest.fixture(scope="module")
def pictures(app: Running, trial: dict) -> dict[str, tuple[str, np.ndarray]]:
    """Id and 8-bit values of truth and entries."""
    ids = {"truth": trial["truth_picture"]} | {entry["letter"]: entry["picture_id"] for entry in trial["entries"]}

    def codes(picture: str) -> np.ndarray:
        import cv2

        content = app.http.get(f"/api/pictures/{picture}/frames/0/plate").content
        return to_eight_bit(cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_UNCHANGED)[..., ::-1])

    return {name: (picture, codes(picture)) for name, picture in ids.items()}


def shown(page: Page, pictures: dict, *names: str) -> None:
    expect(page.locator("canvas")).to_have_attribute("data-shown", " ".join(pictures[name][0] for name in names))


def half_up(value: float) -> int:
    """As browsers round."""
    return int(np.floor(value + 0.5))


def laid(page: Page, codes: np.ndarray, zoom: int, x: float, y: float) -> tuple[np.ndarray, np.ndarray]:
    """A picture as the pane should show it at a whole zoom, and where there is picture at all."""
    height, width = page.locator("canvas").evaluate("canvas => [canvas.height, canvas.width]")
    left, top = half_up(width / 2 - x * zoom), half_up(height / 2 - y * zoom)
    rows, columns = (np.arange(height) - top) // zoom, (np.arange(width) - left) // zoom
    inside = np.outer((rows >= 0) & (rows < codes.shape[0]), (columns >= 0) & (columns < codes.shape[1]))
    return codes[np.clip(rows, 0, codes.shape[0] - 1)][:, np.clip(columns, 0, codes.shape[1] - 1)], inside


@pytest.mark.parametrize("zoom", [1, 2])
@pytest.mark.parametrize("way", ["upright", "level"])
def test_the_divider_stands_at_an_exact_column(
    page: Page, trial: dict, pictures: dict, zoom: int, way: str
) -> None:
    at = f"x=200&y=150&z={zoom}&divider=0.4321&divide={way}"
    page.goto(f"/trials/{trial['id']}/look?mode=wipe&panes=truth,A&focus=1&{at}")
    shown(page, pictures, "truth", "A")
    codes = canvas_codes(page, "Truth beside Bilinear")
    divider = page.get_by_role("slider", name="Divider")
    place, column = int(divider.get_attribute("data-at") or 0), int(divider.get_attribute("aria-valuenow") or 0)
    length, centre = (codes.shape[1], 200) if way == "upright" else (codes.shape[0], 150)
    assert place - half_up(length / 2 - centre * zoom) == column * zoom
    (truth, inside), (entry, _) = (laid(page, pictures[name][1], zoom, 200, 150) for name in ("truth", "A"))
    first = np.arange(codes.shape[1]) < place if way == "upright" else (np.arange(codes.shape[0]) < place)[:, None]
    wanted = np.where(np.broadcast_to(first, inside.shape)[..., None], truth, entry)
    assert np.array_equal(codes[inside], wanted[inside]) and inside.any() and column > 0


def test_the_divider_is_dragged_stepped_and_kept(page: Page, trial: dict, pictures: dict) -> None:
    page.goto(f"/trials/{trial['id']}/look?panes=truth,input,A,B&focus=2&x=200&y=150&z=2")
    expect(page.locator("canvas")).to_have_count(4)
    page.keyboard.press("w")
    shown(page, pictures, "truth", "A")
    divider = page.get_by_role("slider", name="Divider")
    box, pane = divider.bounding_box(), page.locator("canvas").bounding_box()
    assert box and pane
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(pane["x"] + 0.25 * pane["width"], box["y"] + 60, steps=4)
    page.mouse.up()
    page.wait_for_url(re.compile(r"divider=0\.2[45]"))
    divider.focus()
    page.keyboard.press("ArrowRight")
    page.wait_for_url(re.compile(r"divider=0\.2[67]"))
    column = divider.get_attribute("aria-valuenow")
    page.reload()
    shown(page, pictures, "truth", "A")
    expect(divider).to_have_attribute("aria-valuenow", column or "")
    page.locator("canvas").focus()
    page.keyboard.press("x")
    shown(page, pictures, "A", "truth")
    page.keyboard.press("2")  # onto the active side, which is the swapped one
    expect(page.get_by_role("region", name="Lanczos 3 beside Truth")).to_be_visible()
    page.keyboard.press("p")
    expect(page.locator("canvas")).to_have_count(2)


@pytest.mark.parametrize("scale", [1, 1.25, 1.5, 2])
def test_the_difference_is_numpys_whatever_the_scaling(
    browser: Browser, app: Running, trial: dict, pictures: dict, scale: float
) -> None:
    context = browser.new_context(
        viewport={"width": 1000, "height": 700}, base_url=app.address, device_scale_factor=scale
    )
    page = context.new_page()
    base = f"/trials/{trial['id']}/look?mode=difference&panes=truth,B&focus=1&x=200&y=150&z=2&gain=8"

    def differing(rest: str) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """What the pane shows where there is picture, and the truth and the entry there; it is black elsewhere."""
        page.goto(f"{base}&{rest}")
        shown(page, pictures, "truth", "B")
        codes = canvas_codes(page, "Lanczos 3 less Truth")
        both = [laid(page, pictures[name][1].astype(int), 2, 200, 150) for name in ("truth", "B")]
        inside = both[0][1]
        assert len(set(codes[~inside].ravel())) <= 1
        return codes[inside], both[0][0][inside], both[1][0][inside]

    codes, truth, entry = differing("of=channels")
    assert np.array_equal(codes, np.clip(8 * np.abs(entry - truth), 0, 255))
    codes, truth, entry = differing("of=luma")
    weights = np.array([0.2126, 0.7152, 0.0722])
    wanted = np.clip(128 + 8 * (entry @ weights - truth @ weights), 0, 255)
    assert np.abs(codes[..., 0] - wanted).max() <= 0.51
    expect(page.get_by_test_id("difference-scale")).to_contain_text("−16")
    codes, truth, entry = differing("of=green&sign=none")
    assert np.array_equal(codes[..., 0], np.clip(8 * np.abs(entry - truth)[..., 1], 0, 255))
    codes, truth, entry = differing("of=colour")
    apart = ciede2000(lab(truth[None] / 255), lab(entry[None] / 255))[
        0
    ]  # held against the published table elsewhere
    assert np.abs(codes[..., 0] - np.clip(8 * 255 * apart / 32, 0, 255)).max() <= 0.51
    expect(page.get_by_test_id("difference-scale")).to_contain_text("4 ΔE00")
    context.close()


def test_a_picture_less_itself_is_nothing_and_the_scale_says_when_it_is_not_exact(
    page: Page, trial: dict, pictures: dict
) -> None:
    page.goto(f"/trials/{trial['id']}/look?mode=difference&panes=A,A&focus=1&x=200&y=150&z=1")
    shown(page, pictures, "A", "A")
    assert set(np.unique(canvas_codes(page, "Bilinear less Bilinear"))) == {128}
    expect(page.get_by_text("exact from 100 % on")).to_have_count(0)
    page.keyboard.press("-")
    expect(page.get_by_text("exact from 100 % on")).to_be_visible()
    page.get_by_label("Gain").select_option("32")
    page.wait_for_url(re.compile("gain=32"))
    page.get_by_role("button", name="With sign").click()
    expect(page.get_by_test_id("difference-scale")).to_contain_text("7.97 cv, luma")
    page.get_by_label("Difference in").select_option("each channel")
    expect(page.get_by_test_id("difference-scale")).to_contain_text("each channel")
    expect(page.get_by_role("button", name="With sign")).to_have_count(0)


def test_a_wrong_address_shows_something_sensible(page: Page, trial: dict, pictures: dict) -> None:
    page.goto(f"/trials/{trial['id']}/look?mode=wipe&panes=Q&divider=x&gain=-3&x=200&y=150&z=1")
    shown(page, pictures, "truth", "truth")
    page.goto(f"/trials/{trial['id']}/look?mode=sideways&panes=A&x=200&y=150&z=1")
    shown(page, pictures, "A")
    read = page.locator("canvas").evaluate(READ_CANVAS)
    assert read["width"] > 0 and Image.open(io.BytesIO(page.screenshot())).size == (1280, 800)


def in_words(value: int, truth: int | None = None) -> str:
    off = 0 if truth is None else value - truth
    return f"{value} ({'+' if off > 0 else '−'}{abs(off)})" if off else str(value)


def test_values_under_the_pointer_are_told_in_every_pane(page: Page, trial: dict, pictures: dict) -> None:
    page.goto(f"/trials/{trial['id']}/look?panes=truth,A,B&focus=1&x=200&y=150&z=3")
    expect(page.locator("canvas[data-zoom='3']:not([data-shown=''])")).to_have_count(3)
    box = page.locator("canvas").nth(1).bounding_box()
    assert box
    for right, down in ((0, 0), (37, -50), (-90, 61)):
        across, along = box["width"] / 2 + right, box["height"] / 2 + down
        page.mouse.move(box["x"] + across, box["y"] + along)
        width, height = page.locator("canvas").nth(1).evaluate("canvas => [canvas.width, canvas.height]")
        x = int((across - half_up(width / 2 - 200 * 3)) // 3)
        y = int((along - half_up(height / 2 - 150 * 3)) // 3)
        truth = pictures["truth"][1][y, x].astype(int)
        told = page.get_by_test_id("values")
        expect(told.nth(0)).to_have_text(" ".join(in_words(value) for value in truth))
        for place, letter in ((1, "A"), (2, "B")):
            values = pictures[letter][1][y, x].astype(int)
            words = " ".join(in_words(value, there) for value, there in zip(values, truth, strict=True))
            expect(told.nth(place)).to_have_text(words)
    over = told.first.get_attribute("title")
    page.keyboard.press("ArrowLeft")  # the picture goes on under a pointer that stands
    expect(told.first).not_to_have_attribute("title", over or "")
    page.mouse.move(5, 5)
    expect(page.get_by_test_id("values")).to_have_count(0)


def test_more_panes_a_lift_and_back_again(page: Page, trial: dict, pictures: dict) -> None:
    page.goto(f"/trials/{trial['id']}/look?panes=truth,A&focus=1&x=200&y=150&z=1")
    expect(page.get_by_role("button", name="6", exact=True)).to_have_count(0)  # there are five pictures
    page.get_by_role("button", name="5", exact=True).click()
    expect(page.locator("canvas[data-zoom='1']:not([data-shown=''])")).to_have_count(5)
    page.goto(f"/trials/{trial['id']}/look?panes=truth,A&focus=1&x=200&y=150&z=1")
    canvases = page.locator("canvas")
    expect(canvases.nth(1)).to_have_attribute("data-shown", pictures["A"][0])
    page.keyboard.press("2")
    expect(canvases.nth(1)).to_have_attribute("data-shown", pictures["B"][0])
    for letter in "ABA":
        page.keyboard.press("b")
        expect(canvases.nth(1)).to_have_attribute("data-shown", pictures[letter][0])
    before = canvas_codes(page, "Bilinear")
    page.keyboard.press("l")
    expect(page.get_by_text("lifted 2×")).to_have_count(2)
    expect(canvases.nth(1)).to_have_css("filter", "brightness(2)")
    assert np.array_equal(canvas_codes(page, "Bilinear"), before)
    expect(page).to_have_url(re.compile("lift=2"))
    page.reload()
    expect(page.get_by_text("lifted 2×")).to_have_count(2)
    page.keyboard.press("d")  # a difference has no brightness to lift, and does not say so
    expect(page.get_by_text("lifted")).to_have_count(0)
    page.keyboard.press("w")
    expect(page.get_by_text("lifted 2×")).to_have_count(2)
    for _ in range(3):
        page.keyboard.press("l")
    expect(page.get_by_text("lifted")).to_have_count(0)
