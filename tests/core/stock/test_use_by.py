"""What GS1 codes say of goods that expire, and which date a bin goes by."""

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.stock.use_by import check_use_by, earliest, read_gs1

TODAY = date(2026, 11, 30)
GTIN = "04006381333931"


@pytest.mark.parametrize(
    ("code", "use_by"),
    [
        (f"01{GTIN}", None),
        (f"]C101{GTIN}17270331", date(2027, 3, 31)),
        (f"01{GTIN}15270331", date(2027, 3, 31)),
        (f"01{GTIN}1527033117270401", date(2027, 4, 1)),  # use by comes before best before
        (f"01{GTIN}10LOT7\x1d17270331", date(2027, 3, 31)),
        (f"01{GTIN}10LOT7", None),
        (f"01{GTIN}17280200", date(2028, 2, 29)),  # no day: the end of the month
        (f"01{GTIN}17271331", None),
        (f"01{GTIN}17991231", date(1999, 12, 31)),
        (f"(01){GTIN}(17)270331(10)A", date(2027, 3, 31)),
    ],
)
def test_a_gs1_code_says_the_number_and_the_day(code, use_by):
    found = read_gs1(code, TODAY)
    assert (found.gtin, found.use_by) == (GTIN, use_by)


@pytest.mark.parametrize("code", ["", "PT-14", GTIN, "01123", "(17)270331", "]C110LOT", "(01"])
def test_other_codes_are_none(code):
    assert read_gs1(code, TODAY) is None


@given(st.text(max_size=60))
def test_no_code_breaks_the_reading(code):
    found = read_gs1(f"01{GTIN}{code}", TODAY)
    assert found is not None
    assert found.gtin == GTIN


@given(st.dates(date(2000, 1, 1), date(2070, 1, 1)), st.dates(date(2000, 1, 1), date(2070, 1, 1)))
def test_a_bin_goes_by_the_earlier_day(there, comes):
    told = earliest(there.isoformat(), 3, comes.isoformat())
    assert told == min(there, comes).isoformat()
    assert earliest(there.isoformat(), 0, comes.isoformat()) == comes.isoformat()


def test_a_day_that_is_none_is_refused():
    assert check_use_by("") == check_use_by("2027-03-31") == []
    assert check_use_by("2027-02-30")[0].field == "use_by"
    assert check_use_by("soon")[0].field == "use_by"
