"""Setting up, finding trials again, and the modes of looking, beyond the main job."""

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import choose
from tests.conftest import as_png
from tests.harness import Running, until


@pytest.fixture(scope="module")
def source(app: Running, astronaut: np.ndarray) -> dict:
    return app.read("wide.png", as_png(astronaut[:301, :405]))


@pytest.fixture(scope="module")
def trial(app: Running, source: dict) -> dict:
    return app.finished(app.start_trial(source["id"], "Bilinear", "Bicubic", "Lanczos 3", factor=2))


def plan(page: Page):
    return page.get_by_role("complementary")


def test_the_set_up_says_what_is_cropped_and_what_is_left(page: Page, source: dict) -> None:
    page.goto(f"/trials/new?source={source['id']}")
    page.get_by_role("radio", name="5x").check()
    expect(plan(page)).to_contain_text("The truth is 405 × 300, cropped by 0 × 1 pixels to fit the factor.")
    expect(plan(page)).to_contain_text("The input will be 81 × 60: 4.0 % of the data is left (1/25).")
    page.get_by_label("Other factor").fill("2.5")
    expect(plan(page)).to_contain_text("405 × 300, cropped by 0 × 1")
    expect(plan(page)).to_contain_text("162 × 120")
    page.get_by_label("Other factor").fill("1.37")
    expect(plan(page)).to_contain_text("No whole number of pixels fits: the factor becomes 1.3")


def test_the_truth_is_brought_to_a_frame_first(page: Page, app: Running, source: dict) -> None:
    page.goto(f"/trials/new?source={source['id']}&factor=2")
    page.get_by_role("radio", name="the source brought to a smaller frame").check()
    expect(plan(page).get_by_role("alert")).to_contain_text("smaller than a frame of 1920 x 1080")
    page.get_by_label("Width of the frame").fill("200")
    page.get_by_label("Height of the frame").fill("100")
    expect(plan(page)).to_contain_text(
        "The truth is 200 × 100, the source brought down, of which 0 × 99 pixels are"
    )
    expect(plan(page)).to_contain_text("The input will be 100 × 50")
    page.reload()
    expect(plan(page)).to_contain_text("The truth is 200 × 100")
    page.get_by_role("button", name="None").click()
    page.get_by_role("checkbox", name=re.compile("^Bicubic")).first.check()
    page.get_by_role("button", name="Run the trial").click()
    page.wait_for_url(re.compile("/run$"))
    made = app.finished(page.url.split("/")[-2])
    assert [entry["state"] for entry in made["entries"]] == ["done"] * 3
    truth, entry = (
        next(each for each in made["pictures"] if each["id"] == key)
        for key in (made["truth_picture"], made["entries"][0]["picture_id"])
    )
    assert (truth["width"], truth["height"]) == (entry["width"], entry["height"]) == (200, 100)
    spot = app.http.post(
        f"/api/trials/{made['id']}/spots", json={"name": "s", "left": 50, "top": 20, "width": 40, "height": 30}
    ).json()
    assert [spot[side] for side in ("left", "top", "width", "height")] == pytest.approx([50, 20, 40, 30], abs=1)
    app.http.patch(f"/api/spots/{spot['id']}", json={"removed": True}).raise_for_status()


def test_a_set_up_that_cannot_run_says_why_and_offers_no_run(page: Page, source: dict) -> None:
    page.goto(f"/trials/new?source={source['id']}")
    run = page.get_by_role("button", name="Run the trial")
    expect(run).to_be_enabled()
    page.get_by_label("Other factor").fill("40")
    expect(plan(page).get_by_role("alert")).to_contain_text("less than or equal to 16")
    expect(run).to_be_disabled()
    page.get_by_label("Other factor").fill("3")
    expect(plan(page).get_by_role("alert")).to_have_count(0)
    for box in page.get_by_role("checkbox").all():
        box.uncheck()
    expect(plan(page)).to_contain_text("Choose at least one recipe.")
    expect(run).to_be_disabled()


