"""Tests that a family goes as one: one page, its head first, never a variant alone."""

import pytest

from relvan.core.catalogue.product import ProductDraft, ProductKind, Trait
from relvan.core.listings.translating import Translation, TranslationKind
from relvan.core.refusal import Refused
from relvan.services.catalogue.families import split_off
from relvan.services.catalogue.save import change_facts, save_many
from relvan.services.jobs.life import move_job
from relvan.services.listings.draft import change_listings, draft_listings, require_members
from relvan.services.listings.publish import publish_listings, put_back_listings, take_down_listings
from relvan.services.listings.translations import set_translations, untranslated
from relvan.services.prices.lists import NewPriceList, add_price_list
from relvan.store.job_rows import job_verdicts
from tests.house import add_pot, assert_sound, connect, deliver, persist, read
from tests.snapshots import built_once
from tests.steps.families_on_channels import make_family, on


@built_once
def shop(workplace, owner, world):
    connect(workplace, owner, world, "hagglet")
    make_family(workplace, owner)
    return workplace


def drafted(workplace, owner, channel="hagglet", **head):
    ids = draft_listings(workplace, owner, channel, ["PT"]).listing_ids
    change_listings(workplace, owner, ids[:1], {"shelf": "hg-planters", **head})
    return ids


def verdicts(workplace, job_id):
    with workplace.database.reading() as session:
        return {
            row.subject.partition(" on ")[0]: (row.verdict, row.reason)
            for row in job_verdicts(session, job_id)
        }


def test_a_family_is_one_page_with_all_its_variants(shop, owner, world):
    ids = drafted(shop, owner)
    found = on(shop)
    assert found["PT"].is_head
    assert {found[sku].head_id for sku in found if sku != "PT"} == {ids[0]}
    assert {listing.state for listing in found.values()} == {"ready"}
    job = publish_listings(shop, owner, ids[:1])
    assert {verdict for verdict, _ in verdicts(shop, job).values()} == {"waiting"}, (
        "the head takes its variants along"
    )
    deliver(shop)
    assert {listing.state for listing in on(shop).values()} == {"live"}
    assert len({listing.page for listing in on(shop).values()}) == 1
    assert {verdict for verdict, _ in verdicts(shop, job).values()} == {"done"}
    head = world.listings("hagglet")["PT"]
    assert {(v["sku"], v["price"], v["quantity"]) for v in head["variants"]} == {
        (sku, 1690, 5) for sku in found if sku != "PT"
    }
    assert {"Size": "9 cm", "Glaze": "Ink"} in [variant["traits"] for variant in head["variants"]]
    assert_sound(shop)


def test_a_sale_of_a_variant_falls_where_its_page_is(shop, owner, world):
    publish_listings(shop, owner, drafted(shop, owner))
    deliver(shop)
    world.buy("hagglet", "PT-9-INK", 2)
    read(shop)
    deliver(shop)
    assert world.listings("hagglet")["PT-9-INK"]["quantity"] == 3
    assert on(shop)["PT-9-INK"].quantity == 3
    assert_sound(shop)


def test_nothing_goes_out_when_the_head_has_a_gap(shop, owner, world):
    ids = draft_listings(shop, owner, "hagglet", ["PT"]).listing_ids
    found = on(shop)
    assert [gap["kind"] for gap in found["PT"].gaps] == ["no category"]
    assert [gap["kind"] for gap in found["PT-9-INK"].gaps] == ["head not ready"]
    job = publish_listings(shop, owner, ids)
    assert {verdict for verdict, _ in verdicts(shop, job).values()} == {"refused"}
    deliver(shop)
    assert world.listings("hagglet") == {}


def test_a_refused_head_stops_its_variants_and_a_mended_one_takes_them_along(shop, owner, world):
    ids = drafted(shop, owner, heading="Pots, no counterfeit")
    job = publish_listings(shop, owner, ids)
    deliver(shop)
    assert world.listings("hagglet") == {}, "the variants would have passed, and did not go"
    found = on(shop)
    assert found["PT"].state == "refused"
    assert {found[sku].state for sku in found if sku != "PT"} == {"ready"}
    told = verdicts(shop, job)
    assert told["PT"][0] == "refused"
    assert "do not allow this word" in told["PT"][1]
    assert all("Its family’s page was refused" in told[sku][1] for sku in told if sku != "PT")
    change_listings(shop, owner, ids[:1], {"heading": "Pots by hand"})
    publish_listings(shop, owner, ids[:1])
    deliver(shop)
    assert len(world.listings("hagglet")) == 5
    assert_sound(shop)


