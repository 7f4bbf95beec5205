"""Quantities of very many listings of a channel at once, without the whys."""

from collections.abc import Sequence

from relvan.core.stock.availability import StockPolicy
from relvan.core.stock.nearest import NO_NEARER
from relvan.core.stock.whole import shown_quantities
from relvan.services.stock.paces import Paces
from relvan.services.workplace import Workplace
from relvan.store.channels import ChannelSettings
from relvan.store.holdings import Holdings, load_holdings
from relvan.store.policies import nearer_policies, policy_places
from relvan.store.quantities import QuantityRow
from relvan.store.session import Session


def work_out_quantities(
    session: Session,
    workplace: Workplace,
    settings: ChannelSettings,
    rows: Sequence[QuantityRow],
    most: int,
) -> list[tuple[int, int]]:
    """Returns (free, shown) of listings under settings that need not be saved, with a handful of
    queries."""
    products = {row.product_id for row in rows}
    holdings = load_holdings(session, products)
    policies = nearer_policies(
        session, policy_places(session), [row.listing_id for row in rows], products
    )
    nearer = policies.get(settings.channel.id, NO_NEARER)
    paces = Paces(session, workplace, products, holdings.leaves)
    free = [most if row.kind == "service" else _free(holdings, settings, row) for row in rows]
    shown = list(free)
    places: dict[StockPolicy, list[int]] = {}
    for place, row in enumerate(rows):
        if row.kind != "service":
            which = nearer.nearest(
                settings.policy,
                listing=row.listing_id,
                product=row.product_id,
                family=row.family_id,
                category=row.ours,
            )
            places.setdefault(which.policy, []).append(place)
    for policy, alike in places.items():
        wanted = enumerate(alike) if policy.risk is not None else ()
        pace_of_place = {
            number: paces.of(rows[place].product_id, settings.channel.id)
            for number, place in wanted
        }
        numbers = shown_quantities([free[place] for place in alike], policy, most, pace_of_place)
        for place, number in zip(alike, numbers, strict=True):
            shown[place] = number
    return list(zip(free, shown, strict=True))


def _free(holdings: Holdings, settings: ChannelSettings, row: QuantityRow) -> int:
    return sum(held.free for held in holdings.of(row.product_id, settings.supply_list))
