"""Tests movements of many goods in one go: the same as one by one, by few queries, each by itself."""

import random

import pytest
from sqlalchemy import select

from relvan.core.refusal import Refused
from relvan.services.stock.move import MoveStock, move_all_in, move_stock, note_movements
from relvan.store.catalogue import find_product
from relvan.store.tables import Bin, BinBalance, Movement
from tests.house import add_pot, assert_sound

REASONS = ("receipt", "write-off", "count", "block", "unblock", "opening", "return")
PLACES = (
    ("millrace", "A-01"),
    ("Millrace", "b-01"),
    ("millrace", ""),
    ("yard", ""),
    ("YARD", "y-02"),
)


def move_together(place, owner, wishes):
    with place.database.writing() as session:
        answers = move_all_in(session, place, owner, wishes)
        note_movements(session, place, {made.product_id for made in answers if made_one(made)})
    return answers


def made_one(answer):
    return not isinstance(answer, Refused)


def drawn(dice):
    """Returns a movement as (warehouse, bin, reason, what), right or wrong."""
    warehouse, code = dice.choice(PLACES)
    reason = dice.choice(REASONS)
    units = dice.randint(0, 6)
    if reason == "count":
        return warehouse, code, reason, {"counted": units}
    taken = reason in ("write-off", "unblock")
    return warehouse, code, reason, {"change": -units if taken else units}


def in_bins(place, sku):
    """Returns what lies in bins of a product, and its movements as (bin, on hand, blocked)."""
    with place.database.reading() as session:
        product = find_product(session, sku)
        lying = session.execute(
            select(Bin.code, BinBalance.on_hand, BinBalance.blocked, BinBalance.use_by)
            .join(BinBalance, BinBalance.bin_id == Bin.id)
            .where(BinBalance.product_id == product.id)
            .order_by(Bin.id)
        ).all()
        moved = session.execute(
            select(Bin.code, Movement.on_hand, Movement.blocked, Movement.reason)
            .join(Bin, Bin.id == Movement.bin_id)
            .where(Movement.product_id == product.id)
            .order_by(Movement.id)
        ).all()
    return [tuple(row) for row in lying], [tuple(row) for row in moved]


@pytest.mark.parametrize("seed", range(6))
def test_together_they_do_what_they_do_one_by_one(workplace, owner, seed):
    add_pot(workplace, owner, "PT-1", units=0)
    add_pot(workplace, owner, "PT-2", units=0)
    dice = random.Random(seed)
    moves = [drawn(dice) for _ in range(25)]
    alone = []
    for warehouse, code, reason, what in moves:
        try:
            move_stock(workplace, owner, MoveStock("PT-1", warehouse, reason, bin=code, **what))
            alone.append("")
        except Refused as refused:
            alone.append(refused.first)
    wishes = [
        MoveStock("pt-2", warehouse, reason, bin=code, **what)
        for warehouse, code, reason, what in moves
    ]
    answers = move_together(workplace, owner, wishes)
    assert ["" if made_one(answer) else answer.first for answer in answers] == alone
    assert 3 < alone.count("") < 25
    assert in_bins(workplace, "PT-2") == in_bins(workplace, "PT-1")
    assert_sound(workplace)


def test_many_take_as_many_queries_as_a_few(workplace, owner, count_queries):
    skus = [add_pot(workplace, owner, f"PT-{number}", units=0) for number in range(14)]
    wishes = [
        MoveStock(sku, "millrace", "receipt", change=3, bin=code)
        for sku, code in zip(skus, ["A-01", "B-01", ""] * 5, strict=False)
    ]
    with count_queries(workplace.database) as few:
        move_together(workplace, owner, wishes[:2])
    with count_queries(workplace.database) as many:
        move_together(workplace, owner, wishes[2:])
    assert len(many) <= len(few) + 1  # the first bin, where something lies nowhere yet
    assert in_bins(workplace, "PT-0")[0] == [("A-01", 3, 0, None)]
    assert in_bins(workplace, "PT-2")[0] == [("A-01", 3, 0, None)]
    assert_sound(workplace)


def test_each_is_refused_by_itself_and_with_its_own_words(workplace, owner):
    add_pot(workplace, owner, "PT-1", units=4)
    with workplace.database.writing() as session:
        session.scalar(select(Bin).where(Bin.code == "B-01")).closed = True
    wishes = [
        MoveStock("PT-1", "millrace", "receipt", change=1),
        MoveStock("PT-9", "millrace", "receipt", change=1),
        MoveStock("PT-1", "attic", "receipt", change=1),
        MoveStock("PT-1", "millrace", "receipt", change=1, bin="Z-99"),
        MoveStock("PT-1", "millrace", "receipt", change=1, bin="b-01"),
        MoveStock("PT-1", "millrace", "dispatch", change=-1),
        MoveStock("PT-1", "millrace", "write-off", change=-6),
        MoveStock("PT-1", "millrace", "receipt", change=1, use_by="2026-02-30"),
        MoveStock("PT-1", "millrace", "count", counted=9, expected=4),
        MoveStock("PT-1", "millrace", "count", counted=9, expected=5),
    ]
    answers = move_together(workplace, owner, wishes)
    told = ["" if made_one(answer) else answer.first.code for answer in answers]
    assert told[:6] == ["", "not-found", "not-found", "not-found", "closed", "not-allowed"]
    assert all(told[6:9])
    assert (told[8], told[9]) == ("moved-on", "")
    assert [units for _, units, _, _ in in_bins(workplace, "PT-1")[1]] == [4, 1, 4]
    assert_sound(workplace)


def test_nothing_moves_where_nothing_is_wanted(workplace, owner):
    assert move_together(workplace, owner, []) == []
