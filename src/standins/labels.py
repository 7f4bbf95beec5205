"""Sells the labels of parcel carriers, and draws them at 300 dots an inch with a Code 128 barcode of the
tracking code."""

import io
import json
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any

from barcode import Code128
from PIL import Image, ImageDraw, ImageFont

from standins.memory import Memory, next_number

DPI = 300
A6, ROLL = (1240, 1748), (1181, 1772)  # A6, and a roll of 100 x 150 mm, in dots
INK = 0
MODULE, BARS_HEIGHT = 5, 450  # a bar of the narrowest kind, and all of them, in dots


@dataclass(frozen=True)
class Paper:
    """What stands on a label: its code, the carrier with its service, the receiver, the sender, the weight
    and the customer's own reference."""

    code: str
    service: tuple[str, str]
    to: dict[str, Any]
    sender: dict[str, Any]
    grams: int
    note: str


def kind_of(file: bytes) -> str:
    """Returns the media type of a label."""
    return "application/pdf" if file.startswith(b"%PDF") else "image/png"


@cache
def font(size: int) -> ImageFont.FreeTypeFont | ImageFont.ImageFont:
    """Returns the drawing library's own font."""
    return ImageFont.load_default(size)


def draw_label(paper: Paper, size: tuple[int, int], form: str) -> bytes:
    """Returns the label as PDF or PNG on a paper of so many dots."""
    width, height = size
    page = Image.new("1", size, 1)
    draw = ImageDraw.Draw(page)
    draw.rectangle((40, 40, width - 40, height - 40), outline=INK, width=4)
    draw.text((80, 80), paper.service[0].upper(), font=font(76), fill=INK)
    draw.text((80, 180), paper.service[1], font=font(44), fill=INK)
    draw.text(
        (width - 80, 100), f"{paper.grams / 1000:.3f} kg", font=font(48), fill=INK, anchor="ra"
    )
    draw.line((40, 260, width - 40, 260), fill=INK, width=4)
    draw.text((80, 290), "From", font=font(30), fill=INK)
    small = ", ".join(
        str(paper.sender[key])
        for key in ("name", "street", "town", "country")
        if paper.sender.get(key)
    )
    draw.text((80, 330), small[:70], font=font(32), fill=INK)
    draw.text((80, 430), "To", font=font(30), fill=INK)
    to = paper.to
    lines = [
        to["name"],
        to["street"],
        f"{to.get('postcode', '')} {to['town']}".strip(),
        to["country"],
    ]
    for index, line in enumerate(lines):
        draw.text((80, 480 + index * 84), str(line)[:34], font=font(66), fill=INK)
    if to.get("phone"):
        draw.text((80, 822), f"Telephone {to['phone']}"[:50], font=font(36), fill=INK)
    draw.line((40, 880, width - 40, 880), fill=INK, width=4)
    _draw_bars(draw, paper.code, 940, width)
    draw.text((width // 2, 970 + BARS_HEIGHT), paper.code, font=font(64), fill=INK, anchor="ma")
    draw.text((80, height - 120), paper.note[:50], font=font(36), fill=INK)
    out = io.BytesIO()
    if form == "png":
        page.save(out, "PNG", dpi=(DPI, DPI))
    else:
        page.save(out, "PDF", resolution=DPI)
    return out.getvalue()


def _draw_bars(draw: ImageDraw.ImageDraw, code: str, top: int, width: int) -> None:
    """Draws a Code 128 barcode in the middle of the label."""
    modules = "".join(Code128(code).build())
    left = (width - len(modules) * MODULE) // 2
    for place, module in enumerate(modules):
        if module == "1":
            x = left + place * MODULE
            draw.rectangle((x, top, x + MODULE - 1, top + BARS_HEIGHT), fill=INK)


@dataclass(frozen=True)
class Sale:
    """A label that is sold: under the customer's own reference, for a product, at a price in cents, with
    what the carrier remembers of it."""

    client_ref: str
    product: str
    cents: int
    data: dict[str, Any]


def sell_label(
    memory: Memory, sale: Sale, pattern: str, draw: Callable[[str], bytes]
) -> tuple[sqlite3.Row, bool]:
    """Sells a label under the next number, written as `pattern` says; returns what is remembered of it,
    and whether it is new. The same reference buys one label only. Nobody waits while it is drawn."""
    with memory.writing() as db:
        code = pattern.format(next_number(db))
    row = (code, sale.client_ref, sale.product, sale.cents, json.dumps(sale.data), draw(code))
    with memory.writing() as db:
        db.execute(
            "INSERT INTO label VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT (client_ref) DO NOTHING",
            (*row, memory.now().isoformat()),
        )
    sold = memory.row("SELECT * FROM label WHERE client_ref = ?", sale.client_ref)
    assert sold is not None
    return sold, sold["code"] == code
