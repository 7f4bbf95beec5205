"""Names the countries of the world.

Source: the Unicode Common Locale Data Repository, as Babel ships it.
"""

from functools import cache

from babel import Locale


@cache
def country_names(locale: str) -> dict[str, str]:
    """Returns the countries by their ISO 3166-1 codes, named in a locale's language, in the order
    of their names.

    >>> country_names("en_IE")["NL"]
    'Netherlands'
    """
    named = Locale.parse(locale).territories
    found = {code: name for code, name in named.items() if code.isalpha() and len(code) == 2}
    for no_country in ("EU", "EZ", "UN", "QO", "XA", "XB", "ZZ"):
        found.pop(no_country, None)
    return dict(sorted(found.items(), key=lambda pair: pair[1]))
