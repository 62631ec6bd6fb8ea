"""Every page and every mode of Look by the rules of WCAG 2.1 A and AA, as axe-core reads them."""

import re
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, Playwright, expect

from mistline.store.settings import ROOT
from tests.conftest import as_png
from tests.harness import CHROMIUM, PATIENCE, Running

AXE = Path(ROOT, "web/node_modules/axe-core/axe.min.js")
RUN = """async () => (await axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa'] })).violations
    .filter(({ impact }) => impact === 'serious' || impact === 'critical')
    .map(({ id, nodes }) => `${id}: ${nodes.map(({ target, failureSummary }) => target + ' ' + failureSummary).join('; ')}`)"""
PRINT = "%7B%22kind%22%3A%22print%22%2C%22length%22%3A20%7D"  # a print of 20 cm
PAGES = [
    "/shelf", "/trials", "/recipes", "/methods", "/prices", "/storage", "/playbook", "/trials/new?source={source}",
    f"/trials/new?source={{source}}&test=no+truth&target={PRINT}",
]  # fmt: skip
STEPS = ["setup", "run", "scores", "verdict"]
LOOKS = [
    "panes=truth,input,A,B&focus=2", "panes=A&focus=0&map=lost", "mode=wall&by=ssim", "mode=zooms&panes=truth,A",
    "mode=wipe&panes=truth,A", "mode=difference&panes=truth,A", "panes=truth,A&side=spots",
    "panes=truth,A&side=remarks&lift=4",
]  # fmt: skip


TOO_WIDE = """() => Math.max(...['html', 'main'].map(name => {
    const { scrollWidth, clientWidth } = document.querySelector(name); return scrollWidth - clientWidth; }))"""


@pytest.fixture(scope="module")
def trial(app: Running, astronaut: np.ndarray) -> dict:
    source = app.read("accessible.png", as_png(astronaut[:260, :300]))
    made = app.finished(app.start_trial(source["id"], "Bilinear", "Lanczos 3", factor=2))
    place = {"left": 40, "top": 60, "width": 120, "height": 90, "frame": 0}
    spot = app.http.post(f"/api/trials/{made['id']}/spots", json={"name": "Eye", **place}).json()
    app.http.post(f"/api/trials/{made['id']}/spots/{spot['id']}/scores")
    app.http.post(
        f"/api/trials/{made['id']}/remarks", json={"letter": "A", **place, "defect": "rims", "severity": 2}
    )
    app.http.put(f"/api/trials/{made['id']}/entries/B/standing", json={"standing": "retired", "reason": "soft"})
    return made


def faults(page: Page) -> list[str]:
    page.evaluate(AXE.read_text())
    found: list[str] = page.evaluate(RUN)
    return found


def test_text_of_twice_the_size_fits_across(playwright: Playwright, app: Running, trial: dict) -> None:
    """WCAG 2.1, 1.4.4: the browser's own text size is doubled; no page scrolls sideways, and titles are seen."""
    browser = playwright.chromium.launch(executable_path=CHROMIUM, args=["--blink-settings=defaultFontSize=32"])
    page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=app.address)
    wide = {}
    for path in [*PAGES, *(f"/trials/{{id}}/{step}" for step in [*STEPS, "look"])]:
        page.goto(path.format(source=trial["source_id"], id=trial["id"]))
        heading = page.get_by_role("heading").first
        expect(heading).to_be_visible(timeout=1000 * PATIENCE)
        assert heading.evaluate("element => parseFloat(getComputedStyle(element).fontSize)") >= 32
        wide[path] = page.evaluate(TOO_WIDE)
    browser.close()
    assert {path: by for path, by in wide.items() if by > 0} == {}


