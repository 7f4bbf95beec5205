"""Loads all that listings are worked out from, many at once: a handful of queries however many
listings there are."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.product import ProductKind
from relvan.core.channels.sending import Topic
from relvan.core.listings.cascade import (
    FieldValue,
    ListedProduct,
    Voice,
    category_of,
    resolve_fields,
    told_value,
)
from relvan.core.listings.gaps import BY_ITSELF, FamilyPlace, Readiness, Shelf, find_gaps
from relvan.core.listings.layers import Layers, layers_of, standing_layers
from relvan.core.listings.rulebook import NEW_PAGE, Place, Rulebook
from relvan.core.listings.translating import TraitValue, translate_traits
from relvan.core.money import Money
from relvan.core.prices.fees import margin_of_one
from relvan.core.prices.rates import NO_RATES, Rates
from relvan.core.prices.sales import SalePrice
from relvan.core.prices.steps import ConvertStep, NoPrice, Price
from relvan.core.stock.availability import Shown, service_shown, shown_quantity
from relvan.core.stock.nearest import NO_NEARER, NearerPolicies, Nearest
from relvan.core.stock.pace import NO_PACE, NOTHING_SELLS, Selling, SellingPace, pace_of
from relvan.core.why import Why
from relvan.services.prices.work_out import PriceGround, price_on
from relvan.services.workplace import Workplace
from relvan.store.channels import ChannelSettings, channel_settings
from relvan.store.holdings import Holdings, load_holdings
from relvan.store.layers import Speakers, chosen_layers, load_speakers
from relvan.store.listed import Listed, listed_products
from relvan.store.listings import list_prices, listings_of, member_counts
from relvan.store.paces import lag_minutes, selling_of
from relvan.store.policies import PolicyPlaces, nearer_policies, policy_places
from relvan.store.prices import rates_on, sales_holding
from relvan.store.session import Session
from relvan.store.tables import Listing

NOT_SOLD = Shown(0, 0, Why().then("Family", 0, "its variants are sold, not the family itself"))


@dataclass(frozen=True)
class Channels:
    """What is the same for all listings of a channel: settings by its id, layers, translations and
    today's rates; the delay in minutes of channels with a buffer by risk (None when nothing was
    measured yet); and where there are exceptions from stock rules."""

    settings: Mapping[int, ChannelSettings]
    speakers: Speakers
    rates: Rates
    lags: Mapping[int, float | None]
    now: datetime
    places: PolicyPlaces
    own: str
    tax: Mapping[str, Decimal]


def load_channels(session: Session, workplace: Workplace) -> Channels:
    """Loads the settings, layers and translations of all channels, and today's rates."""
    settings, now = channel_settings(session), workplace.now()
    places = policy_places(session)
    risky = {key for key, one in settings.items() if one.policy.risk is not None} | places.risky
    lags = {key: lag_minutes(session, key, now) for key in risky}
    speakers, own = load_speakers(session), workplace.firm.currency
    converting = any(one.price_list.currency != own or one.converts for one in settings.values())
    by_layer = any(
        isinstance(step, ConvertStep)
        for layer in speakers.layers.values()
        for step in layer.steps or ()
    )
    rates = rates_on(session, now.date()) if converting or by_layer else NO_RATES
    return Channels(settings, speakers, rates, lags, now, places, own, workplace.home_tax())


@dataclass(frozen=True)
class Ground:
    """All that some listings are worked out from."""

    channels: Channels
    products: Mapping[int, Listed]
    prices: Mapping[tuple[int, int], int]
    holdings: Holdings
    chosen: Mapping[int, Sequence[int]]
    heads: Mapping[int, Listing]
    members: Mapping[int, int]
    selling: Selling
    sales: Mapping[tuple[int, int], SalePrice]
    policies: Mapping[int, NearerPolicies]


def load_ground(session: Session, listings: Sequence[Listing], channels: Channels) -> Ground:
    """Loads all that these listings are worked out from, including the heads of members."""
    by_id = {listing.id: listing for listing in listings}
    lacking = {
        listing.head_id for listing in listings if listing.head_id is not None
    } - by_id.keys()
    heads = (
        {**by_id, **{head.id: head for head in listings_of(session, listing_ids=lacking)}}
        if lacking
        else by_id
    )
    products = {listing.product_id for listing in listings}
    families = [listing.id for listing in listings if listing.is_head]
    holdings = load_holdings(session, products)
    risky = {listing.product_id for listing in listings if listing.channel_id in channels.lags}
    pools = risky | {part for kit in risky for part in holdings.leaves.get(kit, ())}
    return Ground(
        channels,
        listed_products(session, products),
        list_prices(session, products),
        holdings,
        chosen_layers(session, [*by_id, *lacking]),
        heads,
        member_counts(session, families) if families else {},
        selling_of(session, pools, channels.now) if pools else NOTHING_SELLS,
        sales_holding(session, products, channels.now),
        nearer_policies(session, channels.places, list(by_id), products),
    )


