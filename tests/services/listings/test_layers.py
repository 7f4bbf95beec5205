"""Tests layers: said once, used by many; shown before they are changed, behind afterwards, taken
back by one deed."""

import pytest

from relvan.core.refusal import Refused
from relvan.services.catalogue.save import change_facts
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.impact import impact_of_layer, impact_of_use
from relvan.services.listings.layers import (
    LayerWish,
    change_layer,
    copy_layer,
    drop_layer,
    keep_set,
    make_layer,
    undo_layer,
    use_layers,
    use_set,
)
from relvan.services.listings.offers import worked_out_listing
from relvan.services.listings.publish import publish_listings
from relvan.store.layers import layer_line
from relvan.store.listings import listing_by_id, listings_of
from tests.house import add_pot, assert_sound, connect, deliver, work
from tests.snapshots import built_once


@built_once
def shop(workplace, owner, world):
    connect(workplace, owner, world, "hagglet")
    for number in range(4):
        add_pot(
            workplace, owner, f"PT-{number}", attributes={"material": "stoneware", "Glaze": "Oat"}
        )
    return workplace


def live(workplace, owner, count=4):
    ids = draft_listings(workplace, owner, "hagglet", [f"PT-{n}" for n in range(count)]).listing_ids
    change_listings(workplace, owner, ids, {"shelf": "hg-planters"})
    publish_listings(workplace, owner, ids)
    deliver(workplace)
    return ids


def states(workplace):
    with workplace.database.reading() as session:
        return [(one.state, one.outdated) for one in listings_of(session, channel_id=1)]


def field(workplace, listing_id, name):
    with workplace.database.reading() as session:
        return worked_out_listing(session, workplace, listing_by_id(session, listing_id)).fields[
            name
        ]


def test_a_layer_speaks_for_its_listings_and_says_so(shop, owner, world):
    ids = live(shop, owner)
    slow = make_layer(
        shop,
        owner,
        LayerWish("hagglet", "delivery", "Slow", {"dispatch_days": "9", "delivery": "By barge."}),
    )
    impact = impact_of_use(shop, ids[:2], {"delivery": slow})
    assert (impact.changed, impact.outdated, dict(impact.fields)) == (
        2,
        2,
        {"Days to dispatch": 2, "Delivery terms": 2},
    )
    use_layers(shop, owner, ids[:2], {"delivery": slow})
    found = field(shop, ids[0], "delivery")
    assert (found.value, found.source, found.layer) == ("By barge.", "layer", "Slow")
    assert states(shop) == [("behind", "content")] * 2 + [("live", "")] * 2
    publish_listings(shop, owner, ids)
    deliver(shop)
    assert states(shop) == [("live", "")] * 4
    use_layers(shop, owner, ids[:1], {"delivery": None})
    assert field(shop, ids[0], "delivery").source == "rulebook"


def test_a_change_is_shown_first_then_made_then_taken_back(shop, owner):
    ids = live(shop, owner)
    layer = make_layer(
        shop, owner, LayerWish("hagglet", "returns", "Kind", {"returns": "Within 60 days."})
    )
    use_layers(shop, owner, ids, {"returns": layer})
    change_listings(shop, owner, ids[:1], {"returns": "Never."})
    wanted = {"returns": "Within 90 days."}
    impact = impact_of_layer(shop, layer, wanted)
    assert (impact.listings, impact.changed) == (4, 3), "one says something of its own"
    sample = impact.samples[0]
    assert (sample.field, sample.old, sample.new) == (
        "Return terms",
        "Within 60 days.",
        "Within 90 days.",
    )
    assert field(shop, ids[1], "returns").value == "Within 60 days.", "looking changes nothing"
    change_layer(shop, owner, layer, wanted)
    assert field(shop, ids[1], "returns").value == "Within 90 days."
    assert field(shop, ids[0], "returns").value == "Never."
    undo_layer(shop, owner, layer)
    assert field(shop, ids[1], "returns").value == "Within 60 days."
    assert_sound(shop)


