"""Serves customers and estimates over HTTP."""

from typing import Annotated, Any

from fastapi import Response
from pydantic import Field

from relvan.api.described import Flag, described_text
from relvan.api.desk import By, Caller, LayoutId, Limit, OneOf, api_router, gives_file
from relvan.api.shapes import AddressShape, Amount, Shape, amount_of
from relvan.core.orders.draft import read_draft
from relvan.core.orders.intake import Address
from relvan.core.people.roles import Right
from relvan.core.texts import WORDS
from relvan.services.orders.customers import (
    add_customer_address,
    forget_customer,
    merge_customers,
    save_customer,
    set_own_price,
)
from relvan.services.orders.estimates import accept_estimate, cancel_estimate, is_expired
from relvan.services.orders.own_papers import printed_estimate
from relvan.store.catalogue import skus_of
from relvan.store.customers import (
    Bought,
    addresses_of,
    customer_by_id,
    customer_by_number,
    customer_page,
    estimate_by_number,
    estimate_rows,
    order_of_estimate,
    orders_of_customer,
    prices_of_customer,
)
from relvan.store.prices import price_lists
from relvan.store.tables import Estimate

router = api_router(tags=["customers"])


class NewCustomer(Shape):
    """A customer. `bill_to` is where invoices go if not to the delivery address; `price_list` the key
    of the list whose prices hold."""

    name: Annotated[str, Field(max_length=1000), described_text(WORDS, 200)]
    mail: str = Field(default="", max_length=1000)
    phone: str = Field(default="", max_length=200)
    tax_number: str = Field(default="", max_length=200)
    notes: str = Field(default="", max_length=10_000)
    price_list: str | None = None
    bill_to: AddressShape | None = None


class CustomerChange(Shape):
    """The fields of a customer that change."""

    name: Annotated[str, Field(max_length=1000), described_text(WORDS, 200)] | None = None
    mail: str | None = Field(default=None, max_length=1000)
    phone: str | None = Field(default=None, max_length=200)
    tax_number: str | None = Field(default=None, max_length=200)
    notes: str | None = Field(default=None, max_length=10_000)
    price_list: str | None = None
    bill_to: AddressShape | None = None


def _shape(by: Caller, number: str) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        row = customer_by_number(session, number)
        lists = {one.id: one.key for one in price_lists(session)}
        addresses = [one.address for one in addresses_of(session, row.id)]
        prices = prices_of_customer(session, row.id)
        skus = skus_of(session, [one.product_id for one in prices])
        orders = orders_of_customer(session, row.id)
    return {
        "customer": row.number,
        "name": row.name,
        "mail": row.mail,
        "phone": row.phone,
        "tax_number": row.tax_number,
        "notes": row.notes,
        "price_list": lists.get(row.price_list_id or 0),
        "bill_to": row.bill_to or None,
        "addresses": addresses,
        "prices": [
            {
                "sku": skus[one.product_id],
                "price": amount_of(one.amount, one.currency),
                "with_tax": one.with_tax,
            }
            for one in prices
        ],
        "orders": [order.number for order in orders],
        "forgotten": row.forgotten_at is not None,
    }


def _bought(one: Bought) -> dict[str, Any]:
    total, owed = amount_of(one.total, one.currency), amount_of(one.owed, one.currency)
    return {"total": total, "owed": owed}


@router.get("/customers")
def list_customers(by: By, q: str = "", limit: Limit = 50, after: str = "") -> dict[str, Any]:
    """Returns customers by name, with what they have bought and owe: `total` and `owed` in the currency
    of most of their orders, and `bought` by currency. `after` is the number of the
    last one of the page before."""
    with by.workplace.database.reading() as session:
        rows = customer_page(session, q, after=after, limit=limit + 1)
    items = [
        {
            "customer": row.number,
            "name": row.name,
            "mail": row.mail,
            "orders": row.orders,
            **(_bought(row.bought[0]) if row.bought else {"total": None, "owed": None}),
            "bought": [_bought(one) for one in row.bought],
        }
        for row in rows[:limit]
    ]
    return {"items": items, "next": rows[limit - 1].number if len(rows) > limit else None}


@router.get("/customers/{customer}")
def get_customer(by: By, customer: str) -> dict[str, Any]:
    """Returns a customer; of one that was merged, the one who stayed."""
    return _shape(by, customer)


@router.post("/customers", status_code=201)
def post_customer(by: By, wish: NewCustomer) -> dict[str, Any]:
    """Creates a customer."""
    return _shape(by, save_customer(by.workplace, by.actor, wish.model_dump(exclude_none=True)))


@router.patch("/customers/{customer}")
def patch_customer(by: By, customer: str, change: CustomerChange) -> dict[str, Any]:
    """Changes a customer."""
    told = change.model_dump(exclude_unset=True)
    return _shape(by, save_customer(by.workplace, by.actor, told, customer))


