"""Below 100 % a picture is the mean over each screen pixel's area, in its place; results are put in place and pinned."""

import re

import cv2
import numpy as np
import pytest
from playwright.sync_api import Browser, Page, expect
from skimage.registration import phase_cross_correlation

from tests.api.test_models import drop
from tests.browser.test_main_job import canvas_codes, eight_bit, origin
from tests.conftest import as_png
from tests.core.methods.models import resizer
from tests.harness import Running

SIZE = (703, 937)  # odd both ways, tiles and levels in both
ZOOMS = [0.93, 0.871, 0.77, 0.707, 0.6667, 0.613, 0.55, 0.501, 0.499, 0.433, 0.377, 0.333, 0.31, 0.273, 0.251, 0.22,
         0.19, 0.167, 0.141, 0.125]  # fmt: skip


@pytest.fixture(scope="module")
def trial(app: Running, astronaut: np.ndarray) -> dict:
    large = cv2.resize(astronaut, SIZE[::-1], interpolation=cv2.INTER_CUBIC).astype(int)
    grain = np.random.default_rng(2).normal(0, 12, large.shape)  # detail up to the corner frequency
    source = app.read("scaled.png", as_png(np.clip(large + grain, 0, 255).astype(np.uint8)))
    return app.finished(app.start_trial(source["id"], "Bilinear", factor=1.5))  # 702 x 936; the input 468 x 624


def mean_over(codes: np.ndarray, axis: int, origin: float, step: float, count: int) -> np.ndarray:
    """The mean of a piecewise constant signal over intervals of `step` from `origin` on, by its integral."""
    codes = np.moveaxis(codes.astype(np.float64), axis, 0)
    sums = np.concatenate([np.zeros((1, *codes.shape[1:])), np.cumsum(codes, axis=0)])

    def until(place: np.ndarray) -> np.ndarray:
        place = np.clip(place, 0, len(codes))
        whole = np.minimum(place.astype(int), len(codes) - 1)
        part = (place - whole).reshape(-1, *[1] * (codes.ndim - 1))
        return sums[whole] + part * codes[whole]

    places = origin + step * np.arange(count)
    return np.moveaxis((until(places + step) - until(places)) / step, 0, axis)


def area_mean(
    codes: np.ndarray, canvas: np.ndarray, extent: tuple[int, int], x: float, y: float, zoom: float
) -> tuple[np.ndarray, tuple]:
    """What a canvas should hold, and the part of it that is all picture; `extent` and `zoom` are the truth's."""
    top, left = origin(canvas, x, y, zoom)
    scale = [zoom * length / own for length, own in zip(extent, codes.shape, strict=False)]
    wanted = mean_over(codes, 0, -top / scale[0], 1 / scale[0], canvas.shape[0])
    wanted = mean_over(wanted, 1, -left / scale[1], 1 / scale[1], canvas.shape[1])
    ends = [min(canvas.shape[axis], int((top, left)[axis] + extent[axis] * zoom)) for axis in (0, 1)]
    return wanted, (slice(max(0, top), ends[0]), slice(max(0, left), ends[1]))


@pytest.mark.parametrize("scale", [1, 1.5])
def test_below_100_percent_it_is_an_area_mean_in_its_place(
    browser: Browser, app: Running, trial: dict, scale: float
) -> None:
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, base_url=app.address, device_scale_factor=scale
    )
    page, codes = context.new_page(), {}
    for name in ("truth", "input"):
        codes[name] = eight_bit(app, trial[f"{name}_picture"])
    for number, zoom in enumerate(ZOOMS if scale == 1 else ZOOMS[::5]):
        x, y = 400.3 + 31 * number, 300.7 + 19 * number
        page.goto(f"/trials/{trial['id']}/look?panes=truth,input&focus=0&x={x}&y={y}&z={zoom}&side=none")
        expect(page.locator("canvas[data-exact=true]")).to_have_count(2)
        for name, pane in (("truth", "Truth"), ("input", "Input, enlarged")):
            if name == "input" and zoom > 0.49:
                continue  # enlarged itself
            canvas = canvas_codes(page, pane)
            wanted, inside = area_mean(codes[name], canvas, codes["truth"].shape[:2], x, y, zoom)
            given, wanted = canvas[inside].astype(float), wanted[inside]
            shift, _, _ = phase_cross_correlation(
                wanted.mean(-1), given.mean(-1), upsample_factor=100, normalization=None
            )
            assert np.abs(shift).max() < 0.05, (name, zoom)
            assert np.sqrt(np.square(given - wanted).mean()) < (0.6 if zoom > 0.25 else 2), (name, zoom)
            slopes = [np.diff(values, axis=1).std() for values in (given, wanted)]
            assert slopes[0] / slopes[1] == pytest.approx(1, abs=0.06), (name, zoom)  # neither soft nor sharp
    context.close()


def test_while_it_moves_it_is_quick_and_at_rest_exact_again(page: Page, app: Running, trial: dict) -> None:
    page.goto(f"/trials/{trial['id']}/look?panes=A&focus=0&x=600&y=500&z=0.4&side=none")
    exact = page.locator("canvas[data-exact=true]")
    expect(exact).to_have_count(1)
    first = canvas_codes(page, "Bilinear")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowLeft")
    expect(exact).to_have_count(1)
    assert np.array_equal(canvas_codes(page, "Bilinear"), first)


