"""What the listings do in the same transaction when a station below them has changed something."""

from relvan.services.changes import Changes
from relvan.services.listings.later import refresh_soon
from relvan.services.listings.quantities import refresh_quantities
from relvan.services.listings.refresh import Occasion, refresh_listings
from relvan.services.workplace import Workplace
from relvan.store.session import Session


def bring_listings_along(session: Session, workplace: Workplace, changes: Changes) -> None:
    """Works out again the listings that changed products, moved stock and changed settings concern,
    each once."""
    products, cause = changes.take_products()
    if products:
        refresh_listings(session, workplace, product_ids=products, occasion=Occasion(cause=cause))
    moved = changes.take_moved()
    if moved.product_ids:
        refresh_quantities(
            session,
            workplace,
            product_ids=moved.product_ids,
            caused_at=moved.caused_at,
            sold=moved.sold,
        )
    for concern in changes.take_concerns():
        refresh_soon(session, workplace, concern)
