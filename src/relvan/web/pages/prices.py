"""Serves the pages of prices: list price, floor and the price that each channel shows, with the
why.
"""

from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.money import as_decimal
from relvan.core.refusal import Refused
from relvan.services.prices.set import set_list_price, set_price_and_floor
from relvan.store.channels import channels
from relvan.store.counting import count_with_page
from relvan.store.floors import SOLD_OF, prices_to_watch
from relvan.store.imports import list_currencies
from relvan.store.listing_list import listings_of_products
from relvan.store.prices import price_lists
from relvan.store.product_list import ProductFilter, count_products, product_page
from relvan.web.desk import At, Desk, Form, first_by_field
from relvan.web.reading import FormReader
from relvan.web.sentence import Chip, Choice, ListKind, read_sentence

router = APIRouter(prefix="/prices")
PAGE = 50
FLOORS = (
    Choice("held", "held by the floor"),
    Choice("below", "shown below their floor"),
    Choice("sold", "sold below their floor in 28 days"),
)


def _prices_page(
    desk: Desk,
    *,
    after: str = "",
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    chips = (
        Chip("floor", "Floor", FLOORS),
        Chip("left", "Margin", (Choice("loss", "sold at a loss"),)),
        Chip("sale", "Sale price", (Choice("yes", "on sale now"),)),
    )
    sentence = read_sentence(
        ListKind("Prices of products", "/prices", hint="SKU or title"),
        chips,
        desk.request.query_params,
    )
    chosen = sentence.chosen
    priced = "loss" if chosen.get("left") else "sale" if chosen.get("sale") else ""
    priced = "below" if chosen.get("floor") == "below" else priced
    since = desk.workplace.now() - SOLD_OF if chosen.get("floor") == "sold" else None
    wanted = ProductFilter(
        words=sentence.words,
        floored=chosen.get("floor") == "held",
        priced=priced,
        sold_below_since=since,
    )
    with desk.workplace.database.reading() as session:
        products = product_page(session, wanted, after=after, limit=PAGE + 1)
        listings = listings_of_products(session, [product.id for product in products[:PAGE]])
        values: dict[str, Any] = {
            "sentence": sentence,
            "rows": products[:PAGE],
            "watched": prices_to_watch(session) if not sentence.query and not after else [],
            "by_product": {(row.sku, row.channel_key): row for row in listings},
            "channels": channels(session),
            "price_list": next(iter(price_lists(session)), None),
            "total": count_with_page(
                products, PAGE, after, lambda: count_products(session, wanted)
            ),
            "more": sentence.url(after=products[PAGE - 1].sku.casefold())
            if len(products) > PAGE
            else "",
            "first": sentence.url() if after else "",
            "typed": typed or {},
            "errors": first_by_field(refused.refusals) if refused else {},
            "refusals": refused.refusals if refused else (),
        }
    return desk.page("prices/index.html", "prices", status=status, **values)


@router.get("", name="price_index")
def price_index(desk: At, after: str = "") -> HTMLResponse:
    """Shows every product with its list price and the price that each channel shows."""
    return _prices_page(desk, after=after)


@router.post("", name="price_set")
def price_set(desk: At, form: Form) -> Response:
    """Saves one list price, and the floor when it is given."""
    read = FormReader(form)
    sku, own = read.text("sku"), desk.workplace.firm.currency
    with desk.workplace.database.reading() as session:
        currency = list_currencies(session).get(read.text("list"), own)
    amount, floor = read.amount("amount", currency), read.amount("floor", own)
    try:
        read.raise_if_refused()
        if "floor" in form:
            before = set_price_and_floor(
                desk.workplace, desk.actor, sku, read.text("list"), amount, floor
            )
        else:
            before = set_list_price(desk.workplace, desk.actor, sku, read.text("list"), amount)
    except Refused as refused:
        return _prices_page(desk, status=422, typed=dict(form), refused=refused)
    words = (
        f"{sku} has a new list price." if amount is not None else f"{sku} has no list price now."
    )
    path = f"/prices?{urlencode({'q': read.text('q')})}" if read.text("q") else "/prices"
    was = "" if before is None else str(as_decimal(before, currency))
    undo = [("sku", sku), ("list", read.text("list")), ("q", read.text("q")), ("amount", was)]
    return desk.done(path, words, undo_path="/prices", undo_fields=undo)
