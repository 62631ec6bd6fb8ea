"""A trial's input is sent to the stand-in service from the Run page; its result is an entry, a budget holds."""

import numpy as np
from playwright.sync_api import Page, expect
from skimage import data

from tests.conftest import as_png
from tests.harness import Running
from tests.work.test_connector import service


def test_an_input_is_sent_and_comes_back(app: Running, page: Page) -> None:
    source = app.read("a.png", as_png(np.ascontiguousarray(data.coffee()[:160, :160])))
    trial = app.finished(app.start_trial(source["id"], "Bilinear", factor=2))
    with service(queue_seconds=0.3, process_seconds=0.5) as (linnet, memory):
        app.describe(linnet)
        page.goto(f"/trials/{trial['id']}/run")
        services = page.get_by_test_id("services")
        expect(services).to_contain_text("nobody knows yet how long")
        budget = services.get_by_label("Budget of this trial")
        budget.fill("0.0001")
        budget.press("Enter")
        services.get_by_role("button", name="Send it for").click()
        expect(services.get_by_role("alert")).to_contain_text("raise the budget first")
        assert memory.charged == []
        budget.fill("")
        budget.press("Enter")
        services.get_by_role("button", name="Send it for").click()
        errand = services.get_by_test_id("errand")
        expect(errand).to_contain_text("is back as entry B")
        expect(errand).to_contain_text("fetched in")
        expect(page.get_by_test_id("entry-B")).to_have_attribute("data-state", "done")
        expect(page.get_by_test_id("entry-B")).to_contain_text("Linnet")
        expect(services.get_by_role("button", name="Send it for")).to_have_count(0)
        assert len(memory.charged) == 1
