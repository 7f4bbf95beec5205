"""Quantities of very many listings of a channel at once, without the whys."""

from collections.abc import Sequence

from relvan.core.stock.availability import StockPolicy
from relvan.core.stock.nearest import NO_NEARER
from relvan.core.stock.whole import free_of_kits, free_over_all, shown_quantities
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
    free_of = free_by_product(holdings, settings.supply_list)
    free = [most if row.kind == "service" else free_of.get(row.product_id, 0) for row in rows]
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


def free_by_product(holdings: Holdings, supply_list: Sequence[int]) -> dict[int, int]:
    """Returns what is free of every product over the warehouses of a supply list, and of kits what
    can be made there, worked out by warehouse and not product by product."""
    stocked = list(holdings.balances)
    places = {product_id: place for place, product_id in enumerate(stocked)}
    nowhere = len(stocked)  # the place of what no warehouse has
    columns = [
        [
            held[where].free if where in held else 0
            for held in map(holdings.balances.__getitem__, stocked)
        ]
        + [0]
        for where in supply_list
    ] or [[0] * (nowhere + 1)]
    over_all = free_over_all(columns)
    found = dict(zip(stocked, over_all, strict=False))
    for apart, free in ((False, columns), (True, [over_all])):
        kits = [kit for kit, units in holdings.leaves.items() if holdings.apart[kit] == apart]
        parts = [
            [(places.get(part, nowhere), units) for part, units in holdings.leaves[kit].items()]
            for kit in kits
        ]
        found |= dict(zip(kits, free_over_all(free_of_kits(parts, free)), strict=True))
    return found
