"""The Shelf: searched, filtered, shown as a list, its sources renamed, their trials in sight."""

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.conftest import as_png
from tests.harness import Running


@pytest.fixture(scope="module")
def shelf(app: Running, astronaut: np.ndarray) -> dict[str, dict]:
    names = {"tried": "depot wall.png", "new": "hedge by the line.png"}
    found = {
        key: app.read(name, as_png(astronaut[at : at + 200, at : at + 210]))
        for at, (key, name) in enumerate(names.items())
    }
    app.finished(app.start_trial(found["tried"]["id"], "Bilinear", factor=2))
    return found


def test_sources_are_searched_filtered_and_listed(page: Page, app: Running, shelf: dict[str, dict]) -> None:
    page.goto("/shelf")
    cards = page.get_by_test_id("source")
    expect(cards).to_have_count(2)
    page.get_by_label("Search the Shelf").fill("HEDGE")
    expect(cards).to_have_count(1)
    expect(page).to_have_url(re.compile("words=HEDGE"))
    expect(page.get_by_role("status").filter(has_text="1 source found")).to_be_visible()
    expect(cards).to_contain_text("Not tried yet")
    page.get_by_role("button", name="Show all").click()
    page.get_by_label("Only of this tried").select_option("tried, no verdict yet")
    expect(cards).to_have_count(1)
    expect(cards.get_by_role("link", name="depot wall.png, 2x smaller")).to_be_visible()
    page.get_by_label("Only of this size").select_option("9 megapixels and more")
    expect(page.get_by_role("heading", name="Nothing on the Shelf is like that")).to_be_visible()
    page.reload()
    expect(page.get_by_label("Only of this size")).to_have_value("large")
    page.get_by_role("button", name="Show all").click()
    page.get_by_role("button", name="List").click()
    expect(page.get_by_role("table").get_by_test_id("source")).to_have_count(2)
    row = page.get_by_role("row", name=re.compile("depot wall"))
    expect(row).to_contain_text("210 × 200")
    expect(row.get_by_role("link", name="Set up a trial")).to_be_visible()
    page.go_back()
    page.go_forward()
    expect(page.get_by_role("table")).to_be_visible()


def test_the_pictures_of_a_list_are_fetched_in_one_request(page: Page, shelf: dict[str, dict]) -> None:
    """Also where anything may have changed meanwhile, so that all else is asked for again."""
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.url) if "thumbnail" in request.url else None)
    all_changed = 'data: {"table": "*", "heard": -1}\n\n'
    page.route("**/api/events", lambda way: way.fulfill(content_type="text/event-stream", body=all_changed))
    with page.expect_request(lambda request: bool(asked) and "/api/sources" in request.url):
        page.goto("/shelf")
    shown = page.get_by_test_id("source").locator("img")
    expect(shown).to_have_count(2)
    for picture in shown.all():
        expect(picture).not_to_have_js_property("naturalWidth", 0)
    assert [url.partition("?")[0][-11:] for url in asked] == ["/thumbnails"]


def test_name_and_story_are_changed_on_the_card(page: Page, app: Running, shelf: dict[str, dict]) -> None:
    page.goto("/shelf?words=hedge")
    page.get_by_role("button", name="Edit the name and story of hedge by the line.png").click()
    page.get_by_label("Name", exact=True).fill("hedge, mile 3.png")
    page.get_by_label("Story").fill("Fine leaves; shimmers when shrunk.")
    page.keyboard.press("Tab")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("heading", name="hedge, mile 3.png")).to_be_visible()
    expect(page.get_by_test_id("source")).to_contain_text("Fine leaves")
    page.get_by_role("button", name="Edit the name").click()
    page.get_by_label("Name", exact=True).fill("something else")
    page.keyboard.press("Escape")
    expect(page.get_by_role("heading", name="hedge, mile 3.png")).to_be_visible()
    assert app.http.get(f"/api/sources/{shelf['new']['id']}").json()["name"] == "hedge, mile 3.png"


def test_words_that_another_tab_wrote_meanwhile_are_not_overwritten_unseen(
    page: Page, app: Running, shelf: dict[str, dict]
) -> None:
    address = f"/api/sources/{shelf['tried']['id']}"
    page.goto("/shelf?words=depot")
    page.get_by_role("button", name="Edit the name and story of depot wall.png").click()
    card = page.get_by_test_id("source")
    card.get_by_label("Story", exact=True).fill("Mine")
    assert app.http.patch(address, json={"story": "Theirs"}).status_code == 200
    card.get_by_role("button", name="Save").click()
    expect(card.get_by_role("alert")).to_contain_text("the story Theirs. Save again to replace that.")
    expect(card.get_by_label("Story", exact=True)).to_have_value("Mine")
    assert app.http.get(address).json()["story"] == "Theirs"
    card.get_by_role("button", name="Save").click()
    expect(card.get_by_label("Story", exact=True)).to_be_hidden()
    assert app.http.get(address).json()["story"] == "Mine"


def test_a_source_taken_off_the_shelf_comes_back_with_undo(
    page: Page, app: Running, astronaut: np.ndarray
) -> None:
    source = app.read("away and back.png", as_png(astronaut[300:400, 300:420]))
    page.goto("/shelf?words=away")
    card = page.get_by_test_id("source")
    card.get_by_role("button", name="Remove").click()
    expect(page.get_by_text("away and back.png was taken off the Shelf.")).to_be_visible()
    expect(card).to_have_count(0)
    assert app.http.get(f"/api/sources/{source['id']}").status_code == 404
    page.get_by_role("button", name="Undo").click()
    expect(card).to_contain_text("away and back.png")
    expect(page.get_by_text("was taken off")).to_have_count(0)


def test_stepping_through_kinds_by_keys_chooses_once(page: Page, app: Running, shelf: dict[str, dict]) -> None:
    page.goto("/shelf?words=hedge")
    kind = page.get_by_test_id("source").get_by_label("Kind")
    asked: list[str] = []
    page.on("request", lambda request: asked.append(request.method) if request.method == "PATCH" else None)
    expect(kind.locator("option")).not_to_have_count(1)  # the kinds are there
    kind.focus()
    for _ in range(3):
        kind.press("ArrowDown")
    assert asked == []
    chosen = kind.input_value()
    with page.expect_response(lambda answer: answer.request.method == "PATCH"):
        kind.press("Tab")
    assert asked == ["PATCH"] and chosen
    assert app.http.get(f"/api/sources/{shelf['new']['id']}").json()["kind"] == chosen
