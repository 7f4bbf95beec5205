"""Serves rates of tax over HTTP, for owners only."""

from datetime import date
from decimal import Decimal
from typing import Annotated, Any

from pydantic import BeforeValidator, Field, WithJsonSchema

from relvan.api.described import Day, described
from relvan.api.desk import By, Caller, setup_router
from relvan.api.shapes import Shape
from relvan.core.catalogue.product import TAX_CODES
from relvan.core.setup.countries import country_names
from relvan.core.setup.tax import MOST_ORIGIN, TaxRate
from relvan.services.setup.tax import rates_of_the_union, read_percent, set_tax_rates
from relvan.store.tax import tax_table

router = setup_router()
MOST_AT_ONCE = 500
Country = Annotated[str, Field(max_length=10), described(country_names("en"))]
TaxCode = Annotated[str, Field(max_length=20), described(TAX_CODES)]
_TEXT = {"type": "string", "pattern": r"^(?:100|[0-9]{1,2}(?:\.[0-9]{1,2})?)$", "maxLength": 5}
_NUMBER = {"type": "number", "minimum": 0, "maximum": 100, "multipleOf": 0.01}


def _percent_text(told: object) -> object:
    """Returns a percentage as text; a number may be off by what floating point makes of it."""
    if isinstance(told, float) and abs(told - round(told, 2)) < 1e-9:
        return f"{round(told, 2):.2f}"
    return str(told) if isinstance(told, int) and not isinstance(told, bool) else told


Percent = Annotated[
    Annotated[str, Field(max_length=20)],
    BeforeValidator(_percent_text),
    WithJsonSchema({"anyOf": [_TEXT, _NUMBER]}),
]


class TaxRateShape(Shape):
    """The percentage of a tax code in a country, from a day on (from today when it is left out).
    `origin` says where the figure is from.
    """

    country: Country
    code: TaxCode = "standard"
    percent: Percent
    since: Day | None = Field(default=None, alias="from")
    origin: Annotated[str, Field(max_length=MOST_ORIGIN)] = ""


class TaxRateName(Shape):
    """A rate that is to be taken away, by country, code and first day."""

    country: Country
    code: TaxCode
    since: Day = Field(alias="from")


class TaxRatesWish(Shape):
    """Rates to set (each replaces the one of the same country, code and day), rates to take away,
    the countries besides the firm's own in which the seller is registered, and whether the rates of
    the European Union that ship are set first.
    """

    items: Annotated[list[TaxRateShape], Field(max_length=MOST_AT_ONCE)] = []
    gone: Annotated[list[TaxRateName], Field(max_length=MOST_AT_ONCE)] = []
    registered: Annotated[list[Country], Field(max_length=250)] | None = None
    union: Annotated[bool, Field(strict=True)] = False


def _rates_shape(by: Caller) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        table = tax_table(session)
    return {
        "items": [
            {
                "country": rate.country,
                "code": rate.code,
                "percent": f"{rate.percent.normalize():f}",
                "from": rate.since.isoformat(),
                "origin": rate.origin,
            }
            for rate in table.rates
        ],
        "home": table.home or None,
        "registered": sorted(table.registered),
        "next": None,
    }


@router.get("/tax-rates")
def list_tax_rates(by: By) -> dict[str, Any]:
    """Returns all rates of tax, the newest of each country and code first, and where the seller is
    registered.
    """
    return _rates_shape(by)


@router.put("/tax-rates")
def put_tax_rates(by: By, wish: TaxRatesWish) -> dict[str, Any]:
    """Sets and takes away rates of tax, all or nothing, and works out what depends on them."""
    today = by.workplace.local_now().date()
    rates = [
        TaxRate(one.country, one.code, read_percent(one.percent), one.since or today, one.origin)
        for one in wish.items
    ]
    gone = [_named(one.country, one.code, one.since) for one in wish.gone]
    union = rates_of_the_union() if wish.union else []
    set_tax_rates(by.workplace, by.actor, [*union, *rates], gone=gone, registered=wish.registered)
    return _rates_shape(by)


def _named(country: str, code: str, since: date) -> TaxRate:
    return TaxRate(country, code, Decimal(0), since)
