"""Serves goods in over HTTP: scans, receiving against what is expected, and labels of bins and units."""

from typing import Annotated, Any

from fastapi import Query
from fastapi.responses import Response
from pydantic import Field

from relvan.api.described import described, described_text
from relvan.api.desk import By, OneOf, api_router, gives_file
from relvan.api.shapes import Shape, UseBy
from relvan.core.orders.returns import ReturnTo
from relvan.core.papers.stickers import Arrow, StickerPaper
from relvan.core.setup.warehouses import KEY
from relvan.core.stock.putting_away import PutAway
from relvan.services.goods_in.scan import Hand, bins_for, scan_goods
from relvan.services.goods_in.stickers import bin_labels, unit_labels
from relvan.services.stock.coming import ReceiveGoods, receive_goods

router = api_router(tags=["stock"])
Code = Annotated[str, Field(max_length=100)]
WarehouseKey = Annotated[str, described_text(KEY, 40)]
ArrowName = Annotated[str, OneOf("arrow", tuple(str(one) for one in Arrow))]
PaperName = Annotated[str, OneOf("paper", tuple(str(one) for one in StickerPaper))]


class GoodsInScan(Shape):
    """A scan at goods in, with what was in the hand before as the last answer gave it: goods, a number of
    units, a bin, or the number of a return."""

    warehouse: WarehouseKey
    code: Code
    sku: Code = ""
    units: int = Field(default=0, ge=0, le=10**9)
    key: Code = ""
    back: Code = ""
    to: Annotated[str, described(ReturnTo)] = "stock"
    use_by: UseBy = ""


class GoodsReceipt(Shape):
    """Units of a product that have come into a bin; under one key they come once."""

    sku: Code
    warehouse: WarehouseKey
    units: int = Field(ge=1, le=10**9)
    bin: Code
    key: str = Field(min_length=8, max_length=100)
    use_by: UseBy = ""


def _bins(bins: list[PutAway]) -> list[dict[str, Any]]:
    return [{"bin": one.code, "units": one.units, "why": one.why} for one in bins]


@router.post("/goods-in/scan")
def post_goods_scan(by: By, wish: GoodsInScan) -> dict[str, Any]:
    """Takes a scan. Goods stay in the hand until their bin is scanned; only then anything is written."""
    told = wish.model_dump(exclude={"code", "to"})
    to = ReturnTo(wish.to) if wish.to in set(ReturnTo) else ReturnTo.STOCK
    scanned = scan_goods(by.workplace, by.actor, Hand(**told, to=to), wish.code)
    goods = scanned.goods
    return {
        "hand": {**vars(scanned.hand), "to": str(scanned.hand.to)},
        "said": goods.said if goods else None,
        "look": goods.look if goods else False,
        "bins": _bins([*goods.bins]) if goods else [],
        "done": scanned.done or None,
        "still_expected": [*scanned.open_receipts],
    }


@router.post("/goods-in")
def post_goods_in(by: By, wish: GoodsReceipt) -> dict[str, Any]:
    """Receives goods against what is expected of them, the soonest first, in one go."""
    receipt = ReceiveGoods(wish.sku, wish.warehouse, wish.units, wish.bin, wish.key, wish.use_by)
    return {"still_expected": receive_goods(by.workplace, by.actor, receipt)}


@router.get("/goods-in/bins")
def get_bins_for_goods(
    by: By, sku: str, warehouse: str, units: Annotated[int, Query(ge=1, le=10**9)] = 1
) -> dict[str, Any]:
    """Returns the bins into which units of a product are put, with the reason for each."""
    return {"items": _bins(bins_for(by.workplace, sku, warehouse, units)), "next": None}


@router.get("/warehouses/{warehouse}/bin-labels.pdf", **gives_file("application/pdf"))
def get_bin_labels(
    by: By,
    warehouse: str,
    bin: Annotated[list[str], Query(max_length=2000)] = [],  # noqa: B006
    arrow: ArrowName = "none",
    paper: PaperName = "roll",
) -> Response:
    """Returns the labels of bins: those that are named, else all that are open. `arrow` is none, up, down
    or level (by the level in the code of the bin); `paper` is roll or A4."""
    content = bin_labels(
        by.workplace, warehouse, bin, Arrow(arrow or "none"), StickerPaper(paper or "roll")
    )
    return Response(content, media_type="application/pdf")


@router.get("/products/{sku:path}/labels.pdf", **gives_file("application/pdf"))
def get_unit_labels(
    by: By,
    sku: str,
    count: Annotated[int, Query(ge=1, le=2000)] = 1,
    paper: PaperName = "roll",
) -> Response:
    """Returns labels for single units of a product, with its barcode."""
    content = unit_labels(by.workplace, {sku: count}, StickerPaper(paper or "roll"))
    return Response(content, media_type="application/pdf")
