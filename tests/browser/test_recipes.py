"""Making a recipe in the editor and letting it compete."""

import json
import re
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import choose
from tests.conftest import as_png
from tests.harness import Running


@pytest.fixture(scope="module")
def source(app: Running, astronaut) -> dict:
    return app.read("face.png", as_png(astronaut[:200, 150:350]))


def test_a_two_pass_recipe_is_made_undone_ordered_and_saved(page: Page, app: Running) -> None:
    page.goto("/recipes")
    page.get_by_role("button", name="New recipe").click()
    editor = page.get_by_role("region", name="Recipe")
    editor.get_by_label("Name of the recipe").fill("Clean, then crisp")
    add = editor.get_by_label("Add a pass")
    add.select_option("Back-projection")
    add.select_option("Guided filter")
    expect(editor.get_by_test_id("pass-2")).to_contain_text("Guided filter")
    editor.get_by_role("button", name="Move Guided filter up").click()
    expect(editor.get_by_test_id("pass-1")).to_contain_text("Guided filter")
    editor.get_by_label("Guided filter luma").fill("25")
    expect(editor.get_by_test_id("pass-1")).to_contain_text("back to automatic")
    editor.get_by_role("button", name="Remove Back-projection").click()
    expect(editor.get_by_text("Without a pass that enlarges")).to_be_visible()
    editor.get_by_role("button", name="Undo").click()
    editor.get_by_label("Back-projection kernel").select_option("lanczos3")
    editor.get_by_role("button", name="Save the recipe").click()
    page.wait_for_url(re.compile("recipe="))
    made = next(r for r in app.http.get("/api/recipes").json() if r["name"] == "Clean, then crisp")
    assert made["words"] == "Guided filter (luma 25.0), then Back-projection (kernel lanczos3)"


def test_a_shipped_recipe_is_read_only_and_can_be_duplicated(page: Page) -> None:
    page.goto("/recipes")
    page.get_by_role("button", name="Bicubic, sharpened").click()
    editor = page.get_by_role("region", name="Recipe")
    expect(editor).to_contain_text("ships with Mistline")
    expect(editor.get_by_label("Unsharp mask amount")).to_be_disabled()
    editor.get_by_role("button", name="Duplicate").click()
    editor.get_by_label("Unsharp mask amount").fill("900")
    editor.get_by_role("button", name="Save the recipe").click()
    expect(editor.get_by_role("alert")).to_contain_text("Unsharp mask: amount")
    editor.get_by_label("Unsharp mask amount").fill("1.5")
    editor.get_by_role("button", name="Save the recipe").click()
    expect(page.get_by_role("button", name=re.compile("Bicubic, sharpened, copy"))).to_be_visible()


def test_a_removed_recipe_comes_back_as_it_was(page: Page, app: Running) -> None:
    recipe = {"name": "Gone too soon", "passes": [{"method": "lanczos"}], "over_size": 2}
    made = app.http.post("/api/recipes", json=recipe).json()
    page.goto(f"/recipes?recipe={made['id']}")
    page.get_by_role("region", name="Recipe").get_by_role("button", name="Remove", exact=True).click()
    dock = page.get_by_role("status").filter(has_text="The recipe Gone too soon was removed")
    expect(page.get_by_role("button", name=re.compile("^Gone too soon"))).to_have_count(0)
    dock.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("button", name=re.compile("^Gone too soon"))).to_be_visible()
    [back] = [r for r in app.http.get("/api/recipes").json() if r["name"] == "Gone too soon"]
    assert {**back, "id": ""} == {**made, "id": ""}


def test_a_recipe_is_made_over_size_and_brought_down(page: Page, app: Running) -> None:
    page.goto("/recipes?from=bicubic")
    editor = page.get_by_role("region", name="Recipe")
    editor.get_by_label("Name of the recipe").fill("Bicubic, the long way")
    editor.get_by_label("Over-size").select_option("2 times the target, then down")
    expect(editor).to_contain_text("4 times the pixels")
    editor.get_by_role("button", name="Save the recipe").click()
    expect(page.get_by_role("button", name=re.compile("the long way"))).to_contain_text("2x over-size")
    page.reload()
    expect(editor.get_by_label("Over-size")).to_have_value("2")
    source = app.read("long way.png", as_png(np.full((64, 64, 3), 90, np.uint8)))
    made = app.finished(app.start_trial(source["id"], "Bicubic", "Bicubic, the long way", factor=2))
    words = [(entry["words"], entry["state"]) for entry in made["entries"][:2]]
    assert words == [("Bicubic", "done"), ("Bicubic, 2x over-size and then down", "done")]


