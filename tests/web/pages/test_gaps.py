"""Tests gaps: a button does what it says to what it counts, shows it first and can be undone; and
where each gap leads."""

import pytest
from lxml import html

from relvan.services.listings.draft import change_listings, draft_listings, draft_on_channels
from relvan.store.channels import channel_by_key
from relvan.store.listings import listings_of
from tests.house import add_pot, connect
from tests.snapshots import built_once
from tests.steps.listing_pages import find, text_of
from tests.visitor import apply_job, post, shown


@built_once
def shop(workplace, owner, world):
    """Builds four pots drafted on Hagglet without a shelf; two are in oat."""
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
    """Returns what each listing says of its own, by product."""
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


def test_gaps_are_grouped_set_translated_and_mended_in_a_grid(web, aubrey_pots, owner):
    ids = draft_listings(aubrey_pots, owner, "hagglet", ["PT-0", "PT-1"]).listing_ids
    page = web.get("/listings/gaps?channel=hagglet")
    assert "2 on Hagglet: Shelf is not chosen show them" in text_of(page)
    grid = web.get("/listings/gaps/grid?channel=hagglet&field=shelf")
    assert [cell.get("data-column") for cell in find(grid, "input.cell")] == ["shelf", "shelf"]
    answer = web.post(
        "/listings/gaps/cells",
        data={
            "subject": [str(ids[0]), str(ids[1])],
            "column": ["shelf", "moon"],
            "value": ["Home and garden / Watering", "x"],
        },
        headers={"X-CSRF-Token": web.csrf},
    )
    first, second = answer.json()["items"]
    assert first["ok"]
    assert "no field “moon”" in second["message"]
    rehearsed = post(
        web,
        "/listings/gaps/set",
        channel="hagglet",
        field="shelf",
        kind="no category",
        value="hg-planters",
    )
    apply_job(web, aubrey_pots, rehearsed)
    assert "No listing there has a gap" in text_of(web.get("/listings/gaps?channel=hagglet"))
    assert (
        post(web, "/listings/gaps/set", channel="hagglet", field="shelf", value="x").status_code
        == 422
    )


def test_categories_are_chosen_from_the_tree_by_words_or_from_what_fits(web, aubrey_pots, owner):
    first, second = draft_listings(aubrey_pots, owner, "hagglet", ["PT-0", "PT-1"]).listing_ids
    change_listings(aubrey_pots, owner, [first], {"shelf": "hg-watering"})
    page = web.get(f"/listings/tree/hagglet?listing={second}&at=hg-watering")
    keys = {one.get("data-choose") for one in find(page, "button")}
    assert keys == {one.key for one in shop_categories(aubrey_pots)}
    assert "chosen 1 time for Pots" in text_of(page)
    assert [one.get("data-choose") for one in find(page, "button[aria-current]")] == ["hg-watering"]
    found = web.get("/listings/tree/hagglet?words=hang")
    assert [one.get("data-choose") for one in find(found, "button")] == ["hg-hanging"]
    assert "No category has words that begin with “<zzz>”" in text_of(
        web.get("/listings/tree/hagglet?words=%3Czzz%3E")
    )
    assert web.get("/listings/tree/moon").status_code == 404
    assert web.get("/listings/tree/hagglet?listing=999").status_code == 404
    assert find(web.get(f"/listings/{second}"), "input[name=own_shelf]")[0].get("value") == ""


def shop_categories(aubrey_pots):
    with aubrey_pots.database.reading() as session:
        return aubrey_pots.rulebook(channel_by_key(session, "hagglet")).categories


def test_one_value_mends_the_same_gap_on_many(released, boss, owner):
    for sku in ("PX-1", "PX-2"):
        add_pot(released, owner, sku)
    made = post(boss, "/listings/draft", pick=["PX-1", "PX-2"], channel=["hagglet"])
    picks = [box.get("value") for box in html.fromstring(made.text).cssselect("[name=pick]")]
    mend = boss.post("/listings/gaps/of", data={"pick": picks}, headers={"X-CSRF-Token": boss.csrf})
    (group,) = html.fromstring(mend.text).cssselect(".mend")
    assert "2 on Hagglet: Shelf is not chosen" in " ".join(group.text_content().split())
    ticked = [field.get("value") for field in group.cssselect("[name=pick]")]
    rehearsed = post(
        boss,
        "/listings/gaps/set",
        channel="hagglet",
        pick=ticked,
        field="shelf",
        value="Home and garden / Planters and pots",
    )
    apply_job(boss, released, rehearsed)
    ready = html.fromstring(boss.get("/listings?state=ready").text).cssselect("td.sku")
    assert sorted(shown(cell) for cell in ready) == ["PX-1", "PX-2"]
