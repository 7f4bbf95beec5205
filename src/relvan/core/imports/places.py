"""Reads countries as people write them: by their ISO 3166-1 codes, or by name in the languages of
Europe.

Source of the names: the Unicode Common Locale Data Repository, as Babel ships it; of the codes with
three letters: the ISO 3166-1 tables of pycountry.
"""

from functools import cache

import pycountry

from relvan.core.setup.countries import country_names

LANGUAGES = (
    "en", "de", "fr", "es", "it", "nl", "pt", "pl", "sv", "da", "fi", "nb", "cs", "sk", "hu", "ro",
    "bg", "el", "hr", "sl", "et", "lv", "lt", "ga", "tr", "uk", "ja", "zh",
)  # fmt: skip
# what people write besides the names of the tables
BESIDES = {
    "uk": "GB",
    "great britain": "GB",
    "england": "GB",
    "scotland": "GB",
    "wales": "GB",
    "northern ireland": "GB",
    "eire": "IE",
    "republic of ireland": "IE",
    "el": "GR",
    "holland": "NL",
    "the netherlands": "NL",
    "usa": "US",
    "u.s.a.": "US",
    "united states of america": "US",
    "czech republic": "CZ",
    "korea": "KR",
    "uae": "AE",
    "channel islands": "JE",
}


def country_code(text: str) -> str | None:
    """Returns the code of a country with two letters, or None when it is not known.

    >>> country_code("Österreich"), country_code("nld"), country_code("IE"), country_code("Atlantis")
    ('AT', 'NL', 'IE', None)
    """
    bare = " ".join(text.split())
    code = bare.upper()
    if code in country_names("en"):
        return code
    if len(code) == 3 and (found := pycountry.countries.get(alpha_3=code)) is not None:
        return str(found.alpha_2)
    return _by_name().get(bare.casefold())


@cache
def _by_name() -> dict[str, str]:
    """Returns codes by name in small letters; the earlier language counts where two disagree."""
    found = dict(BESIDES)
    for language in LANGUAGES:
        for code, name in country_names(language).items():
            found.setdefault(name.casefold(), code)
    return found
