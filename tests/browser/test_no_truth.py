"""A trial without a truth in the real interface, from the Shelf to the Playbook."""

import re
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import FilePayload, Page, expect
from skimage import data

from tests.browser.conftest import choose
from tests.browser.test_main_job import canvas_codes, eight_bit
from tests.browser.test_modes import assert_exact, settled
from tests.conftest import as_png
from tests.core.media.clips import write_clip
from tests.harness import Running

SIZE = (151, 203)


@pytest.fixture(scope="module")
def job(app: Running) -> dict[str, str]:
    """What the steps hand on to each other."""
    return {}


def test_1_the_source_is_set_up_as_the_input(page: Page, job: dict[str, str]) -> None:
    page.goto("/")
    content = as_png(data.coffee()[40 : 40 + SIZE[0], 100 : 100 + SIZE[1]])
    page.get_by_test_id("file-input").set_input_files(
        FilePayload(name="old.png", mimeType="image/png", buffer=content)
    )
    expect(page.get_by_test_id("source")).to_contain_text("203 × 151")
    page.get_by_role("link", name="Set up a trial").click()
    page.get_by_role("radio", name="No truth").check()
    expect(page.get_by_role("radio", name="2x")).to_be_checked()
    expect(page.get_by_role("group", name="Damage")).to_have_count(0)
    page.get_by_role("radio", name="a print").check()
    page.get_by_label("Length").fill("8")
    plan = page.get_by_role("complementary")
    expect(plan).to_contain_text("the results will be 945 × 703, 4.655 × 4.656 times as large, about 1.9 MiB")
    page.reload()
    expect(page.get_by_role("radio", name="No truth")).to_be_checked()
    expect(page.get_by_label("Length")).to_have_value("8")
    page.get_by_role("radio", name="a frame").check()
    expect(plan).to_contain_text("Bars of 936 × 0 pixels in all will fill the frame")
    page.get_by_role("radio", name="a factor").check()
    choose(page, "Bilinear", "Lanczos 3")
    expect(plan).to_contain_text(
        "The input is the source, 203 × 151; the results will be 406 × 302, 2 times as large"
    )
    expect(plan).to_contain_text("3 takes: 2 recipes and a control")
    page.get_by_role("button", name="Run the trial").click()
    for letter in "ABN":
        expect(page.get_by_test_id(f"entry-{letter}")).to_have_attribute("data-state", "done")
    job["trial"] = page.url.split("/")[-2]


def test_2_looking_shows_exact_pixels_and_never_a_truth(page: Page, app: Running, job: dict[str, str]) -> None:
    trial = app.trial(job["trial"])
    result, small = (eight_bit(app, key) for key in (trial["entries"][1]["picture_id"], trial["input_picture"]))
    look = f"/trials/{job['trial']}/look"
    page.goto(f"{look}?panes=truth,B&focus=1&x=200&y=150&z=2&side=none")  # there is none: the input stands there
    settled(page, 2)
    assert_exact(canvas_codes(page, "Lanczos 3"), result, 200, 150, 2)
    assert_exact(canvas_codes(page, "Input, enlarged"), small, 100, 75, 4)
    page.keyboard.down("t")
    expect(page.get_by_role("img", name="Lanczos 3")).to_be_visible()
    page.keyboard.up("t")
    page.goto(f"{look}?mode=difference&panes=A,B&of=luma&x=200&y=150&z=1")
    settled(page, 1)
    page.goto(f"{look}?panes=A,B&focus=1&map=rims&x=200&y=150&z=1")
    expect(page.get_by_text("leaves the range of the input")).to_be_visible()
    page.evaluate("sessionStorage.clear()")  # as in another tab: here it opens as it was left
    page.goto(look)
    settled(page, 4)  # input, both entries and the control
    assert np.ptp(canvas_codes(page, "Bilinear")) > 50
    expect(page.get_by_text("Truth", exact=True)).to_have_count(0)
    page.keyboard.press("m")
    strip = page.get_by_role("region", name="Scores of this part")
    expect(strip).to_contain_text("Detail beyond the input")
    expect(strip).not_to_contain_text("SSIM")


