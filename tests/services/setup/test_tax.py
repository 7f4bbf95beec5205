"""Tests what follows when rates of tax are set."""

from datetime import date
from decimal import Decimal

import pytest

from relvan.core.refusal import NotAllowed, Refused
from relvan.core.setup.tax import TaxRate, check_tax_rate
from relvan.services.setup.firm import change_firm
from relvan.services.setup.tax import rates_of_the_union, set_tax_rates
from relvan.store.history import history
from relvan.store.listings import listings_of
from relvan.store.tax import tax_table
from tests.house import add_pot, connect, list_everywhere, orders, read

LONG_AGO = date(2020, 1, 1)
IRISH = TaxRate("IE", "standard", Decimal(23), LONG_AGO, "the Revenue")


@pytest.fixture
def at_home(workplace, owner):
    change_firm(workplace, owner, {"name": "Quillmoss", "address": {"country": "IE"}})


def test_rates_of_the_union_are_sound_and_name_their_origin():
    rates = rates_of_the_union()
    assert [rate for rate in rates if check_tax_rate(rate)] == []
    assert len({rate.country for rate in rates}) == 27
    assert all(rate.origin for rate in rates)


def test_a_rate_changes_margins_and_the_tax_of_orders(workplace, owner, world, at_home):
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14", cost=1_000)
    found = list_everywhere(workplace, owner, "PT-14")
    with workplace.database.reading() as session:
        before = listings_of(session, listing_ids=[found["hagglet", "PT-14"]])[0].margin
    set_tax_rates(workplace, owner, [IRISH, TaxRate("DE", "standard", Decimal(19), LONG_AGO)])
    with workplace.database.reading() as session:
        after = listings_of(session, listing_ids=[found["hagglet", "PT-14"]])[0].margin
        entries = history(session, "tax", 1, 5)
    assert after < before  # more tax leaves less
    assert "IE standard from 2020-01-01" in str(entries[0])
    buyer = {"name": "Ada", "street": "1 Row", "town": "Kiel", "postcode": "1", "country": "DE"}
    world.buy("hagglet", "PT-14", buyer=buyer)
    read(workplace)
    set_tax_rates(workplace, owner, [], registered=["de"])
    world.buy("hagglet", "PT-14", buyer=buyer)
    read(workplace)
    taxes = sorted(line.tax for order in orders(workplace) for line in lines_of(workplace, order))
    price = world.listings("hagglet")["PT-14"]["price"]
    assert taxes == sorted(round(price - price / rate) for rate in (1.23, 1.19))


def lines_of(workplace, order):
    from relvan.store.orders import lines_of as stored

    with workplace.database.reading() as session:
        return stored(session, [order.id])[order.id]


def test_all_or_nothing_and_owners_only(workplace, owner, picker):
    wrong = TaxRate("XX", "standard", Decimal(5), LONG_AGO)
    with pytest.raises(Refused):
        set_tax_rates(workplace, owner, [IRISH, wrong])
    with pytest.raises(NotAllowed):
        set_tax_rates(workplace, picker, [IRISH])
    with pytest.raises(Refused) as refused:  # nobody knows the firm's own country yet
        set_tax_rates(workplace, owner, [IRISH], registered=["DE"])
    assert refused.value.first.field == "registered"
    with workplace.database.reading() as session:
        assert tax_table(session).rates == ()


def test_a_rate_is_taken_away(workplace, owner, at_home):
    set_tax_rates(workplace, owner, [IRISH])
    assert workplace.home_tax()["standard"] == 23
    set_tax_rates(workplace, owner, [], gone=[IRISH])
    assert workplace.home_tax()["standard"] == 20