def test_long_names_without_spaces_fit_across(page: Page, app: Running, astronaut: np.ndarray) -> None:
    """At 1024 x 700, the smallest window that is designed for."""
    long = "scan_of_the_second_negative_after_cleaning_v0042_" * 4
    source = app.read(f"{long[:190]}.png", as_png(astronaut[100:220, 20:160]))
    app.http.patch(f"/api/sources/{source['id']}", json={"story": long, "kind": "clean"}).raise_for_status()
    bicubic = next(each for each in app.http.get("/api/recipes").json() if each["name"] == "Bicubic")
    app.http.post("/api/recipes", json={"name": long[:80], "passes": bicubic["passes"]}).raise_for_status()
    made = app.finished(app.start_trial(source["id"], "Bilinear", long[:80], factor=2))
    verdict = {"pick": "B", "fallback": "A", "kind": "clean", "reasons": long}
    app.http.post(f"/api/trials/{made['id']}/verdicts", json=verdict).raise_for_status()
    page.set_viewport_size({"width": 1024, "height": 700})
    wide = {}
    pages = ["/shelf", "/shelf?as=list", "/trials", "/recipes", "/playbook", "/trials/new?source={source}"]
    for path in [*pages, *(f"/trials/{{id}}/{step}" for step in [*STEPS, "look"])]:
        page.goto(path.format(source=source["id"], id=made["id"]))
        expect(page.get_by_role("main").get_by_text(long[:60]).first).to_be_attached()
        wide[path] = page.evaluate(TOO_WIDE)
    assert {path: by for path, by in wide.items() if by > 0} == {}


def test_no_page_has_a_serious_fault(page: Page, trial: dict) -> None:
    found = {}
    for path in [*PAGES, *(f"/trials/{{id}}/{step}" for step in STEPS)]:
        page.goto(path.format(source=trial["source_id"], id=trial["id"]))
        expect(page.get_by_role("main").get_by_role("heading").first).to_be_visible()
        expect(page).to_have_title(re.compile(".+ – Mistline"))
        found[path] = faults(page)
    assert {path: rules for path, rules in found.items() if rules} == {}


FAINT = """() => {
    const light = text => text.match(/[\\d.]+/g).slice(0, 3).map(Number).map(code => code / 255)
        .map(code => code <= 0.04045 ? code / 12.92 : ((code + 0.055) / 1.055) ** 2.4)
        .reduce((sum, part, channel) => sum + part * [0.2126, 0.7152, 0.0722][channel], 0);
    const ground = node => { const { backgroundColor } = getComputedStyle(node);
        return /, 0\\)$|transparent/.test(backgroundColor) ? ground(node.parentElement) : backgroundColor; };
    return [...document.querySelectorAll('input, select, textarea')]
        .filter(field => field.offsetWidth > 0 && !field.disabled && !['checkbox', 'radio', 'range', 'file'].includes(field.type))
        .filter(field => parseFloat(getComputedStyle(field).borderTopWidth) > 0)
        .map(field => [light(getComputedStyle(field).borderTopColor), light(ground(field.parentElement)), field.outerHTML])
        .filter(([border, around]) => (Math.max(border, around) + 0.05) / (Math.min(border, around) + 0.05) < 3)
        .map(([, , text]) => text);
}"""


def test_fields_are_seen_by_their_border(page: Page, trial: dict) -> None:
    """WCAG 2.1, 1.4.11: 3 to 1 against what is around them."""
    seen, faint = 0, {}
    for path in [*PAGES, *(f"/trials/{{id}}/{step}" for step in [*STEPS, "look"])]:
        page.goto(path.format(source=trial["source_id"], id=trial["id"]))
        expect(page.get_by_role("main").get_by_role("heading").first).to_be_visible()
        faint[path] = page.evaluate(FAINT)
        seen += page.locator("input, select, textarea").count()
    assert {path: fields for path, fields in faint.items() if fields} == {}
    assert seen > 20


def test_no_mode_of_look_has_a_serious_fault(page: Page, trial: dict) -> None:
    found = {}
    for look in LOOKS:
        page.goto(f"/trials/{trial['id']}/look?{look}")
        expect(page.locator("canvas:not([data-shown=''])").first).to_be_visible()
        if "spots" in look:
            page.get_by_role("list", name="Spots", exact=True).get_by_role("button", name="Eye").first.click()
            expect(page.get_by_test_id("part-ssim")).to_be_visible()
        found[look] = faults(page)
    page.keyboard.press("?")
    expect(page.get_by_role("dialog").get_by_role("heading")).to_be_visible()
    found["keys"] = faults(page)
    assert {look: rules for look, rules in found.items() if rules} == {}
