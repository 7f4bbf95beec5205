"""The first day of a firm of one's own, in a browser and by keyboard, on an empty database."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import violations
from tests.server import firm_started

ROOMS = (
    *("/", "/setup", "/setup/firm", "/setup/warehouses", "/setup/warehouses/north-hall"),
    *("/setup/people", "/setup/tokens", "/setup/webhooks", "/setup/backups", "/setup/health"),
    *("/account", "/prices/lists", "/stockroom/bins"),
)


@pytest.fixture
def firm(tmp_path):
    with firm_started(tmp_path) as (_, said, base):
        yield re.search(r"First visit (\S+):", said)[1], base


def type_into(page, *texts):
    """Types each text into the next field, by keyboard alone."""
    for text in texts:
        page.keyboard.type(text)
        page.keyboard.press("Tab")


def test_from_the_first_visit_to_a_warehouse_with_480_bins_by_keyboard(page, firm):
    code, base = firm
    page.goto(base)
    code_field = page.get_by_label("Code of the first visit")
    expect(code_field).to_be_focused()
    assert violations(page) == []
    code_field.focus()  # the check takes it away
    type_into(page, code, "Ada Quill", "ada", "a good password")
    page.keyboard.type("a good password")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="From nothing to the first sale")).to_be_visible()
    page.goto(f"{base}/setup/warehouses")
    page.get_by_label("Name (needed)").focus()
    page.keyboard.type("North Hall")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="North Hall")).to_be_visible()
    page.get_by_label("Pattern").focus()
    page.keyboard.type("{aisle:A-L}-{bay:01-40}")
    expect(page.locator("#bins-look")).to_contain_text("480 new")
    page.keyboard.press("Enter")
    expect(page.locator("#bins h2")).to_contain_text("481 open")
    found = {}
    for path in ROOMS:
        page.goto(base + path)
        if problems := violations(page):
            found[path] = problems
    assert found == {}
