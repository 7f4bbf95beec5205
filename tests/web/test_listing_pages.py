"""Pages of the listings: coverage, gaps, layers, translations, catalogue pages, findings, one
listing."""

import pytest

from relvan.services.bulk.work import work_next
from relvan.services.catalogue.save import change_facts
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.layers import LayerWish, make_layer, use_layers
from relvan.services.listings.pages import look_for_pages
from relvan.services.listings.publish import publish_listings
from relvan.store.channels import channel_by_key
from relvan.store.listings import listing_by_id
from tests.house import add_pot, channel_ids, connect, deliver, list_everywhere
from tests.steps.corvello import gtin, put_pages
from tests.steps.families_on_channels import make_family, on
from tests.steps.findings import place_by_hand
from tests.steps.listing_pages import find, text_of
from tests.visitor import apply_job, post


@pytest.fixture
def shop(workplace, owner, world):
    connect(workplace, owner, world, "hagglet", "corvello")
    for number in range(3):
        add_pot(
            workplace,
            owner,
            f"PT-{number}",
            title=f"Aubrey pot {number} in oat",
            brand="Quillmoss",
            gtin=gtin(number),
        )
    return workplace


def test_coverage_folds_families_and_drafts_on_several_channels(web, shop, owner):
    make_family(shop, owner)
    page = web.get("/listings/coverage")
    rows = [cell.text_content().strip() for cell in find(page, "td.sku")]
    assert rows == ["PT", "PT-0", "PT-1", "PT-2"]
    family = find(page, "button.unfold")[0].get("hx-get")
    assert len(find(web.get(family), "tr.within")) == 4
    made = post(
        web,
        "/listings/draft",
        pick=["PT-1", "NOPE"],
        channel=["hagglet", "corvello"],
        back="coverage",
    )
    assert "2 drafts made. 2 not" in text_of(made)
    draft_listings(shop, owner, "hagglet", ["PT"])
    shown = web.get("/listings/coverage?at_hagglet=draft")
    assert [cell.text_content().strip() for cell in find(shown, "td.sku")] == ["PT", "PT-1"]
    assert "0 of 4 sell" in text_of(shown)
    narrow = web.get("/listings/coverage?at_corvello=not&stock=yes&q=oat")
    assert [cell.text_content().strip() for cell in find(narrow, "td.sku")] == [
        "PT",
        "PT-0",
        "PT-2",
    ]


def test_gaps_are_grouped_set_translated_and_mended_in_a_grid(web, shop, owner):
    ids = draft_listings(shop, owner, "hagglet", ["PT-0", "PT-1"]).listing_ids
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
    apply_job(web, shop, rehearsed)
    assert "No listing there has a gap" in text_of(web.get("/listings/gaps?channel=hagglet"))
    assert (
        post(web, "/listings/gaps/set", channel="hagglet", field="shelf", value="x").status_code
        == 422
    )


def test_categories_are_chosen_from_the_tree_by_words_or_from_what_fits(web, shop, owner):
    first, second = draft_listings(shop, owner, "hagglet", ["PT-0", "PT-1"]).listing_ids
    change_listings(shop, owner, [first], {"shelf": "hg-watering"})
    page = web.get(f"/listings/tree/hagglet?listing={second}&at=hg-watering")
    keys = {one.get("data-choose") for one in find(page, "button")}
    assert keys == {one.key for one in shop_categories(shop)}
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


def shop_categories(shop):
    with shop.database.reading() as session:
        return shop.rulebook(channel_by_key(session, "hagglet")).categories


