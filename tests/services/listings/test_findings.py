"""Tests what was there before: read in without touching it, linked by SKU, by GTIN, by hand; made
into products."""

import pytest

from relvan.core.listings.reading import ReadingFilter
from relvan.core.refusal import Refused
from relvan.services.catalogue.read import view_product
from relvan.services.listings import findings
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.findings import read_findings
from relvan.services.listings.linking import (
    link_finding,
    link_findings,
    products_from_findings,
    unlink_finding,
)
from relvan.services.listings.publish import publish_listings
from relvan.store.findings import FindingFilter, count_findings, finding_page
from relvan.store.jobs import job_rows
from relvan.store.listings import listings_of
from tests.house import TEXT, add_pot, assert_sound, connect, deliver, read, work
from tests.snapshots import built_once
from tests.steps.corvello import gtin, put_pages
from tests.steps.families_on_channels import make_family
from tests.steps.findings import place_by_hand


@built_once
def shop(workplace, owner, world):
    connect(workplace, owner, world, "hagglet")
    add_pot(workplace, owner, "PT-1", title="Aubrey pot, celadon glaze, 14 cm")
    add_pot(workplace, owner, "PT-2", title="Steel trowel", gtin=gtin(2))
    return workplace


def read_in(workplace, owner, channel="hagglet", **how):
    job_id = read_findings(workplace, owner, channel, ReadingFilter(**how))
    work(workplace)
    with workplace.database.reading() as session:
        return job_rows(session, job_id=job_id)[0]


def found(workplace, **wanted):
    with workplace.database.reading() as session:
        return finding_page(session, FindingFilter(**wanted))


def listings(workplace):
    with workplace.database.reading() as session:
        return listings_of(session, channel_id=1)


def test_reading_links_by_sku_then_by_gtin_and_suggests_the_rest(shop, owner, world):
    place_by_hand(world, "PT-1", "A pot")
    place_by_hand(world, "OTHER", "A trowel", barcode=gtin(2))
    place_by_hand(world, "LOST", "Celadon pot by Aubrey, 14 cm")
    place_by_hand(world, "", "Nothing of ours whatever")
    before = world.client.get("/world/hagglet/listings").json()
    job = read_in(shop, owner)
    assert (job.state, job.counts["linked"], job.counts["open"]) == ("ended", 2, 2)
    deliver(shop)
    assert world.client.get("/world/hagglet/listings").json() == before, (
        "reading changes nothing there"
    )
    linked = {row.sku: (row.linked_by, row.product_sku) for row in found(shop, linked=True)}
    assert linked == {"PT-1": ("SKU", "PT-1"), "OTHER": ("GTIN", "PT-2")}
    lost, strange = found(shop)
    assert (lost.product_sku, lost.likeness > 50) == ("PT-1", True)
    assert any("alike" in reason for reason in lost.reasons)
    assert strange.product_sku is None
    assert {listing.followed for listing in listings(shop)} == {False}
    assert_sound(shop)


def test_what_is_followed_from_now_on_is_kept_in_step(shop, owner, world):
    place_by_hand(world, "PT-1", "A pot")
    read_in(shop, owner)
    (listing,) = listings(shop)
    assert set(listing.outdated.split()) >= {"price", "quantity"}, (
        "it shows what differs, and sends nothing"
    )
    publish_listings(shop, owner, [listing.id])
    deliver(shop)
    shown = world.listings("hagglet")["PT-1"]
    assert (shown["price"], shown["quantity"]) == (1690, 10)
    assert listings(shop)[0].followed
    assert_sound(shop)


def test_reading_again_finds_the_same_and_a_broken_reading_goes_on(shop, owner, world, monkeypatch):
    monkeypatch.setattr(findings, "MOST_WAIT_S", 0.01)
    place_by_hand(world, "LOST", "A pot that nobody knows")
    read_in(shop, owner)
    read_in(shop, owner)
    assert len(found(shop)) == 1
    world.weather("hagglet", "down")
    job = read_in(shop, owner)
    assert job.state == "failed"
    assert "read again to go on" in job.trouble
    world.weather("hagglet", "flaky", seed=4)
    assert read_in(shop, owner).state == "ended"