def test_variants_with_gaps_are_left_out_only_by_choice(shop, owner, world):
    change_facts(shop, owner, [("PT-9-INK", {"price retail": None})])
    ids = drafted(shop, owner)
    told = verdicts(shop, publish_listings(shop, owner, ids))
    assert "“PT-9-INK” has gaps: mend them, or leave them out" in told["PT"][1]
    told = verdicts(shop, publish_listings(shop, owner, ids, leave_out=True))
    assert told["PT-9-INK"] == ("refused", "Left out: 1 gap.")
    deliver(shop)
    assert set(world.listings("hagglet")) == {"PT", "PT-9-OAT", "PT-14-INK", "PT-14-OAT"}
    change_facts(shop, owner, [("PT-9-INK", {"price retail": 1490})])
    publish_listings(shop, owner, [on(shop)["PT-9-INK"].id])
    deliver(shop)
    assert world.listings("hagglet")["PT-9-INK"]["price"] == 1490, (
        "the page is there: it goes by itself"
    )


def test_a_variant_that_must_be_there_keeps_all_waiting(shop, owner):
    change_facts(shop, owner, [("PT-9-INK", {"price retail": None})])
    ids = drafted(shop, owner)
    require_members(shop, owner, [on(shop)["PT-9-INK"].id], must=True)
    told = verdicts(shop, publish_listings(shop, owner, ids, leave_out=True))
    assert "“PT-9-INK” must be there and has 1 gap" in told["PT"][1]


def test_a_variant_never_goes_out_before_its_page(shop, owner):
    drafted(shop, owner)
    told = verdicts(shop, publish_listings(shop, owner, [on(shop)["PT-9-INK"].id]))
    assert told["PT-9-INK"] == (
        "refused",
        "Its family’s page is not on the channel yet: publish the family.",
    )


def test_a_whole_family_is_taken_down_and_put_back(shop, owner, world):
    ids = drafted(shop, owner)
    publish_listings(shop, owner, ids[:1])
    deliver(shop)
    take_down_listings(shop, owner, ids[:1])
    deliver(shop)
    assert {listing.state for listing in on(shop).values()} == {"down"}
    assert "live" not in {row["state"] for row in world.listings("hagglet").values()}
    put_back_listings(shop, owner, ids[:1])
    deliver(shop)
    assert {row["state"] for row in world.listings("hagglet").values()} == {"live"}


@pytest.mark.parametrize("kind", ["lost answers", "flaky", "throttled"])
def test_answers_lost_in_the_middle_of_a_family_place_everything_once(shop, owner, world, kind):
    world.weather("hagglet", kind, seed=3)
    publish_listings(shop, owner, drafted(shop, owner))
    persist(shop)
    world.weather("hagglet", "calm")
    persist(shop)
    rows = world.client.get("/world/hagglet/listings").json()
    assert sorted(row["sku"] for row in rows) == [
        "PT",
        "PT-14-INK",
        "PT-14-OAT",
        "PT-9-INK",
        "PT-9-OAT",
    ]
    assert {listing.state for listing in on(shop).values()} == {"live"}
    assert_sound(shop)


def test_traits_are_told_in_the_channels_words_and_one_translation_mends_all(
    workplace, owner, world
):
    add_price_list(workplace, owner, NewPriceList("chf", "Francs", "CHF", True))
    connect(workplace, owner, world, "loomstead")
    skus = make_family(workplace, owner)
    change_facts(workplace, owner, [(sku, {"price chf": 1800}) for sku in skus[1:]])
    ids = draft_listings(workplace, owner, "loomstead", ["PT"]).listing_ids
    change_listings(workplace, owner, ids[:1], {"corner": "pots-small"})
    gaps = [gap for gap in on(workplace)["PT"].gaps if gap["kind"] == "untranslated"]
    assert [(gap["ours"], gap["nearest"]) for gap in gaps] == [("Glaze", "")], (
        "“Size” is known there as “size”"
    )
    with workplace.database.reading() as session:
        (lacking,) = untranslated(session, workplace, "loomstead")
    assert (lacking.kind, lacking.ours, lacking.count) == (TranslationKind.TRAIT, "Glaze", 1)
    with pytest.raises(Refused) as refused:
        set_translations(
            workplace,
            owner,
            "loomstead",
            [Translation(TranslationKind.TRAIT, "", "Glaze", "shine")],
        )
    assert "knows the traits width, colour" in refused.value.first.message
    set_translations(
        workplace,
        owner,
        "loomstead",
        [
            Translation(TranslationKind.TRAIT, "", "Glaze", "colour"),
            Translation(TranslationKind.VALUE, "colour", "Ink", "deep blue"),
        ],
    )
    publish_listings(workplace, owner, ids)
    deliver(workplace)
    assert world.listings("loomstead")["PT-9-INK"]["traits"] == {
        "size": "9 cm",
        "colour": "deep blue",
    }
    assert world.listings("loomstead")["PT-9-OAT"]["traits"] == {"size": "9 cm", "colour": "Oat"}