@dataclass(frozen=True)
class WorkedOut:
    """A listing as the rules give it now; `told` is its content as it is sent to the channel."""

    fields: dict[str, FieldValue]
    category: str
    place: FamilyPlace
    found: Price | NoPrice | None
    shown: Shown
    readiness: Readiness
    told: dict[str, str]
    pictures: tuple[str, ...]
    margin: int | None

    @property
    def price(self) -> Price | None:
        """Its price; None for the head of a family and where there is no price."""
        return self.found if isinstance(self.found, Price) else None

    @property
    def said(self) -> dict[str, str]:
        """Everything that it says, by field, with its pictures."""
        return {
            **{name: value for name, value in self.told.items() if value},
            "pictures": " ".join(self.pictures),
        }

    @property
    def numbers(self) -> dict[str, int | None]:
        """Its price (minor units) and its quantity, by topic."""
        return {
            Topic.PRICE: self.price.money.amount if self.price else None,
            Topic.QUANTITY: self.shown.quantity,
        }

    @property
    def regular(self) -> int | None:
        """The price without the sale price that is valid now (minor units); None when there is no
        sale price."""
        return self.price.regular.amount if self.price and self.price.regular else None


def work_out(listing: Listing, ground: Ground, workplace: Workplace) -> WorkedOut:
    """Returns what the rules give for one listing, from loaded values only."""
    settings = ground.channels.settings[listing.channel_id]
    book = workplace.rulebook(settings.channel)
    listed = ground.products[listing.product_id]
    sale = ground.sales.get((settings.price_list.id, listing.product_id))
    base = base_price(ground.prices, settings, listing.product_id, listed, listing.alias)
    listed = listed.under(listing.alias)
    part = place_in_family(listing)
    layers = _layers(listing, ground, listed.product)
    translations = ground.channels.speakers.translations_on(listing.channel_id)
    category = _category(listing, ground, book, listed.product, layers)
    fields = resolve_fields(
        Voice(book, layers, translations), listing.own, listed.product, part=part, category=category
    )
    traits = translate_traits(book, category, listed.product.traits, translations)
    place = _family_place(listing, ground, part, traits)
    shown = _quantity(listing, ground, settings, book, listed, part)
    steps = layers["price"].steps if "price" in layers else None
    found: Price | NoPrice | None = None
    if part != "head":
        ground_of_price = PriceGround(
            workplace.firm.currency,
            category,
            ground.channels.rates,
            steps,
            sale,
            ground.channels.tax,
        )
        found = price_on(settings, book, listed, base, ground_of_price)
    price = found if isinstance(found, Price) else None
    readiness = find_gaps(
        book,
        fields,
        listed.product,
        Shelf(
            price=price.money.amount if price else None,
            quantity=shown.quantity,
            live=listing.placed,
            no_price=found.reason if isinstance(found, NoPrice) else "",
        ),
        place=place,
        category=category,
    )
    pictures = () if _on_their_page(book, fields) else listed.pictures[: book.pictures.most]
    return WorkedOut(
        fields,
        category,
        place,
        found,
        shown,
        readiness,
        _fields_told(book, fields, place),
        pictures,
        _margin(price, ground, settings, book, listed, category),
    )


def _family_place(
    listing: Listing, ground: Ground, part: Place, traits: tuple[TraitValue, ...]
) -> FamilyPlace:
    """Returns the place of a listing in a family."""
    if part == "whole":
        return BY_ITSELF
    head = ground.heads.get(listing.head_id) if listing.head_id is not None else None
    head_gaps, members = head.gap_count if head else 0, ground.members.get(listing.id, 0)
    return FamilyPlace(part, traits, members, head_gaps, stray=is_stray(listing, ground))


def base_price(
    prices: Mapping[tuple[int, int], int],
    settings: ChannelSettings,
    product_id: int,
    listed: Listed,
    alias: str,
) -> int | None:
    """Returns the list price in minor units that a listing starts from; an alias may have its own."""
    base = prices.get((settings.price_list.id, product_id))
    face = listed.faces.get(sku_key(alias)) if alias else None
    return face.prices.get(settings.price_list.key, base) if face else base


