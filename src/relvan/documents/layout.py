"""Prints papers in the seller's own layout."""

import io
from collections.abc import Sequence
from functools import partial
from html import escape, unescape
from re import Match

import segno
from barcode import Gs1_128
from barcode.writer import SVGWriter

from relvan.core.papers.layouts import DRAWN, SIZES, PaperSize
from relvan.documents.paper import Enclosed, barcode, pdf_of, plain_drawing

STYLE = """
body { font: 10pt/1.4 sans-serif; color: #000; margin: 0 }
h1 { font-size: 16pt; margin: 0 0 2mm } h2 { font-size: 12pt; margin: 3mm 0 1mm } p { margin: 2mm 0 }
table { border-collapse: collapse; width: 100%; margin-top: 3mm }
th { text-align: left; border-bottom: 1pt solid #000; padding: 1mm 1.5mm; font-size: 8.5pt }
td { border-bottom: .4pt solid #999; padding: 1.2mm 1.5mm; vertical-align: top }
.code { font-family: monospace } .small { font-size: 8pt } .big { font-size: 13pt }
.right { text-align: right } th.right, td.right { padding-right: 5mm }
.center { text-align: center } .box { border: .8pt solid #000; padding: 2mm }
.two, .top { display: flex; justify-content: space-between; gap: 6mm }
.page { break-after: page } .page:last-child { break-after: auto }
svg { max-width: 100% } .logo { max-width: 50mm; max-height: 18mm }
"""


def with_drawings(html: str, logo: str = "") -> str:
    """Returns a page with its codes drawn as SVG, and with the logo, which is given as a data address; a
    code that cannot be drawn stays as text."""
    return DRAWN.sub(partial(_drawing, logo), html)


def _drawing(logo: str, found: Match[str]) -> str:
    kind, code = found[1], unescape(found[2])
    if kind == "logo":
        return f'<img class="logo" src="{escape(logo)}" alt="">' if logo else ""
    try:
        if kind == "qr":
            return str(segno.make(code, micro=False).svg_inline(scale=2, omitsize=False))
        if kind == "gs1":
            out = io.BytesIO()
            options = {"module_width": 0.3, "module_height": 9.0, "write_text": False}
            Gs1_128(code, writer=SVGWriter()).write(out, options=options)
            return plain_drawing(out.getvalue().decode())
    except ValueError:
        return found[2]
    return str(barcode(code)) or found[2]


def layout_pdf(
    pages: Sequence[tuple[str, PaperSize]], enclosed: Enclosed | None = None, logo: str = ""
) -> bytes:
    """Returns pages of safe HTML as one PDF, each in its own size and beginning a new page, with the logo
    that they place; with a file inside as PDF/A-3."""
    sizes = list(dict.fromkeys(size for _, size in pages))
    named = "".join(
        f"@page size{at} {{ size: {wide}mm {high}mm; margin: {margin}mm }}"
        f" .size{at} {{ page: size{at} }}"
        for at, (wide, high, margin) in enumerate(SIZES[size] for size in sizes)
    )
    body = "".join(
        f'<div class="page size{sizes.index(size)}">{with_drawings(page, logo)}</div>'
        for page, size in pages
    )
    return pdf_of(
        '<!DOCTYPE html><html lang="en"><head><meta charset="utf-8">'
        f"<style>{STYLE}{named}</style><title>Paper</title></head><body>{body}</body></html>",
        enclosed,
    )
