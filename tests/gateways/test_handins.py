"""Tests the shared catalogue: hand-ins and their reply sheets, its pages, and a rulebook that says
what the stand-in does."""

import hashlib
import time

import pytest

from relvan.core.catalogue.identity import gtin_check_digit
from relvan.core.money import Money
from relvan.gateways.channels.port import HandInRow, Offer, PictureFile
from relvan.gateways.channels.registry import open_gateway, rulebook
from tests.house import png
from tests.steps.conformance import FIELDS

BOOK = rulebook("corvello")


def gtin(number):
    body = f"40{number:010d}"
    return body + gtin_check_digit(body)


@pytest.fixture
def gateway(world):
    found = open_gateway(
        BOOK, world.seller_api("corvello"), world.token("corvello"), private_allowed=True
    )
    yield found
    found.close()


@pytest.fixture
def offer(tmp_path):
    (tmp_path / "pot.png").write_bytes(png())
    picture = PictureFile(hashlib.sha256(png()).hexdigest(), "image/png", tmp_path / "pot.png")
    return Offer("PT/14", FIELDS["corvello"], Money(1690, "EUR"), 7, (picture,))


def reply_of(gateway, number):
    for _ in range(40):
        lines = gateway.reply_sheet(number)
        if lines is not None:
            return lines
        time.sleep(0.1)
    raise AssertionError("no reply sheet")


def put_pages(world, *pages):
    return world.client.post("/world/corvello/pages", json={"pages": list(pages)}).json()["pages"]


def test_a_hand_in_is_answered_later_with_a_verdict_for_each_line(gateway, offer, world):
    (page,) = put_pages(
        world, {"title": "Pot of clay, 14 cm", "maker": "Quillmoss", "gtin": gtin(1)}
    )
    on_page = Offer("PT-A", {**FIELDS["corvello"], "page": page}, Money(1500, "EUR"), 3)
    bad = Offer(
        "PT-B", {**FIELDS["corvello"], "title": "short"}, Money(1500, "EUR"), 3, offer.pictures
    )
    rows = [
        HandInRow("a", "publish", offer=on_page),
        HandInRow("b", "publish", offer=bad),
        HandInRow("c", "publish", offer=offer),
        HandInRow("d", "quantity", "nowhere", quantity=1),
    ]
    number = gateway.hand_in("mark-1", rows)
    assert gateway.reply_sheet(number) is None, "the sheet takes its time"
    assert world.listings("corvello") == {}
    lines = {line.key: line for line in reply_of(gateway, number)}
    assert [not lines[key].problems for key in "abcd"] == [True, False, True, False]
    assert dict(lines["b"].problems)["title"].startswith("A title has")
    assert lines["a"].placed.page == f"/corvello/pages/{page}"
    shown = world.listings("corvello")
    assert shown["PT-A"]["title"] == "Pot of clay, 14 cm", "the page decides what it is called"
    assert set(shown) == {"PT-A", "PT/14"}


def test_handing_in_again_under_one_mark_changes_nothing(gateway, offer, world):
    rows = [HandInRow("c", "publish", offer=offer)]
    number = gateway.hand_in("mark-1", rows)
    assert gateway.hand_in("mark-1", rows) == number == gateway.find_handed_in("mark-1")
    assert gateway.find_handed_in("never") == ""
    first = reply_of(gateway, number)
    again = reply_of(gateway, gateway.hand_in("mark-2", rows))
    assert again[0].placed == first[0].placed, (
        "a line under a key that was taken has the verdict it had"
    )
    assert len(world.listings("corvello")) == 1


def test_a_stall_has_one_offer_on_a_page(gateway, world):
    (page,) = put_pages(
        world, {"title": "Pot of clay, 14 cm", "maker": "Quillmoss", "gtin": gtin(1)}
    )
    offers = [
        Offer(sku, {**FIELDS["corvello"], "page": page}, Money(1500, "EUR"), 3)
        for sku in ("A", "B")
    ]
    rows = [HandInRow(offer.sku, "publish", offer=offer) for offer in offers]
    lines = reply_of(gateway, gateway.hand_in("mark", rows))
    assert [not line.problems for line in lines] == [True, False]
    assert lines[1].problems[0][0] == "page"


def test_pages_are_found_by_several_gtins_and_by_words(gateway, world):
    first, twin, other = put_pages(
        world,
        {"title": "Aubrey pot, celadon", "maker": "Quillmoss", "gtin": gtin(1)},
        {"title": "Pot Aubrey (celadon glaze)", "maker": "Quillmoss", "gtin": gtin(1)},
        {"title": "Steel trowel", "maker": "Else", "gtin": gtin(2)},
    )
    assert [page.page for page in gateway.pages_by_gtin([gtin(1), gtin(2), gtin(3)])] == [
        first,
        twin,
        other,
    ]
    assert [page.page for page in gateway.pages_by_words("celadon pot by Aubrey", 2)] == [
        first,
        twin,
    ]
    assert gateway.pages_by_words("nothing like it", 5) == []


def test_two_offers_stand_in_front_and_rivals_count(gateway, world):
    (page,) = put_pages(
        world, {"title": "Pot of clay, 14 cm", "maker": "Quillmoss", "gtin": gtin(1)}
    )
    on_page = Offer("PT-A", {**FIELDS["corvello"], "page": page}, Money(1500, "EUR"), 3)
    reply_of(gateway, gateway.hand_in("mark", [HandInRow("a", "publish", offer=on_page)]))
    rivals = [{"price": 1400, "shipping": 300}, {"price": 1000, "shipping": 0, "rating": 2.1}]
    world.client.post(
        "/world/corvello/rivals", json={"gtin": gtin(1), "offers": rivals}
    ).raise_for_status()
    (found,) = gateway.pages_by_gtin([gtin(1)])
    assert (found.offers, found.lowest) == (3, 1000)
    text = world.client.get(f"/corvello/pages/{page}").text
    assert (
        text.index("14.00 EUR")
        < text.index("15.00 EUR")
        < text.index("Other offers")
        < text.index("10.00 EUR")
    )


def test_the_rulebook_says_of_each_aisle_what_the_stand_in_keeps(gateway, world):
    told = world.client.get(
        "/corvello/counter/aisles", headers={"Authorization": f"Stall {world.token('corvello')}"}
    )
    found = told.json()
    assert {aisle["aisle"]: aisle["name"] for aisle in found["aisles"]} == {
        c.key: c.name for c in BOOK.categories
    }
    for name, allowed in found["particulars"].items():
        rule = BOOK.field(name)
        assert list(rule.choices) == allowed
        assert set(rule.required_in) == {
            aisle["aisle"] for aisle in found["aisles"] if name in aisle["needs"]
        }
        either = {a["aisle"] for a in found["aisles"] if name in (*a["needs"], *a["takes"])}
        assert set(rule.only_in) == either
    assert (
        BOOK.pages.no_gtin_reasons
        == tuple(found["reasons"])
        == BOOK.field("no_gtin_because").choices
    )
