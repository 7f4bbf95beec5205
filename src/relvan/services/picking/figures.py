"""Gathers the figures of the dispatch over 28 days."""

from dataclasses import dataclass
from datetime import timedelta

from relvan.core.picking.figures import DAYS, CarriageFigures, PickerFigures, figures_of_pickers
from relvan.services.workplace import Workplace
from relvan.store.figures import carriage_since, rounds_since, wrong_scans_since


@dataclass(frozen=True)
class DispatchFigures:
    """The figures of pickers and of carriers over the last 28 days."""

    pickers: tuple[PickerFigures, ...]
    carriage: tuple[CarriageFigures, ...]


def dispatch_figures(workplace: Workplace) -> DispatchFigures:
    """Returns how fast and surely was picked, and what carriage cost."""
    since = workplace.now() - timedelta(days=DAYS)
    with workplace.database.reading() as session:
        rounds = rounds_since(session, since)
        wrong = wrong_scans_since(session, since)
        carriage = carriage_since(session, since)
    return DispatchFigures(tuple(figures_of_pickers(rounds, wrong)), tuple(carriage))
