"""What a change of layers would do to listings, before it is made: which listings and fields
change, with old and new values."""

from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from relvan.core.listings.cascade import (
    FieldValue,
    ListedProduct,
    Voice,
    category_of,
    resolve_field,
    told_value,
)
from relvan.core.listings.layers import (
    Layer,
    Layers,
    check_layer,
    layer_from,
    layers_of,
    standing_layers,
)
from relvan.core.listings.rulebook import FieldRule, Rulebook
from relvan.core.prices.steps import NoPrice, Price, PriceStep
from relvan.core.refusal import refuse_if_any
from relvan.services.listings.ground import base_price
from relvan.services.prices.work_out import PriceGround, price_on
from relvan.services.workplace import Workplace
from relvan.store.channels import channel_settings
from relvan.store.layers import (
    Speakers,
    chosen_layers,
    layer_by_id,
    listings_on,
    listings_with_layer,
    load_speakers,
)
from relvan.store.listed import Listed, listed_products
from relvan.store.listings import ImpactRow, impact_rows, list_prices
from relvan.store.prices import rates_on, sales_holding
from relvan.store.session import Session
from relvan.store.tables import Channel

CHUNK = 2_000
SAMPLES = 12
NOBODY = ListedProduct("", "")


@dataclass(frozen=True)
class Sample:
    """One field of one listing with its old and its new value."""

    listing_id: int
    sku: str
    state: str
    field: str
    old: str
    new: str


@dataclass
class Impact:
    """What a change would do: how many listings use the layer, how many would say something else,
    how many of these are live and would be outdated; how many by field; and a few examples."""

    listings: int = 0
    changed: int = 0
    outdated: int = 0
    fields: Counter[str] = field(default_factory=Counter)
    samples: list[Sample] = field(default_factory=list)
    prices: bool = False


def impact_of_layer(
    workplace: Workplace,
    layer_id: int,
    values: Mapping[str, Any],
    *,
    standing_for: str | None | bool = False,
) -> Impact:
    """Returns what would happen if a layer had these values. Values that it cannot have are
    refused."""
    with workplace.database.reading() as session:
        row = layer_by_id(session, layer_id)
        channel = session.get_one(Channel, row.channel_id)
        book = workplace.rulebook(channel)
        said = {name: value for name, value in values.items() if value not in ("", None, [])}
        refuse_if_any(check_layer(book, row.topic, row.name, said))
        speakers = load_speakers(session)
        before = speakers.layers[layer_id]
        stands = before.standing_for if isinstance(standing_for, bool) else standing_for
        after = layer_from(layer_id, before.topic, before.name, said, stands)
        wide = before.standing_for is not None or stands is not None
        ids = listings_on(session, channel.id) if wide else listings_with_layer(session, layer_id)
        changing = {
            name
            for name in {*before.values, *after.values}
            if before.values.get(name) != after.values.get(name)
        }
        if stands != before.standing_for:
            changing = {*before.values, *after.values}
        new = replace(
            speakers,
            layers={**speakers.layers, layer_id: after},
            standing={**speakers.standing, channel.id: _standing(speakers, channel.id, after)},
        )
        found = _compare(
            session, ids, _Ground(book, _ruled(book, changing), speakers, new, {}, {}, {}, {})
        )
        if before.steps != after.steps or (
            before.steps is not None and stands != before.standing_for
        ):
            _compare_prices(
                session, workplace, ids, found, _Ground(book, (), speakers, new, {}, {}, {}, {})
            )
        return found


def impact_of_use(
    workplace: Workplace, listing_ids: Sequence[int], layers: Mapping[str, int | None]
) -> Impact:
    """Returns what would happen if listings of one channel were given these layers."""
    with workplace.database.reading() as session:
        speakers = load_speakers(session)
        rows = impact_rows(session, listing_ids[:1])
        if not rows:
            return Impact()
        book = workplace.rulebook(session.get_one(Channel, rows[0].channel_id))
        topics = set(layers)
        changing = {rule.name for rule in book.fields if rule.layer in topics}
        given = dict.fromkeys(listing_ids, layers)
        ground = _Ground(book, _ruled(book, changing), speakers, speakers, {}, {}, given, {})
        found = _compare(session, listing_ids, ground)
        if "price" in topics:
            ground = _Ground(book, (), speakers, speakers, {}, {}, given, {})
            _compare_prices(session, workplace, listing_ids, found, ground)
        return found


def _standing(speakers: Speakers, channel_id: int, after: Layer) -> list[Layer]:
    others = [layer for layer in speakers.standing.get(channel_id, ()) if layer.id != after.id]
    return [*others, after] if after.standing_for is not None else others


Given = Mapping[int, Mapping[str, int | None]]


def _ruled(book: Rulebook, changing: Collection[str]) -> list[FieldRule]:
    return [rule for rule in book.fields if rule.name in changing]


def _compare(session: Session, listing_ids: Sequence[int], of_all: "_Ground") -> Impact:
    """Compares chunk by chunk; `of_all` is what all chunks share."""
    impact = Impact(listings=len(listing_ids))
    for start in range(0, len(listing_ids), CHUNK):
        chunk = listing_ids[start : start + CHUNK]
        rows, chosen = impact_rows(session, chunk), chosen_layers(session, chunk)
        ground = replace(of_all, chosen=chosen, products={})
        if ground.wants_products():
            listed = listed_products(session, {row.product_id for row in rows})
            ground.products.update(listed)
        for row in rows:
            changes = list(ground.changes(row))
            if not changes:
                continue
            impact.changed += 1
            impact.outdated += row.placed
            impact.fields.update(rule.label for rule, _, _ in changes)
            if len(impact.samples) < SAMPLES:
                impact.samples += [
                    Sample(
                        row.id,
                        row.sku,
                        row.state,
                        rule.label,
                        told_value(rule, old.value),
                        _value_shown(rule, new),
                    )
                    for rule, old, new in changes[:3]
                ]
    return impact


