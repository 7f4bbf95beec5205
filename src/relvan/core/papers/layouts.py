"""Layouts of papers: text with places for values, written as wording (`core/listings/wording.py`) with a few
HTML elements. Nothing else of HTML stays: no scripts, no styles, no addresses, no pictures from elsewhere.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from html import escape
from typing import Any

import nh3

from relvan.core.listings.wording import check_wording, fill
from relvan.core.refusal import Refusal

OPEN, SHUT = "\ue000", "\ue001"  # round a code that is drawn; no text of a person has them
DRAWN = re.compile(f"{OPEN}(code128|qr|gs1|logo):([^{SHUT}]{{1,80}}){SHUT}")
ELEMENTS = {
    *("h1", "h2", "h3", "p", "br", "hr", "b", "i", "strong", "em", "small", "span", "div"),
    *("ul", "ol", "li", "table", "thead", "tbody", "tr", "th", "td"),
}
CLASSES = ("code", "small", "big", "right", "center", "two", "top", "box")
MOST_NAME = 60
Values = Mapping[str, Mapping[str, Any] | Sequence[Mapping[str, Any]]]


class PaperKind(StrEnum):
    """What a layout is for."""

    PACKING_SLIP = "packing slip"
    PICK_LIST = "pick list"
    CARTON_LABEL = "carton label"
    INVOICE = "invoice"
    ESTIMATE = "estimate"
    MANIFEST = "manifest"


class PaperSize(StrEnum):
    """The size of a page."""

    A4 = "A4"
    A5 = "A5"
    A6 = "A6"
    LETTER = "Letter"
    LABEL = "100 x 150 mm"
    ROLL = "62 mm roll"


# width, height and margin in mm
SIZES: Mapping[PaperSize, tuple[float, float, float]] = {
    PaperSize.A4: (210, 297, 15),
    PaperSize.A5: (148, 210, 10),
    PaperSize.A6: (105, 148, 6),
    PaperSize.LETTER: (215.9, 279.4, 15),
    PaperSize.LABEL: (100, 150, 5),
    PaperSize.ROLL: (62, 100, 3),
}


@dataclass(frozen=True)
class LaidOut:
    """A page as HTML that is safe to show, with codes to be drawn; and the places that have no value."""

    html: str
    missing: tuple[str, ...]


class DrawnCode(str):
    """The mark of a code that is drawn; text that only looks like one is not."""

    __slots__ = ()


def drawn(kind: str, code: str) -> str:
    """Returns the mark of a code that is drawn as code128, gs1 or qr, or of a logo, whose code is whose it
    is; nothing for no code.

    >>> drawn("code128", "") == ""
    True
    """
    code = _plain(code)
    return DrawnCode(f"{OPEN}{kind}:{code}{SHUT}") if code else ""


def check_layout(body: str) -> list[Refusal]:
    """Checks that a layout can be used."""
    if not body.strip():
        return [Refusal("missing", "A layout needs some text.", "Begin with a heading.", "body")]
    return check_wording(body, "body")


def lay_out(body: str, values: Values) -> LaidOut:
    """Puts values into their places. Values are text, never HTML; what a layout does wrong prints nothing
    and is named among the missing.

    >>> lay_out("<h1>{{ order.number }}</h1><script>x</script>", {"order": {"number": "O-1 <b>"}}).html
    '<h1>O-1 &lt;b&gt;</h1>'
    """
    written = fill(_plain(body), {name: _escaped(group) for name, group in values.items()})
    return LaidOut(_clean(written.text), written.missing)


def _clean(text: str) -> str:
    """Returns the elements that a paper may have, with the classes that are known."""
    return nh3.clean(
        text,
        tags=ELEMENTS,
        attributes={"td": {"colspan"}, "th": {"colspan"}},
        allowed_classes={element: set(CLASSES) for element in ELEMENTS},
        clean_content_tags={"script", "style"},
    )


def _escaped(group: Any) -> Any:
    if isinstance(group, Mapping):
        return {name: _value(value) for name, value in group.items()}
    return [{name: _value(value) for name, value in one.items()} for one in group]


def _value(value: Any) -> Any:
    if not isinstance(value, str):
        return value
    return escape(value if isinstance(value, DrawnCode) else _plain(value), quote=False)


def _plain(text: str) -> str:
    return text.replace(OPEN, "").replace(SHUT, "")
