"""Turns a template into a PDF in black on white, with barcodes as drawings."""

import io
import re
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from babel.dates import format_date, format_datetime, get_timezone
from barcode import Code128
from barcode.writer import SVGWriter
from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup
from PIL import ImageFile

from relvan.core.refusal import refuse

MOST_DRAWN = 40
INLINE_FILL = re.compile(r'style="fill:\s*(\w+);?"')
TEMPLATES = Path(__file__).parent / "templates"
_papers = Environment(
    loader=FileSystemLoader(TEMPLATES), autoescape=True, undefined=StrictUndefined
)


def barcode(code: str) -> Markup:
    """Returns a Code 128 barcode as SVG, or nothing for a code that it cannot say or that is too
    long for a paper.

    >>> barcode("№ 7"), barcode("")
    (Markup(''), Markup(''))
    """
    if not 1 <= len(code) <= MOST_DRAWN or not (code.isascii() and code.isprintable()):
        return Markup("")
    out = io.BytesIO()
    options = {"module_width": 0.3, "module_height": 9.0, "quiet_zone": 3.0, "write_text": False}
    Code128(code, writer=SVGWriter()).write(out, options=options)
    return Markup(plain_drawing(out.getvalue().decode()))  # drawn here, from a code


def plain_drawing(text: str) -> str:
    """Returns the drawing of an SVG file with its colours as attributes, since our pages allow no
    styles within them."""
    return INLINE_FILL.sub(r'fill="\1"', text[text.index("<svg") :])


def written_moment(moment: datetime, locale: str, time_zone: str) -> str:
    """Returns a moment as it is printed: in the seller's zone and in the form of the seller's
    locale.
    """
    return str(format_datetime(moment, "short", tzinfo=get_timezone(time_zone), locale=locale))


def written_day(moment: datetime, locale: str, time_zone: str) -> str:
    """Returns the day of a moment as it is printed, in the seller's zone."""
    return str(format_date(moment.astimezone(get_timezone(time_zone)), "medium", locale=locale))


@dataclass(frozen=True)
class Enclosed:
    """A file inside a PDF: its name, its content, and what it is."""

    name: str
    content: bytes
    words: str


def paper(template: str, enclosed: Enclosed | None = None, /, **values: Any) -> bytes:
    """Renders a template as PDF, with a file inside as PDF/A-3."""
    return pdf_of(_papers.get_template(template).render(barcode=barcode, **values), enclosed)


def pdf_of(text: str, enclosed: Enclosed | None = None) -> bytes:
    """Renders HTML as PDF; refused when the machine lacks the library that lays out text."""
    try:
        from weasyprint import HTML, Attachment  # loads system libraries that a machine may lack
    except OSError as error:
        message = f"PDFs cannot be made on this machine: {error}."
        raise refuse("no-pdf", message, "Install Pango; `make demo` says how.") from error
    ImageFile.LOAD_TRUNCATED_IMAGES = (
        False  # it turns this on, for everybody: pictures that are cut off would be taken
    )
    html = HTML(string=text)
    if enclosed is None:
        return bytes(html.write_pdf())
    inside = Attachment(
        string=enclosed.content,
        name=enclosed.name,
        description=enclosed.words,
        relationship="Alternative",
    )
    return bytes(html.write_pdf(attachments=[inside], pdf_variant="pdf/a-3b"))
