"""What stands on labels for bins and for single units."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from relvan.core.refusal import refuse

MOST_STICKERS = 2_000
GTIN_DIGITS = {8: "EAN-8", 12: "UPC-A", 13: "EAN-13", 14: "GS1-128"}


class Arrow(StrEnum):
    """Where the bin of a label lies: above it, below it, as the level of its code says (the lowest below,
    the others above), or where it is stuck, without an arrow."""

    NONE = "none"
    UP = "up"
    DOWN = "down"
    LEVEL = "level"


class StickerPaper(StrEnum):
    """A roll with one label after the other, or sheets of A4."""

    ROLL = "roll"
    SHEET = "A4"


@dataclass(frozen=True)
class BinSticker:
    """The label of a bin: its code, and its arrow as a sign or nothing."""

    code: str
    sign: str = ""


@dataclass(frozen=True)
class UnitSticker:
    """The label of one unit: words, SKU, and its barcode: the kind (of GS1 where there is a GTIN, else
    Code 128) with what it says."""

    sku: str
    title: str
    kind: str
    code: str


def bin_sticker(code: str, arrow: Arrow) -> BinSticker:
    """Returns the label of a bin.

    >>> bin_sticker("A-03-1", Arrow.LEVEL).sign, bin_sticker("A-03-2", Arrow.LEVEL).sign
    ('↓', '↑')
    """
    if arrow == Arrow.LEVEL:
        level = code.replace(".", "-").replace("/", "-").split("-")[2:3]
        arrow = Arrow.NONE if not level else Arrow.DOWN if _lowest(level[0]) else Arrow.UP
    return BinSticker(code, {Arrow.UP: "↑", Arrow.DOWN: "↓"}.get(arrow, ""))


def _lowest(level: str) -> bool:
    return level.lstrip("0") in ("", "1") or level.upper() == "A"


def unit_sticker(sku: str, title: str, gtin: str | None) -> UnitSticker:
    """Returns the label of a unit.

    >>> unit_sticker("PT-14", "Pot", "4006381333931").kind, unit_sticker("PT-9", "Pot", None).kind
    ('EAN-13', 'Code 128')
    """
    kind = GTIN_DIGITS.get(len(gtin or ""), "")
    return UnitSticker(sku, title, kind or "Code 128", gtin if gtin and kind else sku)


def check_sticker_count(stickers: Sequence[object]) -> None:
    """Refuses to print none, or more than 2,000 labels at once."""
    if not 1 <= len(stickers) <= MOST_STICKERS:
        message = f"1 to {MOST_STICKERS:,} labels are printed at once; it got {len(stickers):,}."
        raise refuse("out-of-range", message, "Choose fewer.", "count")
