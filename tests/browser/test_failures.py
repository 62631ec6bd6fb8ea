"""What goes wrong, as people see it: a bad file, a cancelled take, a killed worker, a lost server."""

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.conftest import as_png
from tests.harness import Running


@pytest.fixture(scope="module")
def noise(app: Running) -> dict:
    return app.read("noise.png", as_png(np.random.default_rng(0).integers(0, 256, (320, 320, 3), np.uint8)))


def test_a_text_file_named_png_gets_a_sentence_and_its_neighbour_arrives(
    page: Page, app: Running, astronaut
) -> None:
    page.goto("/shelf")
    page.get_by_test_id("file-input").set_input_files(
        [
            {
                "name": "notes.png",
                "mimeType": "image/png",
                "buffer": b"These are notes, not a picture.\n" * 9,
            },
            {"name": "good.png", "mimeType": "image/png", "buffer": as_png(astronaut)},
        ]
    )
    bad = page.get_by_test_id("source").filter(has_text="notes.png")
    expect(bad.get_by_role("alert")).to_contain_text(
        "notes.png holds text, not a picture; export it as PNG or TIFF"
    )
    good = page.get_by_test_id("source").filter(has_text="good.png")
    expect(good).to_contain_text("512 × 512")
    page.get_by_test_id("file-input").set_input_files(
        [{"name": "copy.png", "mimeType": "image/png", "buffer": as_png(astronaut)}]
    )
    expect(page.get_by_text("copy.png is there already, as good.png.")).to_be_visible()
    bad.get_by_role("button", name="Remove").click()
    expect(bad).to_have_count(0)


def test_files_can_be_dropped_on_the_shelf(page: Page, astronaut) -> None:
    page.goto("/shelf")
    content = list(as_png(astronaut[:90, :110]))
    data = page.evaluate_handle(
        """bytes => {
            const data = new DataTransfer();
            data.items.add(new File([new Uint8Array(bytes)], 'dropped.png', { type: 'image/png' }));
            return data;
        }""",
        content,
    )
    page.get_by_role("region", name="Import").dispatch_event("drop", {"dataTransfer": data})
    expect(page.get_by_test_id("source").filter(has_text="dropped.png")).to_contain_text("110 × 90")


def test_a_running_take_is_cancelled_and_run_again(page: Page, app: Running, noise: dict) -> None:
    key = app.start_trial(noise["id"], app.slow_recipe(), factor=1.5)
    page.goto(f"/trials/{key}/run")
    entry = page.get_by_test_id("entry-A")
    expect(entry).to_contain_text(re.compile(r"processing \d of 3"))
    entry.get_by_role("button", name="Cancel").click()
    expect(entry).to_have_attribute("data-state", "cancelled")
    entry.get_by_role("button", name="Run again").click()
    expect(entry).to_have_attribute("data-state", "done")


def test_a_worker_killed_in_mid_run_is_survived(page: Page, app: Running, noise: dict) -> None:
    key = app.start_trial(noise["id"], app.slow_recipe(), factor=1.3)
    page.goto(f"/trials/{key}/run")
    entry = page.get_by_test_id("entry-A")
    expect(entry).to_contain_text(re.compile(r"processing \d of 3"))
    app.kill_worker()
    app.start_worker()
    for letter in "ANT":
        expect(page.get_by_test_id(f"entry-{letter}")).to_have_attribute("data-state", "done")


def test_the_run_dock_lists_and_cancels(page: Page, app: Running, noise: dict) -> None:
    key = app.start_trial(noise["id"], app.slow_recipe(), "Bicubic", factor=1.2)
    page.goto("/playbook")
    dock = page.get_by_role("contentinfo")
    dock.get_by_role("button", name=re.compile("Queue")).click()
    expect(dock.get_by_role("listitem").filter(has_text="Slow")).to_be_visible()
    page.goto(f"/trials/{key}/run")
    page.get_by_role("button", name="Cancel all").click()
    expect(page.get_by_test_id("entry-B")).to_have_attribute("data-state", re.compile("cancelled|done"))
    expect(dock).to_contain_text("Nothing is running")


def test_a_trial_that_does_not_exist_says_so(page: Page) -> None:
    page.goto("/trials/5d1d6a60-0000-4000-8000-000000000000/look")
    expect(page.get_by_role("alert")).to_contain_text("There is no such trial")
    page.goto("/nowhere")
    expect(page.get_by_role("heading", name="This address leads nowhere")).to_be_visible()


def test_pages_hold_together_without_a_mouse(page: Page) -> None:
    page.goto("/shelf")
    expect(page.get_by_role("button", name="Choose files")).to_be_visible()
    page.keyboard.press("Tab")
    names = []
    for _ in range(7):
        names.append(page.evaluate("document.activeElement.textContent.trim()"))
        page.keyboard.press("Tab")
    assert names == ["Mistline", "Shelf", "Trials", "Recipes", "Methods", "Playbook", "Choose files"]
