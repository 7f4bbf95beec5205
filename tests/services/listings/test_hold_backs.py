"""Tests holding back by risk: as much as sells before a channel hears of it, from what was
measured."""

import pytest

from relvan.core.refusal import Refused
from relvan.core.stock.risk import hold_back_by_risk
from relvan.services.channels.settings import change_channel
from relvan.services.listings.availability import availability
from relvan.services.orders.cancel import cancel_orders
from relvan.store.channels import channel_by_key
from relvan.store.tables import LagSample
from tests.house import (
    add_pot,
    assert_sound,
    channel_ids,
    connect,
    deliver,
    list_everywhere,
    orders,
    read,
)
from tests.snapshots import built_once


@built_once
def shop(workplace, owner, world):
    """Builds a pot on both channels, nine hundred of it, of which 560 were sold in the last 28 days
    on one of them."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14", units=900)
    list_everywhere(workplace, owner, "PT-14")
    for _ in range(8):
        world.buy("ownshop", "PT-14", 70)
    read(workplace)
    deliver(workplace)
    return workplace


def hold_back(workplace, owner, risk):
    change_channel(workplace, owner, "hagglet", {"stock_policy": {"risk": risk}})
    return availability(workplace, "PT-14", "hagglet")


def measured(workplace, seconds, count=100):
    with workplace.database.writing() as session:
        session.query(LagSample).delete()
        session.add_all(
            LagSample(
                channel_id=channel_ids(workplace)["hagglet"], at=workplace.now(), seconds=seconds
            )
            for _ in range(count)
        )


def test_what_sells_within_the_measured_lag_is_kept_back(shop, owner, world):
    measured(shop, 1800)
    pace = 560 / (28 * 24 * 60)
    held = hold_back_by_risk(pace, 30, 0.001)
    assert held == 3
    shown = hold_back(shop, owner, "0.001")
    assert shown.quantity == 340 - held
    step = next(one for one in shown.why.steps if one.label == "Buffer by risk")
    assert step.detail == "3 kept back: 20.0 sold a day, heard of within 1800 s, risk 0.001"
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 337
    assert_sound(shop)


def test_a_longer_lag_and_a_smaller_risk_keep_more_back_and_nothing_sold_keeps_nothing(shop, owner):
    measured(shop, 7200)
    assert hold_back(shop, owner, "0.001").quantity < 337
    careful = hold_back(shop, owner, "0.00001").quantity
    assert careful < hold_back(shop, owner, "0.1").quantity
    assert all(
        one.ok for one in cancel_orders(shop, owner, [order.number for order in orders(shop)])
    )
    assert hold_back(shop, owner, "0.001").quantity == 900


def test_sales_of_long_ago_do_not_count_and_without_measure_a_minute_is_taken(shop, owner):
    with shop.database.writing() as session:
        session.query(LagSample).delete()
    assert (
        "heard of within 60 s (taken, not measured yet)"
        in hold_back(shop, owner, "0.001").why.steps[-2].detail
    )
    shop.now.move(days=90)
    assert hold_back(shop, owner, "0.01").quantity == 340


@pytest.mark.parametrize("wrong", ["0", "0.9", "often", "NaN", "-1"])
def test_a_risk_that_makes_no_sense_is_refused_and_changes_nothing(shop, owner, wrong):
    with pytest.raises(Refused):
        hold_back(shop, owner, wrong)
    with shop.database.reading() as session:
        assert channel_by_key(session, "hagglet").stock_policy.get("risk") is None