def test_ours_are_no_findings_and_words_narrow_what_is_read(shop, owner, world):
    ids = draft_listings(shop, owner, "hagglet", ["PT-1"]).listing_ids
    change_listings(shop, owner, ids, {"shelf": "hg-planters"})
    publish_listings(shop, owner, ids)
    deliver(shop)
    place_by_hand(world, "A", "A vase")
    place_by_hand(world, "B", "A bowl")
    job = read_in(shop, owner, words="vase")
    assert (job.counts["ours already"], job.counts["left out"]) == (1, 1)
    assert [row.title for row in found(shop)] == ["A vase"]


@pytest.mark.parametrize(
    ("how", "titles"),
    [
        ({"words": "bowl A"}, ["A bowl"]),
        ({"words": "bowl vase"}, []),
        ({"shown": "live"}, ["A bowl", "A vase"]),
        ({"shown": "down"}, ["A jug"]),
        ({"shown": "down", "words": "vase"}, []),
    ],
)
def test_a_filter_reads_by_words_and_by_what_is_for_sale(shop, owner, world, how, titles):
    for code, title in (("A", "A vase"), ("B", "A bowl"), ("C", "A jug")):
        notice = place_by_hand(world, code, title)
    head = {"Authorization": f"Token {world.token('hagglet')}"}
    world.client.post(f"/hagglet/seller/notices/{notice}/close", headers=head).raise_for_status()
    read_in(shop, owner, **how)
    assert sorted(row.title for row in found(shop)) == titles


@pytest.mark.parametrize("wrong", [{"shown": "half"}, {"words": "x" * 101}])
def test_a_filter_that_makes_no_sense_is_refused(wrong):
    with pytest.raises(Refused):
        ReadingFilter(**wrong)


def test_reading_goes_on_through_calls_refused_for_being_too_many(shop, owner, world):
    for number in range(3):
        place_by_hand(world, f"A{number}", f"A vase {number}")
    world.weather("hagglet", "throttled")
    for _ in range(8):
        world.client.get(
            "/hagglet/seller/notices", headers={"Authorization": f"Token {world.token('hagglet')}"}
        )
    job = read_in(shop, owner)
    assert (job.state, job.counts["open"]) == ("ended", 3)


def test_what_lies_in_the_marketplaces_own_centre_is_left_out_unless_asked_for(
    workplace, owner, world
):
    connect(workplace, owner, world, "corvello")
    pages = put_pages(world, ("Pot in their centre", gtin(5)), ("Pot of ours", gtin(6)))
    head = {"Authorization": f"Stall {world.token('corvello')}", "Mark": "by-hand"}
    terms = {"condition": "new", "hours_to_leave": 24}
    lines = [
        {
            "key": page,
            "do": "offer",
            "page": page,
            "code": page,
            "price": 1000,
            "units": 4,
            "terms": terms,
            "sent_by": by,
        }
        for page, by in zip(pages, ("corvello", "seller"), strict=True)
    ]
    world.client.post("/corvello/counter/handins", json={"lines": lines}, headers=head)
    world.client.post("/world/clock", json={"advance_minutes": 1})
    read_in(workplace, owner, "corvello")
    assert [row.title for row in found(workplace)] == ["Pot of ours"]
    read_in(workplace, owner, "corvello", centre=True)
    assert {row.title for row in found(workplace)} == {"Pot of ours", "Pot in their centre"}


def test_a_link_by_hand_is_followed_at_once_and_can_be_taken_back(shop, owner, world):
    ref = place_by_hand(world, "LOST", "Celadon pot by Aubrey, 14 cm")
    read_in(shop, owner)
    (lost,) = found(shop)
    link_finding(shop, owner, lost.id, "PT-1")
    deliver(shop)
    (listing,) = listings(shop)
    assert (listing.ref, listing.placed, listing.followed) == (ref, True, True)
    assert world.listings("hagglet")["LOST"]["quantity"] == 10
    number = world.buy("hagglet", "LOST", 2)
    assert read(shop)
    assert number
    with pytest.raises(Refused):
        link_finding(shop, owner, lost.id, "PT-2")
    unlink_finding(shop, owner, lost.id)
    assert [row.id for row in found(shop)] == [lost.id]
    assert world.listings("hagglet")["LOST"]["state"] == "live", "there nothing has changed"
    assert listings(shop)[0].placed is False
    with pytest.raises(Refused):
        unlink_finding(shop, owner, lost.id)
    assert_sound(shop)


