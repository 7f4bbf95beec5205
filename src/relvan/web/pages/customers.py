"""Serves the pages of customers."""

from collections.abc import Mapping

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.money import parse_amount
from relvan.core.refusal import Refused
from relvan.services.orders.customers import (
    forget_customer,
    merge_customers,
    save_customer,
    set_own_price,
)
from relvan.store.catalogue import skus_of
from relvan.store.customers import (
    addresses_of,
    customer_by_number,
    customer_page,
    doubles_of,
    orders_of_customer,
    prices_of_customer,
    sums_of_customers,
)
from relvan.store.history import history
from relvan.store.prices import price_lists
from relvan.web.desk import At, Desk, Form, first_by_field

router = APIRouter(prefix="/orders/customers")
PAGE = 50
FIELDS = ("name", "mail", "phone", "tax_number", "notes", "price_list")


@router.get("", name="customer_index")
def customer_index(desk: At, q: str = "", after: str = "") -> HTMLResponse:
    """Shows the list of customers."""
    return _list(desk, q, after)


def _list(
    desk: Desk,
    q: str = "",
    after: str = "",
    refused: Refused | None = None,
    typed: Mapping[str, str] | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rows = customer_page(session, q, after=after, limit=PAGE + 1)
    refusals = refused.refusals if refused else ()
    return desk.page(
        "orders/customers.html",
        "orders",
        status=422 if refused else 200,
        rows=rows[:PAGE],
        more=rows[PAGE - 1].number if len(rows) > PAGE else "",
        q=q,
        typed=dict(typed or {}),
        refusals=refusals,
        errors=first_by_field(refusals),
    )


@router.post("", name="customer_create")
def customer_create(desk: At, form: Form) -> Response:
    """Creates a customer."""
    try:
        number = save_customer(desk.workplace, desk.actor, _wish(form))
    except Refused as refused:
        return _list(desk, refused=refused, typed=form)
    return desk.done(f"/orders/customers/{number}", f"Customer {number} is created.")


def _wish(form: Form) -> dict[str, str]:
    return {name: form[name] for name in FIELDS if name in form}


@router.get("/{number}", name="customer_show")
def customer_show(desk: At, number: str) -> HTMLResponse:
    """Shows one customer; of one that was merged, the one who stayed."""
    return _page(desk, number)


def _page(
    desk: Desk,
    number: str,
    refused: Refused | None = None,
    typed: Mapping[str, str] | None = None,
) -> HTMLResponse:
    refusals = refused.refusals if refused else ()
    with desk.workplace.database.reading() as session:
        row = customer_by_number(session, number)
        orders = orders_of_customer(session, row.id)
        prices = prices_of_customer(session, row.id)
        bought = sums_of_customers(session, [row.id])[row.id]
        return desk.page(
            "orders/customer.html",
            "orders",
            status=422 if refused else 200,
            customer=row,
            orders=orders,
            addresses=[one.address for one in addresses_of(session, row.id)],
            prices=prices,
            skus=skus_of(session, [one.product_id for one in prices]),
            lists={"": "the default one", **{one.key: one.name for one in price_lists(session)}},
            list_key=next(
                (one.key for one in price_lists(session) if one.id == row.price_list_id), ""
            ),
            doubles=doubles_of(session, row),
            bought=bought,
            history=history(session, "customer", row.id, 40),
            typed=dict(typed or {}),
            refusals=refusals,
            errors=first_by_field(refusals),
        )


@router.post("/{number}", name="customer_change")
def customer_change(desk: At, form: Form, number: str) -> Response:
    """Saves a customer."""
    try:
        save_customer(desk.workplace, desk.actor, _wish(form), number)
    except Refused as refused:
        return _page(desk, number, refused, form)
    return desk.done(f"/orders/customers/{number}", "The customer is saved.")


@router.post("/{number}/price", name="customer_price")
def customer_price(desk: At, form: Form, number: str) -> Response:
    """Sets or deletes an own price."""
    currency = desk.workplace.firm.currency
    try:
        price = None
        if form.get("deed") != "delete":
            price = (
                parse_amount(form.get("price", ""), currency, "price"),
                currency,
                form.get("with_tax") == "yes",
            )
        set_own_price(desk.workplace, desk.actor, number, form.get("sku", "").strip(), price)
    except Refused as refused:
        return _page(desk, number, refused, form)
    return desk.done(f"/orders/customers/{number}", "The price is saved.")


@router.post("/{number}/merge", name="customer_merge")
def customer_merge(desk: At, form: Form, number: str) -> Response:
    """Merges a double into the customer."""
    try:
        moved = merge_customers(desk.workplace, desk.actor, number, form.get("other", "").strip())
    except Refused as refused:
        return _page(desk, number, refused, form)
    words = f"Merged; {moved} {'order' if moved == 1 else 'orders'} came along."
    return desk.done(f"/orders/customers/{number}", words)


@router.post("/{number}/forget", name="customer_forget")
def customer_forget(desk: At, form: Form, number: str) -> Response:
    """Deletes what is known of a person; the books stay."""
    try:
        forget_customer(desk.workplace, desk.actor, number)
    except Refused as refused:
        return _page(desk, number, refused, form)
    return desk.done("/orders/customers", "The person is forgotten; the books stay.")
