"""Draws the pictures of the demo's goods as plain shapes on paper, 800 x 800 pixels, always the
same.
"""

import io

from PIL import Image, ImageDraw, ImageFont

SIDE = 800
PAPER = "#F3EFE6"
SHADOW = "#E2DBCB"
INK = "#1F2730"


def draw(shape: str, colour: str, caption: str) -> bytes:
    """Returns a JPEG of one thing with its caption below."""
    picture = Image.new("RGB", (SIDE, SIDE), PAPER)
    pen = ImageDraw.Draw(picture)
    pen.ellipse((180, 600, 620, 680), fill=SHADOW)
    SHAPES[shape](pen, colour)
    pen.text((SIDE // 2, 735), caption, font=ImageFont.load_default(34), fill=INK, anchor="mm")
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=90)  # a PNG of this size takes eight times as long
    return out.getvalue()


def _pot(pen: ImageDraw.ImageDraw, colour: str) -> None:
    pen.polygon([(230, 260), (570, 260), (520, 640), (280, 640)], fill=colour)
    pen.rounded_rectangle((210, 210, 590, 290), 18, fill=colour, outline=PAPER, width=4)
    pen.polygon([(262, 300), (300, 300), (320, 620), (300, 620)], fill=PAPER)


def _trowel(pen: ImageDraw.ImageDraw, colour: str) -> None:
    pen.rounded_rectangle((375, 120, 425, 380), 24, fill=colour)
    pen.rectangle((390, 370, 410, 450), fill=INK)
    pen.polygon([(320, 450), (480, 450), (460, 590), (400, 660), (340, 590)], fill="#9AA4AC")


def _dibber(pen: ImageDraw.ImageDraw, colour: str) -> None:
    pen.rounded_rectangle((360, 150, 440, 330), 38, fill=colour)
    pen.polygon([(375, 320), (425, 320), (408, 640), (392, 640)], fill=colour)
    for y in (420, 480, 540):
        pen.line((384, y, 416, y), fill=INK, width=4)


def _snips(pen: ImageDraw.ImageDraw, colour: str) -> None:
    pen.ellipse((270, 460, 400, 640), outline=colour, width=26)
    pen.ellipse((400, 460, 530, 640), outline=colour, width=26)
    pen.polygon([(370, 480), (400, 460), (500, 160), (480, 150)], fill="#9AA4AC")
    pen.polygon([(430, 480), (400, 460), (300, 160), (320, 150)], fill="#B4BCC2")


def _rake(pen: ImageDraw.ImageDraw, colour: str) -> None:
    pen.rounded_rectangle((375, 120, 425, 420), 24, fill=colour)
    pen.rectangle((280, 440, 520, 470), fill=INK)
    for x in range(285, 521, 55):
        pen.line((x, 470, x, 630), fill="#9AA4AC", width=14)


def _sieve(pen: ImageDraw.ImageDraw, colour: str) -> None:
    pen.ellipse((200, 330, 600, 620), fill=colour)
    pen.ellipse((235, 350, 565, 590), fill=PAPER)
    for step in range(260, 560, 24):
        pen.line((step, 365, step, 575), fill="#9AA4AC", width=3)
        if 370 < step + 90 < 580:
            pen.line((245, step + 90, 555, step + 90), fill="#9AA4AC", width=3)


def _sack(pen: ImageDraw.ImageDraw, colour: str) -> None:
    pen.rounded_rectangle((230, 200, 570, 650), 40, fill=colour)
    pen.rectangle((250, 190, 550, 230), fill=INK)
    pen.rounded_rectangle((280, 330, 520, 520), 10, fill=PAPER)


def _tin(pen: ImageDraw.ImageDraw, colour: str) -> None:
    pen.rectangle((260, 340, 540, 610), fill=colour)
    pen.ellipse((260, 570, 540, 650), fill=colour)
    pen.ellipse((260, 300, 540, 380), fill="#C8CDD0", outline=INK, width=3)
    pen.rectangle((300, 430, 500, 540), fill=PAPER)


def _can(pen: ImageDraw.ImageDraw, colour: str) -> None:
    pen.rounded_rectangle((280, 340, 540, 640), 30, fill=colour)
    pen.line((290, 560, 130, 300), fill=colour, width=34)
    pen.ellipse((95, 260, 165, 330), fill=colour)
    pen.arc((470, 330, 660, 560), 250, 110, fill=colour, width=26)


def _mister(pen: ImageDraw.ImageDraw, colour: str) -> None:
    pen.rounded_rectangle((310, 350, 490, 650), 30, fill=colour)
    pen.rectangle((370, 280, 430, 350), fill=INK)
    pen.polygon([(300, 230), (470, 230), (470, 285), (330, 285)], fill=INK)
    for y in (200, 240, 280):
        pen.line((280, y, 210, y + (y - 240) // 2), fill="#9AA4AC", width=5)


def _saucer(pen: ImageDraw.ImageDraw, colour: str) -> None:
    pen.ellipse((180, 420, 620, 640), fill=colour)
    pen.ellipse((230, 440, 570, 590), fill=PAPER)
    pen.ellipse((250, 455, 550, 580), fill=colour)


def _hanging(pen: ImageDraw.ImageDraw, colour: str) -> None:
    for x in (260, 540):
        pen.line((400, 90, x, 360), fill=INK, width=5)
    pen.chord((240, 160, 560, 620), 0, 180, fill=colour)
    pen.rounded_rectangle((230, 360, 570, 410), 16, fill=colour, outline=PAPER, width=4)


def _planter(pen: ImageDraw.ImageDraw, colour: str) -> None:
    pen.polygon([(140, 380), (660, 380), (620, 630), (180, 630)], fill=colour)
    pen.rounded_rectangle((120, 340, 680, 400), 14, fill=colour, outline=PAPER, width=4)


def _box(pen: ImageDraw.ImageDraw, colour: str) -> None:
    pen.polygon([(200, 320), (400, 240), (600, 320), (400, 400)], fill="#D8C3A0")
    pen.polygon([(200, 320), (400, 400), (400, 650), (200, 570)], fill="#C4AB82")
    pen.polygon([(600, 320), (400, 400), (400, 650), (600, 570)], fill="#B39970")
    pen.line((400, 400, 400, 650), fill=colour, width=14)
    pen.line((300, 280, 500, 360), fill=colour, width=14)


SHAPES = {
    "pot": _pot,
    "trowel": _trowel,
    "dibber": _dibber,
    "snips": _snips,
    "rake": _rake,
    "sieve": _sieve,
    "sack": _sack,
    "tin": _tin,
    "can": _can,
    "mister": _mister,
    "saucer": _saucer,
    "hanging": _hanging,
    "planter": _planter,
    "box": _box,
}
