"""Draws Ostrel Post's label: A6 at 300 dots an inch, with a Code 128 barcode of the tracking code."""

import io
from typing import Any

from barcode import Code128
from barcode.writer import ImageWriter
from PIL import Image, ImageDraw, ImageFont

WIDTH, HEIGHT, DPI = 1240, 1748, 300
INK = "black"


def font(size: int) -> ImageFont.FreeTypeFont | ImageFont.ImageFont:
    """Returns the drawing library's own font."""
    return ImageFont.load_default(size)


def label_pdf(
    code: str, service: str, to: dict[str, Any], sender: dict[str, Any], grams: int, note: str
) -> bytes:
    """Returns the label as PDF; `note` is the customer's own reference."""
    page = Image.new("L", (WIDTH, HEIGHT), "white")
    draw = ImageDraw.Draw(page)
    draw.rectangle((40, 40, WIDTH - 40, HEIGHT - 40), outline=INK, width=4)
    draw.text((80, 80), "OSTREL POST", font=font(76), fill=INK)
    draw.text((80, 180), service, font=font(44), fill=INK)
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
    bars = io.BytesIO()
    options = {
        "module_width": 0.38,
        "module_height": 38.0,
        "quiet_zone": 8.0,
        "write_text": False,
        "dpi": DPI,
    }
    Code128(code, writer=ImageWriter()).write(bars, options=options)
    picture = Image.open(bars).convert("L")
    page.paste(picture, ((WIDTH - picture.width) // 2, 940))
    draw.text((WIDTH // 2, 940 + picture.height + 30), code, font=font(64), fill=INK, anchor="ma")
    draw.text((80, HEIGHT - 120), note[:50], font=font(36), fill=INK)
    out = io.BytesIO()
    page.convert("1").save(out, "PDF", resolution=DPI)
    return out.getvalue()
