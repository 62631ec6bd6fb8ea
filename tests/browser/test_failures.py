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
    page.get_by_role("contentinfo").get_by_role("button", name="Undo").click()
    expect(entry).to_have_attribute("data-state", "running")
    entry.get_by_role("button", name="Cancel").click()
    page.get_by_role("link", name="Look", exact=True).click()  # its pane says so, and has the way to have it
    page.keyboard.press("1")
    page.get_by_role("button", name="Run again").first.click()
    expect(page.get_by_role("button", name="Run again")).to_have_count(0)
    page.get_by_role("link", name="Run", exact=False).first.click()
    expect(entry).to_have_attribute("data-state", "done")


def test_a_page_at_rest_hears_of_progress_and_asks_for_next_to_nothing(
    page: Page, app: Running, noise: dict
) -> None:
    """At most one request a second while a take runs on the machine that is being timed; the progress moves all the same."""
    key = app.start_trial(noise["id"], app.slow_recipe(), factor=1.45)
    page.goto(f"/trials/{key}/run")
    entry = page.get_by_test_id("entry-A")
    expect(entry).to_contain_text("processing 1 of 3")
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url) if "/api/" in request.url else None)
    begun = page.evaluate("performance.now()")
    for step in ("processing 2 of 3", "processing 3 of 3"):
        expect(entry).to_contain_text(step)
    expect(page.get_by_role("contentinfo")).to_contain_text("so far")
    seconds = (page.evaluate("performance.now()") - begun) / 1000
    assert len(asked) <= 1 + seconds, asked
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
    dock.get_by_role("button", name="Undo").click()
    expect(page.get_by_test_id("entry-A")).to_have_attribute("data-state", re.compile("waiting|running"))
    page.get_by_role("button", name="Cancel all").click()
    expect(dock).to_contain_text("Nothing is running")


def test_what_waits_is_put_in_order_by_keys_and_by_hand(page: Page, app: Running, noise: dict) -> None:
    app.kill_worker()
    key = app.start_trial(noise["id"], "Bilinear", "Bicubic", "Lanczos 3", factor=1.15)
    page.goto(f"/trials/{key}/run")
    dock = page.get_by_role("contentinfo")
    dock.get_by_role("button", name=re.compile("Queue")).click()
    rows = dock.get_by_test_id(re.compile("^queued-"))
    expect(rows).to_have_count(5)
    last = rows.last.get_attribute("data-testid")
    rows.last.get_by_role("button", name=re.compile("sooner")).press("Enter")
    expect(rows.nth(3)).to_have_attribute("data-testid", last)
    rows.nth(3).drag_to(rows.first)
    expect(rows.first).to_have_attribute("data-testid", last)
    rows.first.get_by_role("button", name=re.compile("later")).press("Enter")
    expect(rows.nth(1)).to_have_attribute("data-testid", last)
    app.start_worker()
    expect(page.get_by_role("heading", name="5 of 5 done")).to_be_visible()


def test_the_focus_goes_to_the_heading_of_a_page_that_one_comes_to(page: Page, app: Running, noise: dict) -> None:
    page.goto("/shelf")
    expect(page.get_by_role("heading", name="Shelf")).not_to_be_focused()
    for name in ("Recipes", "Playbook"):
        page.get_by_role("navigation", name="Main").get_by_role("link", name=name).click()
        expect(page.get_by_role("heading", name=name, exact=True)).to_be_focused()
    key = app.start_trial(noise["id"], "Bilinear", factor=1.15)
    page.goto(f"/trials/{key}/run")
    for name, heading in (("Look", "Look"), ("Verdict", re.compile("verdict", re.IGNORECASE))):
        page.get_by_role("navigation", name="Trial").get_by_role("link", name=re.compile(f"^{name}")).click()
        expect(page.get_by_role("heading", name=heading).first).to_be_focused()


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
