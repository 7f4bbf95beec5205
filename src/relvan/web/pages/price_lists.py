"""Serves price lists as a sheet: every product a row, every list a column, with breaks and the
margin beside them.
"""

from decimal import Decimal
from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, JSONResponse, Response

from relvan.core.catalogue.keyed import Keyed, break_place
from relvan.core.catalogue.product import ProductKind
from relvan.core.money import MINOR_DIGITS, as_decimal
from relvan.core.prices.margin import Margin, margin_of
from relvan.core.refusal import Refused
from relvan.core.why import Why
from relvan.services.prices.lists import NewPriceList, TypedPrice, add_price_list, set_prices
from relvan.store.catalogue import find_product
from relvan.store.categories import category_paths
from relvan.store.counting import count_with_page
from relvan.store.facts import facts_by_id, whole_facts
from relvan.store.prices import price_list_by_key, price_lists
from relvan.store.product_list import ProductFilter, count_products, product_page
from relvan.web.desk import At, Desk, Form, first_by_field, whole_id
from relvan.web.passing_chips import product_gap_chips
from relvan.web.product_sentence import gap_part
from relvan.web.sentence import Chip, Choice, ListKind, read_sentence
from relvan.web.whys import why_page

router = APIRouter(prefix="/prices/lists")
PAGE = 50


def _price_lists_page(
    desk: Desk, *, after: str = "", status: int = 200, **values: Any
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        own = category_paths(session)
        passing = product_gap_chips(session, desk.request.query_params)
    kinds = tuple(
        Choice(str(k), f"that are {k}s") for k in ("single", "variant", "family", "kit", "service")
    )
    chips = (
        Chip("category", "Category", tuple(Choice(name, f"in {name}") for name in own)),
        Chip("kind", "Kind", kinds),
        *passing,
    )
    sentence = read_sentence(
        ListKind("Price lists", "/prices/lists", hint="SKU or title"),
        chips,
        desk.request.query_params,
    )
    wanted = ProductFilter(
        words=sentence.words,
        category=sentence.chosen.get("category", ""),
        kind=sentence.chosen.get("kind", ""),
        **gap_part(sentence),
    )
    with desk.workplace.database.reading() as session:
        lists = price_lists(session)
        products = product_page(session, wanted, after=after, limit=PAGE + 1)
        own_facts = facts_by_id(session, [row.id for row in products[:PAGE]])
        whole = whole_facts(session, own_facts)
        total = count_with_page(products, PAGE, after, lambda: count_products(session, wanted))
    currency_of = {one.key: one.currency for one in lists}
    rows = [
        (
            row,
            own_facts[row.id],
            {one.key: _margin(desk, whole[row.id], one) for one in lists},
            _breaks(own_facts[row.id], currency_of),
        )
        for row in products[:PAGE]
    ]
    more = sentence.url(after=products[PAGE - 1].sku.casefold()) if len(products) > PAGE else ""
    shown: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows,
        "lists": lists,
        "total": total,
        "more": more,
        "first": sentence.url() if after else "",
        "currencies": sorted(MINOR_DIGITS),
        "errors": {},
        "typed": {},
        "refusals": (),
    }
    return desk.page("prices/lists.html", "prices", status=status, **{**shown, **values})


def _margin(desk: Desk, facts: dict[str, Any], price_list: Any) -> str:
    """Returns the margin on a list in words; empty where price or cost is unknown, or in another
    currency than the cost.
    """
    amount, cost = facts.get(Keyed.PRICE.fact(price_list.key)), facts.get("cost")
    if amount is None or cost is None or price_list.currency != desk.workplace.firm.currency:
        return ""
    tax = str(facts.get("tax_code") or "standard")
    return _margin_of(desk, amount, cost, tax, price_list).words


def _margin_of(desk: Desk, amount: int, cost: int, tax: str, price_list: Any) -> Margin:
    return margin_of(
        amount,
        cost,
        tax_code=tax,
        tax_inside=price_list.tax_inside,
        tax_percent=desk.workplace.home_tax(),
    )


def _breaks(facts: dict[str, Any], currency_of: dict[str, str]) -> list[tuple[str, int, Decimal]]:
    """Returns (list, from how many units, amount in units of the list's currency)."""
    found = []
    for name, amount in facts.items():
        if Keyed.BREAK.has(name):
            key, least = break_place(name)
            found.append((key, least, as_decimal(amount, currency_of[key])))
    return sorted(found)


@router.get("", name="price_list_index")
def price_list_index(desk: At, after: str = "") -> HTMLResponse:
    """Shows the sheet."""
    return _price_lists_page(desk, after=after)


@router.post("", name="price_list_add")
def price_list_add(desk: At, form: Form) -> Response:
    """Creates a price list."""
    wish = NewPriceList(
        form.get("key", ""),
        form.get("name", ""),
        form.get("currency", ""),
        form.get("tax_inside") == "yes",
    )
    try:
        key = add_price_list(desk.workplace, desk.actor, wish)
    except Refused as refused:
        errors = first_by_field(refused.refusals)
        return _price_lists_page(
            desk, status=422, errors=errors, typed=dict(form), refusals=refused.refusals
        )
    return desk.done("/prices/lists", f"The price list {key} is there.")


@router.post("/cells", name="price_cells")
def price_cells(desk: At, form: Form) -> JSONResponse:
    """Saves cells of the sheet when they are left or pasted into, with a verdict for each product."""
    lines = zip(
        form.all("subject"), form.all("column"), form.all("value"), form.all("least"), strict=False
    )
    cells, items = [], []
    for sku, key, price, typed in lines:
        least = whole_id(typed or "1")
        if least:
            cells.append(TypedPrice(sku, key, price, least))
        else:
            message = f"“From how many units” must be a whole number from 1; it got “{typed[:20]}”."
            items.append({"subject": sku, "ok": False, "message": message})
    verdicts = set_prices(desk.workplace, desk.actor, cells)
    items += [
        {"subject": v.subject, "ok": v.ok, "message": f"{v.message} {v.fix}".strip()}
        for v in verdicts
    ]
    return JSONResponse({"items": items})


@router.get("/margin", name="price_margin")
def price_margin(desk: At, sku: str, key: str) -> HTMLResponse:
    """Shows why the margin is what it is."""
    with desk.workplace.database.reading() as session:
        product = find_product(session, sku)
        price_list = price_list_by_key(session, key)
        facts = whole_facts(session, facts_by_id(session, [product.id]))[product.id]
    amount, cost = facts.get(Keyed.PRICE.fact(key)), facts.get("cost")
    if amount is None or cost is None:
        why = Why().then("Margin", "not known", "it needs a price and a cost")
    else:
        tax = str(facts.get("tax_code") or "standard")
        why = _margin_of(desk, amount, cost, tax, price_list).why
    links = [
        ("The product", f"/products/{sku}"),
        ("This list", f"/prices/lists?{urlencode({'q': sku})}"),
    ]
    if product.kind == ProductKind.KIT:
        links.append(("Its parts", f"/products/{sku}#parts"))
    return why_page(desk, f"Margin of {sku} on {price_list.name}", why, links)
