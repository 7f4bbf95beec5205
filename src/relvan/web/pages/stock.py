"""Serves the pages of stock: what lies where, one product's balances and ledger, and movements by
hand.
"""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.catalogue.product import STOCKED
from relvan.core.refusal import Refused
from relvan.core.stock.availability import StockBalance
from relvan.core.stock.movements import BY_HAND
from relvan.core.stock.waterfall import waterfall
from relvan.services.listings.availability import shown_on
from relvan.services.stock.move import MoveStock, move_stock, set_safety, undo_movement
from relvan.services.stock.safety import SafetyChanges, foresee_safety, set_safety_of_many
from relvan.store.catalogue import find_product, product_bins
from relvan.store.coming import coming_of, expected_rows
from relvan.store.counting import count_with_page
from relvan.store.ledger import LedgerFilter, ledger_page
from relvan.store.orders import promised_to
from relvan.store.product_list import count_products, product_page
from relvan.store.stock import stock_by_product, stock_rows, warehouses
from relvan.web.chosen import chosen_products
from relvan.web.desk import At, Desk, Form, first_by_field
from relvan.web.reading import FormReader
from relvan.web.stock_sentence import SORTS, stock_filter, stock_sentence

router = APIRouter(prefix="/stock")
PAGE = 50
COLUMNS = (
    ("title", "Title"),
    ("places", "By warehouse"),
    ("on_hand", "On hand"),
    ("reserved", "Reserved"),
    ("blocked", "Blocked"),
    ("safety", "Safety stock"),
    ("free", "Free"),
)
SHOWN_FIRST = tuple(key for key, _ in COLUMNS)


@router.get("", name="stock_index")
def stock_index(desk: At, after: str = "") -> HTMLResponse:
    """Shows every product in one row, with its warehouses side by side."""
    with desk.workplace.database.reading() as session:
        sentence = stock_sentence(session, desk.request.query_params)
        wanted = stock_filter(sentence)
        products = product_page(session, wanted, after=after, limit=PAGE + 1, sort=sentence.sort)
        rows = stock_by_product(session, products[:PAGE])
        total = count_with_page(products, PAGE, after, lambda: count_products(session, wanted))
        places = [(warehouse.key, warehouse.name) for warehouse in warehouses(session)]
    values: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows,
        "places": places,
        "total": total,
        "more": sentence.url(after=products[PAGE - 1].sku.casefold())
        if len(products) > PAGE
        else "",
        "first": sentence.url() if after else "",
        "columns": COLUMNS,
        "shown_first": SHOWN_FIRST,
        "sorts": SORTS,
    }
    return desk.page(
        "stock/index.html",
        "stock",
        count_view=lambda s, q: count_products(s, stock_filter(stock_sentence(s, q))),
        **values,
    )


@router.post("/foresee/safety", name="stock_foresee_safety")
def stock_foresee_safety(desk: At, form: Form) -> HTMLResponse:
    """Shows what another safety stock of the chosen products would do, before it is set."""
    skus = chosen_products(desk, form)
    with desk.workplace.database.reading() as session:
        places = [(warehouse.key, warehouse.name) for warehouse in warehouses(session)]
    read = FormReader(form)
    units, warehouse = read.whole("units", "Units"), form.get("warehouse", "")
    foreseen = None
    if units is not None and warehouse:
        with desk.workplace.database.reading() as session:
            foreseen = foresee_safety(session, skus, warehouse, units)
    return desk.fragment(
        "stock/_safety.html",
        count=len(skus),
        places=places,
        units=units,
        warehouse=warehouse,
        foreseen=foreseen,
        refusals=read.refusals,
    )


@router.post("/do/safety", name="stock_do_safety")
def stock_do_safety(desk: At, form: Form) -> Response:
    """Sets the safety stock of the chosen products in one warehouse."""
    read = FormReader(form)
    units = read.needed_whole("units", "Units")
    read.raise_if_refused()
    skus, warehouse = chosen_products(desk, form), form.get("warehouse", "")
    verdicts = set_safety_of_many(desk.workplace, desk.actor, dict.fromkeys(skus, units), warehouse)
    return _safety_told(desk, verdicts, warehouse, form.get("back", ""))


@router.post("/do/safety-back", name="stock_safety_back")
def stock_safety_back(desk: At, form: Form) -> Response:
    """Sets the safety stock of products back to what each had."""
    pairs = zip(form.all("sku"), form.ids("was"), strict=True)
    verdicts = set_safety_of_many(
        desk.workplace, desk.actor, dict(pairs), form.get("warehouse", "")
    )
    return _safety_told(desk, verdicts, form.get("warehouse", ""), form.get("back", ""))


