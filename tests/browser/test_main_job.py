"""The main job in the real interface: from an empty Shelf to a verdict in the Playbook."""

import base64
import io
import math
import re
from pathlib import Path

import cv2
import numpy as np
import pytest
import skimage
from PIL import Image
from playwright.sync_api import Page, expect

from mistline.core.media.plate import to_eight_bit
from tests.browser.conftest import choose
from tests.harness import Running, until

PHOTOGRAPH = Path(skimage.__file__).parent / "data" / "astronaut.png"
READ_CANVAS = """canvas => {
    const data = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
    let text = '';
    for (let i = 0; i < data.data.length; i += 8192)
        text += String.fromCharCode(...data.data.subarray(i, i + 8192));
    return { width: canvas.width, height: canvas.height, data: btoa(text) };
}"""


def canvas_codes(page: Page, name: str) -> np.ndarray:
    """The 8-bit values that a pane's canvas holds, (H, W, 3)."""
    read = page.get_by_role("img", name=name).evaluate(READ_CANVAS)
    codes = np.frombuffer(base64.b64decode(read["data"]), np.uint8)
    return codes.reshape(read["height"], read["width"], 4)[..., :3]


def origin(codes: np.ndarray, x: float, y: float, zoom: float) -> tuple[int, int]:
    """Row and column of the canvas where the picture's corner lies when (x, y) is in the centre."""
    height, width = codes.shape[:2]
    return math.floor(height / 2 - y * zoom + 0.5), math.floor(width / 2 - x * zoom + 0.5)


def eight_bit(app: Running, picture: str) -> np.ndarray:
    content = app.http.get(f"/api/pictures/{picture}/frames/0/plate").content
    codes = cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_UNCHANGED)
    return to_eight_bit(codes[..., ::-1])


def shown(page: Page, name: str, picture: str, zoom: float | None = None) -> None:
    """Wait until a pane shows a picture with all its pixels (at a zoom), and the others are fetched too."""
    pane = page.get_by_role("img", name=name)
    if zoom is not None:
        expect(pane).to_have_attribute("data-zoom", f"{zoom:g}")
    expect(pane).to_have_attribute("data-shown", picture)
    until(lambda: int(page.evaluate("document.documentElement.dataset.preloaded || 0")) >= 7, 15, "preloading")


@pytest.fixture(scope="module")
def job(app: Running) -> dict[str, str]:
    """What the steps hand on to each other."""
    return {}


def test_1_a_photograph_is_brought_onto_the_empty_shelf(page: Page) -> None:
    page.goto("/")
    expect(page.get_by_role("heading", name="The Shelf is empty")).to_be_visible()
    page.get_by_test_id("file-input").set_input_files(PHOTOGRAPH)
    card = page.get_by_test_id("source")
    expect(card).to_contain_text("512 × 512")
    expect(card).to_contain_text("8 bit RGB")
    card.get_by_label("Kind").select_option("Faces")
    expect(card.get_by_role("heading")).to_have_text("astronaut.png")


def test_2_a_truth_test_with_five_recipes_is_set_up_and_run(page: Page, job: dict[str, str]) -> None:
    page.goto("/shelf")
    page.get_by_role("link", name="Set up a trial").click()
    page.get_by_role("radio", name="4x").check()
    choose(page, "Bilinear", "Bicubic", "Lanczos 3", "Bicubic, sharpened", "Denoised, Lanczos 3")
    plan = page.get_by_role("complementary")
    expect(plan).to_contain_text("The input will be 128 × 128: 6.3 % of the data is left (1/16)")
    expect(plan).to_contain_text("7 takes: 5 recipes and 2 controls")
    expect(plan).to_contain_text(re.compile(r"About .* in all, .* of it processing"))
    page.get_by_label("Name of the trial").fill("Which enlarger for faces?")
    page.get_by_role("button", name="Run the trial").click()
    expect(page.get_by_role("heading", name=re.compile("Running"))).to_be_visible()
    expect(page.get_by_role("contentinfo")).to_contain_text("waiting")
    for letter in "ABCDENT":
        expect(page.get_by_test_id(f"entry-{letter}")).to_have_attribute("data-state", "done")
    expect(page.get_by_role("contentinfo")).to_contain_text("Nothing is running")
    job["trial"] = page.url.split("/")[-2]


def test_3_panes_show_exactly_the_takes_values_at_100_percent(
    page: Page, app: Running, job: dict[str, str]
) -> None:
    trial = app.trial(job["trial"])
    take = next(entry for entry in trial["entries"] if entry["letter"] == "C")
    page.goto(f"/trials/{job['trial']}/look?panes=truth,C&focus=1&side=none")  # without the tray the picture fits
    expect(page.get_by_role("img", name="Truth")).to_be_visible()
    page.keyboard.press("g")
    for name, picture in (("Truth", trial["truth_picture"]), (take["name"], take["picture_id"])):
        shown(page, name, picture, 1)
        codes = eight_bit(app, picture)
        seen = canvas_codes(page, name)
        top, left = origin(seen, 256, 256, 1)
        assert top > 0 and np.array_equal(seen[top : top + 512, left : left + 512], codes)


