"""Tests how long stock lasts."""

from datetime import UTC, date, datetime

import pytest

from relvan.core.stock.outlook import outlook


@pytest.mark.parametrize(
    ("free", "a_day", "days"),
    [(10, 2.0, 5), (0, 2.0, 0), (1, 2.0, 0), (10, 0.0, None), (10, 0.0001, None)],
)
def test_how_long_stock_lasts(free, a_day, days):
    found = outlook(free, a_day / 1440)
    assert found.days_left == days
    on = date(2026, 11, 24 + (days or 0)) if days is not None else None
    assert found.runs_out_on(datetime(2026, 11, 24, 9, tzinfo=UTC)) == on