def test_3_scores_leave_away_what_needs_a_truth(page: Page, job: dict[str, str]) -> None:
    page.goto(f"/trials/{job['trial']}/scores")
    table = page.get_by_test_id("scores")
    expect(table.get_by_role("rowheader", name="Close to the input")).to_be_visible()
    for key in ("agreement", "halo", "detail_beyond"):
        expect(page.get_by_test_id(f"scores-{key}")).to_be_visible()
    for key in ("ssim", "detail_kept", "shimmer"):
        expect(page.get_by_test_id(f"scores-{key}")).to_have_count(0)
    page.get_by_role("button", name="Detail beyond the input").click()
    expect(page.get_by_text("no side is known to be better")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_test_id("in-words")).to_contain_text("Colours unchanged")
    figure = page.get_by_role("figure")
    expect(figure).to_contain_text("Agreement with the input, dB (higher is better)")
    figure.get_by_label("Across").select_option("memory, peak")
    figure.get_by_label("Up").select_option("Edge width, px")
    expect(figure).to_contain_text("memory, peak (less is better), logarithmic")
    expect(figure).not_to_contain_text("The line joins")
    page.reload()
    expect(figure.get_by_label("Up")).to_have_value("edge_width")


def test_4_it_is_decided_and_stands_in_the_playbook(page: Page, job: dict[str, str]) -> None:
    page.goto(f"/trials/{job['trial']}/verdict")
    pick = page.get_by_role("group", name="Pick")
    expect(pick).to_contain_text(re.compile(r"Agreement with the input \d+\.\d\sdB"))
    pick.get_by_label("Lanczos 3").check()
    page.get_by_label("Kind").select_option("Archive, heavily compressed")
    page.get_by_label("Reasons").fill("Crisper, and nothing has moved.")
    page.get_by_role("button", name="Write the verdict").click()
    expect(page.get_by_role("status")).to_contain_text("Written")
    page.goto("/playbook")
    expect(page.get_by_test_id("kind-archive")).to_contain_text("no truth, 2x larger")


def test_5_a_clip_is_traced_by_what_is_read_on_each_frame(page: Page, app: Running, tmp_path: Path) -> None:
    """Most measures are read on one frame of twelve, and have no course to trace; shimmer has."""
    path = write_clip(tmp_path / "ride.mkv", "ffv1", "yuv444p", 12)
    clip = app.read("ride.mkv", path.read_bytes())
    trial = app.finished(app.start_trial(clip["id"], "Guided filter", factor=1, test="no truth"))
    page.goto(f"/trials/{trial['id']}/look")
    settled(page, 3)  # input, the entry and the control
    expect(page.get_by_role("img", name="Shimmer over the frames")).to_be_visible()
    measures = page.get_by_label("Measure over the frames").get_by_role("option")
    expect(measures).to_have_text(["Shimmer"])
    page.get_by_role("button", name="Forward").click()
    expect(page.locator("canvas[data-frame='1']")).to_have_count(3)


def test_6_stand_ins_foretell_what_nobody_can_measure(page: Page, app: Running, job: dict[str, str]) -> None:
    app.read("cat.png", as_png(np.ascontiguousarray(data.chelsea()[:300, :450].repeat(2, 0).repeat(2, 1))))
    page.goto(f"/trials/{job['trial']}/scores")
    section = page.get_by_test_id("stand-ins")
    expect(section).to_contain_text("evidence by analogy")
    section.get_by_role("button", name="Change the damage").click()
    section.get_by_role("switch", name="Even noise").click()
    expect(section.get_by_role("button", name="Changed by hand")).to_be_visible()
    section.get_by_role("checkbox", name="cat.png").check()
    section.get_by_role("button", name="Run one stand-in").click()
    expect(section).to_contain_text("one of them cannot tell how well that carries over")
    rows = page.get_by_test_id("foretold").locator("tbody tr")
    expect(rows).to_have_count(2)
    rows.nth(1).get_by_role("cell").nth(1).wait_for()
    page.get_by_test_id("foretold").get_by_role("link", name="cat.png").click()
    expect(page.get_by_role("link", name="It stands in for another")).to_be_visible()
    key = page.url.split("/")[-2]
    made = app.trial(key)
    assert made["setup"]["noise"] == 10 and made["stands_in_for"] == job["trial"] and made["has_truth"]