def test_a_layers_page_shows_what_saving_would_change(web, shop, owner):
    ids = draft_listings(shop, owner, "hagglet", ["PT-0", "PT-1"]).listing_ids
    made = post(
        web,
        "/listings/layers/new",
        channel="hagglet",
        topic="delivery",
        name="Slow",
        v_dispatch_days="9",
    )
    assert "Slow" in text_of(made)
    layer = int(find(made, "form#layer")[0].get("action").rsplit("/", 1)[1])
    panel = web.post(
        "/listings/layers/panel",
        data={"pick": [str(i) for i in ids]},
        headers={"X-CSRF-Token": web.csrf},
    )
    assert "Slow" in text_of(panel)
    post(web, "/listings/layers/use", pick=[str(i) for i in ids], layer_delivery=str(layer))
    shown = web.post(
        f"/listings/layers/{layer}/impact",
        data={"v_dispatch_days": "12"},
        headers={"X-CSRF-Token": web.csrf},
    )
    assert "2 of 2 listings would say something else" in text_of(shown)
    saved = post(web, f"/listings/layers/{layer}", name="Slow", v_dispatch_days="12")
    assert "Saved. Nothing has been sent." in text_of(saved)
    assert find(saved, "form[action$='/undo']")
    post(web, f"/listings/layers/{layer}/undo")
    with shop.database.reading() as session:
        assert listing_by_id(session, ids[0]).state == "draft"
    page = web.get(f"/listings/{ids[0]}")
    assert "from the layer Slow" in text_of(page)
    assert post(web, f"/listings/layers/{layer}", name="", v_dispatch_days="1").status_code == 422
    assert post(web, f"/listings/layers/{layer}/drop").status_code == 422
    assert "Slow" in text_of(web.get("/listings/layers?channel=hagglet"))
    copied = post(web, f"/listings/layers/{layer}/copy", name="Slower", channel="corvello")
    assert "Slower" in text_of(copied)


def test_wording_is_shown_over_real_products_as_it_is_typed(web, shop):
    def preview(text):
        told = {"channel": "hagglet", "field": "heading", "v_heading": text}
        return text_of(
            web.post("/listings/layers/preview", data=told, headers={"X-CSRF-Token": web.csrf})
        )

    assert "PT-0 Aubrey pot 0 in oat! 20 of at most 80 characters" in preview(
        "{{ product.title }}!"
    )
    assert "asks for attributes.glaze" in preview("{{ attributes.glaze }}")
    assert "Wording may not use" in preview("{{ product.__class__ }}")


def test_translations_are_proposed_kept_and_left_out(web, shop, owner):
    change_facts(shop, owner, [("PT-1", {"attribute material": "Stone-ware"})])
    (listing,) = draft_listings(shop, owner, "corvello", ["PT-1"]).listing_ids
    change_listings(shop, owner, [listing], {"page": "new", "aisle": "cv-201"})
    page = web.get("/listings/translations?channel=corvello")
    chosen = find(page, "select[name=theirs] option[selected]")
    assert [option.text_content() for option in chosen] == ["stoneware"]
    kept = post(
        web,
        "/listings/translations/corvello",
        kind="value",
        field="material",
        ours="Stone-ware",
        theirs="stoneware",
        category="",
    )
    assert "Every listing there says what the channel understands" in text_of(kept)
    bad = post(
        web,
        "/listings/translations/corvello",
        kind="value",
        field="material",
        ours="x",
        theirs="y",
        category="",
    )
    assert bad.status_code == 422
    gone = post(
        web,
        "/listings/translations/corvello",
        kind="value",
        field="material",
        ours="Stone-ware",
        theirs="",
        category="",
        drop="yes",
    )
    assert len(find(gone, "select[name=theirs]")) == 1


def test_catalogue_pages_are_compared_and_the_sure_ones_chosen_beforehand(web, shop, owner, world):
    put_pages(world, ("Aubrey pot 1 in oat", gtin(1)), ("Something like Aubrey", gtin(8)))
    draft_listings(shop, owner, "corvello", ["PT-0", "PT-1"])
    assert "being looked for" in text_of(web.get("/listings/pages"))
    look_for_pages(shop, channel_ids(shop)["corvello"])
    page = web.get("/listings/pages?channel=corvello")
    checked = find(page, "input[type=radio][checked]")
    assert len(checked) == 1
    name, value = checked[0].get("name"), checked[0].get("value")
    other = next(
        box.get("name") for box in find(page, "input[type=radio]") if box.get("name") != name
    )
    done = post(web, "/listings/pages/choose", channel="corvello", **{name: value, other: "new"})
    assert "1 page chosen, 1 new asked for." in text_of(done)
    assert "has its page" in text_of(web.get("/listings/pages"))
    assert web.get("/listings/pages/pictures/..%2f..%2fx").status_code == 404


