"""Previews what another stock rule or supply list of a channel would do to all quantities there,
before it is saved."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.services.channels.settings import try_settings
from relvan.services.stock.whole import work_out_quantities
from relvan.services.uncollected import uncollected
from relvan.services.workplace import Actor, Workplace
from relvan.store.quantities import QuantityRow, quantity_rows

CHUNK, SAMPLES = 2_000, 10
TRIED = frozenset({"stock_policy", "supply_list"})


@dataclass(frozen=True)
class QuantitySample:
    """One listing with what is free for it, what it shows now and what it would show."""

    listing_id: int
    sku: str
    title: str
    state: str
    free: int
    old: int
    new: int


@dataclass
class QuantityForesight:
    """How many listings there are, and how many would show more, fewer, or none any more; with ten
    examples, first of those that change."""

    listings: int = 0
    up: int = 0
    down: int = 0
    to_zero: int = 0
    samples: list[QuantitySample] = field(default_factory=list)

    @property
    def changed(self) -> int:
        """How many listings would show another quantity."""
        return self.up + self.down


def foresee_quantities(
    workplace: Workplace, actor: Actor, key: str, wishes: Mapping[str, Any]
) -> QuantityForesight:
    """Returns what a change of stock rule or supply list would do. Nothing is changed; it is
    refused as saving it would be."""
    actor.must(Right.SETUP)
    strange = wishes.keys() - TRIED
    if strange:
        raise refuse("unknown", f"“{min(strange)}” decides no quantity.", "", min(strange))
    found = QuantityForesight()
    stay: list[QuantitySample] = []
    with workplace.database.reading() as session:
        settings = try_settings(session, workplace, key, wishes)
        most = workplace.rulebook(settings.channel).most_units
        after = 0
        while rows := quantity_rows(session, settings.channel.id, after=after, most=CHUNK):
            with uncollected():
                for row, (free, new) in zip(
                    rows, work_out_quantities(session, workplace, settings, rows, most), strict=True
                ):
                    _count_quantities(found, stay, row, free, new)
            after = rows[-1].listing_id
    found.samples += stay[: SAMPLES - len(found.samples)]
    return found


def _count_quantities(
    found: QuantityForesight, stay: list[QuantitySample], row: QuantityRow, free: int, new: int
) -> None:
    found.listings += 1
    found.up += new > row.quantity
    found.down += new < row.quantity
    found.to_zero += new == 0 < row.quantity
    samples = stay if new == row.quantity else found.samples
    if len(samples) < SAMPLES:
        samples.append(
            QuantitySample(row.listing_id, row.sku, row.title, row.state, free, row.quantity, new)
        )
