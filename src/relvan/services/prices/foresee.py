"""Previews what other settings of a channel would do to all its prices, before they are saved."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from relvan.core.listings.layers import standing_layers
from relvan.core.listings.rulebook import OtherFees
from relvan.core.money import Money
from relvan.core.people.roles import Right
from relvan.core.prices.rates import Rate, check_rate
from relvan.core.prices.whole import Ladder, WholePrice
from relvan.core.refusal import refuse, refuse_if_any
from relvan.services.channels.settings import try_settings
from relvan.services.prices.work_out import PricesOn
from relvan.services.uncollected import uncollected
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import ChannelSettings, channel_settings
from relvan.store.layers import Speakers, load_speakers
from relvan.store.listed import listed_products
from relvan.store.prices import PricedRow, priced_rows, rates_on, sales_holding
from relvan.store.session import Session

CHUNK, SAMPLES = 5_000, 10
TRIED = frozenset({"price_list", "price_steps", "least_margin", "delivery_cost"})


@dataclass(frozen=True)
class PriceSample:
    """One listing with its price now and as it would be, in words, and whether a floor would hold
    it."""

    listing_id: int
    sku: str
    title: str
    state: str
    old: str
    new: str
    floored: bool


@dataclass
class PriceForesight:
    """How many prices there are, and how many would rise, fall, be held by a floor, or be missing;
    with some examples, first of those that change."""

    listings: int = 0
    up: int = 0
    down: int = 0
    floored: int = 0
    none: int = 0
    reasons: dict[str, int] = field(default_factory=dict)
    samples: list[PriceSample] = field(default_factory=list)

    @property
    def changed(self) -> int:
        """How many prices would change."""
        return self.up + self.down + self.none


@dataclass(frozen=True)
class Outside:
    """What the seller cannot set but what may change: what the channel keeps of a sale, and
    conversion rates."""

    fees: OtherFees | None = None
    rates: Sequence[Rate] = ()


NOTHING_ELSE = Outside()


def foresee_prices(
    workplace: Workplace,
    actor: Actor,
    key: str,
    wishes: Mapping[str, Any],
    outside: Outside = NOTHING_ELSE,
) -> PriceForesight:
    """Returns what a change of price list, steps, least margin or delivery would do, or a change of
    fees and rates `outside`. Nothing is changed; it is refused as saving it would be."""
    actor.must(Right.PRICES)
    strange = wishes.keys() - TRIED
    if strange:
        raise refuse("unknown", f"“{min(strange)}” decides no price.", "", min(strange))
    refuse_if_any([refusal for rate in outside.rates for refusal in check_rate(rate)])
    found = PriceForesight()
    stay: list[PriceSample] = []
    with workplace.database.reading() as session:
        settings = try_settings(session, workplace, key, wishes)
        trial = _Trial(session, workplace, settings, outside)
        after = 0
        while rows := priced_rows(
            session, settings.channel.id, settings.price_list.id, after=after, most=CHUNK
        ):
            with uncollected():
                for row, new in zip(rows, trial.prices_of(rows), strict=True):
                    _count_prices(found, stay, row, new, trial.book.currency)
            after = rows[-1].listing_id
    found.samples += stay[: SAMPLES - len(found.samples)]
    return found


def foresee_rate(
    workplace: Workplace, actor: Actor, rate: Rate
) -> list[tuple[str, PriceForesight]]:
    """Returns what a rate would do if it were saved: (name of the channel, preview) for each
    channel that it may concern."""
    actor.must(Right.PRICES)
    refuse_if_any(check_rate(rate))
    with workplace.database.reading() as session:
        own = workplace.firm.currency
        touched = [
            one.channel for one in channel_settings(session).values() if one.looks_at_rates(own)
        ]
    outside = Outside(rates=[rate])
    return [
        (channel.name, foresee_prices(workplace, actor, channel.key, {}, outside))
        for channel in touched
    ]


def _count_prices(
    found: PriceForesight,
    stay: list[PriceSample],
    row: PricedRow,
    new: WholePrice | str,
    currency: str,
) -> None:
    found.listings += 1
    amount, floored = (None, False) if isinstance(new, str) else (new.amount, new.floored)
    found.floored += floored
    if amount is None and row.price is not None:
        assert isinstance(new, str)
        found.none += 1
        found.reasons[new] = found.reasons.get(new, 0) + 1
    elif amount is not None and amount != row.price:
        found.up += amount > (row.price or 0)
        found.down += amount < (row.price or 0)
    samples = stay if amount == row.price else found.samples
    if len(samples) < SAMPLES:
        told = f"none: {new}" if isinstance(new, str) else str(Money(new.amount, new.currency))
        before = "none" if row.price is None else str(Money(row.price, currency))
        samples.append(
            PriceSample(row.listing_id, row.sku, row.title, row.state, before, told, floored)
        )


class _Trial:
    """Prices under settings that are not saved."""

    def __init__(
        self, session: Session, workplace: Workplace, settings: ChannelSettings, outside: Outside
    ) -> None:
        self.session, self.settings = session, settings
        book = workplace.rulebook(settings.channel)
        self.book = (
            book.model_copy(update={"fees": book.fees.but_for(outside.fees)})
            if outside.fees
            else book
        )
        self.now = workplace.now()
        rates = rates_on(session, self.now.date()).but_for(outside.rates)
        own, tax = workplace.firm.currency, workplace.home_tax()
        self.prices = PricesOn(settings, self.book, own=own, rates=rates, tax=tax)
        self.ladders: dict[int, Ladder] = {}
        self.speakers: Speakers = load_speakers(session)
        self.standing = self.speakers.standing.get(settings.channel.id)

    def prices_of(self, rows: Sequence[PricedRow]) -> list[WholePrice | str]:
        """Returns the price of each row, or why it has none."""
        bases, listed_at = self._alias_bases(rows), self.settings.price_list.id
        sales = sales_holding(self.session, {row.product_id for row in rows}, self.now)
        return [
            self.prices.price(
                row,
                bases.get(row.listing_id, row.base),
                category=row.category,
                ladder=self._ladder(row),
                sale=sales.get((listed_at, row.product_id)),
            )
            for row in rows
        ]

    def _ladder(self, row: PricedRow) -> Ladder:
        """Returns the steps of a listing: of its price layer, else of the default layer for its
        category, else the channel's."""
        if row.layer_id is None and not self.standing:
            return self.prices.ladder
        layer_id = row.layer_id
        if layer_id is None:
            layer = standing_layers(self.standing or {}, row.ours).get("price")
        else:
            layer = self.speakers.layers[layer_id]
        if layer is None or layer.steps is None:
            return self.prices.ladder
        found = self.ladders.get(layer.id)
        if found is None:
            found = self.ladders[layer.id] = Ladder(layer.steps)
        return found

    def _alias_bases(self, rows: Sequence[PricedRow]) -> dict[int, int]:
        """Returns the list prices that aliases have of their own."""
        aliased = [row for row in rows if row.alias]
        listed = (
            listed_products(self.session, {row.product_id for row in aliased}) if aliased else {}
        )
        found = {}
        for row in aliased:
            face = listed[row.product_id].faces.get(row.alias.casefold())
            if (
                face is not None
                and (price := face.prices.get(self.settings.price_list.key)) is not None
            ):
                found[row.listing_id] = price
        return found
