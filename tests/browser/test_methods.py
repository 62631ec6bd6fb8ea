"""Methods are searched, measured, looked at and held against one another; a recipe begins with one."""

import re

from playwright.sync_api import Page, expect

from tests.harness import Running


def test_two_methods_are_measured_and_compared(app: Running, page: Page) -> None:
    page.goto("/methods")
    search = page.get_by_label("Search methods")
    search.fill("keys cubic")
    expect(page.get_by_test_id("method-bicubic")).to_be_visible()
    expect(page.get_by_test_id("method-wavelet")).to_have_count(0)
    search.fill("nothing like it")
    page.get_by_role("button", name="Show all").click()
    for method in ("bilinear", "bicubic"):
        row = page.get_by_test_id(f"method-{method}")
        row.get_by_role("button", name="Measure", exact=True).click()
        row.get_by_role("button", name="Compare").click()
    beside = page.get_by_test_id("beside")
    expect(beside.get_by_role("heading")).to_have_text("Bilinear beside Bicubic")
    expect(beside).to_contain_text("bright rims +")
    expect(beside).to_contain_text("noise gain up")
    # The pictures are there, with their own pixels.
    after = beside.get_by_alt_text("The plate, as Bicubic makes it")
    expect(after).to_be_visible()
    page.wait_for_function("image => image.complete && image.naturalWidth > 0", arg=after.element_handle())
    before = beside.get_by_alt_text("The plate, as given")
    widths = [image.evaluate("image => image.naturalWidth") for image in (before, after)]
    assert widths[1] == 2 * widths[0] > 0
    page.reload()  # the address keeps it
    expect(beside.get_by_role("heading")).to_have_text("Bilinear beside Bicubic")
    beside.get_by_role("button", name="Close").click()
    expect(beside).to_have_count(0)


def test_all_of_a_method_and_a_recipe_that_begins_with_it(app: Running, page: Page) -> None:
    page.goto("/methods")
    row = page.get_by_test_id("method-lanczos")
    row.get_by_role("button", name="All of it, Lanczos").press("Enter")
    expect(row).to_contain_text("Duchon 1979")
    row.get_by_role("link", name="Begin a recipe with it").click()
    expect(page).to_have_url(re.compile(f"^{app.address}/recipes\\?draft=new-"))  # it is kept from here on
    expect(page.get_by_label("Name of the recipe")).to_have_value("Lanczos")
    expect(page.get_by_role("region", name="Recipe").get_by_test_id("pass-1")).to_contain_text("Lanczos")
