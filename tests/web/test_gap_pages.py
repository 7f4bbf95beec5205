"""Gaps: a button does what it says to what it counts, shows it first and can be undone; and where
each gap leads."""

import pytest
from lxml import html

from relvan.services.listings.draft import draft_listings, draft_on_channels
from relvan.store.listings import listings_of
from tests.house import add_pot, connect
from tests.snapshots import built_once
from tests.visitor import apply_job, post


@built_once
def shop(workplace, owner, world):
    """Four pots drafted on Hagglet without a shelf; two are in oat."""
    connect(workplace, owner, world, "hagglet", "ownshop")
    for number, glaze in enumerate(("oat", "oat", "ink", "ink")):
        add_pot(workplace, owner, f"PT-{number}", title=f"Aubrey pot {number} in {glaze}")
    draft_listings(workplace, owner, "hagglet", [f"PT-{number}" for number in range(4)])
    return workplace


def page_of(answer):
    return html.fromstring(answer.text)


def words(answer, selector="body"):
    return " ".join(
        " ".join(found.text_content() for found in page_of(answer).cssselect(selector)).split()
    )


def shelves(workplace):
    """What each listing says of its own, by product."""
    with workplace.database.reading() as session:
        return {one.product_id: one.own.get("shelf", "") for one in listings_of(session)}


def fields_of(form):
    return {
        field.get("name"): field.get("value") or ""
        for field in form.cssselect("input[type=hidden]")
    }


def the_form(answer, action, number=0):
    return [form for form in page_of(answer).cssselect("form") if form.get("action") == action][
        number
    ]


def test_a_value_is_set_on_just_the_listings_that_the_page_shows_after_it_has_been_seen(shop, web):
    page = web.get("/listings/gaps?channel=hagglet&q=oat")
    form = the_form(page, "/listings/gaps/set")
    assert "Rehearse on 2" in " ".join(form.text_content().split())
    rehearsed = web.post("/listings/gaps/set", data={**fields_of(form), "value": "hg-planters"})
    assert "Set Shelf on 2 listings on Hagglet" in words(rehearsed)
    assert "Nothing has been changed yet" in words(rehearsed)
    assert len(page_of(rehearsed).cssselect("ins")) == 2
    assert list(shelves(shop).values()) == ["", "", "", ""]

    applied = apply_job(web, shop, rehearsed)
    assert "2 applied" in words(applied)
    assert "Back to where it was started" in words(applied)
    assert list(shelves(shop).values()) == ["hg-planters", "hg-planters", "", ""]
    assert "2 undone" in words(apply_job(web, shop, rehearsed, "undo"))
    assert list(shelves(shop).values()) == ["", "", "", ""]


def test_a_listing_that_was_changed_meanwhile_is_left_alone_and_the_others_go_on(shop, web):
    form = the_form(web.get("/listings/gaps?channel=hagglet"), "/listings/gaps/set")
    rehearsed = web.post("/listings/gaps/set", data={**fields_of(form), "value": "hg-planters"})
    post(web, "/listings/1", own_shelf="hg-watering")
    told = words(apply_job(web, shop, rehearsed))
    assert "3 applied, 1 refused" in told
    assert "“shelf” has been changed since" in told
    assert list(shelves(shop).values()) == ["hg-watering", *["hg-planters"] * 3]


def test_categories_are_chosen_for_what_the_page_shows_too(shop, web):
    page = web.get("/listings/gaps?channel=hagglet&q=ink")
    form = the_form(page, "/listings/gaps/set", 1)
    assert "Rehearse on 2" in " ".join(form.text_content().split())
    rehearsed = web.post("/listings/gaps/set", data={**fields_of(form), "value": "hg-planters"})
    assert "Set Shelf on 2 listings on Hagglet" in words(rehearsed)


