"""The Storage page: what takes space is seen, and let go by one press."""

import re

import numpy as np
from playwright.sync_api import Page, expect

from tests.conftest import as_png
from tests.harness import Running


def test_space_is_seen_and_cleared(page: Page, app: Running, astronaut: np.ndarray) -> None:
    source = app.read("space.png", as_png(astronaut[:300, :400]))
    trial = app.finished(app.start_trial(source["id"], "Bilinear", "Lanczos 3", factor=2))
    retired = {"standing": "retired", "reason": "softer"}
    app.http.put(f"/api/trials/{trial['id']}/entries/B/standing", json=retired)
    page.goto("/shelf")
    page.get_by_role("link", name="Storage").click()
    expect(page.get_by_role("heading", name="Storage")).to_be_visible()
    expect(page.get_by_text(re.compile(r"free of .* on the disk"))).to_be_visible()
    results = page.get_by_role("row", name=re.compile("^Results"))
    before = results.inner_text()
    dropped = page.get_by_role("listitem", name="Retired results")
    dropped.get_by_role("button", name="Drop their pixels").click()
    expect(dropped).to_contain_text("Nothing to clear")
    expect(results).not_to_have_text(before)

    app.http.delete(f"/api/trials/{trial['id']}")
    page.reload()
    removed = page.get_by_role("listitem", name="Removed lately")
    expect(removed).to_contain_text("1 trial, 0 sources")
    removed.get_by_role("button").click()
    page.get_by_role("dialog").get_by_role("button", name="Let go now").click()
    expect(removed).to_contain_text("Nothing to clear")
    assert app.http.get(f"/api/trials/{trial['id']}").status_code == 404
