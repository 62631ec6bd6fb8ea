"""A result that was made elsewhere in the real interface: the input goes out, the result comes in and is judged."""

import cv2
import numpy as np
import pytest
from playwright.sync_api import FilePayload, Page, expect
from skimage import data

from tests.browser.test_main_job import canvas_codes, eight_bit
from tests.browser.test_modes import assert_exact, settled
from tests.conftest import as_png
from tests.harness import Running


@pytest.fixture(scope="module")
def trial(app: Running) -> str:
    source = app.read("cup.png", as_png(np.ascontiguousarray(data.coffee()[20:220, 100:340])))
    key = app.start_trial(source["id"], "Bicubic", factor=2)
    app.finished(key)
    return key


def drop(page: Page, name: str, codes: np.ndarray) -> None:
    content = cv2.imencode(".png", codes)[1].tobytes()
    page.get_by_test_id("delivered-files").set_input_files(
        FilePayload(name=name, mimeType="image/png", buffer=content)
    )


def test_1_the_input_goes_out_and_its_result_comes_in(page: Page, app: Running, trial: str) -> None:
    page.goto(f"/trials/{trial}/run")
    with page.expect_download() as download:
        page.get_by_role("link", name="Download the input").click()
    assert download.value.suggested_filename.endswith(", input.png")
    small = cv2.imread(str(download.value.path()), cv2.IMREAD_UNCHANGED)
    large = cv2.resize(small, None, fx=2, fy=2, interpolation=cv2.INTER_LANCZOS4)
    drop(page, "out.png", large)
    here = page.get_by_role("region", name="Made elsewhere")
    for name, text in {"Tool or service": "Plover", "Version": "2.1", "Seconds, for all of it": "12", "Fee": "0.4",
                       "in": "credits", "Settings": "strength 20"}.items():  # fmt: skip
        here.get_by_label(name, exact=True).fill(text)
    here.get_by_role("button", name="Add to the trial").click()
    row = page.get_by_test_id("entry-B")
    expect(row).to_have_attribute("data-state", "done")
    expect(row).to_contain_text("Plover 2.1")
    expect(row).to_contain_text("done; 12 s stated")
    expect(page.get_by_test_id("found-B")).to_have_text(
        "It carries no colour tag and was read as sRGB, as the input is tagged."
    )
    page.goto(f"/trials/{trial}/look?mode=panes&panes=B&z=1&x=120&y=100")
    settled(page, 1)
    picture = next(entry for entry in app.trial(trial)["entries"] if entry["letter"] == "B")["picture_id"]
    assert_exact(canvas_codes(page, "Plover 2.1"), eight_bit(app, picture), 120, 100, 1)
    assert np.array_equal(eight_bit(app, picture), large[..., ::-1])


def test_2_what_lies_over_it_stands_out_and_its_time_is_never_ranked(page: Page, trial: str) -> None:
    page.goto(f"/trials/{trial}/run")
    stamped = cv2.putText(
        data.coffee()[20:220, 100:340, ::-1].copy(), "TRIAL", (30, 130), 0, 2.0, (255, 255, 255), 5
    )
    drop(page, "stamped.png", stamped)
    page.get_by_role("button", name="Add to the trial").click()
    expect(page.get_by_test_id("found-C")).to_contain_text("as a watermark does")
    page.get_by_role("link", name="Scores").click()
    expect(page.get_by_test_id("in-words")).to_contain_text("as a watermark does")
    time = page.get_by_test_id("scores-time").locator("[data-letter=B]")
    expect(time).to_contain_text("stated")
    expect(time).not_to_contain_text("best")
    expect(page.get_by_test_id("scores-fee").locator("[data-letter=B]")).to_have_text("0.4 credits")


def test_3_one_of_another_size_is_refused_with_a_way_out(page: Page, trial: str) -> None:
    page.goto(f"/trials/{trial}/run")
    small = data.coffee()[20:220:2, 100:340:2, ::-1]
    drop(page, "half.png", small)
    page.get_by_role("button", name="Add to the trial").click()
    row = page.get_by_test_id("entry-D")
    expect(row.get_by_role("alert")).to_contain_text(
        "half.png is 120 x 100 pixels and the results of this trial are 240 x 200"
    )
    row.get_by_role("button", name="Resample it").click()
    expect(page.get_by_test_id("found-D")).to_contain_text("It came as 120 x 100 and was resampled to 240 x 200")
    drop(page, "half.png", small)
    page.get_by_role("button", name="Add to the trial").click()
    page.get_by_test_id("entry-E").get_by_role("button", name="Take it away").click()
    expect(page.get_by_test_id("entry-E")).to_have_count(0)


def test_4_it_can_be_picked_and_what_was_stated_said_anew(page: Page, trial: str) -> None:
    page.goto(f"/trials/{trial}/run")
    page.get_by_test_id("entry-B").get_by_role("button", name="What is stated").click()
    page.get_by_label("Version").fill("3")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_test_id("entry-B")).to_contain_text("Plover 3")
    page.get_by_role("link", name="Verdict").click()
    page.get_by_role("group", name="Pick").get_by_label("Plover 3").check()
    page.get_by_label("Kind").select_option("Clean, high quality")
    page.get_by_label("Reasons").fill("Nearest to the truth.")
    page.get_by_role("button", name="Write the verdict").click()
    expect(page.get_by_role("status")).to_contain_text("Written")
    page.goto("/playbook")
    expect(page.get_by_test_id("kind-clean")).to_contain_text("Made elsewhere with Plover 3: strength 20")


def test_5_two_are_held_beside_one_another(page: Page, trial: str) -> None:
    page.goto(f"/trials/{trial}/scores")
    two = page.get_by_test_id("two")
    two.get_by_label("The first").select_option("A")
    two.get_by_label("The second").select_option("B")
    made = page.get_by_test_id("two-settings").locator("tbody tr")
    expect(made.first).to_contain_text("Mistline")
    expect(made.first).to_contain_text("Plover")
    expect(page.get_by_test_id("two-figures")).to_contain_text("Time a frame")
    two.get_by_label("The first").select_option("B")  # takes its place, the other one's becomes free
    expect(two.get_by_label("The second")).to_have_value("A")
    page.reload()
    expect(two.get_by_label("The first")).to_have_value("B")
