"""Tests the history of prices as lines of a chart."""

from datetime import UTC, datetime, timedelta

from relvan.core.prices.history import HIGH, WIDE, price_chart

NOON = datetime(2026, 11, 24, 12, tzinfo=UTC)


def test_lines_step_where_another_price_was_accepted():
    hours = [
        (NOON - timedelta(hours=ago), amount) for ago, amount in ((10, 1000), (5, 2000), (0, 1500))
    ]
    chart = price_chart({"Hagglet": hours, "Own shop": hours[:1], "None": []}, NOON)
    assert (chart.lowest, chart.highest, chart.since) == (1000, 2000, NOON - timedelta(hours=10))
    hagglet, own = chart.lines
    assert hagglet.path == "M0.0 200.0H500.0V0.0H1000.0V100.0H1000.0V100.0"
    assert (own.points, own.last) == (((0.0, HIGH), (WIDE, HIGH)), 1000)
    assert price_chart({"None": []}, NOON) is None
