"""Tests how many rows a list has, and figures over all rows."""

import pytest

from relvan.store import counting
from relvan.store.counting import Count, count_with_page, remembered
from relvan.store.tables import Product
from tests.steps.bare_rows import add


@pytest.mark.parametrize(
    ("rows", "after", "found", "asked"),
    [
        (0, "", 0, False),
        (3, "", 3, False),
        (5, "", 5, False),  # the page is full, and nothing follows
        (6, "", 70, True),  # one more was read than the page shows
        (3, "PT-14", 70, True),  # a later page says nothing of those before it
        (0, "PT-14", 70, True),
    ],
)
def test_a_list_that_its_first_page_shows_whole_is_not_counted_again(rows, after, found, asked):
    calls = []

    def count():
        calls.append(1)
        return Count(70)

    assert count_with_page(["row"] * rows, 5, after, count) == Count(found)
    assert bool(calls) is asked


@pytest.mark.parametrize(("many", "second"), [(2, 1), (3, 2)])
def test_figures_are_remembered_only_where_there_are_very_many_rows(
    session, monkeypatch, many, second
):
    add(session, "PT-14", "PT-18", "PT-22")
    monkeypatch.setattr(counting, "MANY", many)
    figures = iter((1, 2))
    assert remembered(session, Product, "figure", lambda: next(figures)) == 1
    assert remembered(session, Product, "figure", lambda: next(figures)) == second


def test_a_remembered_figure_is_worked_out_again_after_its_time(session, monkeypatch):
    add(session, "PT-14", "PT-18")
    monkeypatch.setattr(counting, "MANY", 1)
    moments = iter((100.0, 105.0, 111.0))
    monkeypatch.setattr(counting.time, "monotonic", lambda: next(moments))
    figures = iter((1, 2))
    found = [remembered(session, Product, "timed", lambda: next(figures)) for _ in range(3)]
    assert found == [1, 1, 2]