def test_from_where_it_is_looked_at_goes_into_figures_as_they_are_seen(
    page: Page, app: Running, source: dict, trial: dict
) -> None:
    page.goto(f"/trials/new?source={source['id']}&factor=2")
    page.get_by_role("radio", name="from a distance").check()
    page.get_by_role("spinbutton", name="shown").fill("100")
    page.get_by_role("spinbutton", name="from").fill("500")
    expect(page.get_by_test_id("sight")).to_have_text("35 pixels a degree, within sharp sight")
    page.reload()
    expect(page.get_by_role("spinbutton", name="from")).to_have_value("500")
    expect(page.get_by_test_id("sight")).to_have_text("35 pixels a degree, within sharp sight")
    page.get_by_role("button", name="None").click()
    for name in ("Bilinear", "Bicubic", "Lanczos 3"):
        page.get_by_role("checkbox", name=re.compile(f"^{name}")).first.check()
    page.get_by_role("button", name="Run the trial").click()
    page.wait_for_url(re.compile("/run$"))
    found = app.finished(page.url.split("/")[-2])
    before, after = ({entry["name"]: entry["scores"] for entry in each["entries"]} for each in (trial, found))
    assert found["truth_picture"] == trial["truth_picture"] and found["input_picture"] == trial["input_picture"]
    for entry in ("Bilinear", "Lanczos 3"):  # from nearer more is seen; what does not depend on it stays
        for measure in ("scielab", "noise_seen"):
            assert after[entry][measure]["value"] > 1.05 * before[entry][measure]["value"]
        assert after[entry]["psnr_luma"] == before[entry]["psnr_luma"]
    page.get_by_role("link", name="Look").first.click()
    page.get_by_role("button", name="Viewing size").click()
    expect(page.get_by_label("They see it from")).to_have_value("500")
    expect(page.get_by_label("They see it from")).to_be_disabled()
    expect(page.get_by_test_id("viewing-size")).to_contain_text("35 pixels a degree for the audience")


def test_without_a_source_the_set_up_asks_for_one(page: Page, source: dict) -> None:
    page.goto("/trials/new")
    expect(plan(page)).to_contain_text("Choose a source first.")
    page.get_by_role("combobox", name=re.compile("^Source")).select_option(label="wide.png")
    expect(plan(page)).to_contain_text("The input will be 101 × 75")


def test_a_trial_is_found_again_and_shows_how_it_was_set_up(page: Page, trial: dict) -> None:
    page.goto("/trials")
    row = page.get_by_role("listitem").filter(has_text="wide.png, 2x smaller by area in linear light").first
    expect(row).to_contain_text("all done")
    expect(row).to_contain_text("no verdict yet")
    row.get_by_role("link").click()
    expect(page).to_have_url(re.compile("/look"))
    page.get_by_role("navigation", name="Trial").get_by_role("link", name="Set up").click()
    for text in ("404 × 300, 8 bit", "202 × 150, 25 % of the data", "16 bit, lossless", "1 × 1 px"):
        expect(page.get_by_role("main")).to_contain_text(text)


def test_a_removed_trial_comes_back_with_undo(page: Page, app: Running, source: dict) -> None:
    key = app.start_trial(source["id"], "Bilinear", factor=4)
    name = app.finished(key)["name"]
    page.goto(f"/trials/{key}/setup")
    page.get_by_role("button", name="Remove the trial").click()
    page.wait_for_url(re.compile("/trials$"))
    row = page.locator(f"a[href='/trials/{key}']")
    expect(page.get_by_role("status").filter(has_text=f"The trial {name} was removed.")).to_be_visible()
    expect(row).to_have_count(0)
    assert app.http.get(f"/api/trials/{key}").status_code == 404
    page.get_by_role("button", name="Undo").click()
    expect(row).to_be_visible()
    expect(page.get_by_role("button", name="Undo")).to_have_count(0)
    assert app.http.get(f"/api/trials/{key}").json()["name"] == name


