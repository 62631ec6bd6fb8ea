"""From another machine the pages ask for the key once."""

from playwright.sync_api import Playwright, expect

from tests.harness import CHROMIUM, KEY, PATIENCE, Running


def test_the_key_is_asked_for_once(locked: Running, playwright: Playwright) -> None:
    rules = "--host-resolver-rules=MAP mistline.example 127.0.0.1"
    browser = playwright.chromium.launch(executable_path=CHROMIUM, args=[rules])
    port = locked.address.rpartition(":")[2]
    context = browser.new_context(
        base_url=f"http://mistline.example:{port}", extra_http_headers={"X-Forwarded-For": "203.0.113.20"}
    )
    context.set_default_timeout(1000 * PATIENCE)
    page = context.new_page()
    page.goto("/methods")
    expect(page.get_by_role("heading", name="The key, please")).to_be_visible()
    page.get_by_label("Key").fill("a guess")
    page.get_by_role("button", name="Come in").click()
    expect(page.get_by_role("alert")).to_contain_text("That is not the key")
    page.get_by_label("Key").fill(KEY)
    page.get_by_role("button", name="Come in").click()
    expect(page.get_by_role("heading", name="Methods")).to_be_visible()
    page.reload()
    expect(page.get_by_test_id("method-bilinear")).to_be_visible()
    assert KEY not in str(page.evaluate("document.cookie"))
    browser.close()