def _margin(
    price: Price | None,
    ground: Ground,
    settings: ChannelSettings,
    book: Rulebook,
    listed: Listed,
    category: str,
) -> int | None:
    """Returns the margin of a price in thousandths of the price without tax; None when the cost of
    the product is not known."""
    if price is None or listed.cost is None:
        return None
    rates, currency = ground.channels.rates, price.money.currency
    own = ground.channels.own
    spent = [
        rates.convert(Money(amount, own), currency)
        for amount in (listed.cost, settings.delivery_cost)
    ]
    if any(one is None for one in spent):
        return None
    tax = (
        ground.channels.tax.get(listed.tax_code, Decimal(0))
        if settings.price_list.tax_inside
        else Decimal(0)
    )
    total = sum(one.amount for one in spent if one is not None)
    return margin_of_one(
        price.money.amount, book.fees, tax_percent=tax, category=category, spent=total
    )[1]


def _on_their_page(book: Rulebook, fields: Mapping[str, FieldValue]) -> bool:
    """Says whether the pictures belong to the channel's own catalogue page."""
    if book.pages is None or "pictures" not in book.owned:
        return False
    return fields[book.page_field].value not in ("", NEW_PAGE)


def place_in_family(listing: Listing) -> Place:
    """Says whether a listing stands by itself, is the head of a family's page, or one of its
    members."""
    if listing.head_id is not None:
        return "member"
    return "head" if listing.is_head else "whole"


def is_stray(listing: Listing, ground: Ground) -> bool:
    """Says whether a member is on the page of a family that its product has left."""
    head = ground.heads.get(listing.head_id) if listing.head_id is not None else None
    return head is not None and ground.products[listing.product_id].family_id != head.product_id


def _layers(listing: Listing, ground: Ground, product: ListedProduct) -> Layers:
    speakers = ground.channels.speakers
    standing = speakers.standing.get(listing.channel_id)
    chosen = ground.chosen.get(listing.id, ())
    if not standing and not chosen:
        return {}
    stands = standing_layers(standing, product.own_category) if standing else {}
    return layers_of([speakers.layers[layer_id] for layer_id in chosen], stands)


def _category(
    listing: Listing, ground: Ground, book: Rulebook, product: ListedProduct, layers: Layers
) -> str:
    """Returns the channel's category; a member has that of its head."""
    translations = ground.channels.speakers.translations_on(listing.channel_id)
    head = ground.heads.get(listing.head_id) if listing.head_id is not None else None
    if head is None or product.family is None:
        return category_of(Voice(book, layers, translations), listing.own, product)
    above = Voice(book, _layers(head, ground, product.family), translations)
    return category_of(above, head.own, product.family)


def _quantity(
    listing: Listing,
    ground: Ground,
    settings: ChannelSettings,
    book: Rulebook,
    listed: Listed,
    part: Place,
) -> Shown:
    if part == "head" or listed.kind == ProductKind.FAMILY:
        return NOT_SOLD
    if listed.kind == ProductKind.SERVICE:
        return service_shown(book.most_units)
    supplied = ground.holdings.of(listing.product_id, settings.supply_list)
    elsewhere = ground.holdings.outside(listing.product_id, settings.supply_list)
    found = policy_of(listing, ground, settings, listed)
    return shown_quantity(
        supplied,
        found.policy,
        book.most_units,
        _pace(listing, ground),
        whose=found.whose,
        elsewhere=elsewhere,
    )


def policy_of(
    listing: Listing, ground: Ground, settings: ChannelSettings, listed: Listed
) -> Nearest:
    """Returns the stock rule of a listing: the nearest exception, or the channel's own."""
    nearer = ground.policies.get(listing.channel_id, NO_NEARER)
    category = listed.product.own_category
    return nearer.nearest(
        settings.policy,
        listing=listing.id,
        product=listing.product_id,
        family=listed.family_id,
        category=category,
    )


def _pace(listing: Listing, ground: Ground) -> SellingPace:
    """Returns how fast the product of a listing sells, for a kit its fastest part, and with what
    delay its channel shows a sale."""
    if listing.channel_id not in ground.channels.lags:
        return NO_PACE
    parts = ground.holdings.leaves.get(listing.product_id, {listing.product_id: 1})
    return pace_of(
        parts, ground.selling, ground.channels.lags[listing.channel_id], listing.channel_id
    )


def _fields_told(
    book: Rulebook, fields: Mapping[str, FieldValue], place: FamilyPlace
) -> dict[str, str]:
    told = {name: value.value for name, value in fields.items()}
    told |= {rule.name: told_value(rule, told[rule.name]) for rule in book.rules_with_tags}
    if place.part == "head":
        told["traits"] = ", ".join(trait.theirs for trait in place.traits)
    elif place.part == "member":
        told |= {Keyed.TRAIT.fact(trait.theirs): trait.value for trait in place.traits}
    return told