def test_a_family_of_more_traits_than_the_channel_shows_says_so(workplace, owner, world):
    add_price_list(workplace, owner, NewPriceList("chf", "Francs", "CHF", True))
    connect(workplace, owner, world, "loomstead")
    axes = (Trait("Size", ("S",)), Trait("Colour", ("red",)), Trait("Finish", ("matt",)))
    head = ProductDraft("F", "Three ways", ProductKind.FAMILY, axes=axes)
    one = ProductDraft(
        "F-1",
        "One of them",
        ProductKind.VARIANT,
        family="F",
        traits={"Size": "S", "Colour": "red", "Finish": "matt"},
    )
    save_many(workplace, owner, [(draft.sku, draft) for draft in (head, one)])
    draft_listings(workplace, owner, "loomstead", ["F"])
    gap = next(gap for gap in on(workplace)["F"].gaps if gap["kind"] == "too many traits")
    assert "at most 2 traits; this one has Size, Colour, Finish" in gap["message"]


def test_a_variant_that_leaves_its_family_stands_by_itself(shop, owner):
    drafted(shop, owner)
    split_off(shop, owner, ["PT-9-INK"])
    found = on(shop)["PT-9-INK"]
    assert found.head_id is None
    assert "shelf" in {gap["field"] for gap in found.gaps}, "now it needs what its page said for it"


def test_one_that_is_there_already_is_left_and_a_new_variant_joins_its_page(shop, owner):
    ids = drafted(shop, owner)
    again = draft_listings(shop, owner, "hagglet", ["PT"])
    assert again.listing_ids == ()
    assert {verdict.code for verdict in again.verdicts} == {"exists"}
    add_pot(shop, owner, "PT-18-INK")
    new = ProductDraft(
        "PT-18-RUS",
        "Aubrey pot, 18 cm, Rust",
        ProductKind.VARIANT,
        family="PT",
        traits={"Size": "18 cm", "Glaze": "Rust"},
        prices={"retail": 1990},
    )
    save_many(shop, owner, [("PT-18-RUS", new)])
    more = draft_listings(shop, owner, "hagglet", ["PT-18-RUS"])
    assert on(shop)["PT-18-RUS"].head_id == ids[0]
    assert len(more.listing_ids) == 1


def test_what_told_somebody_outside_is_no_job_to_be_taken_back(shop, owner):
    job = publish_listings(shop, owner, drafted(shop, owner))
    deliver(shop)
    with pytest.raises(Refused) as refused:
        move_job(shop, owner, job, "undo")
    assert refused.value.first.code == "wrong-state"
    assert {listing.state for listing in on(shop).values()} == {"live"}


@pytest.mark.parametrize(
    "title",
    ["\U0001f331 Topf für Moos \U0001f33f", "עציץ מקרמיקה עם זיגוג", 'Pot <b>bold</b> & "co"'],
)
def test_titles_of_any_script_arrive_as_they_are(shop, owner, world, title):
    add_pot(shop, owner, "X-1", title=title)
    (listing,) = draft_listings(shop, owner, "hagglet", ["X-1"]).listing_ids
    change_listings(shop, owner, [listing], {"shelf": "hg-planters"})
    publish_listings(shop, owner, [listing])
    deliver(shop)
    assert world.listings("hagglet")["X-1"]["title"] == title


def test_a_family_that_is_not_wanted_any_more_leaves_no_job_waiting(shop, owner, world):
    ids = drafted(shop, owner)
    job = publish_listings(shop, owner, ids)
    take_down_listings(shop, owner, ids)
    deliver(shop)
    assert world.listings("hagglet") == {}
    assert {reason for _, reason in verdicts(shop, job).values()} == {"It was not wanted any more."}
    assert {listing.state for listing in on(shop).values()} == {"ready"}
    assert_sound(shop)