def test_tiles_of_an_enlarged_picture_show_no_seams(page: Page, app: Running, trial: dict) -> None:
    """At a zoom between whole ones every screen pixel holds the picture pixel under its middle."""
    codes, zoom = eight_bit(app, trial["truth_picture"]), 1.37
    page.goto(f"/trials/{trial['id']}/look?panes=truth&focus=0&x=460&y=350&z={zoom}&side=none")
    expect(page.locator("canvas[data-exact=true]")).to_have_count(1)
    canvas = canvas_codes(page, "Truth")
    top, left = origin(canvas, 460, 350, zoom)
    rows, columns = ((np.arange(n) + 0.5 - o) / zoom for n, o in zip(canvas.shape, (top, left), strict=False))
    sure = [np.abs(place - np.rint(place)) > 0.02 for place in (rows, columns)]  # not on an edge
    wanted = codes[rows.astype(int)][:, columns.astype(int)]
    inside = np.outer(*sure)
    assert np.array_equal(canvas[inside], wanted[inside])


def test_a_result_off_its_place_is_shown_where_it_belongs(page: Page, app: Running, tmp_path) -> None:
    """Aligned by corners' left edge, an enlargement by 2 lies half a pixel up and left (closed form)."""
    y, x = np.mgrid[:300, :400]
    smooth = 128 + 60 * np.sin(x / 9) * np.cos(y / 11) + 40 * np.sin((x + y) / 17)
    source = app.read("place.png", as_png(np.repeat(np.rint(smooth).astype(np.uint8)[..., None], 3, 2)))
    model = resizer(tmp_path / "off.onnx", 2, coordinates="asymmetric")
    card = drop(app, "off.onnx", model.read_bytes())
    recipe = {"name": "Off its place", "passes": [{"method": card["id"]}]}
    app.http.post("/api/recipes", json=recipe).raise_for_status()
    made = app.finished(app.start_trial(source["id"], "Off its place", factor=2))
    parts = next(entry for entry in made["entries"] if entry["letter"] == "A")["scores"]["registration"]["parts"]
    assert parts["sure"] and parts["right"] == pytest.approx(-0.5, abs=0.05)
    page.goto(f"/trials/{made['id']}/look?panes=truth,A&focus=1&x=200&y=150&z=1&side=none")
    truth = eight_bit(app, made["truth_picture"]).astype(float)
    off = page.get_by_role("button", name=re.compile(r"^lies 0\.\d\d px left, 0\.\d\d px up$"))
    off.click()
    expect(page).to_have_url(re.compile("placed=A"))
    back = page.get_by_role("button", name=re.compile("^moved back from 0"))
    expect(back).to_have_attribute("aria-pressed", "true")
    apart = {}
    for way, moved in (("back", 1), ("as it is", 0)):
        expect(page.locator("canvas[data-moved=true]")).to_have_count(moved)
        expect(page.locator("canvas[data-exact=true]")).to_have_count(2)
        canvas = canvas_codes(page, "Off its place").astype(float)
        top, left = origin(canvas, 200, 150, 1)
        seen = canvas[max(0, top) : top + 300, max(0, left) : left + 400]
        there = truth[max(0, -top) : max(0, -top) + seen.shape[0], max(0, -left) : max(0, -left) + seen.shape[1]]
        apart[way] = np.abs(seen - there)[8:-8, 8:-8].mean()
        if way == "back":
            back.click()
            expect(off).to_be_visible()
    assert apart["back"] < 0.4 * apart["as it is"]


def test_what_is_pinned_keeps_its_pane(page: Page, trial: dict) -> None:
    page.goto(f"/trials/{trial['id']}/look?panes=truth,input,A&focus=0")
    page.get_by_role("button", name="Pin Truth", exact=True).click()
    page.keyboard.press("2")  # onto the next pane, since the truth stays
    expect(page).to_have_url(re.compile("panes=truth%2CN%2CA&focus=1"))
    page.keyboard.press("Shift+P")
    page.keyboard.press("1")
    expect(page).to_have_url(re.compile("panes=truth%2CN%2CA&focus=2"))
    page.get_by_role("button", name="2", exact=True).click()
    expect(page).to_have_url(re.compile("panes=truth%2CN&"))
    page.reload()
    expect(page.get_by_role("button", name="Pin Truth", exact=True)).to_have_attribute("aria-pressed", "true")


def test_the_loupe_tells_the_values_that_a_take_holds(page: Page, app: Running, trial: dict) -> None:
    page.goto(f"/trials/{trial['id']}/look?panes=truth,A&focus=1&x=600&y=500&z=1&side=none")
    expect(page.locator("canvas[data-exact=true]")).to_have_count(2)
    page.keyboard.press("u")
    box = page.get_by_role("img", name="Bilinear").bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2 + 0.5, box["y"] + box["height"] / 2 + 0.5)
    told = page.get_by_test_id("loupe-values")
    expect(told).to_have_count(2)
    title = page.get_by_test_id("values").last.get_attribute("title") or ""
    column, row = (int(number) for number in re.findall(r"(?:column|row) (\d+)", title))
    entry = next(entry for entry in trial["entries"] if entry["letter"] == "A")
    content = app.http.get(f"/api/pictures/{entry['picture_id']}/frames/0/plate").content
    codes = cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_UNCHANGED)[..., ::-1]
    values = " ".join(str(value) for value in codes[row, column])
    expect(told.last).to_contain_text(values)
    expect(told.last).to_contain_text(re.compile(r"16-bit, ΔE00 \d+\.\d\dL"))
