"""The price book is written, survives a second tab, and the job's cost stands on Scores and in the verdict."""

import numpy as np
from playwright.sync_api import Page, expect
from skimage import data

from tests.conftest import as_png
from tests.harness import Running


def test_prices_are_written_and_reckoned_with(app: Running, page: Page) -> None:
    source = app.read("a.png", as_png(np.ascontiguousarray(data.coffee()[:160, :160])))
    trial = app.finished(app.start_trial(source["id"], "Bilinear", "Lanczos 3", factor=2))
    page.goto(f"/trials/{trial['id']}/scores")
    costs = page.get_by_test_id("costs")
    expect(costs).to_contain_text("Nothing of it has a price yet")
    costs.get_by_role("link", name="price book").click()
    page.get_by_label("Currency").fill("CHF")
    page.get_by_label("Add a method").select_option("lanczos")
    page.get_by_label("Fee a unit").fill("0.5")
    page.get_by_label("Name of a tool").fill("Plover")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_role("listitem", name="Plover")).to_be_visible()
    page.reload()  # nothing that was typed is lost
    expect(page.get_by_label("Fee a unit").first).to_have_value("0.5")
    page.get_by_role("button", name="Save the price book").click()
    expect(page.get_by_role("button", name="Save the price book")).to_be_disabled()
    page.goto(f"/trials/{trial['id']}/scores")
    costs.get_by_label("Pictures of the job").fill("40")
    costs.get_by_label("Times a year").fill("3")
    costs.get_by_label("Times a year").press("Enter")
    row = costs.get_by_role("row").filter(has_text="Lanczos")
    for figure in ("0.50", "20.00", "60.00"):
        expect(row).to_contain_text(figure)
    plot = page.get_by_role("figure").filter(has_text="One figure against another")
    plot.get_by_label("Across").select_option("cost of one frame, CHF")
    page.goto(f"/trials/{trial['id']}/verdict")
    expect(page.get_by_role("radio", name="Lanczos 3").first).to_be_visible()
    expect(page.get_by_text("20.00 CHF for the job").first).to_be_visible()


def test_a_second_tab_is_not_overwritten(app: Running, page: Page) -> None:
    page.goto("/prices")
    hour = page.get_by_label("An hour of the machine")
    hour.fill("4")
    now = app.http.get("/api/prices").json()
    now["book"]["machine_hour"] = 7
    assert app.http.put("/api/prices", json=now).status_code == 200
    notice = page.get_by_role("status").filter(has_text="changed elsewhere meanwhile")
    expect(notice).to_be_visible()
    page.reload()
    expect(hour).to_have_value("4")  # what was typed is still there
    page.get_by_role("button", name="Save the price book").click()
    expect(page.get_by_role("alert").filter(has_text="changed elsewhere")).to_be_visible()
    assert app.http.get("/api/prices").json()["book"]["machine_hour"] == 7
    notice.get_by_role("button", name="Load it").click()
    expect(hour).to_have_value("7")
