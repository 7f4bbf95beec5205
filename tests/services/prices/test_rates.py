"""Tests prices that cover fees, keep a margin and come over by a rate: from settings to what the
channel shows."""

from datetime import date
from decimal import Decimal

import pytest

from relvan.core.catalogue.product import AliasFacts
from relvan.core.listings.rulebook import OtherFees
from relvan.core.money import Money
from relvan.core.prices.rates import Rate
from relvan.core.refusal import Refused
from relvan.services.channels.settings import change_channel
from relvan.services.listings.draft import draft_listings
from relvan.services.listings.explain_price import explain_price
from relvan.services.listings.layers import LayerWish, make_layer, use_layers
from relvan.services.listings.view import view_listing
from relvan.services.prices.foresee import Outside, foresee_prices, foresee_rate
from relvan.services.prices.lists import NewPriceList, add_price_list
from relvan.services.prices.rates import drop_rate, keep_rates, keep_rates_of_file, read_rate
from relvan.services.prices.set import set_list_price
from relvan.store.channels import channel_by_key
from relvan.store.listing_list import ListingFilter, listing_page
from relvan.store.listings import listing_by_id, listings_of
from relvan.store.prices import rate_rows, rates_on
from tests.house import add_pot, assert_sound, channel_ids, connect, deliver, list_everywhere
from tests.snapshots import built_once
from tests.steps.every_channel import draft

FRANC = Rate("EUR", "CHF", Decimal("0.95"), date(2026, 10, 1))


