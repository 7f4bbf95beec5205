"""Opens a workplace with all its stations. This is the one place that knows which station follows
which."""

from collections.abc import Callable
from datetime import UTC, datetime

from relvan.core.waking import Work
from relvan.services.listings.follow import bring_listings_along
from relvan.services.listings.heard import hear_about_listings
from relvan.services.listings.offers import offers_of
from relvan.services.mail.write import follow_with_mail
from relvan.services.orders.rules import follow_rules
from relvan.services.orders.scarce import serve_waiting_orders
from relvan.services.stations import Stations
from relvan.services.workplace import Workplace
from relvan.settings import Settings
from relvan.store.schema import bring_up_to_date

# Orders that waited are served first, since that moves stock once more, then the rules of the desk
# run, which may reserve and release; then mails are written of what happened, and listings show what is
# left.
STATIONS = Stations(
    followers=(serve_waiting_orders, follow_rules, follow_with_mail, bring_listings_along),
    contents=offers_of,
    hear=hear_about_listings,
)


def open_workplace(
    settings: Settings,
    *,
    clock: Callable[[], datetime] = lambda: datetime.now(UTC),
    wake: Callable[[Work, int], None] = lambda _work, _which: None,
) -> Workplace:
    """Returns a seller's workplace with its database, files and gateways, and with all stations
    registered."""
    return Workplace(settings, STATIONS, clock=clock, wake=wake)


def open_current_workplace(settings: Settings) -> Workplace:
    """Returns a workplace as `open_workplace` does, with its database brought up to date."""
    found = open_workplace(settings)
    bring_up_to_date(found.database)
    return found
