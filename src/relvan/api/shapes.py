"""Defines the shapes that the API takes and returns; names as in docs/guide/api.md."""

from collections.abc import Sequence
from datetime import date
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, WithJsonSchema

from relvan.api.described import (
    MOST_INT,
    PRICE_STEP,
    STOCK_POLICY,
    Flag,
    Id,
    Named,
    described,
    described_number,
    described_text,
)
from relvan.core.money import MINOR_DIGITS, Money
from relvan.core.orders.policy import MAILED, MOST_SHIPMENTS, Unpaid
from relvan.core.orders.routing import RoutePolicy
from relvan.core.orders.scarce import ServeBy
from relvan.core.prices.steps import MOST_STEPS
from relvan.core.refusal import refuse
from relvan.core.stock.movements import BY_HAND
from relvan.core.texts import SAYING, SEEN_CODE, WORDS
from relvan.services.verdicts import Verdict


class Shape(BaseModel):
    """A shape that refuses unknown names."""

    model_config = ConfigDict(extra="forbid")

    def told(self) -> dict[str, Any]:
        """Returns what a call names, without what it leaves out."""
        return self.model_dump(exclude_none=True)


class Amount(Shape):
    """Money: minor units and an ISO 4217 code, which is the seller's own or that of the price list."""

    amount: int = Field(ge=-MOST_INT * 10, le=MOST_INT * 10)
    currency: str = Field(min_length=3, max_length=3)


class ListAmount(Amount):
    """Money in the currency of a price list."""

    currency: Annotated[str, Field(min_length=3, max_length=3), described(sorted(MINOR_DIGITS))]


def amount_of(value: int | None, currency: str) -> dict[str, Any] | None:
    """Returns minor units as the API writes them."""
    return None if value is None else {"amount": value, "currency": currency}


def verdicts_of(verdicts: Sequence[Verdict]) -> dict[str, Any]:
    """Returns a verdict for each of many as the API writes them."""
    return {
        "items": [
            {"number": v.subject, "ok": v.ok, "code": v.code, "message": v.message, "fix": v.fix}
            for v in verdicts
        ]
    }


def money_shape(money: Money | None) -> dict[str, Any] | None:
    """Returns money as the API writes it."""
    return None if money is None else {"amount": money.amount, "currency": money.currency}


def minor(amount: Amount, currency: str, field: str) -> int:
    """Returns the minor units of an amount in the seller's currency."""
    if amount.currency != currency:
        message = f"“{field}” must be in {currency}; it got {amount.currency[:3]}."
        raise refuse("currency", message, "Convert it first.", field)
    return amount.amount


# the day by which goods must be used (ISO 8601), or nothing
UseBy = Annotated[str, Field(max_length=10), described_text(r"^(\d{4}-\d{2}-\d{2})?$", 10, least=0)]


class MovementShape(Shape):
    """One movement of stock."""

    sku: str
    warehouse: str
    bin: str = ""
    change: int | None = Field(default=None, ge=-MOST_INT, le=MOST_INT)
    counted: int | None = Field(default=None, ge=-MOST_INT, le=MOST_INT)
    reason: Annotated[str, described(BY_HAND)]
    note: str = ""
    use_by: UseBy = ""


class OrderPolicyShape(Shape):
    """How a channel's orders are taken in and routed; what is left out stays as it is."""

    unpaid: Annotated[str, described(Unpaid)] | None = None
    routing: Annotated[str, described(RoutePolicy)] | None = None
    most: Annotated[int, described_number(1, MOST_SHIPMENTS)] | None = None
    prefer_near: Flag | None = None
    serve_by: Annotated[str, described(ServeBy)] | None = None
    tray: Annotated[str, Field(max_length=40)] | None = None
    collected: Flag | None = None
    mails: list[Annotated[str, described(MAILED)]] | None = Field(default=None, max_length=20)


class ChannelChange(Shape):
    """Settings of a channel; what is left out stays as it is."""

    name: Annotated[str, Field(max_length=200), described_text(WORDS, 60)] | None = None
    supply_list: list[str] | None = None
    stock_policy: Annotated[dict[str, Any], WithJsonSchema(STOCK_POLICY)] | None = None
    price_list: str | None = None
    price_steps: list[Annotated[dict[str, Any], WithJsonSchema(PRICE_STEP)]] | None = Field(
        default=None, max_length=1000, json_schema_extra={"maxItems": MOST_STEPS}
    )
    least_margin: str | None = None
    delivery_cost: Amount | None = None
    mends: list[str] | None = None
    paused: Flag | None = None
    orders: OrderPolicyShape | None = None


class ChannelConnect(Shape):
    """The details with which a channel is connected. `channel` is the key of one whose connection
    is renewed; `another` adds one more account of a marketplace that is connected already.
    """

    rulebook: str
    address: str
    token: str
    name: str = ""
    channel: str = ""
    another: Flag = False


class NewListings(Shape):
    """Products to draft on a channel."""

    channel: str
    skus: list[str] = Field(min_length=1, max_length=20_000)


class ListingChange(Shape):
    """The values that a listing has itself; an empty one is removed, so that the product's counts
    again.
    """

    fields: dict[str, str]


class Ids(Shape):
    """Things by their ids."""

    ids: list[Id] = Field(min_length=1, max_length=20_000)


class OrderNumbers(Shape):
    """Orders by our numbers."""

    numbers: list[str] = Field(min_length=1, max_length=5_000)


TrayKey = Annotated[str, described_text(SEEN_CODE, 40)]