def _safety_told(desk: Desk, changed: SafetyChanges, warehouse: str, back: str) -> Response:
    path = back if back.startswith("/stock") else "/stock"
    words = f"Safety stock set for {len(changed.before)} {'product' if len(changed.before) == 1 else 'products'}."
    words += f" {len(changed.same)} had it already." if changed.same else ""
    words += (
        f" {len(changed.refused)} were refused: {' '.join(changed.refused.values())}"
        if changed.refused
        else ""
    )
    fields = [("warehouse", warehouse), ("back", path)]
    for sku, units in changed.before.items():
        fields += [("sku", sku), ("was", str(units))]
    return desk.done(
        path,
        words,
        tone="look" if changed.refused else "good",
        undo_path="/stock/do/safety-back" if changed.before else "",
        undo_fields=fields,
    )


def _stock_page(
    desk: Desk,
    sku: str,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        product = find_product(session, sku)
        rows = stock_rows(session, [product.id])
        here = [
            StockBalance(row.warehouse, row.on_hand, row.reserved, row.blocked, row.safety)
            for row in rows
        ]
        coming = {place: one for (_, place), one in coming_of(session, [product.id]).items()}
        values: dict[str, Any] = {
            "product": product,
            "falls": waterfall(here) if product.kind in STOCKED else (),
            "coming": {
                place.key: coming[place.id] for place in warehouses(session) if place.id in coming
            },
            "expected": expected_rows(session, product.id),
            "promised": promised_to(session, product.id),
            "on_channels": shown_on(session, desk.workplace, product.id),
            "stock": rows,
            "bins": product_bins(session, product.id),
            "today": desk.workplace.local_now().date().isoformat(),
            "movements": ledger_page(session, LedgerFilter(product_id=product.id), limit=60),
            "warehouses": [(warehouse.key, warehouse.name) for warehouse in warehouses(session)],
            "reasons": BY_HAND,
            "typed": typed or {},
            "key": desk.workplace.new_key(),
            "errors": first_by_field(refused.refusals) if refused else {},
            "refusals": refused.refusals if refused else (),
        }
    return desk.page("stock/show.html", "stock", status=status, **values)


@router.post("/undo/{movement_id:int}", name="stock_undo")
def stock_undo(desk: At, form: Form, movement_id: int) -> Response:
    """Undoes a movement."""
    moved = undo_movement(desk.workplace, desk.actor, movement_id)
    back = form.get("back", "")
    path = back if back.startswith(("/products/", "/stock/")) else f"/stock/{moved.sku}"
    return desk.done(
        path, f"Taken back: {moved.on_hand} of {moved.sku} on hand in {moved.warehouse}."
    )


@router.get("/{sku:path}", name="stock_show")
def stock_show(desk: At, sku: str) -> HTMLResponse:
    """Shows one product's balances, bins and ledger."""
    return _stock_page(desk, sku)


@router.post("/{sku:path}/safety", name="stock_safety")
def stock_safety(desk: At, form: Form, sku: str) -> Response:
    """Sets the safety stock of one product."""
    read = FormReader(form)
    units = read.needed_whole("safety", "Safety")
    try:
        read.raise_if_refused()
        set_safety(desk.workplace, desk.actor, sku, form.get("warehouse", ""), units)
    except Refused as refused:
        return _stock_page(desk, sku, status=422, typed=dict(form), refused=refused)
    return desk.done(f"/stock/{sku}", f"{units} of {sku} are kept back.")


@router.post("/{sku:path}", name="stock_move")
def stock_move(desk: At, form: Form, sku: str) -> Response:
    """Adds one movement."""
    read = FormReader(form)
    reason = read.text("reason")
    units = read.needed_whole("units", "Units")
    counts = reason == "count"
    wish = MoveStock(
        sku=sku,
        warehouse=read.text("warehouse"),
        reason=reason,
        change=None if counts else (-units if reason in ("write-off", "unblock") else units),
        counted=units if counts else None,
        bin=read.text("bin"),
        note=read.text("note"),
        request_key=read.text("key")[:60] or None,
        use_by=read.text("use_by"),
    )
    try:
        read.raise_if_refused()
        moved = move_stock(desk.workplace, desk.actor, wish)
    except Refused as refused:
        return _stock_page(desk, sku, status=422, typed=dict(form), refused=refused)
    words = f"{moved.sku}: {moved.on_hand} on hand in {moved.warehouse}, bin {moved.bin}."
    if moved.served:
        words += f" Reserved at last: {', '.join(moved.served)}."
    back = form.get("back", "")
    path = back if back.startswith("/products/") else f"/stock/{sku}"
    return desk.done(
        path, words, undo_path=f"/stock/undo/{moved.movement}", undo_fields=[("back", path)]
    )