@built_once
def shop(workplace, owner, world):
    """Builds a pot of 16.90 on Hagglet and in the own shop; it costs 5.00."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    list_everywhere(workplace, owner, "PT-14")
    return workplace


def price_on(workplace, key="hagglet"):
    with workplace.database.reading() as session:
        (listing,) = [
            one for one in listings_of(session) if one.channel_id == channel_ids(workplace)[key]
        ]
    return listing


def test_a_channel_that_covers_its_fees_shows_the_lowest_price_that_does(shop, owner, world):
    change_channel(shop, owner, "hagglet", {"price_steps": [{"kind": "cover fees"}]})
    book = shop.rulebooks.of("hagglet")
    assert (book.fees.referral_percent, book.fees.fixed, book.fees.processing_percent) == (
        11,
        30,
        Decimal("2.4"),
    )
    assert price_on(shop).price == 1986  # of which 218 + 30 + 48 are theirs: 16.90 are left
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["price"] == 1986
    assert world.listings("ownshop")["PT-14"]["price"] == 1690
    why = explain_price(shop, "PT-14", "hagglet").why
    assert [(step.label, step.value) for step in why.steps][-2:] == [
        ("Cover fees", "19.86"),
        ("Price", "19.86"),
    ]
    assert_sound(shop)


def test_the_least_margin_lifts_a_price_that_would_leave_too_little(shop, owner, world):
    wishes = {
        "least_margin": "60",
        "delivery_cost": 200,
        "price_steps": [{"kind": "percent", "percent": "-40"}],
    }
    change_channel(shop, owner, "hagglet", wishes)
    held = price_on(shop)
    assert (held.price, held.floored) == (
        3663,
        True,
    )  # of 30.53 without tax 5.21 are fees, 7.00 cost and delivery: 18.32 are left
    assert "Least margin 60 %" in [
        step.label for step in explain_price(shop, "PT-14", "hagglet").why.steps
    ]
    change_channel(shop, owner, "hagglet", {"least_margin": ""})
    assert (price_on(shop).price, price_on(shop).floored) == (1014, False)
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["price"] == 1014
    assert_sound(shop)


@pytest.mark.parametrize(
    "wrong",
    [
        {"least_margin": "a lot"},
        {"least_margin": "91"},
        {"least_margin": "NaN"},
        {"delivery_cost": -1},
        {"price_steps": [{"kind": "convert", "currency": "CHF"}]},
        {"price_steps": [{"kind": "convert", "currency": "MOON"}]},
    ],
)
def test_settings_that_make_no_sense_are_refused_and_change_nothing(shop, owner, wrong):
    with pytest.raises(Refused):
        change_channel(shop, owner, "hagglet", wrong)
    with shop.database.reading() as session:
        channel = channel_by_key(session, "hagglet")
        assert (channel.least_margin, channel.delivery_cost, channel.price_steps) == (None, 0, [])


def test_a_list_in_euros_sells_in_francs_by_the_rate_of_the_day(workplace, owner, world):
    add_price_list(workplace, owner, NewPriceList("chf", "Francs", "CHF", True))
    connect(workplace, owner, world, "loomstead")
    convert = {"price_list": "retail", "price_steps": [{"kind": "convert", "currency": "CHF"}]}
    with pytest.raises(Refused, match="There is no rate from EUR to CHF"):
        change_channel(workplace, owner, "loomstead", convert)
    keep_rates(workplace, owner, [FRANC])
    change_channel(workplace, owner, "loomstead", convert)
    with pytest.raises(Refused, match="sells in CHF; “Retail” is in EUR"):
        change_channel(workplace, owner, "loomstead", {"price_steps": []})
    add_pot(workplace, owner, "PT-14", attributes={"material": "Stoneware"}, floor=1690)
    draft(workplace, owner, "loomstead", "PT-14")
    assert price_on(workplace, "loomstead").price == 1606  # 16.055
    with workplace.database.reading() as session:
        margin = view_listing(session, workplace, price_on(workplace, "loomstead")).margin
    assert [(one.value, one.detail) for one in margin.why.steps if one.label == "Cost"] == [
        ("-4.75", "at 0.95 CHF for one")
    ]
    keep_rates(workplace, owner, [Rate("EUR", "CHF", Decimal("0.9"), date(2026, 11, 2))])
    assert price_on(workplace, "loomstead").price == 1521
    set_list_price(workplace, owner, "PT-14", "retail", 1000)
    assert (price_on(workplace, "loomstead").price, price_on(workplace, "loomstead").floored) == (
        1521,
        True,
    )
    with workplace.database.reading() as session:
        (newest, _), (oldest, _) = rate_rows(session)
    drop_rate(workplace, owner, newest)
    assert price_on(workplace, "loomstead").price == 1606
    with pytest.raises(Refused, match="converts by the rate from EUR to CHF"):
        drop_rate(workplace, owner, oldest)
    assert_sound(workplace)


def test_a_rate_of_the_same_day_goes_instead_of_the_one_before_and_twice_changes_nothing(
    workplace, owner
):
    assert keep_rates(workplace, owner, [FRANC]) == 1
    assert keep_rates(workplace, owner, [FRANC]) == 0
    assert keep_rates(workplace, owner, [Rate("EUR", "CHF", Decimal("0.96"), FRANC.since)]) == 1
    with workplace.database.reading() as session:
        assert [rate.rate for _, rate in rate_rows(session)] == [Decimal("0.96")]
        assert rates_on(session, date(2026, 9, 30)).between("EUR", "CHF") is None


def test_a_file_of_rates_is_kept_whole_or_not_at_all(workplace, owner):
    good = [
        ["From", "TO", "rate", "since"],
        ["eur", "chf", "0,95", "2026-10-01"],
        [],
        ["EUR", "USD", "1.1", ""],
    ]
    assert keep_rates_of_file(workplace, owner, good) == 2
    bad = [
        *good,
        ["EUR", "EUR", "1", ""],
        ["EUR", "GBP", "x", ""],
        ["EUR", "GBP", "0.8", "2027-01-01"],
    ]
    with pytest.raises(Refused) as refused:
        keep_rates_of_file(workplace, owner, bad)
    assert [one.message.partition(":")[0] for one in refused.value.refusals] == [
        "Row 5",
        "Row 6",
        "Row 7",
    ]
    with pytest.raises(Refused):
        keep_rates_of_file(workplace, owner, [["a", "b"]])
    with workplace.database.reading() as session:
        assert len(rate_rows(session)) == 2


@pytest.mark.parametrize(
    "told", [("EUR", "CHF", "", ""), ("EUR", "CHF", "1.2.3", ""), ("EUR", "CHF", "1", "tomorrow")]
)
def test_what_is_typed_and_no_rate_is_refused(told):
    with pytest.raises(Refused):
        read_rate(date(2026, 11, 2), *told)


def test_only_who_may_set_prices_keeps_rates(workplace, picker):
    with pytest.raises(Refused):
        keep_rates(workplace, picker, [FRANC])


def foresee(workplace, owner, **wishes):
    return foresee_prices(workplace, owner, "hagglet", wishes)


def test_what_other_steps_would_do_is_foreseen_as_saving_does_it(shop, owner):
    add_pot(shop, owner, "PT-18", prices={"retail": 3000}, floor=2000)
    list_everywhere(shop, owner, "PT-18")
    wishes = {
        "price_steps": [{"kind": "percent", "percent": "-40"}],
        "least_margin": "5",
        "delivery_cost": 100,
    }
    found = foresee(shop, owner, **wishes)
    assert (found.listings, found.up, found.down, found.floored, found.none) == (2, 0, 2, 1, 0)
    told = {one.sku: (one.old, one.new, one.floored) for one in found.samples}
    assert told == {
        "PT-14": ("16.90 EUR", "10.14 EUR", False),
        "PT-18": ("30.00 EUR", "20.00 EUR", True),
    }
    assert price_of(shop, "PT-14") == 1690, "nothing is changed"
    change_channel(shop, owner, "hagglet", wishes)
    assert {sku: str(Money(price_of(shop, sku), "EUR")) for sku in told} == {
        sku: told[sku][1] for sku in told
    }
    assert foresee(shop, owner, **wishes).changed == 0
    assert [one.new for one in foresee(shop, owner).samples] == [
        one.old for one in foresee(shop, owner).samples
    ]


def price_of(workplace, sku):
    with workplace.database.reading() as session:
        page = listing_page(session, ListingFilter(channel="hagglet", words=sku))
        (row,) = [row for row in page if row.sku == sku]
        return listing_by_id(session, row.id).price


def test_aliases_families_and_layers_count_in_what_is_foreseen(shop, owner):
    add_pot(
        shop,
        owner,
        "PT-20",
        aliases=("OLD-20",),
        alias_facts={"OLD-20": AliasFacts("", "", {"retail": 2500})},
    )
    ids = draft_listings(shop, owner, "hagglet", ["OLD-20"]).listing_ids
    layer = make_layer(
        shop,
        owner,
        LayerWish(
            "hagglet", "price", "Always 9", {"price_steps": [{"kind": "amount", "amount": 9}]}
        ),
    )
    found = foresee(shop, owner, price_steps=[{"kind": "amount", "amount": 100}])
    assert {one.sku: one.new for one in found.samples} == {
        "PT-14": "17.90 EUR",
        "OLD-20": "26.00 EUR",
    }
    use_layers(shop, owner, ids, {"price": layer})
    found = foresee(shop, owner, price_steps=[{"kind": "amount", "amount": 100}])
    assert {one.sku: one.new for one in found.samples} == {
        "PT-14": "17.90 EUR",
        "OLD-20": "25.09 EUR",
    }
    assert (found.changed, found.up) == (1, 1)


def test_other_fees_are_tried_where_prices_cover_them(shop, owner):
    change_channel(shop, owner, "hagglet", {"price_steps": [{"kind": "cover fees"}]})
    before = price_of(shop, "PT-14")
    trial = Outside(
        OtherFees(
            referral_percent=Decimal(0), least_referral=0, fixed=0, processing_percent=Decimal(0)
        )
    )
    found = foresee_prices(shop, owner, "hagglet", {}, trial)
    assert (found.down, found.up, found.samples[0].new) == (1, 0, "16.90 EUR"), (
        "without fees it is the list price"
    )
    dearer = foresee_prices(shop, owner, "hagglet", {}, Outside(OtherFees(fixed=500)))
    assert (dearer.down, dearer.up) == (0, 1)
    assert foresee_prices(shop, owner, "hagglet", {}, Outside(OtherFees())).changed == 0
    assert price_of(shop, "PT-14") == before, "nothing is changed"


def test_a_rate_is_tried_on_every_channel_that_it_touches(shop, owner, picker):
    assert foresee_rate(shop, owner, FRANC) == [], "nothing is converted"
    keep_rates(shop, owner, [FRANC])
    add_price_list(shop, owner, NewPriceList("francs", "Francs", "CHF", True))
    set_list_price(shop, owner, "PT-14", "francs", 2000)
    convert = [{"kind": "convert", "currency": "EUR"}]
    change_channel(shop, owner, "hagglet", {"price_list": "francs", "price_steps": convert})
    before = price_of(shop, "PT-14")
    ((name, found),) = foresee_rate(shop, owner, Rate("CHF", "EUR", Decimal("1.5"), FRANC.since))
    assert (name, found.up, found.samples[0].new) == ("Hagglet", 1, "30.00 EUR")
    assert price_of(shop, "PT-14") == before
    for wrong in (
        Rate("EUR", "EUR", Decimal(1), FRANC.since),
        Rate("CHF", "EUR", Decimal(0), FRANC.since),
    ):
        with pytest.raises(Refused):
            foresee_rate(shop, owner, wrong)
    with pytest.raises(Refused):
        foresee_rate(shop, picker, FRANC)


def test_what_cannot_be_saved_cannot_be_foreseen(shop, owner, picker):
    for wrong in (
        {"price_steps": [{"kind": "convert", "currency": "CHF"}]},
        {"least_margin": "x"},
        {"paused": True},
    ):
        with pytest.raises(Refused):
            foresee(shop, owner, **wrong)
    with pytest.raises(Refused):
        foresee(shop, picker, price_steps=[])


def test_a_thousand_prices_are_foreseen_with_a_handful_of_queries(shop, owner, count_queries):
    with count_queries(shop.database) as counted:
        foresee(shop, owner, price_steps=[{"kind": "cover fees"}])
    assert len(counted) <= 14
