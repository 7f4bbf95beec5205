"""Turns plain text into structured text for channels that take some HTML: paragraphs and lists, in
only the tags that the channel allows.

The structure follows from what people type anyway: an empty line separates paragraphs, and lines
that begin with "- " are a list. Text that has tags already is cleaned of all that the channel does
not allow.
"""

import html
import re
from collections.abc import Sequence
from functools import lru_cache

import nh3

_TAG = re.compile(r"</?[a-zA-Z][^<>]*>")
_LIST_LINE = re.compile(r"^\s*[-*\u2022]\s+")


@lru_cache(maxsize=4_096)
def to_html(text: str, allowed: Sequence[str]) -> str:
    r"""Returns a text as the channel takes it: with only the allowed tags; everything else is
    escaped or removed.

    >>> to_html("Two pots.\n\n- one\n- two", ("p", "ul", "li"))
    '<p>Two pots.</p><ul><li>one</li><li>two</li></ul>'
    >>> to_html("A <b>pot</b><script>x</script>", ("p",))
    'A pot'
    """
    source = text if _TAG.search(text) else _structured(text)
    return nh3.clean(source, tags=set(allowed), attributes={}, link_rel=None, strip_comments=True)


def has_tags(text: str) -> bool:
    """Says whether a text contains tags.

    >>> has_tags("3 < 5 and 7 > 2")
    False
    """
    return bool(_TAG.search(text))


def _structured(text: str) -> str:
    blocks = [
        block for block in re.split(r"\n\s*\n", text.replace("\r\n", "\n").strip()) if block.strip()
    ]
    return "".join(_block(block.split("\n")) for block in blocks)


def _block(lines: list[str]) -> str:
    found = ""
    items: list[str] = []
    plain: list[str] = []
    for line in [*lines, ""]:
        is_item = bool(_LIST_LINE.match(line))
        if is_item:
            items.append(html.escape(_LIST_LINE.sub("", line), quote=False))
        if plain and (is_item or not line):
            found += "<p>" + "<br>".join(plain) + "</p>"
            plain = []
        if items and not is_item:
            found += "<ul>" + "".join(f"<li>{item}</li>" for item in items) + "</ul>"
            items = []
        if line and not is_item:
            plain.append(html.escape(line.strip(), quote=False))
    return found