def test_what_a_layer_no_longer_says_comes_from_the_next_source(shop, owner):
    ids = live(shop, owner, 1)
    layer = make_layer(
        shop,
        owner,
        LayerWish("hagglet", "category", "Used", {"condition": "used", "material": "clay"}),
    )
    use_layers(shop, owner, ids, {"category": layer})
    impact = impact_of_layer(shop, layer, {"condition": "used"})
    assert [(one.field, one.old, one.new) for one in impact.samples] == [
        ("Material", "clay", "stoneware")
    ]
    change_layer(shop, owner, layer, {"condition": "used"})
    assert (field(shop, ids[0], "material").value, field(shop, ids[0], "material").source) == (
        "stoneware",
        "product",
    )


def test_wording_is_written_for_each_product_and_what_is_not_said_is_a_gap(shop, owner):
    ids = live(shop, owner, 2)
    layer = make_layer(
        shop,
        owner,
        LayerWish(
            "hagglet",
            "wording",
            "By glaze",
            {"heading": "{{ product.title }} in {{ attributes.glaze }}"},
        ),
    )
    use_layers(shop, owner, ids, {"wording": layer})
    assert field(shop, ids[0], "heading").value == "Pot PT-0 in Oat"
    change_facts(shop, owner, [("PT-1", {"attribute Glaze": None})])
    with shop.database.reading() as session:
        gaps = [gap for gap in listing_by_id(session, ids[1]).gaps if gap["kind"] == "unsaid"]
    assert (
        gaps[0]["message"]
        == "The wording “By glaze” asks for “attributes.glaze”, and the product does not say it."
    )
    impact = impact_of_layer(
        shop, layer, {"heading": "{{ product.title }} of {{ attributes.material }}"}
    )
    assert (impact.changed, impact.samples[0].new) == (2, "Pot PT-0 of stoneware")


@pytest.mark.parametrize(
    "wording",
    [
        "{{ product.__class__ }}",
        "{{ ''.join(product) }}",
        "{% include 'x' %}",
        "{{ product.title",
        "{{ 'a' * 100000000 }}",
        "{{ config }}{% import 'os' %}",
    ],
)
def test_wording_that_reaches_out_is_refused(shop, owner, wording):
    with pytest.raises(Refused) as refused:
        make_layer(shop, owner, LayerWish("hagglet", "wording", "Bad", {"heading": wording}))
    assert refused.value.first.field == "heading"


def test_a_standing_layer_speaks_for_a_category_and_all_below_it(shop, owner):
    change_facts(
        shop, owner, [("PT-1", {"category": "Pots / Small"}), ("PT-2", {"category": "Tools"})]
    )
    ids = draft_listings(shop, owner, "hagglet", ["PT-0", "PT-1", "PT-2"]).listing_ids
    make_layer(
        shop,
        owner,
        LayerWish("hagglet", "category", "Pots", {"shelf": "hg-planters"}, standing_for="Pots"),
    )
    make_layer(
        shop,
        owner,
        LayerWish(
            "hagglet", "category", "Small", {"shelf": "hg-saucers"}, standing_for="Pots / Small"
        ),
    )
    assert [field(shop, i, "shelf").value for i in ids] == ["hg-planters", "hg-saucers", ""]
    own = make_layer(shop, owner, LayerWish("hagglet", "category", "Mine", {"shelf": "hg-other"}))
    use_layers(shop, owner, ids[:1], {"category": own})
    assert field(shop, ids[0], "shelf").layer == "Mine", "its own layer goes before a standing one"


def test_a_price_layer_has_steps_of_its_own(shop, owner, world):
    ids = live(shop, owner, 2)
    layer = make_layer(
        shop,
        owner,
        LayerWish(
            "hagglet", "price", "Dearer", {"price_steps": [{"kind": "percent", "percent": "10"}]}
        ),
    )
    use_layers(shop, owner, ids[:1], {"price": layer})
    deliver(shop)
    shown = world.listings("hagglet")
    assert (shown["PT-0"]["price"], shown["PT-1"]["price"]) == (1859, 1690)
    impact = impact_of_layer(shop, layer, {"price_steps": [{"kind": "percent", "percent": "20"}]})
    assert (impact.changed, dict(impact.fields)) == (1, {"Price": 1})
    assert (impact.samples[0].old, impact.samples[0].new) == ("18.59 EUR", "20.28 EUR")
    impact = impact_of_use(shop, ids, {"price": layer})
    assert [(one.sku, one.old, one.new) for one in impact.samples] == [
        ("PT-1", "16.90 EUR", "18.59 EUR")
    ]
    impact = impact_of_use(shop, ids, {"price": None})
    assert [(one.sku, one.old, one.new) for one in impact.samples] == [
        ("PT-0", "18.59 EUR", "16.90 EUR")
    ]


