"""Tests the figures of the dispatch."""

from relvan.core.picking.figures import CarriageFigures, RoundFacts, figures_of_pickers


def test_lines_an_hour_are_those_of_all_rounds_of_a_person():
    rounds = [
        RoundFacts("Noor", 30, 1, 1_800),
        RoundFacts("Noor", 10, 0, 1_800),
        RoundFacts("Piet", 1, 0, 0),
    ]
    noor, piet, ada = figures_of_pickers(rounds, {"Noor": 2, "Ada": 1})
    assert (noor.rounds, noor.lines, noor.an_hour, noor.short, noor.wrong) == (2, 40, 40.0, 1, 2)
    assert (piet.an_hour, piet.wrong) == (60.0, 0)
    assert (ada.person, ada.lines, ada.an_hour, ada.wrong) == ("Ada", 0, 0.0, 1)


def test_what_is_left_of_what_customers_paid_may_be_less_than_nothing():
    figures = CarriageFigures("Ostrel Post", 4, 5, 2_400, 1_960, "EUR")
    assert (figures.an_order, figures.left) == (600, -440)
    assert CarriageFigures("Ostrel Post", 0, 0, 0, 0, "EUR").an_order == 0
