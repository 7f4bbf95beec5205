"""Draws the label of a parcel carrier: A6 at 300 dots an inch, with a Code 128 barcode of the tracking code."""

import io
from functools import cache
from typing import Any

from barcode import Code128
from PIL import Image, ImageDraw, ImageFont

WIDTH, HEIGHT, DPI = 1240, 1748, 300
INK = 0
MODULE, BARS_HEIGHT = 5, 450  # a bar of the narrowest kind, and all of them, in dots


@cache
def font(size: int) -> ImageFont.FreeTypeFont | ImageFont.ImageFont:
    """Returns the drawing library's own font."""
    return ImageFont.load_default(size)


def label_pdf(
    code: str,
    service: tuple[str, str],
    to: dict[str, Any],
    sender: dict[str, Any],
    grams: int,
    note: str,
) -> bytes:
    """Returns the label as PDF. `service` is the carrier with its service; `note` is the customer's own
    reference."""
    carrier, title = service
    page = Image.new("1", (WIDTH, HEIGHT), 1)
    draw = ImageDraw.Draw(page)
    draw.rectangle((40, 40, WIDTH - 40, HEIGHT - 40), outline=INK, width=4)
    draw.text((80, 80), carrier.upper(), font=font(76), fill=INK)
    draw.text((80, 180), title, font=font(44), fill=INK)
    draw.text((WIDTH - 80, 100), f"{grams / 1000:.3f} kg", font=font(48), fill=INK, anchor="ra")
    draw.line((40, 260, WIDTH - 40, 260), fill=INK, width=4)
    draw.text((80, 290), "From", font=font(30), fill=INK)
    small = ", ".join(
        str(sender[key]) for key in ("name", "street", "town", "country") if sender.get(key)
    )
    draw.text((80, 330), small[:70], font=font(32), fill=INK)
    draw.text((80, 430), "To", font=font(30), fill=INK)
    lines = [
        to["name"],
        to["street"],
        f"{to.get('postcode', '')} {to['town']}".strip(),
        to["country"],
    ]
    for index, line in enumerate(lines):
        draw.text((80, 480 + index * 84), str(line)[:34], font=font(66), fill=INK)
    draw.line((40, 880, WIDTH - 40, 880), fill=INK, width=4)
    _draw_bars(draw, code, 940)
    draw.text((WIDTH // 2, 970 + BARS_HEIGHT), code, font=font(64), fill=INK, anchor="ma")
    draw.text((80, HEIGHT - 120), note[:50], font=font(36), fill=INK)
    out = io.BytesIO()
    page.save(out, "PDF", resolution=DPI)
    return out.getvalue()


def _draw_bars(draw: ImageDraw.ImageDraw, code: str, top: int) -> None:
    """Draws a Code 128 barcode in the middle of the label."""
    modules = "".join(Code128(code).build())
    left = (WIDTH - len(modules) * MODULE) // 2
    for place, module in enumerate(modules):
        if module == "1":
            x = left + place * MODULE
            draw.rectangle((x, top, x + MODULE - 1, top + BARS_HEIGHT), fill=INK)