@router.post("/customers/{customer}/addresses", status_code=201)
def post_customer_address(by: By, customer: str, address: AddressShape) -> dict[str, Any]:
    """Adds a delivery address, checked by the rules of its country."""
    add_customer_address(by.workplace, by.actor, customer, Address(**address.model_dump()))
    return _shape(by, customer)


class OwnPrice(Shape):
    """A customer's own price of a product; without a price it is deleted."""

    sku: str
    price: Amount | None = None
    with_tax: Flag = True


@router.put("/customers/{customer}/prices")
def put_customer_price(by: By, customer: str, wish: OwnPrice) -> dict[str, Any]:
    """Sets or deletes a customer's own price of a product."""
    price = (wish.price.amount, wish.price.currency, wish.with_tax) if wish.price else None
    set_own_price(by.workplace, by.actor, customer, wish.sku, price)
    return _shape(by, customer)


class OtherCustomer(Shape):
    """The double that is merged into a customer."""

    other: str


@router.post("/customers/{customer}/merge")
def post_customer_merge(by: By, customer: str, wish: OtherCustomer) -> dict[str, Any]:
    """Merges a double into a customer; both numbers lead to the one who stays."""
    merge_customers(by.workplace, by.actor, customer, wish.other)
    return _shape(by, customer)


@router.post("/customers/{customer}/forget")
def post_customer_forget(by: By, customer: str) -> dict[str, Any]:
    """Deletes what is known of a person; numbers, amounts and issued invoices stay."""
    return {"orders": forget_customer(by.workplace, by.actor, customer)}


def estimate_shape(by: Caller, number: str) -> dict[str, Any]:
    """Returns an estimate as the API tells it."""
    with by.workplace.database.reading() as session:
        row = estimate_by_number(session, number)
        customer = customer_by_id(session, row.customer_id)
        order = order_of_estimate(session, row.id)
    draft = read_draft(row.draft)
    return {
        "number": row.number,
        "kind": "estimate",
        "state": _state(by, row),
        "customer": {"number": customer.number, "name": customer.name},
        "ship_to": draft.ship_to.as_dict(),
        "lines": [
            {
                "sku": line.sku,
                "title": line.title,
                "quantity": line.quantity,
                "price": amount_of(line.unit_price, row.currency),
                "discount": amount_of(line.discount, row.currency),
            }
            for line in draft.lines
        ],
        "prices": "with tax" if draft.prices_with_tax else "without tax",
        "total": amount_of(row.total, row.currency),
        "last_day": row.last_day,
        "link": f"/e/{row.secret}",
        "order": order,
    }


def _state(by: Caller, row: Estimate) -> str:
    return "expired" if is_expired(row, by.workplace.local_now().date()) else row.state


@router.get("/estimates")
def list_estimates(
    by: By, state: Annotated[str, OneOf("state", ("open", "accepted", "cancelled"))] = ""
) -> dict[str, Any]:
    """Returns estimates, the newest first."""
    with by.workplace.database.reading() as session:
        rows = estimate_rows(session, state)
    items = [
        {
            "number": row.number,
            "state": _state(by, row),
            "customer": name,
            "total": amount_of(row.total, row.currency),
            "last_day": row.last_day,
        }
        for row, name in rows
    ]
    return {"items": items, "next": None}


@router.get("/estimates/{number}.pdf", **gives_file("application/pdf"))
def get_estimate_pdf(by: By, number: str, layout: LayoutId = 0) -> Response:
    """Returns the paper of an estimate, in the layout with an id where one is named."""
    content = printed_estimate(by.workplace, number, layout)
    return Response(content, media_type="application/pdf")


@router.get("/estimates/{number}")
def get_estimate(by: By, number: str) -> dict[str, Any]:
    """Returns one estimate."""
    return estimate_shape(by, number)


class Acceptance(Shape):
    """Whether a person has confirmed the prices of an estimate whose last day is over."""

    prices_confirmed: Flag = False


@router.post("/orders/{number}/accept")
def post_accept(by: By, number: str, wish: Acceptance | None = None) -> dict[str, Any]:
    """Makes the order of an estimate, at its prices; accepting twice answers the same order."""
    confirmed = bool(wish and wish.prices_confirmed)
    order = accept_estimate(by.workplace, by.actor, number, prices_confirmed=confirmed)
    return {**estimate_shape(by, number), "order": order}


@router.post("/estimates/{number}/cancel")
def post_estimate_cancel(by: By, number: str) -> dict[str, Any]:
    """Cancels an estimate, so that it cannot be accepted any more."""
    by.actor.must(Right.ORDERS)
    cancel_estimate(by.workplace, by.actor, number)
    return estimate_shape(by, number)
