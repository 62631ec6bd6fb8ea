"""What was typed or set survives a glance elsewhere and a reload; titles name the page; zoom steps are not doubled."""

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.conftest import as_png
from tests.harness import Running


@pytest.fixture(scope="module")
def trial(app: Running, astronaut: np.ndarray) -> dict:
    source = app.read("kept.png", as_png(astronaut[:128, :160]))
    return app.finished(app.start_trial(source["id"], "Bicubic", "Lanczos 3", factor=2))


def test_a_verdict_is_kept_as_a_draft_until_it_is_written(page: Page, trial: dict) -> None:
    page.goto(f"/trials/{trial['id']}/verdict")
    page.get_by_role("group", name="Pick").get_by_label(re.compile("Lanczos 3")).check()
    page.get_by_label("Reasons").fill("The netting came out whole.")
    page.get_by_role("link", name="Look", exact=True).click()
    expect(page).to_have_title(re.compile("^Look at .* – Mistline$"))
    page.get_by_role("link", name="Verdict").click()
    page.reload()
    expect(page.get_by_label("Reasons")).to_have_value("The netting came out whole.")
    expect(page.get_by_role("group", name="Pick").get_by_label(re.compile("Lanczos 3"))).to_be_checked()
    page.get_by_label("Kind").select_option("Clean, high quality")
    expect(page.get_by_text("kept as a draft in this browser")).to_be_visible()
    page.get_by_role("button", name="Write the verdict").click()
    expect(page.get_by_role("status")).to_contain_text("Written")
    expect(page.get_by_text("kept as a draft in this browser")).to_have_count(0)
    assert page.evaluate("Object.keys(localStorage).filter(key => key.startsWith('verdict'))") == []


def test_a_set_up_outlives_a_reload_and_another_starts_from_it(page: Page, app: Running, trial: dict) -> None:
    page.goto(f"/trials/new?source={trial['source_id']}")
    page.get_by_label("Other factor").fill("2.5")
    page.get_by_label("Lanczos 3, antialiased").check()
    expect(page).to_have_url(re.compile("factor=2.5.*kernel=lanczos3"))
    expect(page).to_have_title("Set up a trial – Mistline")
    page.reload()
    expect(page.get_by_label("Other factor")).to_have_value("2.5")
    expect(page.get_by_label("Lanczos 3, antialiased")).to_be_checked()
    page.goto(f"/trials/{trial['id']}/setup")
    page.get_by_role("link", name="Set up another").click()
    expect(page.get_by_label("Other factor")).to_have_value("2")


def test_a_view_is_as_it_was_left_and_the_playbook_leads_to_it(page: Page, app: Running, trial: dict) -> None:
    look = f"/trials/{trial['id']}/look"
    page.goto(f"{look}?panes=truth,A&focus=1&mode=panes&x=150&y=100&z=2")
    page.get_by_label("Map").select_option(index=1)
    expect(page).to_have_url(re.compile("map="))
    left = page.url
    steps = page.get_by_role("navigation", name="Trial")
    steps.get_by_role("link", name="Scores").click()
    expect(page.get_by_test_id("scores")).to_be_visible()
    steps.get_by_role("link", name="Look").click()
    expect(page).to_have_url(left)
    expect(page.get_by_test_id("pane-zoom").first).to_have_text("200 %")
    page.go_back()
    expect(page.get_by_test_id("scores")).to_be_visible()
    page.go_back()
    expect(page).to_have_url(left)
    steps.get_by_role("link", name="Verdict").click()
    page.get_by_role("group", name="Pick").get_by_role("radio").first.check()
    page.get_by_label("Reasons").fill("Clean at that place")
    page.get_by_label("Kind").select_option("Clean, high quality")
    page.get_by_role("button", name=re.compile("(Write|Replace) the verdict")).click()
    expect(page.get_by_test_id("verdict").first).to_contain_text("Clean at that place")
    other = page.context.browser.new_page(base_url=app.address)
    other.goto("/playbook")
    other.get_by_role("link", name=trial["name"]).click()
    expect(other).to_have_url(left)
    other.close()


def test_zoom_steps_are_not_doubled(page: Page, app: Running, trial: dict) -> None:
    body = {
        "source_id": trial["source_id"],
        "setup": {"factor": 1, "noise": 8},
        "recipe_ids": app.recipe_ids("Non-local means"),
    }
    same_size = app.finished(app.http.post("/api/trials", json=body).json()["id"])
    for key in (trial["id"], same_size["id"]):
        page.goto(f"/trials/{key}/look")
        chips = page.get_by_role("group", name="Zoom").get_by_role("button")
        expect(chips).to_have_text(["Fit", "100 %", "200 %"])


def test_a_page_keeps_its_data_while_the_server_is_away_and_goes_on_by_itself(
    page: Page, app: Running, trial: dict
) -> None:
    page.goto(f"/trials/{trial['id']}/scores")
    table = page.get_by_role("table").first
    expect(table).to_contain_text("SSIM")
    app.kill_server()
    line = page.get_by_role("alert").filter(has_text="No connection since")
    expect(line).to_be_visible()
    page.get_by_role("link", name="Run", exact=False).click()  # what is known is shown from memory
    expect(page.get_by_test_id("entry-A")).to_contain_text("Bicubic")
    page.get_by_role("link", name="Scores").click()
    expect(table).to_contain_text("SSIM")
    app.start_server()
    expect(line).to_have_count(0)
    expect(page.get_by_role("contentinfo")).to_contain_text("Nothing is running")
    page.get_by_role("link", name="Run", exact=False).click()
    app.kill_worker()  # so that what begins meanwhile stays to be seen
    app.start_trial(trial["source_id"], "Bilinear", factor=3)
    expect(page.get_by_role("contentinfo")).to_contain_text("Queue (3)")  # it hears of what happens again
    app.start_worker()
    expect(page.get_by_role("contentinfo")).to_contain_text("Nothing is running")


def test_scripts_are_packed_and_kept(app: Running) -> None:
    page = app.http.get("/").text
    for name in re.findall(r"/assets/[\w.-]+\.(?:js|css)", page):
        packed, raw = (app.http.get(name, headers={"Accept-Encoding": each}) for each in ("gzip", "identity"))
        assert packed.headers["content-encoding"] == "gzip" and "content-encoding" not in raw.headers
        assert packed.content == raw.content  # the client unpacks it
        assert int(packed.headers["content-length"]) < 0.4 * len(raw.content)
        assert (
            packed.headers["cache-control"]
            == raw.headers["cache-control"]
            == "public, max-age=31536000, immutable"
        )
        assert packed.headers["content-type"] == raw.headers["content-type"]
