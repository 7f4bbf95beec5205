"""Serves the page on which the address of an order is changed."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.orders.intake import Address
from relvan.core.refusal import Refused
from relvan.services.orders.readdress import change_address
from relvan.store.orders import order_by_number
from relvan.web.desk import At, Desk, Form, first_by_field
from relvan.web.order_form import ADDRESS_PARTS, countries

router = APIRouter(prefix="/orders")


@router.get("/{number}/address", name="order_address")
def order_address(desk: At, number: str) -> HTMLResponse:
    """Shows the address of an order in a form."""
    with desk.workplace.database.reading() as session:
        to = Address.read(order_by_number(session, number).ship_to)
    return _page(desk, number, to)


def _page(desk: Desk, number: str, to: Address, refused: Refused | None = None) -> HTMLResponse:
    refusals = refused.refusals if refused else ()
    return desk.page(
        "orders/address.html",
        "orders",
        status=422 if refused else 200,
        number=number,
        to=to,
        countries=countries(desk),
        errors=first_by_field(refusals),
        refusals=refusals,
    )


@router.post("/{number}/address", name="order_address_save")
def order_address_save(desk: At, form: Form, number: str) -> Response:
    """Sends the order to another address, and says what of it looks wrong."""
    to = Address(**{part: form.get(part, "").strip() for part in ADDRESS_PARTS})
    try:
        warnings = change_address(desk.workplace, desk.actor, number, to)
    except Refused as refused:
        return _page(desk, number, to, refused)
    words = " ".join(["The order goes to the new address.", *warnings])
    return desk.done(f"/orders/{number}", words)