def test_panes_are_counted_filled_and_kept_in_the_address(page: Page, trial: dict) -> None:
    page.goto(f"/trials/{trial['id']}/look")
    panes = page.get_by_role("main").get_by_role("img")
    expect(panes).to_have_count(4)
    page.get_by_role("group", name="Panes").get_by_role("button", name="2").click()
    expect(panes).to_have_count(2)
    page.get_by_role("img", name="Truth").click()
    page.get_by_test_id("tray-C").get_by_role("button").first.click()
    expect(page.get_by_role("img", name="Lanczos 3")).to_be_visible()
    page.wait_for_url(re.compile(r"panes=C%2Cinput&focus=0"))
    page.get_by_role("group", name="Zoom").get_by_role("button", name="200 %").click()
    page.wait_for_url(re.compile("z=2"))
    page.reload()
    expect(panes).to_have_count(2)
    expect(page.get_by_test_id("pane-zoom").first).to_have_text("200 %")
    page.get_by_role("group", name="Panes").get_by_role("button", name="1").click()
    expect(panes).to_have_count(1)
    expect(page.get_by_role("img", name="Lanczos 3")).to_be_visible()


def test_the_active_pane_moves_by_key_and_smoothing_is_a_visible_switch(page: Page, trial: dict) -> None:
    page.goto(f"/trials/{trial['id']}/look?panes=truth,A,B&focus=0")
    expect(page.get_by_role("region", name="Truth")).to_have_attribute("data-active", "true")
    page.keyboard.press("]")
    expect(page.get_by_role("region", name="Bilinear")).to_have_attribute("data-active", "true")
    page.keyboard.press("[")
    page.keyboard.press("[")
    expect(page.get_by_role("region", name="Bicubic")).to_have_attribute("data-active", "true")
    page.keyboard.press("3")
    expect(page.get_by_role("region", name="Lanczos 3")).to_be_visible()
    smooth = page.get_by_role("button", name="Smooth")
    expect(smooth).to_have_attribute("aria-pressed", "false")
    page.keyboard.press("s")
    expect(smooth).to_have_attribute("aria-pressed", "true")
    page.reload()
    expect(smooth).to_have_attribute("aria-pressed", "true")
    page.get_by_role("link", name="Trials").click()  # within the page: what another trial shows is its own
    page.locator("a[href^='/trials/']").filter(has_text=trial["name"]).first.click()
    page.get_by_role("link", name="Look", exact=True).click()
    expect(smooth).to_have_attribute("aria-pressed", "false")


def test_the_part_that_is_seen_is_measured(page: Page, trial: dict) -> None:
    page.goto(f"/trials/{trial['id']}/look?panes=truth,C&focus=1&x=150&y=100&z=8")
    expect(page.get_by_role("img", name="Lanczos 3")).to_be_visible()
    page.keyboard.press("m")
    strip = page.get_by_role("region", name="Scores of this part")
    expect(strip.get_by_role("heading")).to_contain_text(re.compile(r"\d+ × \d+ pixels at"))
    cell = strip.get_by_test_id("part-psnr_luma").locator("[data-letter=C]")
    expect(cell).to_contain_text(re.compile(r"\d\d\.\d\d"))
    whole = trial["entries"][2]["scores"]["psnr_luma"]["value"]
    assert float(cell.inner_text().split(",")[0]) != round(whole, 2)
    expect(strip.get_by_test_id("part-vif")).to_have_count(0)
    strip.get_by_role("button", name="All measures").click()
    expect(strip.get_by_test_id("part-vif")).to_be_visible()
    strip.get_by_role("button", name="Close").click()
    expect(strip).to_have_count(0)


def test_the_surround_is_neutral_and_can_be_changed(page: Page, trial: dict) -> None:
    page.goto(f"/trials/{trial['id']}/look?panes=truth&focus=0&surround=9")  # no such one: the middle grey
    corner = "c => [...c.getContext('2d').getImageData(0, 0, 1, 1).data].slice(0, 3)"
    pane = page.get_by_role("img", name="Truth")
    for grey in (0x77, 0xB4, 0x3A, 0x77):
        until(lambda grey=grey: pane.evaluate(corner) == [grey] * 3, what="the surround in the canvas")
        page.get_by_role("button", name="Surround").click()
    page.reload()
    until(lambda: pane.evaluate(corner) == [0xB4] * 3, what="the surround after a reload")


