"""The shapes that the API takes and gives; names as in docs/guide/api.md."""

import base64
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from relvan.core.catalogue.product import ProductDraft, ProductKind, Size
from relvan.core.money import Money
from relvan.core.refusal import refuse

MOST_INT = 2_000_000_000


class Shape(BaseModel):
    """A shape that takes no unknown names."""

    model_config = ConfigDict(extra="forbid")


class Amount(Shape):
    """Money: minor units and an ISO 4217 code."""

    amount: int = Field(ge=-MOST_INT * 10, le=MOST_INT * 10)
    currency: str = Field(min_length=3, max_length=3)


def amount_of(value: int | None, currency: str) -> dict[str, Any] | None:
    """Minor units as the API says them."""
    return None if value is None else {"amount": value, "currency": currency}


def money_shape(money: Money | None) -> dict[str, Any] | None:
    """Money as the API says it."""
    return None if money is None else {"amount": money.amount, "currency": money.currency}


class SizeShape(Shape):
    """Sides in millimetres."""

    l: int = Field(ge=-MOST_INT, le=MOST_INT)  # noqa: E741 - the name of the API
    w: int = Field(ge=-MOST_INT, le=MOST_INT)
    h: int = Field(ge=-MOST_INT, le=MOST_INT)


class PictureShape(Shape):
    """A picture: one that is there, by its SHA-256, or a new one as base64 in `content`."""

    sha: str | None = None
    width: int | None = None
    height: int | None = None
    content: str | None = None

    def read(self, most_mb: int) -> bytes:
        """The bytes of a new picture."""
        text = (self.content or "").rpartition(",")[2]
        if len(text) > most_mb * 1_400_000:
            raise refuse("too-large", f"“Picture” must have at most {most_mb} MB.", "Save it smaller.", "pictures")
        try:
            return base64.b64decode(text, validate=True)
        except ValueError:
            raise refuse("form", "“Picture” must be base64.", "Or send it as a file.", "pictures") from None


LATER = {"family", "traits", "parts", "case_pack"}
READ_ONLY = {*LATER, "pictures", "archived"}


class ProductChange(Shape):
    """What may be said of a product; what is left out stays as it is."""

    sku: str | None = Field(default=None, max_length=1000)
    kind: str | None = Field(default=None, max_length=40)
    title: str | None = Field(default=None, max_length=10_000)
    brand: str | None = Field(default=None, max_length=10_000)
    description: str | None = Field(default=None, max_length=200_000)
    gtin: str | None = Field(default=None, max_length=200)
    category: str | None = Field(default=None, max_length=10_000)
    attributes: dict[str, str] | None = None
    weight_g: int | None = Field(default=None, ge=-MOST_INT, le=MOST_INT)
    size_mm: SizeShape | None = None
    cost: Amount | None = None
    floor: Amount | None = None
    prices: dict[str, Amount] | None = None
    tax_code: str | None = Field(default=None, max_length=40)
    aliases: list[str] | None = None
    pictures: list[PictureShape] | None = Field(default=None, max_length=30)
    family: str | None = None
    traits: dict[str, str] | None = None
    parts: list[Any] | None = None
    case_pack: dict[str, Any] | None = None
    archived: bool | None = None

    def draft(self, before: ProductDraft | None, currency: str) -> ProductDraft:
        """The whole product after the change; `before` is empty for a new one."""
        start = before or ProductDraft(sku="", title="")
        values: dict[str, Any] = {name: getattr(start, name) for name in ProductDraft.__dataclass_fields__}
        for name in self.model_fields_set - READ_ONLY:
            values |= self._value(name, currency)
        for name in LATER & self.model_fields_set:
            if getattr(self, name):
                raise refuse("later", f"“{name}” cannot be set yet.", "Leave it out.", name)
        return ProductDraft(**values)

    def new_pictures(self, most_mb: int) -> list[bytes]:
        """The contents of pictures that are sent along; those that are only named are there already."""
        found = []
        for picture in self.pictures or ():
            if picture.content is not None:
                found.append(picture.read(most_mb))
        return found

    def _value(self, name: str, currency: str) -> dict[str, Any]:
        given = getattr(self, name)
        if name == "size_mm":
            return {"size": Size(given.l, given.w, given.h) if given else None}
        if name in ("cost", "floor"):
            return {name: minor(given, currency, name) if given else None}
        if name == "prices":
            return {name: {key: minor(amount, currency, "prices") for key, amount in (given or {}).items()}}
        if name == "aliases":
            return {name: tuple(given or ())}
        if name == "kind":
            if given not in {kind.value for kind in ProductKind}:
                raise refuse(
                    "not-allowed", f"“Kind” must be one of our kinds; it got “{given}”.", "Use single.", "kind"
                )
            return {name: ProductKind(given)}
        if name == "gtin":
            return {name: given or None}
        return {
            name: given if given is not None else ({} if name == "attributes" else None if name == "weight_g" else "")
        }