def test_4_the_viewport_is_shared_and_exact_above_100_percent(
    page: Page, app: Running, job: dict[str, str]
) -> None:
    trial = app.trial(job["trial"])
    page.goto(f"/trials/{job['trial']}/look?panes=truth,input,A,B&x=256&y=200&z=4")
    shown(page, "Truth", trial["truth_picture"], 4)
    shown(page, "Input, enlarged", trial["input_picture"], 4)
    truth, seen = eight_bit(app, trial["truth_picture"]), canvas_codes(page, "Truth")
    top, left = origin(seen, 256, 200, 4)
    y, x = np.mgrid[0 : seen.shape[0], 0 : seen.shape[1]]
    rows, columns = (y - top) // 4, (x - left) // 4
    assert np.array_equal(seen, truth[rows.clip(0, 511), columns.clip(0, 511)])
    # The input, four times smaller, is laid over the same place: each of its pixels is 16 device pixels wide.
    small, seen = (
        eight_bit(app, trial["input_picture"]),
        canvas_codes(page, "Input, enlarged"),
    )
    assert np.array_equal(seen, small[(rows // 4).clip(0, 127), (columns // 4).clip(0, 127)])
    assert page.get_by_test_id("pane-zoom").all_inner_texts() == ["400 %", "1600 %", "400 %", "400 %"]


def test_5_drag_wheel_and_keys_move_every_pane(page: Page, app: Running, job: dict[str, str]) -> None:
    trial = app.trial(job["trial"])
    page.goto(f"/trials/{job['trial']}/look?panes=truth,B&x=256&y=256&z=2")
    shown(page, "Bicubic", trial["entries"][1]["picture_id"], 2)
    before = canvas_codes(page, "Bicubic")
    box = page.get_by_role("img", name="Truth").bounding_box()
    assert box
    page.mouse.move(box["x"] + 300, box["y"] + 200)
    page.mouse.down()
    page.mouse.move(box["x"] + 260, box["y"] + 170, steps=4)
    page.mouse.up()
    page.wait_for_url(re.compile(r"x=276\.0&y=271\.0"))
    after = canvas_codes(page, "Bicubic")
    assert np.array_equal(after[:-30, :-40], before[30:, 40:])
    page.mouse.wheel(0, -400)
    page.wait_for_url(re.compile(r"z=5\.43"))
    page.keyboard.press("f")
    page.wait_for_url(re.compile("z=0"))
    assert "focus" not in page.url or "panes=truth%2CB" in page.url


def test_6_number_keys_flip_in_place_and_held_keys_show_input_and_truth(
    page: Page, app: Running, job: dict[str, str]
) -> None:
    trial = app.trial(job["trial"])
    pictures = {entry["letter"]: entry["picture_id"] for entry in trial["entries"]}
    names = {entry["letter"]: entry["name"] for entry in trial["entries"]}
    page.goto(f"/trials/{job['trial']}/look?panes=A&focus=0&x=200&y=150&z=3")
    shown(page, names["A"], pictures["A"])
    for key, letter in (("2", "B"), ("3", "C"), ("4", "D"), ("1", "A")):
        page.keyboard.press(key)
        shown(page, names[letter], pictures[letter])
        assert f"panes={letter}" in page.url and "x=200&y=150&z=3" in page.url
    page.keyboard.down("i")
    shown(page, "Input, enlarged", trial["input_picture"])
    page.keyboard.up("i")
    shown(page, names["A"], pictures["A"])
    page.keyboard.down("t")
    shown(page, "Truth", trial["truth_picture"])
    page.keyboard.up("t")
    shown(page, names["A"], pictures["A"])
    page.keyboard.press("?")
    expect(page.get_by_role("heading", name="Keys")).to_be_visible()


def test_7_a_flip_never_shows_an_empty_frame(page: Page, app: Running, job: dict[str, str]) -> None:
    """The canvas is watched on every animation frame while the entry changes: it always holds a whole picture."""
    trial = app.trial(job["trial"])
    page.goto(f"/trials/{job['trial']}/look?panes=A&focus=0&x=256&y=256&z=2")
    shown(page, "Bilinear", trial["entries"][0]["picture_id"])
    page.evaluate("""() => {
        const canvas = document.querySelector('canvas');
        window.emptyFrames = 0; window.frames_ = 0; window.watching = true;
        const look = () => {
            const context = canvas.getContext('2d');
            const { data } = context.getImageData(canvas.width / 2 - 8, canvas.height / 2 - 8, 16, 16);
            let same = 0;
            for (let i = 0; i < data.length; i += 4) if (data[i] === 0x77 && data[i + 1] === 0x77) same++;
            if (same > 200) window.emptyFrames++;
            window.frames_++;
            if (window.watching) requestAnimationFrame(look);
        };
        look();
    }""")
    for key in "23451234512345":
        page.keyboard.press(key)
    until(lambda: page.evaluate("window.frames_ > 20"), what="twenty frames")
    assert page.evaluate("window.watching = false, window.emptyFrames") == 0


def test_8_device_pixels_count_on_a_dense_screen(browser, app: Running, job: dict[str, str]) -> None:
    context = browser.new_context(
        viewport={"width": 900, "height": 700}, device_scale_factor=2, base_url=app.address
    )
    page = context.new_page()
    trial = app.trial(job["trial"])
    page.goto(f"/trials/{job['trial']}/look?panes=truth&focus=0&x=256&y=256&z=1")
    shown(page, "Truth", trial["truth_picture"], 1)
    seen, truth = canvas_codes(page, "Truth"), eight_bit(app, trial["truth_picture"])
    box = page.get_by_role("img", name="Truth").bounding_box()
    assert box and seen.shape[1] == round(box["width"] * 2)
    top, left = origin(seen, 256, 256, 1)
    assert np.array_equal(seen[top : top + 512, left : left + 512], truth)
    context.close()


def test_9_the_table_marks_best_and_ties_and_keeps_controls_apart(
    page: Page, app: Running, job: dict[str, str]
) -> None:
    page.goto(f"/trials/{job['trial']}/scores")
    table = page.get_by_test_id("scores")
    expect(table).to_be_visible()
    trial, row = app.trial(job["trial"]), page.get_by_test_id("scores-ssim")
    for entry in trial["entries"]:
        cell = row.locator(f"[data-letter={entry['letter']}]")
        expect(cell).to_contain_text(f"{entry['scores']['ssim']['value']:.4f}")
        expect(cell.get_by_text(", best")).to_have_count(int(entry["marks"].get("ssim") == "best"))
        assert not (entry["control"] and entry["marks"])
    expect(page.get_by_test_id("scores-psnr_rgb").locator("[data-letter=T]")).to_have_text("equal")
    expect(page.get_by_role("figure")).to_contain_text("The line joins the entries that none beats in both")
    for heading in ("Close to the truth", "Noise", "Detail", "Edges", "Colour", "Compression", "Lettering"):
        expect(table.get_by_role("rowheader", name=heading, exact=True)).to_be_visible()
    expect(page.get_by_test_id("in-words")).to_contain_text(re.compile(r"detail .* down \d+ %"))
    page.get_by_role("button", name="SSIM", exact=True).click()
    expect(page.get_by_text("Wang, Bovik, Sheikh, Simoncelli 2004")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="CSV").click()
    assert "SSIM" in Path(download.value.path()).read_text()


def test_91_the_verdict_is_written_replaced_and_stands_in_the_playbook(page: Page, job: dict[str, str]) -> None:
    page.goto(f"/trials/{job['trial']}/verdict")
    expect(page.get_by_role("button", name="Write the verdict")).to_be_disabled()
    page.get_by_role("group", name="Pick").get_by_label("Lanczos 3").first.check()
    page.get_by_role("group", name="Quick fallback").get_by_label("Bicubic").first.check()
    page.get_by_label("Reasons").fill("Closest in the eyes and the badge.")
    page.get_by_label("Your nickname").fill("Rook")
    page.get_by_role("button", name="Write the verdict").click()
    expect(page.get_by_role("status")).to_contain_text("Written")
    page.get_by_label("Reasons").fill("Closest in the eyes; rims at the collar are slight.")
    page.get_by_role("button", name="Replace the verdict").click()
    expect(page.get_by_test_id("verdict")).to_have_count(2)
    expect(page.get_by_test_id("verdict").first).to_contain_text("Rook")
    page.get_by_role("navigation", name="Main").get_by_role("link", name="Playbook").click()
    kind = page.get_by_test_id("kind-faces")
    expect(kind).to_contain_text("Lanczos 3")
    expect(kind).to_contain_text("rims at the collar are slight")
    kind.get_by_role("link", name="Which enlarger for faces?").click()
    expect(page).to_have_url(re.compile(f"/trials/{job['trial']}/look"))


def test_92_the_tile_is_a_plain_png(app: Running, job: dict[str, str]) -> None:
    picture = app.trial(job["trial"])["entries"][0]["picture_id"]
    image = Image.open(io.BytesIO(app.http.get(f"/api/pictures/{picture}/frames/0/tiles/0/0/0").content))
    assert image.mode == "RGB" and image.size == (512, 512) and "icc_profile" not in image.info
