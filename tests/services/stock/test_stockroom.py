"""Tests receipts that are expected, transfers between warehouses, counting a bin, the outlook."""

from datetime import date, timedelta

import pytest

from relvan.core.people.roles import Role
from relvan.core.refusal import NotAllowed, NotFound, Refused
from relvan.services.orders.release import release_orders
from relvan.services.stock.coming import (
    ExpectReceipt,
    SendTransfer,
    end_expected,
    end_transfer,
    expect_receipt,
    receive_expected,
    receive_transfer,
    send_transfer,
)
from relvan.services.stock.count import CountedLine, count_bin
from relvan.services.stock.move import MoveStock, move_stock
from relvan.services.stock.outlook import stock_outlook
from relvan.services.workplace import Actor
from relvan.store.catalogue import find_product
from relvan.store.coming import coming_of, expected_rows, transfer_rows
from relvan.store.ledger import LedgerFilter, bins_page, ledger_page
from relvan.store.orders import promised_to
from tests.house import (
    add_pot,
    assert_sound,
    connect,
    deliver,
    list_everywhere,
    orders,
    read,
    stock_of_sku,
)
from tests.snapshots import built_once

DUE = date(2026, 12, 1)


@built_once
def shop(workplace, owner, world):
    """Builds a pot, ten in Millrace, on both channels."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    list_everywhere(workplace, owner, "PT-14")
    return workplace


def on_hand(shop, sku="PT-14"):
    with shop.database.reading() as session:
        return {row.warehouse_key: row.on_hand for row in stock_of_sku(session, sku) if row.on_hand}


def coming(shop):
    with shop.database.reading() as session:
        product = find_product(session, "PT-14").id
        return [
            (one.in_transit, one.incoming, one.next_due)
            for one in coming_of(session, [product]).values()
        ]


def test_what_is_expected_is_told_and_counts_only_when_it_has_come(shop, owner, world):
    made = expect_receipt(shop, owner, ExpectReceipt("PT-14", "yard", 20, DUE, "PO 7", "key"))
    assert (
        expect_receipt(shop, owner, ExpectReceipt("PT-14", "yard", 20, DUE, "PO 7", "key")) == made
    )
    assert coming(shop) == [(0, 20, "2026-12-01")]
    assert deliver(shop) == 0
    assert receive_expected(shop, owner, made, 15, key="first") == 5
    assert receive_expected(shop, owner, made, 15, key="first") == 5, "the same form sent twice"
    assert (on_hand(shop), coming(shop)) == ({"millrace": 10, "yard": 15}, [(0, 5, "2026-12-01")])
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 25
    assert receive_expected(shop, owner, made, 6) == 0
    with shop.database.reading() as session:
        assert expected_rows(session) == []
        (row, *_) = ledger_page(session, LedgerFilter(reason="receipt", warehouse="yard"))
    assert (row.on_hand, row.note) == (6, "expected by 2026-12-01, PO 7")
    with pytest.raises(Refused, match="at an end"):
        receive_expected(shop, owner, made, 1)
    assert_sound(shop)


def test_what_will_not_come_any_more_is_let_go(shop, owner):
    made = expect_receipt(shop, owner, ExpectReceipt("PT-14", "yard", 20, DUE))
    end_expected(shop, owner, made)
    end_expected(shop, owner, made)
    assert coming(shop) == []
    with pytest.raises(NotFound):
        end_expected(shop, owner, 999)


def test_a_transfer_is_in_transit_until_it_is_received(shop, owner, world):
    sent = send_transfer(shop, owner, SendTransfer("PT-14", "millrace", "yard", 4, request_key="t"))
    assert (
        send_transfer(shop, owner, SendTransfer("PT-14", "millrace", "yard", 4, request_key="t"))
        == sent
    )
    assert (on_hand(shop), coming(shop)) == ({"millrace": 6}, [(4, 0, "")])
    deliver(shop)
    assert world.listings("ownshop")["PT-14"]["quantity"] == 6, "what is on its way is not sold"
    assert receive_transfer(shop, owner, sent, 3, key="r") == 1
    assert receive_transfer(shop, owner, sent, 3, key="r") == 1
    with pytest.raises(Refused, match="Only 1"):
        receive_transfer(shop, owner, sent, 2)
    assert end_transfer(shop, owner, sent) == 1
    assert end_transfer(shop, owner, sent) == 1
    assert (on_hand(shop), coming(shop)) == ({"millrace": 6, "yard": 3}, [])
    with shop.database.reading() as session:
        assert transfer_rows(session) == []
    assert_sound(shop)


def test_what_is_promised_or_blocked_does_not_leave(shop, owner, world):
    world.buy("hagglet", "PT-14", 3)
    read(shop)
    move_stock(shop, owner, MoveStock("PT-14", "millrace", "block", change=2))
    for units, message in (
        (9, "more than the 8 in"),
        (6, "more than the 5 in Millrace not promised"),
    ):
        with pytest.raises(Refused, match=message):
            send_transfer(shop, owner, SendTransfer("PT-14", "millrace", "yard", units))
    send_transfer(shop, owner, SendTransfer("PT-14", "millrace", "yard", 5))
    (order,) = orders(shop)
    assert release_orders(shop, owner, [order.number])[0].ok
    assert_sound(shop)


@pytest.mark.parametrize(
    "wish",
    [
        SendTransfer("NOPE", "millrace", "yard", 1),
        SendTransfer("PT-14", "millrace", "millrace", 1),
        SendTransfer("PT-14", "millrace", "attic", 1),
        SendTransfer("PT-14", "millrace", "yard", 0),
        SendTransfer("PT-14", "millrace", "yard", 1, bin="Z-99"),
        SendTransfer("PT-14", "millrace", "yard", 1, note="x" * 201),
    ],
)
def test_a_transfer_that_makes_no_sense_is_refused_whole(shop, owner, wish):
    with pytest.raises(Refused):
        send_transfer(shop, owner, wish)
    assert on_hand(shop) == {"millrace": 10}


def test_a_bin_is_counted_all_or_nothing_and_once(shop, owner, world):
    add_pot(shop, owner, "PT-18", units=4)
    with shop.database.reading() as session:
        code = bins_page(session, 1)[0].bin
    lines = [CountedLine("PT-14", 7), CountedLine("pt-18", 4)]
    with pytest.raises(Refused, match="NOPE"):
        count_bin(shop, owner, "millrace", code, [*lines, CountedLine("NOPE", 1)], request_key="a")
    assert on_hand(shop) == {"millrace": 10}
    assert count_bin(shop, owner, "millrace", code, lines, request_key="b") == 1
    assert count_bin(shop, owner, "millrace", code, lines, request_key="b") == 0
    assert on_hand(shop) == {"millrace": 7}
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 7
    with pytest.raises(Refused, match="counted twice"):
        count_bin(
            shop,
            owner,
            "millrace",
            code,
            [CountedLine("PT-14", 1), CountedLine("pt-14", 2)],
            request_key="c",
        )
    with pytest.raises(Refused):
        count_bin(shop, owner, "millrace", code, [], request_key="d")
    assert_sound(shop)


def test_the_ledger_is_filtered_and_paged(shop, owner):
    move_stock(shop, owner, MoveStock("PT-14", "yard", "receipt", change=2))
    move_stock(shop, owner, MoveStock("PT-14", "millrace", "write-off", change=-1, note="cracked"))
    with shop.database.reading() as session:
        assert [row.note for row in ledger_page(session, LedgerFilter(reason="write-off"))] == [
            "cracked"
        ]
        assert [row.on_hand for row in ledger_page(session, LedgerFilter(warehouse="yard"))] == [2]
        assert len(ledger_page(session, LedgerFilter(words="PT-14"))) == 3
        assert ledger_page(session, LedgerFilter(words="NOPE")) == []
        assert ledger_page(session, LedgerFilter(since=shop.now() + timedelta(days=1))) == []
        (first, second) = ledger_page(session, LedgerFilter(), limit=2)
        assert ledger_page(session, LedgerFilter(), before=second.id)[0].id < second.id < first.id


def test_the_outlook_tells_what_runs_out_what_stands_still_and_what_it_is_worth(shop, owner, world):
    add_pot(shop, owner, "PT-18", units=6)
    world.buy("hagglet", "PT-14", 8)
    read(shop)
    expect_receipt(shop, owner, ExpectReceipt("PT-14", "yard", 30, DUE))
    with shop.database.reading() as session:
        found = stock_outlook(session, shop)
        promised = promised_to(session, find_product(session, "PT-14").id)
    (row,) = found.runs_out
    assert (row.sku, row.outlook.free, row.outlook.days_left, row.outlook.coming) == (
        "PT-14",
        2,
        7,
        30,
    )
    assert [(one.units, one.value) for one in found.values] == [(16, 16 * 500)]
    assert (found.still, [one.quantity for one in promised]) == ((), [8])
    shop.now.move(days=91)
    with shop.database.reading() as session:
        assert {one.sku for one in stock_outlook(session, shop).still} == {"PT-14", "PT-18"}


def test_only_those_who_may_move_stock_do(shop):
    lister_actor = Actor(2, "Lister", Role.CATALOGUE, "hand")
    for deed in (
        lambda: expect_receipt(shop, lister_actor, ExpectReceipt("PT-14", "yard", 1, DUE)),
        lambda: send_transfer(shop, lister_actor, SendTransfer("PT-14", "millrace", "yard", 1)),
        lambda: count_bin(
            shop, lister_actor, "millrace", "A-01", [CountedLine("PT-14", 1)], request_key="x"
        ),
    ):
        with pytest.raises(NotAllowed):
            deed()
