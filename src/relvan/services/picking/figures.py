"""Gathers the figures of the dispatch over 28 days."""

from dataclasses import dataclass
from datetime import timedelta

from relvan.core.picking.figures import (
    DAYS,
    CarriageFigures,
    CartonFigures,
    PickerFigures,
    figures_of_pickers,
)
from relvan.services.workplace import Workplace
from relvan.store.figures import carriage_since, fill_since, rounds_since, wrong_scans_since


@dataclass(frozen=True)
class DispatchFigures:
    """The figures of pickers, carriers and cartons over the last 28 days."""

    pickers: tuple[PickerFigures, ...]
    carriage: tuple[CarriageFigures, ...]
    cartons: tuple[CartonFigures, ...]


def dispatch_figures(workplace: Workplace) -> DispatchFigures:
    """Returns how fast and surely was picked, what carriage cost, and how full cartons are."""
    since = workplace.now() - timedelta(days=DAYS)
    with workplace.database.reading() as session:
        rounds = rounds_since(session, since)
        wrong = wrong_scans_since(session, since)
        carriage = carriage_since(session, since)
        cartons = fill_since(session, since)
    pickers = figures_of_pickers(rounds, wrong)
    return DispatchFigures(tuple(pickers), tuple(carriage), tuple(cartons))
