"""Serves the firm over HTTP, for owners only."""

from typing import Annotated, Any

from fastapi import File, UploadFile
from pydantic import Field

from relvan.api.described import (
    CurrencyCode,
    Flag,
    described,
    described_number,
    described_text,
)
from relvan.api.desk import By, Caller, setup_router
from relvan.api.shapes import Shape
from relvan.core.people.roles import LEAST_PASSWORD, MOST_PASSWORD
from relvan.core.setup.bins import CODE, MOST_CODE
from relvan.core.setup.countries import country_names
from relvan.core.setup.firm import (
    MOST_NAME,
    MOST_PACKAGING,
    MOST_PHONE,
    Firm,
    locales,
    time_zones,
)
from relvan.core.texts import WORDS
from relvan.services.setup.firm import MOST_LOGO, change_firm, delete_logo, keep_logo, number_series

router = setup_router()
Text = Annotated[str, Field(max_length=MOST_NAME)]
Name = Annotated[str, Field(max_length=MOST_NAME), described_text(WORDS, MOST_NAME)]
BinCode = Annotated[str, Field(max_length=MOST_CODE, pattern=f"^{CODE.pattern}$")]
Password = Annotated[str, Field(min_length=LEAST_PASSWORD, max_length=MOST_PASSWORD)]


class PostalAddress(Shape):
    """An address; the country is its ISO 3166-1 code of two letters. What is left out stays."""

    name: Text | None = None
    street: Text | None = None
    town: Text | None = None
    postcode: Text | None = None
    country: Annotated[str, described(["", *country_names("en")])] | None = None
    mail: Text | None = None
    phone: Annotated[str, Field(max_length=MOST_PHONE)] | None = None


class SeriesShape(Shape):
    """How a series of numbers is written, and the number that comes next; it never goes back."""

    pattern: Annotated[
        str,
        Field(max_length=60),
        described_text(r"^[A-Z]{1,4}-(?:\{year\}-)?\{number(?::0[1-9])?\}$", 30),
    ]
    next: Annotated[int, described_number(1, 999_999_999)] | None = None


class FirmChange(Shape):
    """What is to change of the firm; what is left out stays."""

    name: Text | None = None
    address: PostalAddress | None = None
    vat_number: (
        Annotated[
            str, Field(max_length=40), described_text("^[A-Z]{2}[A-Z0-9]{2,14}$", 16, least=0)
        ]
        | None
    ) = None
    eori: (
        Annotated[
            str, Field(max_length=40), described_text("^[A-Z]{2}[A-Z0-9]{1,15}$", 17, least=0)
        ]
        | None
    ) = None
    currency: CurrencyCode | None = None
    locale: Annotated[str, described(locales())] | None = None
    time_zone: Annotated[str, described(time_zones())] | None = None
    two_step: Flag | None = None
    scale: Annotated[str, Field(max_length=300)] | None = None
    packaging: Annotated[int, described_number(0, MOST_PACKAGING)] | None = None
    number_series: dict[str, SeriesShape] | None = Field(default=None, max_length=10)


def _firm_shape(by: Caller, firm: Firm) -> dict[str, Any]:
    series = {
        one.name: {"pattern": one.pattern, "next": one.next, "preview": one.preview}
        for one in number_series(by.workplace)
    }
    return {
        "name": firm.name,
        "address": firm.address.as_dict(),
        "vat_number": firm.vat_number,
        "eori": firm.eori,
        "currency": firm.currency,
        "locale": firm.locale,
        "two_step": firm.two_step,
        "scale": firm.scale,
        "packaging": firm.packaging,
        "logo": bool(firm.logo),
        "time_zone": firm.time_zone,
        "number_series": series,
    }


@router.get("/firm")
def get_firm(by: By) -> dict[str, Any]:
    """Returns the firm."""
    return _firm_shape(by, by.workplace.firm)


@router.patch("/firm")
def patch_firm(by: By, change: FirmChange) -> dict[str, Any]:
    """Changes the firm, and how its numbers are written."""
    wish = change.told()
    told = wish.pop("number_series", {})
    series = {name: (one["pattern"], one.get("next")) for name, one in told.items()}
    return _firm_shape(by, change_firm(by.workplace, by.actor, wish, series))


@router.put("/firm/logo")
def put_logo(by: By, logo: Annotated[UploadFile, File()]) -> dict[str, Any]:
    """Saves the logo that papers bear: PNG, JPEG or WebP of at most 2 MB."""
    keep_logo(by.workplace, by.actor, logo.file.read(MOST_LOGO + 1))
    return _firm_shape(by, by.workplace.firm)


@router.delete("/firm/logo")
def remove_logo(by: By) -> dict[str, Any]:
    """Takes the logo away."""
    delete_logo(by.workplace, by.actor)
    return _firm_shape(by, by.workplace.firm)