def test_a_product_has_one_listing_on_a_channel_so_the_second_link_is_refused(shop, owner, world):
    for code in ("A", "B"):
        place_by_hand(world, code, f"Pot {code}")
    read_in(shop, owner)
    first, second = found(shop)
    verdicts = link_findings(
        shop, owner, [(first.id, "PT-1"), (second.id, "PT-1"), (second.id, "NOPE")]
    )
    assert [(verdict.ok, verdict.code) for verdict in verdicts] == [
        (True, ""),
        (False, "exists"),
        (False, "not-found"),
    ]


def test_products_are_made_of_findings_with_their_facts(shop, owner, world):
    place_by_hand(world, "NEW-1", "Garden twine, green", barcode=gtin(9))
    read_in(shop, owner)
    (row,) = found(shop)
    assert products_from_findings(shop, owner, [row.id])[0].ok
    product = view_product(shop, "NEW-1").whole
    assert (product.title, product.gtin, product.prices["retail"]) == (
        "Garden twine, green",
        gtin(9),
        1500,
    )
    assert (product.description, product.attributes["Material"]) == (TEXT, "clay")
    assert listings(shop)[0].followed is False, "nothing is counted of it yet"
    deliver(shop)
    assert world.listings("hagglet")["NEW-1"]["quantity"] == 3
    assert not products_from_findings(shop, owner, [row.id])[0].ok
    assert_sound(shop)


def test_a_family_is_made_of_its_page_with_all_its_variants(shop, owner, world):
    head = place_by_hand(world, "F", "Bowls in two sizes", grid=["Size"])
    token = {"Authorization": f"Token {world.token('hagglet')}"}
    for size in ("S", "L"):
        body = {"own_code": f"F-{size}", "asking": 900, "units": 2, "values": {"Size": size}}
        told = {**token, "Request-Id": f"cell-{size}"}
        assert (
            world.client.post(
                f"/hagglet/seller/notices/{head}/cells", json=body, headers=told
            ).status_code
            == 201
        )
    read_in(shop, owner)
    assert len(found(shop)) == 3
    assert products_from_findings(shop, owner, [found(shop)[1].id])[0].ok, (
        "a variant brings its family along"
    )
    assert view_product(shop, "F-S").whole.family == "F"
    rows = {listing.ref: listing for listing in listings(shop)}
    assert sum(listing.head_id == rows[head].id for listing in rows.values()) == 2
    with shop.database.reading() as session:
        assert count_findings(session, FindingFilter()).number == 0
    assert_sound(shop)


def test_variants_join_their_page_whenever_it_is_linked_and_leave_with_it(shop, owner, world):
    make_family(shop, owner)
    head = place_by_hand(world, "PAGE", "Aubrey pots", grid=["Size", "Glaze"])
    told = {"Authorization": f"Token {world.token('hagglet')}", "Request-Id": "cell"}
    body = {
        "own_code": "CELL",
        "asking": 900,
        "units": 2,
        "values": {"Size": "9 cm", "Glaze": "Ink"},
    }
    world.client.post(
        f"/hagglet/seller/notices/{head}/cells", json=body, headers=told
    ).raise_for_status()
    read_in(shop, owner)
    page, cell = sorted(found(shop), key=lambda row: row.head)
    with pytest.raises(Refused) as refused:
        link_finding(shop, owner, page.id, "PT-9-INK")
    assert "is the page of a family" in refused.value.first.message
    listing = link_finding(shop, owner, cell.id, "PT-9-INK")
    above = link_finding(shop, owner, page.id, "PT")
    rows = {row.id: row for row in listings(shop)}
    assert (rows[listing].head_id, rows[above].is_head) == (above, True)
    assert_sound(shop)
    unlink_finding(shop, owner, page.id)
    assert {row.id for row in found(shop)} == {page.id, cell.id}
    assert not any(row.placed for row in listings(shop))
    assert_sound(shop)