class OrderMove(OrderNumbers):
    """Orders and the tray to put them into."""

    tray: TrayKey


class OrdersAside(OrderNumbers):
    """Orders that are set aside, why, until which day, and the tray for them if they are moved."""

    reason: Annotated[str, Field(max_length=1000), described_text(SAYING, 200)]
    until: date
    tray: TrayKey | None = None


class OrdersTag(OrderNumbers):
    """Orders and a tag; `off` deletes it."""

    tag: Annotated[str, Field(max_length=200), described_text(r"[A-Za-z0-9]", 30)]
    off: Flag = False


class OrdersAssign(OrderNumbers):
    """Orders and the login of who takes care of them; empty for nobody."""

    login: str = Field(default="", max_length=100)


class ScarceChoice(Shape):
    """By which rule goods that are not enough are given out, or which channel goes first; `keep`
    makes it the habit of the channels whose orders wait."""

    by: Annotated[str, described(ServeBy)] = ServeBy.AGE
    first: Annotated[str, Field(max_length=100)] = ""
    keep: Flag = False


class AddressShape(Shape):
    """Where goods go."""

    name: str = Field(default="", max_length=200)
    street: str = Field(default="", max_length=200)
    town: str = Field(default="", max_length=120)
    postcode: str = Field(default="", max_length=40)
    country: str = Field(default="", max_length=40)
    mail: str = Field(default="", max_length=200)
    phone: str = Field(default="", max_length=40)


class NewOrderLine(Shape):
    """One line of an order by hand. Without a price, the one that holds for the customer is taken;
    a line with a `title` and a price alone is no product. `price` is the name of before of
    `unit_price`."""

    sku: str = ""
    title: str = Field(default="", max_length=1000)
    quantity: int = Field(ge=-MOST_INT, le=MOST_INT)
    unit_price: Amount | None = None
    price: Amount | None = None
    discount: Amount | None = None


class Override(Shape):
    """The reason for which a warning is overridden, by its code."""

    code: str = Field(max_length=60)
    reason: str = Field(max_length=400)


class NewOrder(Shape):
    """An order or an estimate that is entered by hand, for a customer by number or by `mail`, or for
    nobody known. An estimate needs its `last_day`."""

    lines: list[NewOrderLine] = Field(max_length=500, json_schema_extra={"minItems": 1})
    ship_to: AddressShape
    customer: str = Field(default="", max_length=60)
    mail: str = Field(default="", max_length=200)
    kind: Literal["order", "estimate"] = "order"
    currency: str = Field(default="", max_length=3)
    prices: Literal["with tax", "without tax"] = "with tax"
    discount: Amount | None = None
    delivery: Amount | None = None
    promised: date | None = None
    last_day: date | None = None
    reference: str = Field(default="", max_length=400)
    salesperson: str = Field(default="", max_length=100)
    warehouse: str = Field(default="", max_length=100)
    override: list[Override] = Field(default=[], max_length=20)
    strict: Flag = False
    paid: Flag = False


class OrderChange(Shape):
    """The fields of an order that may be changed."""

    tray: TrayKey | None = None


class NewPickList(Shape):
    """Shipments that are picked in one round."""

    shipments: list[Named] = Field(min_length=1, max_length=60)
    kind: Literal["one", "many", "totes"] = "many"
    sort: Literal["place", "sku", "order"] = "place"
    name: str = Field(default="", max_length=80)
    draft: bool = False


class ListProposal(Shape):
    """Which shipments pick lists are proposed for: of a warehouse, a channel, promised by a day, of a
    single line, whose goods all lie in a zone (aisles such as A-D, Y1), and those that cannot wait for the
    pick-up after the next one."""

    warehouse: str = Field(default="", max_length=60)
    channel: str = Field(default="", max_length=60)
    promised_by: date | None = None
    single_line: bool = False
    most: int = Field(default=20, ge=1, le=60)
    zone: str = Field(default="", max_length=100)
    cut_off: bool = False
    kind: Literal["one", "many", "totes"] = "many"
    sort: Literal["place", "sku", "order"] = "place"
    name: str = Field(default="", max_length=80)


class PickListChange(Shape):
    """What is changed of a pick list: its name, who picks it (a login, or empty for nobody), and of a
    draft the units of its picks by their ids, 0 for those that are removed."""

    name: str | None = Field(default=None, max_length=80)
    person: str | None = Field(default=None, max_length=100)
    units: dict[Named, Annotated[int, Field(ge=0, le=MOST_INT)]] | None = None


class PickShape(Shape):
    """What was taken at one pick; `code` is what the scanner read."""

    pick: int
    quantity: int = Field(ge=-MOST_INT, le=MOST_INT)
    code: str | None = Field(default=None, max_length=200)


class ParcelLineShape(Shape):
    """Units in a parcel."""

    sku: str
    quantity: int = Field(ge=-MOST_INT, le=MOST_INT)


class NewParcel(Shape):
    """A parcel to close. Without lines, everything that is open goes into it."""

    lines: list[ParcelLineShape] = Field(default_factory=list, max_length=500)
    carton: str = ""
    weight_g: int = Field(ge=-MOST_INT, le=MOST_INT)


class LabelChoice(Shape):
    """The service of which labels are bought; empty, the seller's rules choose. It may be signed for, and
    insured at the goods' value."""

    service: str
    signature: bool = False
    insured: bool = False


class ElsewhereShape(Shape):
    """The warehouse that sends what was not found."""

    warehouse: str = Field(max_length=60)
