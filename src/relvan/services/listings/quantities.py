"""Works out quantities again after stock has moved. Nothing else of a listing depends on stock,
except the gap of a listing that has none. This is the quick form of `refresh_listings`, for sales,
counts and dispatches."""

from collections.abc import Collection, Sequence
from datetime import datetime

from relvan.core.catalogue.product import ProductKind
from relvan.core.stock.availability import Shown, shown_quantity
from relvan.core.stock.nearest import NO_NEARER, NearerPolicies, Nearest
from relvan.core.stock.pace import NO_PACE
from relvan.core.webhooks.announcing import Matter
from relvan.services.changes import Sold
from relvan.services.listings.refresh import (
    Occasion,
    news,
    refresh_listings,
    settle_state,
    told_shown,
)
from relvan.services.outbox.tell import Telling, pending_of, tell
from relvan.services.stock.paces import Paces
from relvan.services.webhooks.announce import announce
from relvan.services.workplace import Workplace
from relvan.store.channels import StockSettings, stock_settings
from relvan.store.holdings import load_holdings
from relvan.store.in_step import (
    ListingInStep,
    in_step_by_id,
    in_step_of_products,
    save_in_step,
    save_quantities,
)
from relvan.store.kits import kits_above
from relvan.store.policies import nearer_policies, places_of_products, policy_places
from relvan.store.session import Session
from relvan.store.webhooks import listening

MOST = 400  # of more the whole way is taken, chunk by chunk


def refresh_quantities(
    session: Session,
    workplace: Workplace,
    *,
    product_ids: Collection[int],
    caused_at: datetime | None = None,
    sold: Sold = frozenset(),
) -> None:
    """Brings along what listings show of products whose stock has moved, and of the kits that
    contain them."""
    session.flush()
    if listening(session, Matter.STOCK):
        touched = {*product_ids, *kits_above(session, product_ids)}
        announce(session, workplace, Matter.STOCK, touched)
    listings = in_step_of_products(session, product_ids)
    if len(listings) > MOST:
        refresh_listings(
            session,
            workplace,
            product_ids=product_ids,
            occasion=Occasion(caused_at=caused_at, sold=sold),
        )
        return
    _bring_along(session, workplace, listings, Occasion(caused_at, sold))


def rework_quantities(session: Session, workplace: Workplace, listing_ids: Collection[int]) -> None:
    """Brings along what listings show though no stock has moved, because their buffer has changed."""
    session.flush()
    _bring_along(session, workplace, in_step_by_id(session, listing_ids), Occasion(precaution=True))


def _bring_along(
    session: Session, workplace: Workplace, listings: Sequence[ListingInStep], occasion: Occasion
) -> None:
    if not listings:
        return
    pending = pending_of(session, [listing.id for listing in listings if listing.placed])
    tellings: list[Telling] = []
    changed: list[ListingInStep] = []
    of_same_state: list[ListingInStep] = []
    turned: list[int] = []
    for listing, shown in _work_out(session, workplace, listings):
        if (shown.quantity == 0) != (listing.quantity == 0):  # the gap “none to sell” comes or goes
            turned.append(listing.id)
            continue
        if shown.quantity != listing.quantity or shown.paused != listing.paused:
            if shown.paused != listing.paused:
                tellings += told_shown(listing, paused=shown.paused)
            before = (listing.paused, listing.state, listing.outdated)
            listing.quantity, listing.paused = shown.quantity, shown.paused
            settle_state(listing)
            same = before == (listing.paused, listing.state, listing.outdated)
            (of_same_state if same else changed).append(listing)
        tellings += news(listing, pending.under_way, occasion)
    save_in_step(session, changed)
    save_quantities(session, of_same_state)
    tell(session, workplace, tellings, pending)
    if turned:
        refresh_listings(
            session,
            workplace,
            listing_ids=turned,
            occasion=Occasion(
                caused_at=occasion.caused_at, sold=occasion.sold, precaution=occasion.precaution
            ),
        )


def _work_out(
    session: Session, workplace: Workplace, listings: Sequence[ListingInStep]
) -> list[tuple[ListingInStep, Shown]]:
    kinds = {one.product_id: (one.kind, one.parts_apart) for one in listings}
    products = kinds.keys()
    settings, places, holdings = (
        stock_settings(session),
        policy_places(session),
        load_holdings(session, products, listed=True, kinds=kinds),
    )
    nearer = nearer_policies(session, places, [listing.id for listing in listings], products)
    stands = places_of_products(session, products) if nearer else {}
    paces = Paces(session, workplace, products, holdings.leaves)
    found = []
    for listing in listings:
        own = settings[listing.channel_id]
        most = workplace.rulebooks.of(own.rulebook).most_units
        if listing.kind == ProductKind.SERVICE:
            continue
        which = _nearest(listing, own, nearer.get(listing.channel_id, NO_NEARER), stands)
        pace = (
            paces.of(listing.product_id, listing.channel_id)
            if which.policy.risk is not None
            else NO_PACE
        )
        held = holdings.of(listing.product_id, own.supply_list)
        found.append((listing, shown_quantity(held, which.policy, most, pace, whose=which.whose)))
    return found


def _nearest(
    listing: ListingInStep,
    own: StockSettings,
    nearer: NearerPolicies,
    stands: dict[int, tuple[int | None, str]],
) -> Nearest:
    family, category = stands.get(listing.product_id, (None, ""))
    return nearer.nearest(
        own.policy, listing=listing.id, product=listing.product_id, family=family, category=category
    )
