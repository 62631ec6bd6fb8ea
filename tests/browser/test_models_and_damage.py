"""Dropping in a model, a hostile one refused, a denoise truth test with its preview, a kind suggested."""

import re
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import choose
from tests.conftest import as_png
from tests.core.methods.models import resizer
from tests.harness import Running


@pytest.fixture(scope="module")
def source(app: Running, astronaut: np.ndarray) -> dict:
    return app.read("face.png", as_png(astronaut[:320, 60:380]))


def test_a_model_is_dropped_in_and_becomes_a_method(page: Page, tmp_path: Path) -> None:
    content = resizer(tmp_path / "own.onnx").read_bytes()
    page.goto("/methods")
    page.get_by_test_id("file-input").set_input_files(
        {"name": "own.onnx", "mimeType": "application/octet-stream", "buffer": content}
    )
    expect(page.get_by_test_id("model")).to_contain_text("ready: it is a method below")
    expect(page.get_by_role("heading", name="own", exact=True)).to_be_visible()
    method = page.get_by_role("listitem").filter(has=page.get_by_role("heading", name="own", exact=True))
    expect(method).to_contain_text(re.compile("2 times|2x"))
    page.goto("/recipes")
    page.get_by_role("button", name="New recipe").click()
    page.get_by_label("Name of the recipe").fill("With our own model")
    page.get_by_label("Add a pass").select_option("own")
    page.get_by_label("Lay over it").select_option("Bicubic")
    page.get_by_label("Opacity, %").fill("25")
    page.get_by_role("button", name="Save the recipe").click()
    expect(
        page.get_by_role("button", name=re.compile("With our own model own, then 25 % of Bicubic"))
    ).to_be_visible()


def test_a_hostile_model_is_refused_in_words(page: Page) -> None:
    page.goto("/methods")
    page.get_by_test_id("file-input").set_input_files(
        {"name": "trap.onnx", "mimeType": "application/octet-stream", "buffer": b"\x08\x07" + b"no model " * 400}
    )
    row = page.get_by_test_id("model").filter(has_text="trap.onnx")
    expect(row.get_by_role("alert")).to_contain_text("trap.onnx")
    row.get_by_role("button", name="Remove trap.onnx").click()
    expect(row).to_have_count(0)


def test_ones_own_model_competes_in_a_trial(page: Page, source: dict) -> None:
    page.goto(f"/trials/new?source={source['id']}")
    page.get_by_role("radio", name="2x").check()
    choose(page, "Bicubic", "With our own model")
    page.get_by_role("button", name="Run the trial").click()
    expect(page.get_by_test_id("entry-B")).to_have_attribute("data-state", "done")
    page.get_by_role("link", name="Look at the results").click()
    page.keyboard.press("2")
    expect(page.get_by_role("region", name="With our own model")).to_contain_text("Over it Bicubic opacity 0.25")


def test_a_denoise_truth_test_shows_its_input_before_it_runs(page: Page, app: Running, source: dict) -> None:
    page.goto(f"/trials/new?source={source['id']}")
    preview = page.get_by_role("region", name="The input on a crop")
    before = preview.get_by_role("img", name="The input on the same crop")
    expect(before).to_be_visible()
    clean = before.get_attribute("src")
    page.get_by_role("radio", name="same size").check()
    expect(page.get_by_role("complementary")).to_contain_text("The input would be the truth itself")
    expect(page.get_by_role("button", name="Run the trial")).to_be_disabled()
    page.get_by_role("switch", name="Even noise").click()
    page.get_by_label("Even noise, code values").fill("20")
    expect(before).not_to_have_attribute("src", clean or "")
    suggested = page.get_by_role(
        "checkbox", name=re.compile("Non-local means Worth trying: the input has about 15 cv")
    )
    expect(suggested).to_be_checked()
    choose(page, "Non-local means")
    page.get_by_role("button", name="Run the trial").click()
    for letter in "ANT":
        expect(page.get_by_test_id(f"entry-{letter}")).to_have_attribute("data-state", "done")
    page.get_by_role("navigation", name="Trial").get_by_role("link", name="Scores").click()
    expect(page.get_by_test_id("in-words")).to_contain_text("Noise down")
    noise = page.get_by_test_id("scores-noise_left")
    untouched, cleaned = (
        float(noise.locator(f"[data-letter={letter}]").inner_text().split()[0]) for letter in "NA"
    )
    assert cleaned < untouched / 2


def test_a_kind_is_suggested_and_taken_with_a_click(page: Page, app: Running) -> None:
    night = np.clip(np.random.default_rng(2).normal(20, 4, (160, 200, 3)), 0, 255).astype(np.uint8)
    app.read("dark.png", as_png(night))
    page.goto("/shelf")
    card = page.get_by_test_id("source").filter(has_text="dark.png")
    expect(card).to_contain_text("its mean level is 8%")
    card.get_by_role("button", name="night and low light").click()
    expect(card.get_by_label("Kind")).to_have_value("night")
    expect(card).not_to_contain_text("Probably")
