"""Tests the page of a layer: what saving it would change, and wording tried over real products."""

from lxml import html

from relvan.services.listings.draft import draft_listings
from relvan.store.listing_list import ListingFilter, listing_page
from relvan.store.listings import listing_by_id
from tests.steps.listing_pages import find, text_of
from tests.visitor import post, wrong_beside


def test_a_layers_page_shows_what_saving_would_change(web, aubrey_pots, owner):
    ids = draft_listings(aubrey_pots, owner, "hagglet", ["PT-0", "PT-1"]).listing_ids
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
    with aubrey_pots.database.reading() as session:
        assert listing_by_id(session, ids[0]).state == "draft"
    page = web.get(f"/listings/{ids[0]}")
    assert "from the layer Slow" in text_of(page)
    assert post(web, f"/listings/layers/{layer}", name="", v_dispatch_days="1").status_code == 422
    assert post(web, f"/listings/layers/{layer}/drop").status_code == 422
    assert "Slow" in text_of(web.get("/listings/layers?channel=hagglet"))
    copied = post(web, f"/listings/layers/{layer}/copy", name="Slower", channel="corvello")
    assert "Slower" in text_of(copied)


def test_wording_is_shown_over_real_products_as_it_is_typed(web, aubrey_pots):
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


def test_amounts_of_price_steps_are_typed_as_money(seven_pots, web):
    steps = {
        "step_kind": ["amount", "percent"],
        "step_value": ["-1,50", "8"],
        "step_direction": ["up", "up"],
    }
    assert (
        post(web, "/setup/channels/hagglet/prices", price_list="retail", **steps).status_code == 200
    )
    values = [
        box.get("value")
        for box in html.fromstring(web.get("/setup/channels/hagglet").text).cssselect(
            "[name=step_value]"
        )
    ]
    assert values == ["-1.50", "8", ""]
    with seven_pots.database.reading() as session:
        row = next(
            r for r in listing_page(session, ListingFilter(channel="hagglet")) if r.sku == "PT-1"
        )
    assert row.price == 1663  # 16.90 less 1.50, and 8 % more
    for wrong in ("", "a lot", "1.5055"):
        refused = post(
            web,
            "/setup/channels/hagglet/prices",
            price_list="retail",
            step_kind="amount",
            step_value=wrong,
            step_direction="up",
        )
        assert refused.status_code == 422, wrong
        assert wrong_beside(refused, "price_steps"), wrong
    unkinded = post(
        web,
        "/setup/channels/hagglet/prices",
        price_list="retail",
        step_kind="",
        step_value="5",
        step_direction="up",
    )
    assert unkinded.status_code == 422