def test_findings_are_read_linked_and_taken_back(web, shop, owner, world):
    place_by_hand(world, "LOST", "Aubrey pot 2 in oat \u202eאגרטל \U0001f331")
    post(web, "/listings/findings/read", channel="hagglet")
    while work_next(shop):
        pass
    page = web.get("/listings/findings")
    (box,) = find(page, "input[name=pick]")
    assert "\U0001f331" in page.text
    assert find(page, f"input[name=sku_{box.get('value')}]")[0].get("value") == "PT-2"
    linked = post(
        web, "/listings/findings/link", pick=box.get("value"), **{f"sku_{box.get('value')}": "PT-2"}
    )
    assert "Linked: 1." in text_of(linked)
    assert "PT-2" in text_of(web.get("/listings/findings?linked=yes"))
    post(web, "/listings/findings/unlink", pick=box.get("value"))
    assert len(find(web.get("/listings/findings"), "input[name=pick]")) == 1
    assert post(web, "/listings/findings/link", pick=box.get("value")).status_code == 422
    assert "PT-1" in web.get("/listings/skus?sku_1=PT-1").text


def test_a_listings_page_shows_it_as_a_buyer_sees_it_and_what_differs(web, shop, owner):
    ids = draft_listings(shop, owner, "hagglet", ["PT-0"]).listing_ids
    change_listings(shop, owner, ids, {"shelf": "hg-planters"})
    publish_listings(shop, owner, ids)
    deliver(shop)
    layer = make_layer(
        shop, owner, LayerWish("hagglet", "returns", "Kind", {"returns": "Within 60 days."})
    )
    use_layers(shop, owner, ids, {"returns": layer})
    page = web.get(f"/listings/{ids[0]}")
    told = text_of(page)
    for words in (
        "Aubrey pot 0 in oat",
        "Behind",
        "Send it back within 30 days.",
        "Within 60 days.",
        "Margin",
        "from the layer Kind",
    ):
        assert words in told
    assert "Referral fee" in text_of(web.get(f"/why/left/{ids[0]}"))


def test_a_familys_page_shows_its_variants_and_which_must_be_there(web, shop, owner):
    make_family(shop, owner)
    ids = draft_listings(shop, owner, "hagglet", ["PT"]).listing_ids
    head = text_of(web.get(f"/listings/{ids[0]}"))
    assert "the page of a family, 4 variants" in head
    assert "Buyers choose by Size and Glaze" in head
    member = on(shop)["PT-9-INK"].id
    assert "The family waits for it" in text_of(post(web, f"/listings/{member}/must", must="yes"))
    change_listings(shop, owner, ids[:1], {"shelf": "hg-planters"})
    change_facts(shop, owner, [("PT-9-OAT", {"price retail": None})])
    foreseen = web.post(
        "/listings/foresee/publish", data={"pick": str(ids[0])}, headers={"X-CSRF-Token": web.csrf}
    )
    assert "leave out the 1 variant with gaps" in text_of(foreseen)
    post(web, "/listings/do/publish", pick=str(ids[0]), leave_out="yes", back="/listings")
    deliver(shop)
    assert on(shop)["PT"].state == "live"


def test_a_listing_that_differs_from_what_was_sent_is_outdated_on_screen_and_in_the_api(
    web, api, workplace, owner, world
):
    connect(workplace, owner, world, "ownshop")
    add_pot(workplace, owner)
    found = list_everywhere(workplace, owner, "PT-14")["ownshop", "PT-14"]
    change_listings(workplace, owner, [found], {"name": "A better pot"})
    for path in (
        "/listings?state=behind",
        "/products/PT-14",
        "/listings/coverage",
        f"/listings/{found}",
        "/",
    ):
        text = text_of(web.get(path))
        assert "outdated" in text, path
        assert "behind" not in text, path
    told = api.get(f"/api/v1/listings/{found}").json()
    assert told["outdated"] == told["behind"] == ["content"]
    assert api.get("/api/v1/listings").json()["items"][0]["outdated"] == ["content"]
