"""Reads the form of an order by hand, and finds products as they are read out."""

from dataclasses import replace
from typing import Any

from relvan.core.catalogue.product import ProductKind
from relvan.core.orders.by_hand import OrderKind, heard_line
from relvan.core.orders.draft import DraftLine, OrderDraft
from relvan.core.orders.intake import Address
from relvan.core.refusal import Refusal, Refused
from relvan.core.setup.countries import country_names
from relvan.store.catalogue import products_by_code, skus_of
from relvan.store.customers import customer_page
from relvan.store.product_list import ProductFilter, product_page
from relvan.store.session import Session
from relvan.web.desk import Desk, PostedForm
from relvan.web.reading import FormReader, day_of

MOST_FOUND = 8
ADDRESS_PARTS = ("name", "street", "town", "postcode", "country", "mail", "phone")


def read_order_form(desk: Desk, form: PostedForm) -> tuple[OrderDraft, list[Refusal]]:
    """Returns the draft that a form describes, with what could not be read beside its fields; a
    field that cannot be read is never taken as empty."""
    currency = form.get("currency", "") or desk.workplace.firm.currency
    read, refusals = FormReader(form), list[Refusal]()

    def cents(name: str) -> int | None:
        return read.amount(name, currency)

    def day(name: str) -> Any:
        try:
            return day_of(form.get(name, ""), name)
        except Refused as refused:
            refusals.extend(refused.refusals)
            return None

    lines = []
    for place in _places(form):
        lines.append(
            DraftLine(
                form.get(f"sku-{place}", ""),
                read.whole(f"quantity-{place}", "Units") or 0,
                form.get(f"title-{place}", ""),
                cents(f"price-{place}"),
                cents(f"discount-{place}") or 0,
            )
        )
    with desk.workplace.database.reading() as session:
        customer = customer_number(session, form.get("customer", "").strip())
    draft = OrderDraft(
        customer=customer,
        ship_to=Address(**{part: form.get(part, "").strip() for part in ADDRESS_PARTS}),
        lines=tuple(lines),
        kind=OrderKind.ESTIMATE if form.get("kind") == "estimate" else OrderKind.ORDER,
        currency=currency,
        prices_with_tax=form.get("prices", "with") != "without",
        discount=cents("discount") or 0,
        delivery=cents("delivery") or 0,
        promised=day("promised"),
        reference=form.get("reference", ""),
        salesperson=form.get("salesperson", ""),
        warehouse=form.get("warehouse", ""),
        last_day=day("last_day"),
        tray=form.get("tray", ""),
        overridden={
            name.removeprefix("because-"): value
            for name, value in form.items()
            if name.startswith("because-") and value.strip()
        },
    )
    return draft, [*refusals, *read.refusals]


def _places(form: PostedForm) -> list[int]:
    """Returns the places of the lines in a form, in their order, without the one that is dropped."""
    dropped = form.get("drop", "")
    found = [name.removeprefix("quantity-") for name in form if name.startswith("quantity-")]
    return sorted(int(place) for place in found if place.isdigit() and place != dropped)


def customer_number(session: Session, words: str) -> str:
    """Returns the number of the customer whom somebody named by number, mail or name; of several
    with the same name the words are left as they are, so that they are refused by name."""
    if not words:
        return ""
    found = customer_page(session, words, limit=2)
    exact = [row for row in found if words.lower() in (row.number.lower(), row.mail.lower())]
    if exact:
        return exact[0].number
    return found[0].number if len(found) == 1 else words


def hear(
    session: Session, draft: OrderDraft, spoken: str
) -> tuple[OrderDraft, list[tuple[str, str]]]:
    """Adds what somebody has read out to a draft: by SKU, alias, GTIN or words. Where several products
    are meant, they are returned as (SKU, title) and nothing is added. A product that is the last
    line already gets more units."""
    heard = heard_line(spoken)
    if not heard.words:
        return draft, []
    found = find_products(session, heard.words)
    if len(found) != 1:
        return draft, found
    sku = found[0][0]
    lines = list(draft.lines)
    if lines and lines[-1].sku == sku:
        lines[-1] = replace(lines[-1], quantity=lines[-1].quantity + heard.quantity)
    else:
        lines.append(DraftLine(sku, heard.quantity))
    return replace(draft, lines=tuple(lines)), []


def find_products(session: Session, words: str) -> list[tuple[str, str]]:
    """Returns the products that a code or words mean, as (SKU, title); one where the code is exact."""
    exact = products_by_code(session, [words])
    if exact:
        (product_id, _, _) = next(iter(exact.values()))
        return [(skus_of(session, [product_id])[product_id], "")]
    rows = product_page(session, ProductFilter(words=words), limit=MOST_FOUND)
    return [(row.sku, row.title) for row in rows if row.kind != ProductKind.FAMILY]


def countries(desk: Desk) -> dict[str, str]:
    """Returns the names of countries by their codes, as the seller writes them."""
    return country_names(desk.workplace.firm.locale)
