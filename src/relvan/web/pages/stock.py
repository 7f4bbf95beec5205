"""Stock: what lies where, one product's balances and ledger, and moving stock by hand."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.catalogue.product import STOCKED
from relvan.core.refusal import Refused
from relvan.core.stock.availability import Balance
from relvan.core.stock.movements import BY_HAND
from relvan.core.stock.waterfall import waterfall
from relvan.services.stock.availability import shown_on
from relvan.services.stock.move import MoveStock, move_stock, set_safety, undo_movement
from relvan.store.catalogue import find_product, product_bins
from relvan.store.coming import coming_of, expected_rows
from relvan.store.ledger import LedgerFilter, ledger_page
from relvan.store.orders import promised_to
from relvan.store.product_list import ProductFilter, count_products, product_page
from relvan.store.stock import stock_rows, warehouses
from relvan.web.desk import At, Desk, Form, first_by_field
from relvan.web.passing_chips import product_gap_chips
from relvan.web.product_sentence import gap_part
from relvan.web.reading import FormReader
from relvan.web.sentence import Chip, Choice, read_sentence

router = APIRouter(prefix="/stock")
PAGE = 50
COLUMNS = (
    ("title", "Title"),
    ("on_hand", "On hand"),
    ("reserved", "Reserved"),
    ("blocked", "Blocked"),
    ("safety", "Safety"),
    ("free", "Free"),
)
SHOWN_FIRST = tuple(key for key, _ in COLUMNS)


@router.get("", name="stock_index")
def stock_index(desk: At, after: str = "") -> HTMLResponse:
    """Every product, with its balance in each warehouse."""
    query = desk.request.query_params
    with desk.workplace.database.reading() as session:
        passing = product_gap_chips(session, query)
    chips = (
        Chip("stock", "Stock", (Choice("yes", "with free stock"), Choice("no", "without free stock"))),
        Chip("blocked", "Blocked", (Choice("yes", "with blocked units"),)),
        *passing,
    )
    sentence = read_sentence("Stock of products", "/stock", chips, query, hint="SKU or title")
    in_stock = {"yes": True, "no": False}.get(sentence.chosen.get("stock", ""))
    wanted = ProductFilter(sentence.words, in_stock=in_stock, blocked=bool(sentence.chosen.get("blocked")),
                           stocked=True, **gap_part(sentence))  # fmt: skip
    with desk.workplace.database.reading() as session:
        products = product_page(session, wanted, after=after, limit=PAGE + 1)
        rows = stock_rows(session, [product.id for product in products[:PAGE]])
        total = count_products(session, wanted)
    values: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows,
        "total": total,
        "more": sentence.url(after=products[PAGE - 1].sku.casefold()) if len(products) > PAGE else "",
        "first": sentence.url() if after else "",
        "columns": COLUMNS,
        "shown_first": SHOWN_FIRST,
    }
    return desk.page("stock/index.html", "stock", **values)


def _show(
    desk: Desk, sku: str, *, status: int = 200, typed: dict[str, str] | None = None, refused: Refused | None = None
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        product = find_product(session, sku)
        rows = stock_rows(session, [product.id])
        here = [Balance(row.warehouse, row.on_hand, row.reserved, row.blocked, row.safety) for row in rows]
        coming = {place: one for (_, place), one in coming_of(session, [product.id]).items()}
        values: dict[str, Any] = {
            "product": product,
            "falls": waterfall(here) if product.kind in STOCKED else (),
            "coming": {place.key: coming[place.id] for place in warehouses(session) if place.id in coming},
            "expected": expected_rows(session, product.id),
            "promised": promised_to(session, product.id),
            "on_channels": shown_on(session, desk.workplace, product.id),
            "stock": rows,
            "bins": product_bins(session, product.id),
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
    """Take a movement back."""
    moved = undo_movement(desk.workplace, desk.actor, movement_id)
    back = form.get("back", "")
    path = back if back.startswith(("/products/", "/stock/")) else f"/stock/{moved.sku}"
    return desk.done(path, f"Taken back: {moved.on_hand} of {moved.sku} on hand in {moved.warehouse}.")


@router.get("/{sku:path}", name="stock_show")
def stock_show(desk: At, sku: str) -> HTMLResponse:
    """One product's balances, bins and ledger."""
    return _show(desk, sku)


@router.post("/{sku:path}/safety", name="stock_safety")
def stock_safety(desk: At, form: Form, sku: str) -> Response:
    """How many are kept back."""
    read = FormReader(form)
    units = read.needed_whole("safety", "Safety")
    try:
        read.raise_if_refused()
        set_safety(desk.workplace, desk.actor, sku, form.get("warehouse", ""), units)
    except Refused as refused:
        return _show(desk, sku, status=422, typed=dict(form), refused=refused)
    return desk.done(f"/stock/{sku}", f"{units} of {sku} are kept back.")


@router.post("/{sku:path}", name="stock_move")
def stock_move(desk: At, form: Form, sku: str) -> Response:
    """Write one movement."""
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
    )
    try:
        read.raise_if_refused()
        moved = move_stock(desk.workplace, desk.actor, wish)
    except Refused as refused:
        return _show(desk, sku, status=422, typed=dict(form), refused=refused)
    words = f"{moved.sku}: {moved.on_hand} on hand in {moved.warehouse}, bin {moved.bin}."
    if moved.served:
        words += f" Reserved at last: {', '.join(moved.served)}."
    back = form.get("back", "")
    path = back if back.startswith("/products/") else f"/stock/{sku}"
    return desk.done(path, words, undo_path=f"/stock/undo/{moved.movement}", undo_fields=[("back", path)])
