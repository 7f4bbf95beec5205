"""Tests the page that tells an error: what happened, what was kept, and what to do."""

import pytest

from tests.applications import client_of
from tests.visitor import page, post, shown


def told(answer):
    """Returns what stands under each heading of an error page."""
    said = page(answer).cssselect(".lost-said")[0]
    heads = [shown(one) for one in said.cssselect("dt")]
    return dict(zip(heads, map(shown, said.cssselect("dd")), strict=True))


def ways(answer):
    return [one.get("href") for one in page(answer).cssselect(".lost-said a")]


def test_it_says_what_happened_what_was_kept_and_what_to_do(web):
    answer = web.get("/orders/O-9")
    assert answer.status_code == 404
    assert told(answer) == {
        "What happened": "There is no order “O-9”.",
        "What was kept": "Nothing was changed.",
        "What to do": "Check the name, or search for it with Ctrl+K. Go to Today",
    }


def test_what_was_typed_in_a_form_is_not_lost(web):
    answer = post(web, "/orders/O-9/link", line="1", sku="Y")
    assert "What you typed is still there when you go back." in told(answer)["What was kept"]


def test_what_broke_over_a_deed_is_not_said_to_have_changed_nothing(web, monkeypatch):
    def broken(*_):
        raise RuntimeError("a fault of ours")

    monkeypatch.setattr("relvan.web.pages.firm.change_firm", broken)
    answer = post(web, "/setup/firm", name="Quillmoss")
    assert answer.status_code == 500
    assert "Every step is saved whole or not at all." in told(answer)["What was kept"]
    assert "Nothing was changed" not in told(answer)["What was kept"]


@pytest.mark.parametrize(
    ("before", "way"),
    [
        ("http://testserver/orders?tray=inbox", ["/orders?tray=inbox", "/"]),
        ("http://testserver/orders/O-9", ["/"]),  # the same page once more helps nobody
        ("http://elsewhere.example/orders", ["/"]),
        ("http://testserver//elsewhere.example/x", ["/"]),
        ("javascript:alert(1)", ["/"]),
        ("", ["/"]),
    ],
)
def test_the_way_back_leads_to_a_page_of_this_application(web, before, way):
    assert ways(web.get("/orders/O-9", headers={"referer": before})) == way


def test_somebody_who_is_not_signed_in_is_told_the_same(bare_visitor):
    answer = bare_visitor.get("/invitations/nothing")
    assert "was used, has ended, or never was" in told(answer)["What happened"]
    assert ways(answer) == ["/sign-in"]


@pytest.fixture
def bare_visitor(workplace):
    return client_of(workplace)
