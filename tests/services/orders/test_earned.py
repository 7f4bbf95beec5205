"""What orders earned, from the tables: fees by channel, cost of kits, carriage, refunds, other currencies."""

from datetime import timedelta

import pytest

from relvan.core.orders.earned import EarnedBy
from relvan.core.orders.intake import IncomingLine, IncomingOrder
from relvan.core.prices.fees import fees_of
from relvan.core.refusal import Refused
from relvan.services.orders.cancel import cancel_orders
from relvan.services.orders.earned import earned_file, earned_in, earned_of_order
from relvan.services.orders.take import take_channel_orders
from relvan.services.setup.firm import change_firm
from relvan.store.channels import channel_by_key
from relvan.store.orders import order_by_number
from relvan.store.tables import Parcel
from tests.house import add_pot, channel_ids, connect
from tests.services.orders.test_returns import send
from tests.steps.books import FIRM
from tests.steps.catalogue import kit
from tests.steps.orders import ADA, take


@pytest.fixture
def shop(workplace, owner):
    change_firm(workplace, owner, {**FIRM, "packaging": 45})
    add_pot(workplace, owner, "PT-14", units=9, cost=500)
    add_pot(workplace, owner, "PT-18", units=9, cost=800)
    return workplace


def test_a_sent_order_has_its_carriage_and_packaging(shop, owner):
    number = take(shop, owner, ("PT-14", 2))
    send(shop, owner, number)
    with shop.database.writing() as session:
        parcel = session.get_one(Parcel, 1)
        parcel.price, parcel.currency = 390, "EUR"
    view = earned_in(shop, EarnedBy.ORDER)
    ((key, earned),) = view.rows
    assert (key, earned.price, earned.cost, earned.carriage, earned.packaging) == (
        number,
        3380,
        1000,
        390,
        45,
    )
    assert earned.margin == 3380 - earned.tax - 1000 - 390 - 45
    with shop.database.reading() as session:
        order = order_by_number(session, number)
        assert earned_of_order(shop, session, order.id) == earned


def test_a_kit_costs_what_its_parts_cost_and_unknown_costs_are_counted(shop, owner):
    kit(shop, owner, "SET", ("PT-14", 2), ("PT-18", 1))
    add_pot(shop, owner, "PT-NO", units=3, cost=None)
    take(shop, owner, ("SET", 2), ("PT-NO", 1))
    found = dict(earned_in(shop, EarnedBy.PRODUCT).rows)
    assert (found["SET"].cost, found["SET"].unknown) == (2 * 1800, 0)
    assert (found["PT-NO"].cost, found["PT-NO"].unknown, found["PT-NO"].percent) == (0, 1, None)


def test_the_channel_keeps_its_fees_and_what_is_cancelled_earns_nothing(shop, owner, world):
    connect(shop, owner, world, "hagglet")
    channel = channel_ids(shop)["hagglet"]
    line = IncomingLine("1", "PT-14", "Pot", 2, 1690)
    told = [
        IncomingOrder(f"H-{n}", shop.now(), "EUR", (line,), ADA, 490, paid=True, changed=n)
        for n in (1, 2)
    ]
    take_channel_orders(shop, channel, told)
    cancel_orders(shop, owner, ["O-1002"])
    view = earned_in(shop, EarnedBy.CHANNEL)
    with shop.database.reading() as session:
        rule = shop.rulebook(channel_by_key(session, "hagglet")).fees
    ((name, earned),) = view.rows
    assert (name, view.orders, earned.price) == ("Hagglet", 1, 2 * 1690 + 490)
    assert earned.fees == 2 * fees_of(1690, rule).total


def test_days_are_those_of_the_firm_and_a_currency_without_a_rate_is_said(shop, owner):
    number = take(shop, owner, ("PT-14", 1))
    today = shop.local_now().date()
    assert earned_in(shop, EarnedBy.WEEK, today, today).orders == 1
    yesterday = today - timedelta(days=1)
    assert earned_in(shop, EarnedBy.WEEK, yesterday, yesterday).orders == 0
    with pytest.raises(Refused, match="before it begins"):
        earned_in(shop, EarnedBy.WEEK, today, yesterday)
    with shop.database.writing() as session:
        order_by_number(session, number).currency = "CHF"
    view = earned_in(shop, EarnedBy.ORDER)
    assert (view.orders, view.left_out, view.rows) == (0, 1, [])


def test_the_file_holds_what_the_view_says(shop, owner):
    take(shop, owner, ("PT-14", 1))
    text = b"".join(earned_file(earned_in(shop, EarnedBy.PRODUCT))).decode("utf-8-sig")
    head, row = text.splitlines()
    assert head.startswith("Product,Units,Price,Tax")
    assert row.startswith("PT-14,1,16.90,")


def test_many_orders_cost_as_many_queries_as_one(shop, owner, count_queries):
    take(shop, owner, ("PT-14", 1))
    with count_queries(shop.database) as one:
        earned_in(shop, EarnedBy.ORDER)
    for _ in range(5):
        take(shop, owner, ("PT-14", 1), ("PT-18", 1))
    with count_queries(shop.database) as many:
        earned_in(shop, EarnedBy.ORDER)
    assert len(many) == len(one)
