"""Serves carrier accounts over HTTP: connecting, changing and testing them."""

from typing import Annotated, Any

from pydantic import Field

from relvan.api.described import described, described_text
from relvan.api.desk import By, Caller, api_router
from relvan.api.shapes import Shape
from relvan.core.people.roles import Right
from relvan.core.setup.warehouses import KEY
from relvan.core.shipping.accounts import (
    AccountUse,
    AfterLabel,
    LabelFormat,
    LabelReference,
    LabelSize,
)
from relvan.core.texts import WORDS
from relvan.gateways.carriers.dialects import CARRIERS, dialect_of
from relvan.services.channels.carriers import (
    MOST_NAME,
    CarrierWish,
    carrier_by_key,
    change_carrier,
    connect_carrier,
    test_carrier,
    use_account,
)
from relvan.store.channels import carriers
from relvan.store.tables import Carrier

router = api_router(tags=["set-up"])
Name = Annotated[str, Field(max_length=200), described_text(WORDS, MOST_NAME)]
Address = Annotated[str, Field(max_length=1_000)]
Token = Annotated[str, Field(max_length=1_000)]


class CarrierConnect(Shape):
    """The details with which an account at a carrier is connected; the name is the carrier's when
    it is left out.
    """

    carrier: Annotated[str, Field(max_length=60), described(CARRIERS)]
    address: Address
    token: Token
    name: Name | None = None


class UseChange(Shape):
    """How an account is used: the file (pdf or png) and paper (A6 or 100x150) of labels, the reference on
    them (order and shipment, order, channel or customer), what happens once a shipment has its labels
    (wait or dispatch), and from which warehouses it collects (none for all)."""

    label_format: Annotated[str, described(LabelFormat)] | None = None
    label_size: Annotated[str, described(LabelSize)] | None = None
    reference: Annotated[str, described(LabelReference)] | None = None
    after_label: Annotated[str, described(AfterLabel)] | None = None
    collects: list[Annotated[str, described_text(KEY, 40)]] | None = Field(
        default=None, max_length=100
    )


class CarrierChange(Shape):
    """What is to change of a carrier account; what is left out stays."""

    name: Name | None = None
    address: Address | None = None
    token: Token | None = None
    use: UseChange | None = None


def _carrier_shape(carrier: Carrier) -> dict[str, Any]:
    return {
        "carrier": carrier.key,
        "name": carrier.name,
        "address": carrier.address,
        "use": AccountUse.read(carrier.use).as_dict(),
    }


def _shape_of(by: Caller, key: str) -> dict[str, Any]:
    return _carrier_shape(carrier_by_key(by.workplace, key))


@router.get("/carriers")
def list_carriers(by: By) -> dict[str, Any]:
    """Returns the carrier accounts, without their tokens."""
    by.actor.must(Right.SETUP)
    with by.workplace.database.reading() as session:
        found = carriers(session)
    return {"items": [_carrier_shape(carrier) for carrier in found], "next": None}


@router.post("/carriers", status_code=201)
def post_carrier(by: By, wish: CarrierConnect) -> dict[str, Any]:
    """Tests an account at a carrier and connects it; `account` is whose it is, as the carrier says."""
    name = wish.name or CARRIERS.get(dialect_of(wish.carrier), wish.carrier)
    account = connect_carrier(by.workplace, by.actor, wish.carrier, name, wish.address, wish.token)
    return {**_shape_of(by, wish.carrier), "account": account}


@router.get("/carriers/{carrier}")
def get_carrier(by: By, carrier: str) -> dict[str, Any]:
    """Returns one carrier account."""
    by.actor.must(Right.SETUP)
    return _shape_of(by, carrier)


@router.patch("/carriers/{carrier}")
def patch_carrier(by: By, carrier: str, change: CarrierChange) -> dict[str, Any]:
    """Changes a carrier account, after a test of it as it is to be; its use is changed without one."""
    if change.use is not None:
        told = change.use.model_dump(exclude_none=True)
        use_account(by.workplace, by.actor, carrier, told)
    if change.name is None and change.address is None and change.token is None:
        by.actor.must(Right.SETUP)
        return _shape_of(by, carrier)
    wish = CarrierWish(change.name, change.address, change.token)
    account = change_carrier(by.workplace, by.actor, carrier, wish)
    return {**_shape_of(by, carrier), "account": account}


@router.post("/carriers/{carrier}/test")
def post_carrier_test(by: By, carrier: str) -> dict[str, Any]:
    """Returns whose account it is, as the carrier says."""
    return {"account": test_carrier(by.workplace, by.actor, carrier)}