def test_what_is_written_of_a_recipe_outlives_a_click_elsewhere_and_a_reload(page: Page) -> None:
    page.goto("/recipes?from=bilinear")
    editor = page.get_by_role("region", name="Recipe")
    editor.get_by_label("Name of the recipe").fill("Half written")
    editor.get_by_label("Over-size").select_option("2")
    page.get_by_role("button", name="Bicubic, sharpened Bicubic").click()
    expect(editor.get_by_label("Name of the recipe")).to_have_value("Bicubic, sharpened")
    page.reload()
    page.get_by_role("button", name="Half written not saved yet").click()
    expect(editor.get_by_label("Over-size")).to_have_value("2")
    editor.get_by_role("button", name="Undo").click()
    expect(editor.get_by_label("Over-size")).to_have_value("1")
    editor.get_by_role("button", name="Save the recipe").click()
    expect(page).to_have_url(re.compile("recipe="))
    expect(page.get_by_text("not saved yet")).to_have_count(0)
    editor.get_by_label("Over-size").select_option("3")  # a change of what is saved is kept as well, or let go
    page.get_by_role("button", name="Lanczos 3 Lanczos").click()
    page.get_by_role("button", name="Half written not saved yet").click()
    expect(editor.get_by_label("Over-size")).to_have_value("3")
    editor.get_by_role("button", name="Discard").click()
    expect(editor.get_by_label("Over-size")).to_have_value("1")
    expect(editor.get_by_label("Name of the recipe")).to_have_value("Half written")


def test_a_recipe_that_was_changed_on_another_machine_is_not_overwritten(page: Page, browser: Browser) -> None:
    page.goto("/recipes?from=bilinear")
    editor = page.get_by_role("region", name="Recipe")
    editor.get_by_label("Name of the recipe").fill("Shared by two")
    editor.get_by_role("button", name="Save the recipe").click()
    expect(page).to_have_url(re.compile("recipe="))
    other = browser.new_page(base_url=page.url)
    other.goto(page.url)
    written = other.get_by_role("region", name="Recipe").get_by_label("Over-size")
    written.select_option("1.5")
    for tab, times in ((page, "2"), (page, "3"), (other, "1.25")):  # one's own changes follow one another
        shown = tab.get_by_role("region", name="Recipe")
        shown.get_by_label("Over-size").select_option(times)
        with tab.expect_response(re.compile("/api/recipes/.*version=")) as answer:
            shown.get_by_role("button", name="Save the recipe").click()
        assert answer.value.status == (409 if tab is other else 200)
    alert = other.get_by_role("region", name="Recipe").get_by_role("alert")
    expect(alert).to_contain_text("was changed elsewhere since it was opened here")
    other.reload()
    expect(written).to_have_value("1.25")
    other.get_by_role("button", name="Discard").click()
    expect(written).to_have_value("3")
    other.close()


def test_a_recipe_goes_out_as_json_and_comes_in_again(page: Page, tmp_path: Path) -> None:
    page.goto("/recipes")
    page.get_by_role("button", name=re.compile("Clean, then crisp")).click()
    with page.expect_download() as download:
        page.get_by_role("link", name="JSON").click()
    recipe = json.loads(Path(download.value.path()).read_text())
    (tmp_path / "again.json").write_text(json.dumps({**recipe, "name": "From a file"}))
    page.get_by_test_id("recipe-file").set_input_files(tmp_path / "again.json")
    expect(page.get_by_label("Name of the recipe")).to_have_value("From a file")
    (tmp_path / "broken.json").write_text("not json")
    page.get_by_test_id("recipe-file").set_input_files(tmp_path / "broken.json")
    expect(page.get_by_role("alert")).to_contain_text("broken.json is not a recipe")


def test_ones_own_recipe_enters_a_trial_with_its_settings_in_sight(page: Page, source: dict) -> None:
    page.goto(f"/trials/new?source={source['id']}")
    choose(page, "Bicubic", "Lanczos 3", "Clean, then crisp")
    expect(page.get_by_role("complementary")).to_contain_text("3 recipes and 2 controls")
    page.get_by_role("button", name="Run the trial").click()
    expect(page.get_by_test_id("entry-C")).to_have_attribute("data-state", "done")
    expect(page.get_by_test_id("entry-C")).to_contain_text("Guided filter (luma 25.0), then Back-projection")
    page.get_by_role("link", name="Look at the results").click()
    expect(page.get_by_role("region", name="Truth", exact=True)).to_be_visible()
    page.keyboard.press("3")
    expect(page.get_by_role("region", name="Clean, then crisp")).to_contain_text("Guided filter luma 25")


def test_the_catalogue_lists_every_method_with_its_source(page: Page, app: Running) -> None:
    page.goto("/methods")
    for method in app.http.get("/api/methods").json():
        row = page.get_by_test_id(f"method-{method['id']}")
        expect(row.get_by_role("heading", name=method["name"], exact=True)).to_be_visible()
        row.get_by_role("button", name=f"All of it, {method['name']}", exact=True).click()
        expect(row).to_contain_text(method["reference"])
