"""Gathers what the paper of an estimate says."""

from relvan.core.orders.draft import read_draft
from relvan.documents.estimate import EstimateLine, EstimatePaper
from relvan.services.workplace import Workplace
from relvan.store.customers import estimate_by_number


def estimate_paper(workplace: Workplace, number: str) -> EstimatePaper:
    """Returns an estimate as it was made."""
    with workplace.database.reading() as session:
        row = estimate_by_number(session, number)
    firm, draft = workplace.firm, read_draft(row.draft)
    lines = [
        EstimateLine(
            line.sku, line.title or line.sku, line.quantity, line.unit_price or 0, line.discount
        )
        for line in draft.lines
    ]
    return EstimatePaper(
        number=row.number,
        made_on=row.made_at.date().isoformat(),
        last_day=row.last_day,
        currency=row.currency,
        seller={**firm.address.as_dict(), "name": firm.name, "vat_number": firm.vat_number},
        buyer=draft.ship_to.as_dict(),
        lines=lines,
        delivery=draft.delivery,
        total=row.total,
        with_tax=draft.prices_with_tax,
        link=f"{workplace.settings.base_url.rstrip('/')}/e/{row.secret}",
    )
