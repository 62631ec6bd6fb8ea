"""A test against a native version in the real interface, from the Shelf to the Playbook."""

import re

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect
from skimage import data

from tests.browser.conftest import choose
from tests.browser.test_main_job import canvas_codes
from tests.browser.test_modes import assert_exact, settled
from tests.conftest import as_png
from tests.harness import Running

LARGE = np.ascontiguousarray(data.astronaut()[:240, :320])


@pytest.fixture(scope="module")
def sources(app: Running) -> list[str]:
    half = cv2.resize(LARGE, (160, 120), interpolation=cv2.INTER_AREA)
    other = np.ascontiguousarray(data.chelsea()[:250, :330])
    pictures = {"half.png": half, "whole.png": LARGE, "cat.png": other}
    return [app.read(name, as_png(picture))["id"] for name, picture in pictures.items()]


@pytest.fixture(scope="module")
def job() -> dict[str, str]:
    """What the steps hand on to each other."""
    return {}


def test_1_the_larger_version_is_chosen_and_aligned(page: Page, sources: list[str], job: dict[str, str]) -> None:
    page.goto(f"/trials/new?source={sources[0]}")
    page.get_by_role("radio", name="Native version").check()
    plan = page.get_by_role("complementary")
    expect(plan).to_contain_text("Choose the native version.")
    native = page.get_by_role("combobox", name="The native version")
    native.select_option(sources[2])
    expect(page.get_by_role("alert").first).to_contain_text("half.png and cat.png cannot be aligned")
    native.select_option(sources[1])
    expect(page.get_by_test_id("laid")).to_contain_text(
        re.compile(r"It is (2\.000|1\.999|2\.001) times as large, moved by -?0\.0\d and -?0\.0\d pixels")
    )
    page.get_by_role("spinbutton", name="native").fill("56")
    page.get_by_role("spinbutton", name="small").fill("15")
    page.reload()
    expect(page.get_by_role("spinbutton", name="native")).to_have_value("56")
    choose(page, "Bilinear", "Lanczos 3")
    expect(plan).to_contain_text(
        "The input is the source, 160 × 120; the results will be 320 × 240, 2 times as large"
    )
    page.get_by_role("button", name="Run the trial").click()
    for letter in "ABNT":
        expect(page.get_by_test_id(f"entry-{letter}")).to_have_attribute("data-state", "done")
    job["trial"] = page.url.split("/")[-2]


def test_2_the_truth_is_the_larger_version_pixel_for_pixel(page: Page, job: dict[str, str]) -> None:
    page.goto(f"/trials/{job['trial']}/look?panes=truth,B&focus=1&x=160&y=120&z=1&side=none")
    settled(page, 2)
    assert_exact(canvas_codes(page, "Truth"), LARGE, 160, 120, 1)


def test_3_the_shortcut_is_weighed(page: Page, job: dict[str, str]) -> None:
    page.goto(f"/trials/{job['trial']}/scores")
    weighed = page.get_by_test_id("break-even")
    expect(weighed).to_contain_text("Made small, a frame leaves 41 s of the 56 s of the native way for enlarging.")
    expect(weighed.get_by_role("listitem")).to_have_count(2)
    expect(weighed).to_contain_text("27 % of the native time")
    page.goto(f"/trials/{job['trial']}/setup")
    expect(page.get_by_role("main")).to_contain_text("gainst the native 320 x 240")


def test_4_it_is_decided_and_stands_in_the_playbook(page: Page, job: dict[str, str]) -> None:
    page.goto(f"/trials/{job['trial']}/verdict")
    page.get_by_role("group", name="Pick").get_by_label("Lanczos 3").check()
    page.get_by_label("Kind").select_option("Rendered (CG)")
    page.get_by_label("Reasons").fill("Pays up to a quarter of the native time.")
    page.get_by_role("button", name="Write the verdict").click()
    page.goto("/playbook")
    expect(page.get_by_role("main")).to_contain_text("Pays up to a quarter of the native time.")


def test_5_what_still_lies_off_is_drawn(page: Page, app: Running) -> None:
    """A part of the smaller version shows the scene two pixels farther left."""
    large = np.ascontiguousarray(data.coffee())
    small = cv2.resize(large, (300, 200), interpolation=cv2.INTER_AREA)
    small[64:128, 60:180] = np.roll(small, -2, axis=1)[64:128, 60:180]
    ids = [
        app.read(name, as_png(picture))["id"] for name, picture in (("cup.png", small), ("cup large.png", large))
    ]
    page.goto(f"/trials/new?source={ids[0]}&test=native&native={ids[1]}")
    expect(page.get_by_test_id("laid")).to_contain_text("px off one another beyond that")
    lines = page.get_by_test_id("residual").locator("line")
    expect(lines.first).to_be_attached()
    longest = max(float(line.get_attribute("x2") or 0) for line in lines.all())
    assert longest > 0.03  # they point to the right, where the larger version has it
