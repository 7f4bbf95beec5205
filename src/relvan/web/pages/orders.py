"""Serves the order desk: the list of orders, and deeds on one or many."""

from collections import Counter
from collections.abc import Mapping
from typing import Any
from urllib.parse import parse_qsl

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.orders.deeds import OrderDeed, read_deed
from relvan.core.orders.trays import Tray
from relvan.core.refusal import refuse
from relvan.services.orders.foresee import foresee_orders, in_short
from relvan.store.centres import centres
from relvan.store.counting import count_with_page
from relvan.store.mailing import texts_for_orders
from relvan.store.order_list import (
    count_orders,
    order_numbers,
    order_page,
    stuck_in_trays,
    worth_of_orders,
)
from relvan.store.order_paths import SORTING
from relvan.store.orders import orders_by_numbers
from relvan.store.people import active_people
from relvan.store.trays import all_tags, tags_of
from relvan.web.addresses import address_of
from relvan.web.desk import At, Desk, Form, PostedForm
from relvan.web.order_deeds import BUTTONS, LIST_DEEDS, MORE_DEEDS
from relvan.web.order_sentence import orders_filter, orders_sentence

router = APIRouter(prefix="/orders")
PAGE = 50
MOST_AT_ONCE = 1_000
COLUMNS = (
    ("placed", "Placed"),
    ("channel", "Channel"),
    ("customer", "Customer"),
    ("country", "To"),
    ("units", "Units"),
    ("total", "Total"),
    ("tray", "Tray"),
    ("since", "There since"),
    ("open", "Open"),
    ("assigned", "Assigned to"),
)
SHOWN_FIRST = ("placed", "channel", "customer", "country", "units", "total", "tray", "open")


@router.get("", name="order_index")
def order_index(desk: At, after: int = 0) -> HTMLResponse:
    """Shows the list."""
    sentence = orders_sentence(desk, desk.request.query_params)
    wanted = orders_filter(desk, sentence)
    with desk.workplace.database.reading() as session:
        rows = order_page(session, wanted, after=after, limit=PAGE + 1, sort=sentence.sort)
        total = count_with_page(rows, PAGE, after, lambda: count_orders(session, wanted))
        stuck = stuck_in_trays(session)
        tags = tags_of(session, [row.id for row in rows[:PAGE]])
    values: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows[:PAGE],
        "tags": tags,
        "total": total,
        "stuck": stuck,
        "trays": _open_trays(desk),
        "list_deeds": [(deed, BUTTONS[deed]) for deed in LIST_DEEDS],
        "more_deeds": [(deed, BUTTONS[deed]) for deed in MORE_DEEDS],
        "more": sentence.url(after=str(rows[PAGE - 1].id)) if len(rows) > PAGE else "",
        "first": sentence.url() if after else "",
        "columns": COLUMNS,
        "shown_first": SHOWN_FIRST,
        "sorts": SORTING.names(),
        "today": desk.workplace.local_now().date().isoformat(),
    }

    def count_view(session: Any, query: Mapping[str, str]) -> Any:
        return worth_of_orders(session, orders_filter(desk, orders_sentence(desk, query)))

    return desk.page("orders/index.html", "orders", count_view=count_view, **values)


def _open_trays(desk: Desk) -> list[str]:
    """Returns the keys of the trays whose orders wait for somebody, in their order."""
    names = desk.workplace.tray_names()
    return [key for key in names if key not in (Tray.CLOSED, Tray.CANCELLED)]


def chosen_orders(desk: Desk, form: PostedForm) -> list[str]:
    """Returns the numbers ticked; or those of all orders that the sentence of the page matches when
    `all` is ticked, the oldest first.
    """
    if not form.get("all"):
        return list(dict.fromkeys(form.all("pick")))
    query = dict(parse_qsl(form.get("query", "")))
    wanted = orders_filter(desk, orders_sentence(desk, query, strict=True))
    with desk.workplace.database.reading() as session:
        numbers = order_numbers(session, wanted, MOST_AT_ONCE + 1)
    if len(numbers) > MOST_AT_ONCE:
        message = f"More than {MOST_AT_ONCE:,} orders match, which is more than one deed takes."
        raise refuse("too-many", message, "Narrow the list down, and do it in parts.", "pick")
    return numbers


@router.post("/foresee/{deed}", name="order_foresee")
def order_foresee(desk: At, form: Form, deed: str) -> HTMLResponse:
    """Shows what an action would do to the chosen orders, with the fields that it needs."""
    wanted = read_deed(deed)
    foreseen = foresee_orders(desk.workplace, wanted, chosen_orders(desk, form))
    would = Counter(in_short(wanted, one.answer) for one in foreseen)
    ready = sum(one.answer.does for one in foreseen)
    with desk.workplace.database.reading() as session:
        people, tags = active_people(session), all_tags(session)
        choices = texts_for_orders(session)
        places = centres(session)
    return desk.fragment(
        "orders/_foresee.html",
        deed=wanted,
        would=would,
        ready=ready,
        count=len(foreseen),
        button=BUTTONS[wanted],
        people=people,
        tags=tags,
        mail_choices=choices,
        centres=[(place.key, place.name) for place in places],
        trays=[key for key in desk.workplace.tray_names() if key != Tray.CANCELLED],
    )


@router.post("/do/{deed}", name="order_deed")
def order_deed(desk: At, form: Form, deed: str) -> Response:
    """Carries out an action on the chosen orders."""
    wanted = read_deed(deed)
    button, numbers = BUTTONS[wanted], chosen_orders(desk, form)
    undo = _how_it_was(desk, wanted, numbers)
    told = {name: form.get(name, "").strip() for name in button.fields}
    verdicts = button.deed(desk.workplace, desk.actor, numbers, told)
    if button.undo and not undo:
        undo = [
            (name, value) for name, value in told.items() if name in BUTTONS[button.undo].fields
        ]
    back_deed = button.undo or (wanted if undo else None)
    return desk.verdicts(
        _back(form.get("back", "")),
        verdicts,
        _told(desk, wanted, told),
        undo_path=address_of("order_deed", deed=back_deed) if back_deed else "",
        undo_fields=undo,
    )


def _told(desk: Desk, deed: OrderDeed, told: Mapping[str, str]) -> str:
    if deed == OrderDeed.MOVE:
        return f"Moved to {desk.workplace.tray_names()[told['tray']][0]}"
    return BUTTONS[deed].done


def _how_it_was(desk: Desk, deed: OrderDeed, numbers: list[str]) -> list[tuple[str, str]]:
    """Returns the field that brings back what a move or an assignment changes, where it was the
    same for all orders."""
    if deed not in (OrderDeed.MOVE, OrderDeed.ASSIGN):
        return []
    with desk.workplace.database.reading() as session:
        orders = orders_by_numbers(session, numbers)
        logins = {person.id: person.login for person in active_people(session)}
    if deed == OrderDeed.MOVE:
        before = {("tray", order.tray) for order in orders}
    else:
        before = {("login", logins.get(order.assigned_id or 0, "")) for order in orders}
    return list(before) if len(before) == 1 else []


def _back(path: str) -> str:
    return path if path.startswith("/orders") else "/orders"
