"""Prints labels for bins and for single units, one after the other on a roll or on sheets of A4."""

import io
from collections.abc import Sequence

from barcode import EAN13, UPCA, Code128, Gs1_128
from barcode.ean import EuropeanArticleNumber8
from barcode.writer import SVGWriter
from markupsafe import Markup

from relvan.core.papers.stickers import BinSticker, StickerPaper, UnitSticker
from relvan.documents.paper import paper, plain_drawing

# width and height of a label on the roll in millimetres
BIN_SIZE, UNIT_SIZE = (100, 50), (62, 29)


def bin_labels_pdf(stickers: Sequence[BinSticker], on: StickerPaper) -> bytes:
    """Returns the labels of bins as PDF: code, Code 128 barcode and arrow."""
    told = [(one, symbol_of("Code 128", one.code, 18.0, 0.4)) for one in stickers]
    return paper("bin_labels.html", stickers=told, size=BIN_SIZE, sheet=on == StickerPaper.SHEET)


def unit_labels_pdf(stickers: Sequence[UnitSticker], on: StickerPaper) -> bytes:
    """Returns the labels of units as PDF: words, SKU and barcode."""
    known = {one.code: symbol_of(one.kind, one.code, 8.0) for one in set(stickers)}
    told = [(one, known[one.code]) for one in stickers]
    return paper("unit_labels.html", stickers=told, size=UNIT_SIZE, sheet=on == StickerPaper.SHEET)


def symbol_of(kind: str, code: str, height_mm: float, module_mm: float = 0.25) -> Markup:
    """Returns a barcode as SVG: EAN-13, EAN-8 and UPC-A in their own symbols, a GTIN of 14 digits as
    GS1-128, and anything else as Code 128; nothing for a code that cannot be drawn."""
    if not code.isascii() or not code.isprintable():
        return Markup("")
    options = {"module_height": height_mm, "quiet_zone": 3.0, "write_text": False}
    writer = SVGWriter()
    try:
        if kind == "EAN-13":
            symbol = EAN13(code, writer=writer)
        elif kind == "EAN-8":
            symbol = EuropeanArticleNumber8(code, writer=writer)
        elif kind == "UPC-A":
            symbol = UPCA(code, writer=writer)
        elif kind == "GS1-128":
            symbol = Gs1_128(f"01{code}", writer=writer)
        else:
            symbol = Code128(code, writer=writer)
        out = io.BytesIO()
        module = 0.33 if kind.startswith(("EAN", "UPC")) else module_mm
        symbol.write(out, options={**options, "module_width": module})
    except ValueError:
        return Markup("")
    return Markup(plain_drawing(out.getvalue().decode()))  # drawn here, from a code
