"""Tests how fast pools sell, and for how long a channel counts as silent."""

from datetime import timedelta
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.stock.availability import StockBalance, StockPolicy, shown_quantity
from relvan.core.stock.pace import (
    LONGEST_SILENCE,
    Selling,
    SellingPace,
    Unseen,
    counted_silence,
    pace_of,
    silence_of,
)
from relvan.core.stock.risk import hold_back_by_risk

HAGGLET, SHOP = 7, 8
SELLING = Selling({1: 0.2, 2: 0.3}, {2: 1.0}, (Unseen(HAGGLET, "Hagglet", 20, {1: 4.0}),))
SILENT = "Hagglet, silent for 20 min"
MINUTES = st.floats(0, 5_000)


@pytest.mark.parametrize(
    ("parts", "lag", "pace"),
    [
        ({1: 1}, 5, SellingPace(0.2, 5, True, 0, 4, SILENT)),
        (
            {2: 3},
            2,
            SellingPace(0.3 / 3, 2, True, 1 / 3),
        ),  # a third of a kit is gone with each part
        ({1: 1, 2: 1}, 5, SellingPace(0.3, 5, True, 1, 4, SILENT)),  # each of the fastest part
        ({1: 2}, 5, SellingPace(0.1, 5, True, 0, 2, SILENT)),
        ({9: 1}, None, SellingPace(0, 1, False)),
    ],
)
def test_the_pace_of_a_kit_is_that_of_its_fastest_part(parts, lag, pace):
    assert pace_of(parts, SELLING, lag, SHOP) == pace


def test_what_a_channel_sells_unseen_is_held_back_by_the_others():
    assert pace_of({1: 1}, SELLING, 5, HAGGLET) == SellingPace(0.2, 5)
    both = Selling(unseen=(*SELLING.unseen, Unseen(SHOP, "Shop", 3, {1: 0.5})))
    assert [pace_of({1: 1}, both, 5, which).unseen for which in (HAGGLET, SHOP, 9)] == [0.5, 4, 4.5]
    assert pace_of({1: 1}, both, 5, 9).silent == f"{SILENT}; Shop, silent for 3 min"


@pytest.mark.parametrize(
    ("pace", "mean"),
    [
        (SellingPace(0.2, 5), 1.0),
        (SellingPace(0.2, 5, unseen=2.5), 3.5),
        (SellingPace(0, 5, oversold=1), 1.0),
        (SellingPace(-1, 5, unseen=-1), 0),
    ],
)
def test_what_is_sold_meanwhile(pace, mean):
    assert pace.mean == pytest.approx(mean)


def test_what_a_silent_channel_may_have_sold_is_held_back_and_said():
    # as much as if all of it sold within the lag: P(N > 8) <= 0.01 for N ~ Poisson(3)
    pace = SellingPace(0.1, 10, unseen=2, silent="Hagglet, silent for 20 min")
    shown = shown_quantity([StockBalance("w", 20)], StockPolicy(risk=Decimal("0.01")), pace=pace)
    assert hold_back_by_risk(0.1, 30, 0.01) == 8
    assert shown.quantity == 12
    assert shown.why.steps[-2].detail == (
        "8 kept back: 144.0 sold a day, heard of within 600 s, 2 perhaps sold on Hagglet, silent for 20 min, risk 0.01"
    )


@pytest.mark.parametrize(
    ("age", "failing", "before", "minutes"),
    [
        (None, True, 0, 0),  # it was never read
        (50, True, 0, 0),
        (70, True, 0, 2),
        (70, False, 0, 0),  # nobody has tried: no worker ran
        (70, False, 4, 2),  # an update went through, but its orders were not read yet
        (10, False, 15, 0),  # heard again
        (86_400 * 30, True, 20, LONGEST_SILENCE),
    ],
)
def test_when_a_channel_is_silent(age, failing, before, minutes):
    found = silence_of(
        None if age is None else timedelta(seconds=age), failing=failing, before=before
    )
    assert found == minutes


@given(MINUTES, MINUTES)
def test_silence_counts_at_least_what_it_was_and_little_more(one, other):
    less, more = sorted((one, other))
    counted = counted_silence(timedelta(minutes=less))
    assert counted <= counted_silence(timedelta(minutes=more))
    assert counted >= (min(less, LONGEST_SILENCE) if less >= 1 else 0)
    assert counted <= less * 4 / 3 + 2


def test_it_is_worked_out_anew_seldom():
    rungs = {counted_silence(timedelta(minutes=minute)) for minute in range(24 * 60 * 3)}
    assert len(rungs) < 25
