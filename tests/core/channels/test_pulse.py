"""Tests the pulse of a channel: six hours in bars of ten minutes."""

from datetime import UTC, datetime, timedelta

import pytest

from relvan.core.channels.pulse import BARS, percentile, pulse


def test_the_pulse_holds_six_hours_in_bars_of_ten_minutes():
    now = datetime(2026, 11, 24, 12, tzinfo=UTC)
    samples = [
        (now - timedelta(minutes=minutes), seconds)
        for minutes, seconds in ((1, 2.0), (2, 8.0), (11, 1.0), (999, 9))
    ]
    beats = pulse(samples, now)
    assert len(beats) == BARS
    assert [(beat.count, beat.half, beat.most) for beat in beats[-2:]] == [
        (1, 1.0, 1.0),
        (2, 2.0, 8.0),
    ]
    assert sum(beat.count for beat in beats) == 3
    assert [beat.height for beat in beats[:3]] == [0, 0, 0]
    assert 0 < beats[-2].height < beats[-1].height < 1


@pytest.mark.parametrize(
    ("values", "share", "found"), [([1], 0.95, 1), (range(1, 101), 0.95, 95), ([3, 9], 0.99, 9)]
)
def test_percentiles(values, share, found):
    assert percentile(list(values), share) == found