def test_results_can_be_looked_at_while_others_run(page: Page, app: Running) -> None:
    noise = np.random.default_rng(4).integers(0, 256, (480, 480, 3), np.uint8)
    source = app.read("slow.png", as_png(noise))
    key = app.start_trial(source["id"], "Bilinear", "Denoised, Lanczos 3", factor=1.5)
    page.goto(f"/trials/{key}/look?panes=A,B&focus=1")
    waiting = page.get_by_role("region", name="Denoised, Lanczos 3")
    expect(waiting.get_by_role("status")).to_have_text(re.compile("waiting|running"))
    expect(page.get_by_role("img", name="Bilinear")).to_be_visible()
    expect(page.get_by_role("img", name="Denoised, Lanczos 3")).to_be_visible()
    expect(waiting.get_by_role("status")).to_have_count(0)


def test_one_set_up_is_run_on_several_sources_and_a_large_one_on_its_middle_first(
    page: Page, app: Running, astronaut: np.ndarray
) -> None:
    first, second = (app.read(f"batch {n}.png", as_png(astronaut[n * 60 : n * 60 + 90, :100])) for n in range(2))
    page.goto(f"/trials/new?source={first['id']}&factor=2")
    choose(page, "Bilinear")
    page.get_by_text("The same on other sources too").click()
    page.get_by_role("checkbox", name="batch 1.png").check()
    page.reload()  # the address holds it
    expect(page.get_by_role("checkbox", name="batch 1.png")).to_be_checked()
    choose(page, "Bilinear")
    page.get_by_label("Name of the trial").fill("Batched")
    page.get_by_role("button", name="Run 2 trials").click()
    expect(page.get_by_role("link", name="Batched")).to_have_count(2)
    made = [trial for trial in app.http.get("/api/trials").json()["items"] if trial["name"] == "Batched"]
    assert {trial["source_id"] for trial in made} == {first["id"], second["id"]}
    for trial in made:
        app.finished(trial["id"])

    large = app.read("large.png", as_png(np.tile(astronaut, (4, 3, 1))))
    page.goto(f"/trials/new?source={large['id']}&factor=2")
    page.get_by_role("button", name="Try it on the middle first").click()
    expect(page.get_by_role("combobox", name="Source")).to_have_value(re.compile("^(?!.*" + large["id"] + ")"))
    expect(page.get_by_text("The truth is 1024 × 1024")).to_be_visible()


def test_a_small_window_shows_what_runs_the_trial(page: Page, app: Running, astronaut: np.ndarray) -> None:
    source = app.read("small window.png", as_png(astronaut[:80, :90]))
    page.set_viewport_size({"width": 1024, "height": 700})
    page.goto(f"/trials/new?source={source['id']}")
    expect(page.get_by_text("7 takes")).to_be_visible()
    expect(page.get_by_role("button", name="Run the trial")).to_be_in_viewport()
    assert page.evaluate(
        "document.querySelector('main').scrollWidth <= document.querySelector('main').clientWidth"
    )
    page.get_by_role("navigation", name="Sections").get_by_role("button", name="Recipes").click()
    expect(page.get_by_role("checkbox", name="Lanczos 3").first).to_be_in_viewport()
    expect(page.get_by_role("button", name="Run the trial")).to_be_in_viewport()


def test_the_crop_of_the_input_is_moved_by_keys(page: Page, source: dict) -> None:
    page.goto(f"/trials/new?source={source['id']}&factor=2")
    place = page.get_by_test_id("crop-place")
    expect(place).to_have_attribute("style", re.compile(r"left: 50%; top: 50%"))
    mover = page.get_by_role("button", name="Move the crop")
    for key in ("ArrowRight", "ArrowRight", "ArrowUp", "Enter"):  # Enter has no place, and moves nothing
        mover.press(key)
    expect(place).to_have_attribute("style", re.compile(r"left: 60%; top: 45%"))
    expect(page.get_by_alt_text("The input on the same crop")).to_be_visible()