def test_a_set_gives_all_its_layers_in_one_go(shop, owner):
    ids = live(shop, owner, 2)
    slow = make_layer(shop, owner, LayerWish("hagglet", "delivery", "Slow", {"dispatch_days": "9"}))
    kind = make_layer(
        shop, owner, LayerWish("hagglet", "returns", "Kind", {"returns": "Within 60 days."})
    )
    kept = keep_set(shop, owner, "hagglet", "Winter", {"delivery": slow, "returns": kind})
    use_set(shop, owner, ids, kept)
    assert (field(shop, ids[1], "dispatch_days").value, field(shop, ids[1], "returns").layer) == (
        "9",
        "Kind",
    )
    with pytest.raises(Refused) as refused:
        drop_layer(shop, owner, slow)
    assert refused.value.first.code == "in-use"
    use_layers(shop, owner, ids, {"delivery": None, "returns": None})
    drop_layer(shop, owner, slow)


@pytest.mark.parametrize(
    ("topic", "name", "values", "field_name"),
    [
        ("delivery", "", {}, "name"),
        ("weather", "X", {}, "topic"),
        ("delivery", "X", {"heading": "x"}, "heading"),
        ("delivery", "X", {"delivery": "x" * 20_001}, "delivery"),
        ("price", "X", {"price_steps": [{"kind": "?"}]}, "price_steps"),
    ],
)
def test_a_layer_that_cannot_be_is_refused_with_the_field(
    shop, owner, topic, name, values, field_name
):
    with pytest.raises(Refused) as refused:
        make_layer(shop, owner, LayerWish("hagglet", topic, name, values))
    assert field_name in {refusal.field for refusal in refused.value.refusals}


def test_copies_stand_for_nothing_and_names_are_taken_once(shop, owner):
    layer = make_layer(
        shop,
        owner,
        LayerWish("hagglet", "delivery", "Slow", {"dispatch_days": "9"}, standing_for="Pots"),
    )
    with pytest.raises(Refused):
        make_layer(shop, owner, LayerWish("hagglet", "delivery", "slow", {}))
    with pytest.raises(Refused):
        make_layer(shop, owner, LayerWish("hagglet", "delivery", "Other", {}, standing_for="pots"))
    copy = copy_layer(shop, owner, layer, "Slower")
    with shop.database.reading() as session:
        line = layer_line(session, copy)
    assert (line.values, line.standing_for, line.used_by) == ({"dispatch_days": "9"}, None, 0)


def test_many_listings_are_worked_out_in_the_background(shop, owner, monkeypatch):
    from relvan.services.listings import later

    ids = live(shop, owner)
    layer = make_layer(
        shop, owner, LayerWish("hagglet", "returns", "Kind", {"returns": "Within 60 days."})
    )
    use_layers(shop, owner, ids, {"returns": layer})
    monkeypatch.setattr(later, "AT_ONCE", 2)
    monkeypatch.setattr(later, "CHUNK", 3)
    change_layer(shop, owner, layer, {"returns": "Within 61 days."})
    assert field(shop, ids[3], "returns").value == "Within 61 days."
    assert states(shop)[3] == ("behind", "content"), "it was behind before"
    publish_listings(shop, owner, ids)
    deliver(shop)
    change_layer(shop, owner, layer, {"returns": "Within 62 days."})
    assert states(shop) == [("live", "")] * 4, "not yet worked out"
    work(shop)
    assert states(shop) == [("behind", "content")] * 4
    assert_sound(shop)
