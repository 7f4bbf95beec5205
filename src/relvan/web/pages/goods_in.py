"""Serves goods in, where everything is done by scanning, and the labels of bins and units."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.orders.returns import ReturnTo
from relvan.core.papers.stickers import Arrow, StickerPaper
from relvan.core.refusal import Refused, not_found
from relvan.services.goods_in.scan import GoodsScanned, Hand, goods_in_hand, scan_goods
from relvan.services.goods_in.stickers import bin_labels, unit_labels
from relvan.services.stock.coming import end_expected
from relvan.store.coming import expected_rows
from relvan.store.returns import expected_returns
from relvan.store.stock import warehouses
from relvan.web.desk import At, Desk, Form, PostedForm, last_try
from relvan.web.printed import printed
from relvan.web.reading import FormReader
from relvan.web.words import RETURN_PLACES

router = APIRouter()
MOST_SHOWN = 100


@router.get("/dispatch/goods-in", name="goods_in_show")
def goods_in_show(desk: At, warehouse: str = "", back: str = "") -> HTMLResponse:
    """Shows what is expected, and asks for the first scan."""
    return _page(desk, GoodsScanned(Hand(warehouse, back=back)))


def _page(desk: Desk, scanned: GoodsScanned, refused: Refused | None = None) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        places = [(one.key, one.name) for one in warehouses(session) if not one.centre]
        warehouse = scanned.hand.warehouse or (places[0][0] if places else "")
        expected = [row for row in expected_rows(session) if row.warehouse_key == warehouse]
        backs = expected_returns(session, MOST_SHOWN)
    values: dict[str, Any] = {
        "hand": scanned.hand,
        "warehouse": warehouse,
        "warehouses": places,
        "scanned": scanned,
        "expected": expected[:MOST_SHOWN],
        "returns": backs,
        "to": RETURN_PLACES,
        **last_try({}, refused),
    }
    return desk.page("dispatch/goods_in.html", "dispatch", status=422 if refused else 200, **values)


@router.post("/dispatch/goods-in", name="goods_in_scan")
def goods_in_scan(desk: At, form: Form) -> Response:
    """Takes a scan."""
    hand = _hand(form)
    try:
        return _page(desk, scan_goods(desk.workplace, desk.actor, hand, form.get("code", "")))
    except Refused as refused:
        return _page(desk, GoodsScanned(hand, goods_in_hand(desk.workplace, hand)), refused)


def _hand(form: PostedForm) -> Hand:
    to = form.get("to", ReturnTo.STOCK)
    if to not in set(ReturnTo):
        raise not_found("place for goods", to)
    units = FormReader(form).whole("units", "Units") or 0
    names = ("warehouse", "sku", "key", "back")
    warehouse, sku, key, back = (form.get(name, "") for name in names)
    return Hand(warehouse, sku, units, key, back, ReturnTo(to), form.get("use_by", ""))


@router.post("/dispatch/goods-in/end", name="goods_in_end")
def goods_in_end(desk: At, form: Form) -> Response:
    """Ends receipts of which nothing more comes."""
    ids = form.ids("receipt")
    for receipt_id in ids:
        end_expected(desk.workplace, desk.actor, receipt_id)
    path = f"/dispatch/goods-in?warehouse={form.get('warehouse', '')}"
    return desk.done(path, "Nothing more is expected of it.")


@router.get("/stockroom/bin-labels.pdf", name="bin_labels_show")
def bin_labels_show(desk: At, warehouse: str, arrow: str = "none", paper: str = "roll") -> Response:
    """Returns the labels of bins, to print: those that are named, else all."""
    codes = desk.request.query_params.getlist("bin")
    codes = [code for text in codes for code in text.replace(",", " ").split()]
    content = bin_labels(desk.workplace, warehouse, codes, _arrow(arrow), _paper(paper))
    return printed(content)


@router.get("/products/{sku:path}/labels.pdf", name="unit_labels_show")
def unit_labels_show(desk: At, sku: str, count: int = 1, paper: str = "roll") -> Response:
    """Returns labels for units of a product, to print."""
    return printed(unit_labels(desk.workplace, {sku: count}, _paper(paper)))


def _arrow(name: str) -> Arrow:
    if name not in set(Arrow):
        raise not_found("arrow", name)
    return Arrow(name)


def _paper(name: str) -> StickerPaper:
    if name not in set(StickerPaper):
        raise not_found("paper", name)
    return StickerPaper(name)
