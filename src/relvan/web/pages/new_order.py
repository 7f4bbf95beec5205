"""Serves the page on which a person enters an order or an estimate."""

from dataclasses import replace
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.orders.by_hand import OrderKind
from relvan.core.orders.draft import DraftLine, OrderDraft, copy_of
from relvan.core.orders.intake import Address
from relvan.core.orders.trays import Tray
from relvan.core.refusal import Refusal, Refused, not_found
from relvan.services.orders.by_hand import draft_of_order, enter_order
from relvan.services.orders.estimates import enter_estimate
from relvan.services.orders.judge import judge_draft
from relvan.store.customers import addresses_of, customer_by_number, customer_page
from relvan.store.orders import lines_of, order_by_number
from relvan.store.people import active_people
from relvan.store.prices import price_lists
from relvan.store.stock import warehouses
from relvan.web.desk import At, Desk, Form, first_by_field
from relvan.web.order_form import countries, customer_number, hear, read_order_form

router = APIRouter(prefix="/orders/new")


@router.get("", name="order_new")
def order_new(desk: At, copy: str = "", customer: str = "", kind: str = "order") -> HTMLResponse:
    """Shows the empty form; or an order that is copied, or a customer's first address."""
    draft = OrderDraft(kind=OrderKind.ESTIMATE if kind == "estimate" else OrderKind.ORDER)
    with desk.workplace.database.reading() as session:
        if copy:
            order = order_by_number(session, copy)
            draft = copy_of(draft_of_order(session, order, lines_of(session, [order.id])[order.id]))
        if customer:
            row = customer_by_number(session, customer)
            known = addresses_of(session, row.id)
            to = (
                Address.read(known[0].address)
                if known
                else Address(row.name, mail=row.mail, phone=row.phone)
            )
            draft = replace(draft, customer=row.number, ship_to=to)
    return _page(desk, draft)


def _page(desk: Desk, draft: OrderDraft, refused: Refused | None = None) -> HTMLResponse:
    refusals = refused.refusals if refused else ()
    values = {**_values(desk, draft, ()), "errors": first_by_field(refusals), "refusals": refusals}
    return desk.page("orders/new.html", "orders", status=422 if refused else 200, **values)


def _values(desk: Desk, draft: OrderDraft, choices: Any, unread: Any = ()) -> dict[str, Any]:
    judged = judge_draft(desk.workplace, draft)
    with desk.workplace.database.reading() as session:
        lists = price_lists(session)
        customer = judged.customer
        addresses = addresses_of(session, customer.id) if customer else []
        people, places = active_people(session), warehouses(session)
    currencies = [desk.workplace.firm.currency, *(row.currency for row in lists)]
    return {
        "draft": draft,
        "judged": judged,
        "choices": choices,
        "countries": countries(desk),
        "currencies": list(dict.fromkeys(currencies)),
        "addresses": addresses,
        "customer": customer.number if customer else "",
        "people": people,
        "warehouses": places,
        "trays": [
            key for key in desk.workplace.tray_names() if key not in (Tray.CLOSED, Tray.CANCELLED)
        ],
        "errors": first_by_field(unread),
        "refusals": (),
    }


@router.post("/judge", name="order_judge")
def order_judge(desk: At, form: Form) -> HTMLResponse:
    """Shows the lines with what was just read out, their prices, sums and warnings."""
    draft, unread = read_order_form(desk, form)
    with desk.workplace.database.reading() as session:
        spoken = form.get("spoken", "").strip()
        draft, choices = hear(session, draft, spoken)
        if form.get("free_title", "").strip():
            draft = replace(
                draft, lines=(*draft.lines, DraftLine("", 1, form["free_title"].strip()))
            )
    if spoken and not choices and not _heard(draft, form):
        message = f"No product is called “{spoken[:60]}”."
        unread = [
            *unread,
            Refusal("not-found", message, "Correct it, or add it in words.", "spoken"),
        ]
    return desk.fragment("orders/_draft.html", **_values(desk, draft, choices, unread))


def _heard(draft: OrderDraft, form: Form) -> bool:
    before = sum(1 for name in form if name.startswith("quantity-"))
    units = sum(
        int(form[name]) for name in form if name.startswith("quantity-") and form[name].isdigit()
    )
    return len(draft.lines) > before or sum(line.quantity for line in draft.lines) > units


@router.get("/customers", name="order_customers")
def order_customers(desk: At, customer: str = "") -> HTMLResponse:
    """Returns customers who are meant by some letters, for the field's list."""
    with desk.workplace.database.reading() as session:
        rows = customer_page(session, customer, limit=8) if len(customer.strip()) > 1 else []
    return desk.fragment("orders/_customer_options.html", rows=rows)


@router.get("/addresses", name="order_addresses")
def order_addresses(desk: At, customer: str = "") -> HTMLResponse:
    """Shows the addresses to which goods of a customer went, to choose one of them."""
    with desk.workplace.database.reading() as session:
        number = customer_number(session, customer.strip())
        rows = customer_page(session, number, limit=1) if number else []
        known = addresses_of(session, rows[0].id) if rows and rows[0].number == number else []
    return desk.fragment("orders/_known_addresses.html", customer=number, addresses=known)


@router.get("/addresses/chosen", name="order_known_address")
def order_known_address(desk: At, customer: str, address: int) -> HTMLResponse:
    """Fills the fields of the delivery address with one of the customer's."""
    with desk.workplace.database.reading() as session:
        row = customer_by_number(session, customer)
        known = {one.id: one for one in addresses_of(session, row.id)}
    if address not in known:
        raise not_found("address", address)
    to = Address.read(known[address].address)
    return desk.fragment(
        "orders/_address_fields.html",
        to=replace(to, mail=to.mail or row.mail),
        countries=countries(desk),
        errors={},
    )


@router.post("", name="order_enter")
def order_enter(desk: At, form: Form) -> Response:
    """Saves the order or estimate."""
    draft, unread = read_order_form(desk, form)
    try:
        if unread:
            raise Refused(*unread)
        if draft.kind == OrderKind.ESTIMATE:
            made = enter_estimate(desk.workplace, desk.actor, draft)
            return desk.done(f"/orders/estimates/{made.number}", f"Estimate {made.number} is made.")
        made = enter_order(desk.workplace, desk.actor, draft, paid=form.get("paid") == "yes")
    except Refused as refused:
        return _page(desk, draft, refused)
    return desk.done(f"/orders/{made.number}", f"Order {made.number} is taken.")
