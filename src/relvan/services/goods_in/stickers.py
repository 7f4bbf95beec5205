"""Gathers the labels of bins and of single units that are to be printed."""

from collections.abc import Mapping, Sequence

from relvan.core.papers.stickers import (
    Arrow,
    StickerPaper,
    bin_sticker,
    check_sticker_count,
    unit_sticker,
)
from relvan.core.refusal import not_found
from relvan.documents.stickers import bin_labels_pdf, unit_labels_pdf
from relvan.services.workplace import Workplace
from relvan.store.catalogue import find_product
from relvan.store.stock import bins_of, warehouse_by_key


def bin_labels(
    workplace: Workplace,
    warehouse: str,
    codes: Sequence[str] = (),
    arrow: Arrow = Arrow.NONE,
    paper: StickerPaper = StickerPaper.ROLL,
) -> bytes:
    """Returns the labels of bins of a warehouse as PDF, in the order of the way through it; those of all
    open bins where none are named.

    Raises:
        Refused: if a bin is not there, or there are more than 2,000.
    """
    with workplace.database.reading() as session:
        there = [one.code for one in bins_of(session, warehouse_by_key(session, warehouse).id)]
    wanted = {code.upper() for code in codes}
    strange = wanted - {code.upper() for code in there}
    if strange:
        raise not_found("bin", min(strange))
    chosen = [code for code in there if not wanted or code.upper() in wanted]
    check_sticker_count(chosen)
    return bin_labels_pdf([bin_sticker(code, arrow) for code in chosen], paper)


def unit_labels(
    workplace: Workplace, counts: Mapping[str, int], paper: StickerPaper = StickerPaper.ROLL
) -> bytes:
    """Returns labels for single units of products as PDF, as many of each as are wanted.

    Raises:
        Refused: if a product is not there, or more than 2,000 labels are wanted.
    """
    with workplace.database.reading() as session:
        products = [(find_product(session, sku), count) for sku, count in counts.items()]
    number = range(sum(max(0, count) for _, count in products))
    check_sticker_count(number)
    stickers = [
        unit_sticker(product.sku, product.title, product.gtin)
        for product, count in products
        for _ in range(count)
    ]
    return unit_labels_pdf(stickers, paper)
