"""Headless Chromium from Debian's packages, through Playwright."""

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, Playwright, expect, sync_playwright

from tests.harness import CHROMIUM, PATIENCE, Running

expect.set_options(timeout=1000 * PATIENCE)


def choose(page: Page, *names: str) -> None:
    """On the set-up page, let just these recipes compete."""
    page.get_by_role("button", name="None").click()
    recipes = page.get_by_role("group", name=re.compile("^Recipes that compete"))
    expect(recipes.get_by_role("checkbox", checked=True)).to_have_count(0)
    for name in names:
        recipes.get_by_role("checkbox", name=re.compile(rf"^{re.escape(name)}(?!,)")).first.check()


@pytest.fixture(scope="session")
def playwright() -> Iterator[Playwright]:
    """One for all tests of a process: two at once do not work."""
    with sync_playwright() as started:
        yield started


@pytest.fixture(scope="session")
def browser(playwright: Playwright) -> Iterator[Browser]:
    started = playwright.chromium.launch(executable_path=CHROMIUM)
    yield started
    started.close()


@pytest.fixture
def page(browser: Browser, app: Running) -> Iterator[Page]:
    """A page on the running Mistline; anything the browser complains of (policy, errors) fails the test."""
    complaints: list[str] = []
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=app.address)
    context.set_default_timeout(1000 * PATIENCE)
    opened = context.new_page()
    opened.on("console", lambda message: complaints.append(message.text) if message.type == "error" else None)
    opened.on("pageerror", lambda error: complaints.append(str(error)))
    yield opened
    context.close()
    away = ("status of 4", "ERR_INCOMPLETE_CHUNKED", "ERR_CONNECTION_RE")  # refused, or the server was killed
    assert [text for text in complaints if not any(each in text for each in away)] == []