def test_a_value_that_no_field_takes_is_refused_before_anything(shop, web):
    for wrong in (
        {"field": "moon", "value": "x"},
        {"field": "shelf", "value": "x" * 20_001},
        {"value": "x"},
    ):
        answer = post(web, "/listings/gaps/set", **{"channel": "hagglet", "pick": "1", **wrong})
        assert answer.status_code == 422, wrong


def test_the_drafts_of_a_job_lead_to_just_their_gaps(shop, web, owner):
    add_pot(shop, owner, "PT-9", title="Another pot", prices={}, units=0)
    job = draft_on_channels(shop, owner, ["hagglet"], ["PT-9"]).job_id
    link = next(
        a.get("href")
        for a in page_of(web.get(f"/jobs/{job}")).cssselect("a")
        if "gaps" in a.text_content()
    )
    gaps = web.get(link)
    assert "drafted by “Draft 1 product on Hagglet”" in words(gaps, ".chip")
    assert {found.text_content() for found in page_of(gaps).cssselect(".mend > b")} == {"1"}
    which = next(
        a.get("href") for a in page_of(gaps).cssselect(".mend a") if a.text_content() == "show them"
    )
    assert words(web.get(which), "td.sku") == "PT-9"


@pytest.mark.parametrize(
    ("kind", "label", "place"),
    [("no stock", "Look at the stock", "/stock"), ("no price", "Set prices", "/prices/lists")],
)
def test_gaps_that_products_mend_lead_to_just_those_products(shop, web, owner, kind, label, place):
    add_pot(shop, owner, "PT-9", title="Another pot", prices={}, units=0)
    draft_listings(shop, owner, "hagglet", ["PT-9"])
    gaps = web.get("/listings/gaps?channel=hagglet")
    link = next(
        a.get("href") for a in page_of(gaps).cssselect(".mend a") if a.text_content() == label
    )
    assert link.startswith(f"{place}?")
    shown = web.get(link)
    assert "Hagglet" in words(shown, ".chip")
    assert {sku for sku in words(shown, "td.sku").split() if sku.startswith("PT")} == {"PT-9"}


def test_gaps_of_pictures_lead_to_the_products_that_lack_them(shop, web, owner, workplace):
    from relvan.services.catalogue.save import create_product
    from tests.house import pot

    create_product(workplace, owner, pot("PT-8"))
    draft_listings(shop, owner, "ownshop", ["PT-8", "PT-0"])
    gaps = web.get("/listings/gaps?channel=ownshop")
    link = next(
        a.get("href")
        for a in page_of(gaps).cssselect(".mend a")
        if a.text_content() == "Look at the products"
    )
    assert words(web.get(link), "td.sku") == "PT-8"


def test_drafting_is_foreseen_for_all_that_match_and_ticks_only_the_channel_spoken_of(
    shop, web, owner
):
    everything = post(web, "/catalogue/foresee/draft", all="yes", query="not_on=ownshop")
    assert "on Own shop: 4 new" in words(everything, "label")
    assert "on Hagglet: 0 new, 4 there already" in words(everything, "label")
    assert [box.get("value") for box in page_of(everything).cssselect("input[checked]")] == [
        "ownshop"
    ]
    unspoken = post(web, "/catalogue/foresee/draft", pick=["PT-0", "PT-0"], query="")
    assert "on Own shop: 1 new" in words(unspoken, "label")
    assert not page_of(unspoken).cssselect("input[checked]")
    of_coverage = post(
        web, "/catalogue/foresee/draft", all="yes", page="coverage", query="at_ownshop=not&q=ink"
    )
    assert "on Own shop: 2 new" in words(of_coverage, "label")
    assert [box.get("value") for box in page_of(of_coverage).cssselect("input[checked]")] == [
        "ownshop"
    ]


def test_nothing_is_drafted_where_no_channel_is_ticked(shop, web):
    assert post(web, "/listings/draft", pick="PT-0").status_code == 422
    assert post(web, "/listings/draft", channel="ownshop").status_code == 422
    assert not page_of(web.get("/products/PT-0")).cssselect("input[name=channel][checked]")
