"""What a rehearsed change of products would do to prices on the channels. The totals are kept with
the job; the listings are shown beside its rows."""

from collections.abc import Mapping, Sequence
from typing import Any

from relvan.core.catalogue.identity import sku_key
from relvan.services.jobs.life import find_job
from relvan.services.listings.price_effects import PriceEffect, effects_of, touches_prices
from relvan.services.workplace import Workplace
from relvan.store.facts import codes
from relvan.store.job_rows import VerdictRow, all_changes
from relvan.store.session import Session

CHUNK = 2_000
MOST_SHOWN = 40


def note_price_effects(workplace: Workplace, job_id: int) -> None:
    """Counts what the changes of a job would do to prices and keeps the totals with the job, if
    there are any."""
    sums: dict[str, int] = {}
    after = 0
    with workplace.database.reading() as session:
        while rows := all_changes(session, job_id, after=after, limit=CHUNK):
            after = rows[-1][0]
            figures, _ = effects_of(
                session, workplace, _by_product(session, [(sku, new) for _, sku, new in rows])
            )
            sums = {name: sums.get(name, 0) + number for name, number in figures.as_dict().items()}
            if not any(touches_prices(change) for _, _, change in rows):
                return
    if sums:
        with workplace.database.writing() as session:
            job = find_job(session, job_id)
            job.spec = {**job.spec, "price_effects": sums}


def price_effects_of_rows(
    session: Session, workplace: Workplace, rows: Sequence[VerdictRow]
) -> list[PriceEffect]:
    """Returns what the rows of a job that are shown would do to prices; what needs attention comes
    first."""
    told = [(row.subject, row.change) for row in rows if row.change and touches_prices(row.change)]
    _, effects = effects_of(session, workplace, _by_product(session, told), most=MOST_SHOWN)
    return list(effects)


def _by_product(
    session: Session, told: Sequence[tuple[str, Mapping[str, Any]]]
) -> dict[int, dict[str, object]]:
    """Returns the new facts by product."""
    known = codes(session, [sku for sku, _ in told])
    return {
        known[sku_key(sku)][0]: {name: pair[1] for name, pair in change.items()}
        for sku, change in told
        if sku_key(sku) in known
    }