def minor(amount: Amount, currency: str, field: str) -> int:
    """The minor units of an amount in the seller's currency."""
    if amount.currency != currency:
        message = f"“{field}” must be in {currency}; it got {amount.currency[:3]}."
        raise refuse("currency", message, "Convert it first.", field)
    return amount.amount


class ManyProducts(Shape):
    """Many products at once."""

    items: list[dict[str, Any]] = Field(max_length=5_000)


class MovementShape(Shape):
    """One movement of stock."""

    sku: str
    warehouse: str
    bin: str = ""
    change: int | None = Field(default=None, ge=-MOST_INT, le=MOST_INT)
    counted: int | None = Field(default=None, ge=-MOST_INT, le=MOST_INT)
    reason: str
    note: str = ""


class ChannelChange(Shape):
    """Settings of a channel; what is left out stays as it is."""

    supply_list: list[str] | None = None
    stock_policy: dict[str, Any] | None = None
    price_list: str | None = None
    price_steps: list[dict[str, Any]] | None = None
    paused: bool | None = None


class ChannelConnect(Shape):
    """What is needed to connect a channel."""

    rulebook: str
    address: str
    token: str
    name: str = ""


class NewListings(Shape):
    """Products to draft on a channel."""

    channel: str
    skus: list[str] = Field(min_length=1, max_length=20_000)


class ListingChange(Shape):
    """Own values of a listing; an empty one is taken from the product again."""

    fields: dict[str, str]


class Ids(Shape):
    """Things by their ids."""

    ids: list[int] = Field(min_length=1, max_length=20_000)


class OrderNumbers(Shape):
    """Orders by our numbers."""

    numbers: list[str] = Field(min_length=1, max_length=5_000)


class OrderMove(OrderNumbers):
    """Orders and the tray to put them into."""

    tray: str


class AddressShape(Shape):
    """Where goods go."""

    name: str = Field(default="", max_length=200)
    street: str = Field(default="", max_length=200)
    town: str = Field(default="", max_length=120)
    postcode: str = Field(default="", max_length=40)
    country: str = Field(default="", max_length=40)
    mail: str = Field(default="", max_length=200)


class NewOrderLine(Shape):
    """One line of a manual order; without a price the first price list's is taken."""

    sku: str
    quantity: int = Field(ge=-MOST_INT, le=MOST_INT)
    price: Amount | None = None


class NewOrder(Shape):
    """An order taken by hand."""

    lines: list[NewOrderLine] = Field(max_length=500)
    ship_to: AddressShape
    paid: bool = False


class OrderChange(Shape):
    """What may be changed on an order."""

    tray: str | None = None


class NewPickList(Shape):
    """Shipments to pick in one walk."""

    shipments: list[int] = Field(min_length=1, max_length=60)


class PickShape(Shape):
    """What was taken at one stop; `code` is what the scanner read."""

    pick: int
    quantity: int = Field(ge=-MOST_INT, le=MOST_INT)
    code: str | None = Field(default=None, max_length=200)


class ParcelLineShape(Shape):
    """Units in a parcel."""

    sku: str
    quantity: int = Field(ge=-MOST_INT, le=MOST_INT)


class NewParcel(Shape):
    """A parcel to close; without lines all that is open goes into it."""

    lines: list[ParcelLineShape] = Field(default_factory=list, max_length=500)
    carton: str = ""
    weight_g: int = Field(ge=-MOST_INT, le=MOST_INT)


class LabelChoice(Shape):
    """The service to buy labels of."""

    service: str
