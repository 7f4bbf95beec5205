"""Says which characters names and codes may have, as classes for patterns that Python and JSON
Schema read alike.

Source: the general categories of the Unicode Standard, chapter 4.5 (control, format, separators).
"""

import re

CONTROL = r"\u0000-\u001f"
SPACE = r" \u0085\u00a0\u1680\u2000-\u200a\u2028\u2029\u202f\u205f\u3000"
HIDDEN = (
    CONTROL + r"\u007f-\u00a0\u00ad\u1680\u180e\u2000-\u200f\u2028-\u202f\u205f-\u206f\u3000\ufeff"
)
# A name that has at least one character besides spaces, and no control character.
WORDS = f"^[^{CONTROL}]*[^{CONTROL}{SPACE}][^{CONTROL}]*$"
# A text that is not empty when the spaces at its ends are taken off, as Python takes them off.
SAYING = f"[^{SPACE}\\u0009-\\u000d\\u001c-\\u001f]"
# A name whose every character can be seen; plain spaces may stand in it.
SEEN_NAME = f"^ *[^{HIDDEN} ][^{HIDDEN}]*$"
# The same as WORDS, in one or more lines.
WORDS_IN_LINES = (
    r"^(?:[^\u0000-\u001f]|[\n\r\t])*"
    f"[^{CONTROL}{SPACE}]"
    r"(?:[^\u0000-\u001f]|[\n\r\t])*$"
)
# A text of one or more lines.
LINES = r"^(?:[^\u0000-\u001f]|[\n\r\t])*$"
# Names of levels with slashes between them.
PATH = f"^[^{CONTROL}]*[^{CONTROL}{SPACE}/][^{CONTROL}]*$"
# A code whose every character can be seen, without a space at either end.
SEEN_CODE = f"^[^{HIDDEN} ](?:[^{HIDDEN}]*[^{HIDDEN} ])?$"

_HIDDEN = re.compile(f"[{HIDDEN}]")


def is_seen(text: str) -> bool:
    """Says whether every character of a text can be seen: none is a control character, a mark
    without width, or a space other than the plain one.

    >>> is_seen("POT 14"), is_seen("POT\\u200b14")
    (True, False)
    """
    return _HIDDEN.search(text) is None