def _compare_prices(
    session: Session,
    workplace: Workplace,
    listing_ids: Sequence[int],
    impact: Impact,
    ground: "_Ground",
) -> None:
    """Adds the listings whose price would change, with old and new."""
    impact.prices = True
    settings = channel_settings(session)
    own, rates = workplace.firm.currency, rates_on(session, workplace.now().date())
    tax = workplace.home_tax()
    for start in range(0, len(listing_ids), CHUNK):
        chunk = listing_ids[start : start + CHUNK]
        rows = [row for row in impact_rows(session, chunk) if row.part != "head"]
        products = {row.product_id for row in rows}
        listed, bases = listed_products(session, products), list_prices(session, products)
        sales = sales_holding(session, products, workplace.now())
        here = replace(ground, chosen=chosen_layers(session, chunk))
        for row in rows:
            found = settings[row.channel_id]
            product = listed[row.product_id]
            base = base_price(bases, found, row.product_id, product, row.alias)
            place, book = (found.price_list.id, row.product_id), workplace.rulebook(found.channel)
            old, new = (
                price_on(
                    found,
                    book,
                    product.under(row.alias),
                    base,
                    PriceGround(own, row.category, rates, steps, sales.get(place), tax),
                )
                for steps in here.price_steps(row, product.product)
            )
            if _price_in_words(old) == _price_in_words(new):
                continue
            impact.changed += 1
            impact.fields["Price"] += 1
            if len(impact.samples) < SAMPLES:
                sample = Sample(
                    row.id, row.sku, row.state, "Price", _price_in_words(old), _price_in_words(new)
                )
                impact.samples.append(sample)


def _price_in_words(price: Price | NoPrice) -> str:
    return str(price.money) if isinstance(price, Price) else f"none: {price.reason}"


def _value_shown(rule: FieldRule, new: FieldValue) -> str:
    lacks = f" (asks for {', '.join(new.missing)})" if new.missing else ""
    return told_value(rule, new.value) + lacks


@dataclass(frozen=True)
class _Ground:
    """What the comparison of a chunk needs."""

    book: Rulebook
    rules: Sequence[FieldRule]
    before: Speakers
    after: Speakers
    chosen: Mapping[int, Sequence[int]]
    given_before: Given
    given_after: Given
    products: dict[int, Listed]

    def wants_products(self) -> bool:
        """Says whether values may come from products: because of wording, because a layer gives no
        value any more, or because of default layers."""
        if self.given_after or any(rule.layer == "wording" or rule.only_in for rule in self.rules):
            return True
        if any(self.before.standing.values()) or any(self.after.standing.values()):
            return True
        speaking = [self.before.layers, self.after.layers]
        layer_ids = {layer_id for chosen in self.chosen.values() for layer_id in chosen}
        return any(
            rule.name not in layers[layer_id].values
            for layers in speaking
            for layer_id in layer_ids
            for rule in self.rules
            if layers[layer_id].topic == rule.layer
        )

    def changes(self, row: ImpactRow) -> Iterator[tuple[FieldRule, FieldValue, FieldValue]]:
        """Returns the fields of a listing that would change: rule, old and new."""
        listed = self.products.get(row.product_id)
        product = listed.under(row.alias).product if listed else NOBODY
        translations = self.before.translations_on(row.channel_id)
        old_layers = self._layers(row, product, self.before, self.given_before)
        before = Voice(self.book, old_layers, translations)
        new_layers = self._layers(row, product, self.after, self.given_after)
        after = Voice(self.book, new_layers, translations)
        category = None
        for rule in self.rules:
            if row.own.get(rule.name) or not rule.is_asked_of(row.part):
                continue
            if rule.only_in:
                if category is None:
                    category = category_of(after, row.own, product)
                if not rule.is_asked_in(category):
                    continue
            asked = category or row.category
            old = resolve_field(rule, before, "", product, row.category)
            new = resolve_field(rule, after, "", product, asked)
            if (old.value, old.missing) != (new.value, new.missing):
                yield rule, old, new

    def price_steps(
        self, row: ImpactRow, product: ListedProduct
    ) -> tuple[Sequence[PriceStep] | None, Sequence[PriceStep] | None]:
        """Returns the steps of a listing's price layer before and after; None where the channel's
        own steps count."""
        before = self._layers(row, product, self.before, self.given_before).get("price")
        after = self._layers(row, product, self.after, self.given_after).get("price")
        return before.steps if before else None, after.steps if after else None

    def _layers(
        self, row: ImpactRow, product: ListedProduct, speakers: Speakers, given: Given
    ) -> Layers:
        standing = speakers.standing.get(row.channel_id)
        stands = standing_layers(standing, product.own_category) if standing else {}
        chosen = [speakers.layers[layer_id] for layer_id in self.chosen.get(row.id, ())]
        handed = given.get(row.id)
        if handed is not None:
            chosen = [layer for layer in chosen if layer.topic not in handed]
            chosen += [
                speakers.layers[layer_id] for layer_id in handed.values() if layer_id is not None
            ]
        return layers_of(chosen, stands)
