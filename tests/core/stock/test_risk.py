"""Hold-back by risk against the Poisson distribution as it is written."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.stock.risk import check_risk, hold_back_by_risk


def more_than(held, mean):
    """Returns P(N > held), summed from the small end of what is left, so that nothing small is
    lost."""
    terms = [
        math.exp(k * math.log(mean) - mean - math.lgamma(k + 1))
        for k in range(held + 1, held + 400)
    ]
    return math.fsum(reversed(terms))


EXAMPLES = [
    (0.02, 5, 0.001, 2),
    (0.2, 5, 0.001, 5),
    (1.5, 2, 0.01, 8),
    (0, 5, 0.001, 0),
    (2, 0, 0.001, 0),
    (-1, 5, 0.01, 0),
    (0.001, 1, 0.5, 0),
]


@pytest.mark.parametrize(("sold", "lag", "risk", "held"), EXAMPLES)
def test_the_worked_examples(sold, lag, risk, held):
    assert hold_back_by_risk(sold, lag, risk) == held


@given(st.floats(0.001, 60), st.floats(0.01, 3), st.sampled_from((0.2, 0.05, 0.01, 0.001, 0.0001)))
def test_it_is_the_smallest_number_that_keeps_the_risk(sold, lag, risk):
    held = hold_back_by_risk(sold, lag, risk)
    assert more_than(held, sold * lag) <= risk * (1 + 1e-6)
    for fewer in range(max(0, held - 1), held):
        assert more_than(fewer, sold * lag) > risk * (1 - 1e-6)


@given(st.floats(0, 50), st.floats(0, 50), st.floats(0, 10), st.floats(0.001, 0.4))
def test_more_sales_longer_lag_or_less_risk_never_hold_back_less(sold, more, lag, risk):
    held = hold_back_by_risk(sold, lag, risk)
    assert hold_back_by_risk(sold + more, lag, risk) >= held
    assert hold_back_by_risk(sold, lag + more, risk) >= held
    assert hold_back_by_risk(sold, lag, risk / 2) >= held


@pytest.mark.parametrize("mean", [1e4, 1e5, 1e9])
def test_a_pool_that_sells_without_end_is_still_answered(mean):
    assert min(mean, 1e5) < hold_back_by_risk(mean, 1, 0.001) < min(mean, 1e5) * 1.1


@pytest.mark.parametrize(
    ("risk", "fine"), [(0.001, True), (0.5, True), (0, False), (0.9, False), (-1, False)]
)
def test_a_risk_that_nobody_means_is_refused(risk, fine):
    assert (check_risk(risk) == []) is fine
