"""Tests the waterfall of what is free: each bar begins where the last one ended."""

from hypothesis import given
from hypothesis import strategies as st

from relvan.core.stock.availability import Shown, StockBalance, StockPolicy, shown_quantity
from relvan.core.stock.waterfall import waterfall
from relvan.core.why import Why

units = st.integers(0, 60)


def test_it_falls_from_what_is_on_hand_to_what_is_shown():
    balances = [StockBalance("Mill", 14, 3, 0, 2), StockBalance("Yard", 6, 0, 1)]
    falls = waterfall(balances, shown_quantity(balances, StockPolicy(cap=5)))
    assert [(fall.label, fall.top, fall.bottom) for fall in falls] == [
        ("On hand", 20, 0),
        ("Reserved", 20, 17),
        ("Blocked", 17, 16),
        ("Safety", 16, 14),
        ("Free", 14, 0),
        ("Stock rule", 14, 5),
        ("Shown", 5, 0),
    ]


def test_what_one_warehouse_lacks_another_does_not_make_good():
    falls = waterfall([StockBalance("Mill", 1, 4), StockBalance("Yard", 6)])
    assert [(fall.label, fall.units) for fall in falls] == [
        ("On hand", 7),
        ("Reserved", 4),
        ("Lacking elsewhere", -3),
        ("Free", 6),
    ]


@given(
    st.lists(st.builds(StockBalance, st.just("w"), units, units, units, units), max_size=4),
    st.none() | units,
)
def test_every_bar_begins_where_the_last_one_ended(balances, shown):
    free = sum(balance.free for balance in balances)
    falls = waterfall(balances, None if shown is None else Shown(free, shown, Why()))
    level = falls[0].top
    for fall in falls[1:]:
        assert fall.top == level
        level = level if fall.sum else fall.bottom
