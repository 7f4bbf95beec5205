"""What the API's description says of values beyond their types: bounds, patterns, allowed values.

What is only described is not refused here. The service that is called refuses it, in its own words.
"""

import re
from collections.abc import Iterable
from datetime import date, datetime
from typing import Annotated, Any, get_args

from pydantic import AwareDatetime, BeforeValidator, Field, WithJsonSchema

from relvan.core.catalogue.identity import MOST_SKU_CHARACTERS
from relvan.core.catalogue.pictures import PictureRole
from relvan.core.money import MINOR_DIGITS
from relvan.core.prices.steps import Direction
from relvan.core.stock.movements import MOST_UNITS
from relvan.core.texts import SEEN_CODE

DATE_FORM = re.compile(r"\d{4}-\d{2}-\d{2}")
MOST_INT = 2_000_000_000
MOST_ID = 2**53 - 1  # of any row: the largest whole number that every JSON reader keeps exactly
MOST_CURSOR = 2**63 - 1
Id = Annotated[int, Field(ge=1, le=MOST_ID)]


def described(values: Iterable[str]) -> WithJsonSchema:
    """Lists the allowed values."""
    return WithJsonSchema({"type": "string", "enum": [*map(str, values)]})


def described_text(pattern: str, most: int, *, least: int = 1) -> WithJsonSchema:
    """Tells how a text must look and how many characters it may have."""
    said = {"type": "string", "maxLength": most, "pattern": pattern}
    if least:
        return WithJsonSchema({**said, "minLength": least})
    return WithJsonSchema({"anyOf": [{"type": "string", "maxLength": 0}, said]})


def described_number(least: int, most: int) -> WithJsonSchema:
    """Tells the bounds of a whole number."""
    return WithJsonSchema({"type": "integer", "minimum": least, "maximum": most})


Sku = Annotated[str, described_text(SEEN_CODE, MOST_SKU_CHARACTERS)]
Named = Annotated[int, described_number(1, MOST_ID)]  # an id that is looked up
Units = Annotated[int, described_number(1, MOST_UNITS)]  # of goods that are moved
Role = Annotated[str, described(PictureRole)]
CurrencyCode = Annotated[str, Field(max_length=3), described(sorted(MINOR_DIGITS))]
_ADDRESS = r"^https?://[A-Za-z0-9][A-Za-z0-9.-]*(?::[0-9]{2,5})?(?:/[A-Za-z0-9._~%+-]*)*"
WebAddress = Annotated[str, Field(max_length=1000), described_text(f"{_ADDRESS}$", 1000)]
PictureAddress = Annotated[
    str,
    Field(max_length=1000),
    described_text(rf"{_ADDRESS}(?:\?[A-Za-z0-9._~%+=&-]*)?$", 1000),
]
RateText = Annotated[
    str,
    Field(max_length=40),
    described_text(
        r"^(?:[1-9][0-9]{0,5}(?:[.,][0-9]{1,12})?|0[.,][0-9]{0,5}[1-9][0-9]{0,12})$", 40
    ),
]


def _with_a_date(value: object) -> object:
    """Refuses a moment or a day that is a bare number, which could be seconds of several clocks."""
    if isinstance(value, int | float) or (isinstance(value, str) and not DATE_FORM.match(value)):
        raise ValueError("It must begin with a date like 2026-03-31.")
    return value


Moment = Annotated[AwareDatetime, BeforeValidator(_with_a_date)]
AnyMoment = Annotated[datetime, BeforeValidator(_with_a_date)]  # which may lack its zone
Day = Annotated[date, BeforeValidator(_with_a_date)]


Flag = Annotated[bool, Field(strict=True)]  # true or false, and nothing that only looks like it


def described_object(needed: Iterable[str] = (), **properties: Any) -> dict[str, Any]:
    """Returns the description of an object that has these properties and no others."""
    return {
        "type": "object",
        "properties": properties,
        "required": [*needed],
        "additionalProperties": False,
    }


_COUNT = {"type": "integer", "minimum": 0, "maximum": 1_000_000}
_COUNT_OR_NONE = {"anyOf": [_COUNT, {"type": "null"}]}
STOCK_POLICY = described_object(
    share={
        "anyOf": [
            {"type": "string", "pattern": r"^(?:100|[0-9]{1,2}(?:\.[0-9]{1,4})?)$"},
            {"type": "integer", "minimum": 0, "maximum": 100},
        ]
    },
    hold_back=_COUNT,
    cap=_COUNT_OR_NONE,
    least=_COUNT,
    fixed=_COUNT_OR_NONE,
    beyond_stock={"type": "boolean"},
    risk={"anyOf": [{"type": "string", "pattern": r"^0\.[0-4][0-9]{0,3}[1-9]$"}, {"type": "null"}]},
    pause_at_zero={"type": "boolean"},
)
PRICE_STEP = {
    "anyOf": [
        described_object(
            ("kind", "percent"),
            kind={"const": "percent"},
            percent={
                "type": "string",
                "pattern": r"^(?:1000|[0-9]{1,3}(?:\.[0-9]{1,4})?|-[0-9]{1,2}(?:\.[0-9]{1,4})?)$",
            },
        ),
        described_object(
            ("kind", "amount"),
            kind={"const": "amount"},
            amount={"type": "integer", "minimum": -MOST_INT, "maximum": MOST_INT},
        ),
        described_object(
            ("kind", "endings"),
            kind={"const": "ending"},
            endings={
                "type": "array",
                "items": {"type": "integer", "minimum": 0, "maximum": 9999},
                "minItems": 1,
            },
            direction={"enum": [*get_args(Direction)]},
        ),
        described_object(("kind",), kind={"const": "cover fees"}),
        described_object(
            ("kind", "currency"),
            kind={"const": "convert"},
            currency={"enum": sorted(MINOR_DIGITS)},
        ),
    ]
}
