"""What other list prices, costs or floors of products would make of the prices of their listings,
before they are saved. It uses the same steps and bounds as the listings themselves."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from relvan.core.catalogue.keyed import Keyed
from relvan.core.prices.steps import NoPrice, Price
from relvan.services.listings.ground import Ground, WorkedOut, load_channels, load_ground, work_out
from relvan.services.workplace import Workplace
from relvan.store.facts import variant_ids
from relvan.store.imports import price_list_ids
from relvan.store.listings import listings_of
from relvan.store.prices import own_list_prices
from relvan.store.session import Session
from relvan.store.tables import Listing

CHUNK = 400
BOUNDS = ("cost", "floor", "advertised_minimum", "ceiling")
NewFacts = Mapping[str, object]


@dataclass(frozen=True)
class PriceEffect:
    """One listing whose price or margin changes: prices in minor units of the channel's currency
    (None when there is none), margins in thousandths of the price without tax, and whether a floor
    holds the new price."""

    listing_id: int
    sku: str
    channel: str
    currency: str
    old: int | None
    new: int | None
    floored: bool
    old_margin: int | None
    new_margin: int | None
    reason: str = ""

    @property
    def turns_into_loss(self) -> bool:
        """Says whether it would be sold at a loss and was not before."""
        return (self.new_margin or 0) < 0 <= (self.old_margin or 0)


@dataclass
class PriceEffects:
    """How many listings would change their price, be held by a floor, turn into a loss, or lose
    their price."""

    changed: int = 0
    floored: int = 0
    losses: int = 0
    gone: int = 0

    def count(self, effect: PriceEffect) -> None:
        """Takes one listing into account."""
        self.changed += effect.old != effect.new
        self.floored += effect.floored
        self.losses += effect.turns_into_loss
        self.gone += effect.new is None and effect.old is not None

    def as_dict(self) -> dict[str, int]:
        """Returns the totals as plain data."""
        return {
            "changed": self.changed,
            "floored": self.floored,
            "losses": self.losses,
            "gone": self.gone,
        }


def touches_prices(facts: Mapping[str, object]) -> bool:
    """Says whether a change of facts may change prices of listings or their margins."""
    return any(name in BOUNDS or Keyed.PRICE.has(name) for name in facts)


def price_effects(
    session: Session, workplace: Workplace, changes: Mapping[int, NewFacts]
) -> Iterator[PriceEffect]:
    """Returns what new facts of products (by id) would do to the prices of their listings, and to
    those of variants that inherit from their family. Only listings to which something happens are
    returned."""
    wanted = {product_id: facts for product_id, facts in changes.items() if touches_prices(facts)}
    lent = _lent(session, wanted)
    ids = sorted({*wanted, *lent})
    channels = load_channels(session, workplace)
    for start in range(0, len(ids), CHUNK):
        chunk = ids[start : start + CHUNK]
        listings = [one for one in listings_of(session, product_ids=chunk) if not one.is_head]
        before = load_ground(session, listings, channels)
        after = _with_facts(
            session, before, {one: {**lent.get(one, {}), **wanted.get(one, {})} for one in chunk}
        )
        for listing in listings:
            effect = _effect(listing, before, after, workplace)
            if effect is not None:
                yield effect


def _lent(session: Session, wanted: Mapping[int, NewFacts]) -> dict[int, dict[str, object]]:
    """Returns the new list prices of families for the variants without prices of their own."""
    lists = price_list_ids(session)
    found: dict[int, dict[str, object]] = {}
    for family_id, facts in wanted.items():
        prices = {name: value for name, value in facts.items() if Keyed.PRICE.has(name)}
        variants = variant_ids(session, [family_id]) if prices else []
        own = own_list_prices(session, variants)
        for variant in variants:
            taken = {
                name: value
                for name, value in prices.items()
                if (lists.get(Keyed.PRICE.key(name)), variant) not in own
            }
            if taken:
                found[variant] = taken
    return found


def _with_facts(session: Session, ground: Ground, changes: Mapping[int, NewFacts]) -> Ground:
    """Returns the same with other facts of products."""
    lists = price_list_ids(session)
    prices, products = dict(ground.prices), dict(ground.products)
    for product_id, facts in changes.items():
        for name, value in facts.items():
            if not Keyed.PRICE.has(name):
                continue
            place = (lists.get(Keyed.PRICE.key(name), 0), product_id)
            if value is None:
                prices.pop(place, None)
            else:
                prices[place] = int(str(value))
        bounds = {name: facts[name] for name in BOUNDS if name in facts}
        if product_id in products and bounds:
            products[product_id] = replace(products[product_id], **bounds)  # type: ignore[arg-type]
    return replace(ground, prices=prices, products=products)


def _effect(
    listing: Listing, before: Ground, after: Ground, workplace: Workplace
) -> PriceEffect | None:
    old, new = work_out(listing, before, workplace), work_out(listing, after, workplace)
    prices = _amount_of(old), _amount_of(new)
    if prices[0] == prices[1] and old.margin == new.margin:
        return None
    settings = before.channels.settings[listing.channel_id]
    sku = listing.alias or before.products[listing.product_id].product.sku
    return PriceEffect(
        listing.id,
        sku,
        settings.channel.name,
        settings.channel.currency,
        *prices,
        floored=isinstance(new.found, Price) and new.found.floored,
        old_margin=old.margin,
        new_margin=new.margin,
        reason=new.found.reason if isinstance(new.found, NoPrice) else "",
    )


def _amount_of(found: WorkedOut) -> int | None:
    return found.price.money.amount if found.price else None


def effects_of(
    session: Session, workplace: Workplace, changes: Mapping[int, NewFacts], *, most: int = 0
) -> tuple[PriceEffects, Sequence[PriceEffect]]:
    """Returns the totals of all effects, and the first `most` of the listings: those that turn into
    a loss first, then those that a floor holds."""
    figures, kept = PriceEffects(), list[PriceEffect]()
    for effect in price_effects(session, workplace, changes):
        figures.count(effect)
        kept.append(effect)
        if most and len(kept) > 20 * most:
            kept = _first(kept)[:most]
    return figures, _first(kept)[:most]


def _first(effects: Sequence[PriceEffect]) -> list[PriceEffect]:
    return sorted(
        effects, key=lambda one: (not one.turns_into_loss, not one.floored, one.listing_id)
    )
