"""Serves the firm, its warehouses and bins, and its people over HTTP, for owners only."""

from typing import Annotated, Any

from fastapi import Depends, File, UploadFile
from pydantic import Field

from relvan.api.described import (
    CurrencyCode,
    Day,
    Flag,
    Named,
    described,
    described_number,
    described_text,
)
from relvan.api.desk import By, Caller, Cursor, Limit, api_router, page_of
from relvan.api.shapes import Shape
from relvan.core.people.roles import LEAST_PASSWORD, MOST_PASSWORD, Right, Role
from relvan.core.refusal import refuse
from relvan.core.setup.bins import CODE, MOST_CODE, written_out
from relvan.core.setup.firm import MOST_NAME, Firm, country_names, locales, time_zones
from relvan.core.setup.warehouses import KEY, WarehouseKind
from relvan.core.texts import WORDS
from relvan.services.people.invite import invite_again, invite_person
from relvan.services.people.manage import PersonChange, change_person
from relvan.services.people.sign_in import MOST_PERSON_NAME, add_person
from relvan.services.people.tokens import MOST_TOKEN_NAME, NewToken, add_token, end_token
from relvan.services.setup.bins import add_bins, close_bin, merge_bins, rename_bin
from relvan.services.setup.firm import change_firm, keep_logo, number_series
from relvan.services.setup.warehouses import (
    add_warehouse,
    change_warehouse,
    remove_warehouse,
    warehouse_facts,
)
from relvan.store.people import TokenRow, everybody, person_by_any_login, token_rows
from relvan.store.setup import bin_lines
from relvan.store.stock import warehouse_by_key, warehouses
from relvan.store.tables import Person, Warehouse


def only_owners(by: By) -> None:
    """Refuses whoever may not set things up, also for looking."""
    by.actor.must(Right.SETUP)


router = api_router(tags=["set-up"])
MOST_LOGO = 2_000_000
router.dependencies.append(Depends(only_owners))
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
    number_series: dict[str, SeriesShape] | None = Field(default=None, max_length=10)


class PickUpShape(Shape):
    """When carriers call: days from 0 for Monday, and the time until which a parcel still leaves."""

    days: list[Annotated[int, Field(ge=0, le=6)]] | None = Field(default=None, max_length=7)
    cut_off: (
        Annotated[
            str,
            Field(max_length=20),
            described_text("^(?:[01][0-9]|2[0-3]):[0-5][0-9]$", 5, least=0),
        ]
        | None
    ) = None


class WarehouseChange(Shape):
    """What is to change of a warehouse; what is left out stays."""

    name: Name | None = None
    kind: WarehouseKind | None = None
    address: PostalAddress | None = None
    pick_up: PickUpShape | None = None


class NewWarehouse(WarehouseChange):
    """A warehouse to be added; without a key one is made from the name."""

    name: Name
    warehouse: Annotated[str, described_text(KEY, 40)] | None = None


class NewBins(Shape):
    """Bins to be added: by a pattern such as {aisle:A-L}-{bay:01-40}, or by their codes."""

    pattern: Annotated[str, Field(max_length=200)] | None = None
    bins: list[BinCode] | None = Field(default=None, max_length=20_000)


class BinChange(Shape):
    """One thing to do with a bin: another code, merging it into another bin, or closing it."""

    code: BinCode | None = None
    merge_into: BinCode | None = None
    closed: Flag | None = None


class NewPersonShape(Shape):
    """Somebody who is to work here, with a first password, or with a link to choose one."""

    login: Annotated[str, Field(max_length=40, pattern="^[a-z][a-z0-9_]*$")]
    name: Annotated[str, described_text(WORDS, MOST_PERSON_NAME)]
    role: Role
    password: Password | None = None


class PersonChangeShape(Shape):
    """What is to change of a person; `active` false ends the access at once,
    `second_step_gone` takes the second step of signing in away, `invite` makes a new link by which
    the person chooses a password.
    """

    role: Role | None = None
    active: Flag | None = None
    password: Password | None = None
    second_step_gone: Flag = False
    invite: Flag = False


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
    wish = _told(change)
    told = wish.pop("number_series", {})
    series = {name: (one["pattern"], one.get("next")) for name, one in told.items()}
    return _firm_shape(by, change_firm(by.workplace, by.actor, wish, series))


@router.put("/firm/logo")
def put_logo(by: By, logo: Annotated[UploadFile, File()]) -> dict[str, Any]:
    """Saves the logo that papers bear: PNG, JPEG or WebP of at most 2 MB."""
    content = logo.file.read(MOST_LOGO + 1)
    if not content or len(content) > MOST_LOGO:
        message = "“Logo” must be a picture of at most 2 MB."
        raise refuse("form", message, "Make it smaller.", "logo")
    keep_logo(by.workplace, by.actor, content)
    return _firm_shape(by, by.workplace.firm)


@router.delete("/firm/logo")
def delete_logo(by: By) -> dict[str, Any]:
    """Takes the logo away."""
    keep_logo(by.workplace, by.actor, b"")
    return _firm_shape(by, by.workplace.firm)


def _warehouse_shape(row: Warehouse) -> dict[str, Any]:
    facts = warehouse_facts(row)
    return {
        "warehouse": facts.key,
        "name": facts.name,
        "kind": facts.kind,
        "address": facts.address.as_dict(),
        "pick_up": facts.pick_up.as_dict(),
    }


def _warehouse(by: Caller, key: str) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        return _warehouse_shape(warehouse_by_key(session, key))


@router.get("/warehouses")
def get_warehouses(by: By) -> dict[str, Any]:
    """Returns every warehouse."""
    with by.workplace.database.reading() as session:
        return {"items": [_warehouse_shape(row) for row in warehouses(session)]}


@router.post("/warehouses", status_code=201)
def post_warehouse(by: By, wish: NewWarehouse) -> dict[str, Any]:
    """Adds a warehouse with one bin, FLOOR."""
    told = _told(wish)
    told["key"] = told.pop("warehouse", "")
    return _warehouse(by, add_warehouse(by.workplace, by.actor, told))


@router.get("/warehouses/{warehouse}")
def get_warehouse(by: By, warehouse: str) -> dict[str, Any]:
    """Returns one warehouse."""
    return _warehouse(by, warehouse)


@router.patch("/warehouses/{warehouse}")
def patch_warehouse(by: By, warehouse: str, change: WarehouseChange) -> dict[str, Any]:
    """Changes a warehouse."""
    facts = change_warehouse(by.workplace, by.actor, warehouse, _told(change))
    return _warehouse(by, facts.key)


@router.delete("/warehouses/{warehouse}")
def delete_warehouse(by: By, warehouse: str) -> dict[str, Any]:
    """Removes a warehouse in which nothing ever moved."""
    remove_warehouse(by.workplace, by.actor, warehouse)
    return {"warehouse": warehouse}


@router.get("/warehouses/{warehouse}/bins")
def get_bins(by: By, warehouse: str, limit: Limit = 50, after: Cursor = 0) -> dict[str, Any]:
    """Returns the bins of a warehouse in the order in which one walks past them."""
    with by.workplace.database.reading() as session:
        row = warehouse_by_key(session, warehouse)
        rows = bin_lines(session, row.id, after=after, limit=limit + 1)
    items, following = page_of(rows, limit, lambda one: one.walk)
    shapes = [
        {
            "bin": one.code,
            "walk": one.walk,
            "closed": one.closed,
            "products": one.products,
            "units": one.units,
        }
        for one in items
    ]
    return {"items": shapes, "next": following}


@router.post("/warehouses/{warehouse}/bins", status_code=201)
def post_bins(by: By, warehouse: str, wish: NewBins) -> dict[str, Any]:
    """Adds bins; those that are there already stay, and closed ones are opened again."""
    if (wish.pattern is None) == (wish.bins is None):
        raise refuse("missing", "Send a pattern or a list of bins.", "One of the two.", "pattern")
    codes = written_out(wish.pattern) if wish.pattern is not None else wish.bins or []
    added = add_bins(by.workplace, by.actor, warehouse, codes)
    return {"new": added.new, "reopened": added.reopened, "there": added.there}


@router.patch("/warehouses/{warehouse}/bins/{code}")
def patch_bin(by: By, warehouse: str, code: str, change: BinChange) -> dict[str, Any]:
    """Gives a bin another code, merges it into another one, closes it or opens it again."""
    told = _told(change)
    if len(told) != 1:
        raise refuse("form", "Send one of code, merge_into and closed.", "One at a time.", "code")
    if change.code is not None:
        rename_bin(by.workplace, by.actor, warehouse, code, change.code)
        return {"bin": change.code}
    if change.merge_into is not None:
        merge_bins(by.workplace, by.actor, warehouse, code, change.merge_into)
    elif change.closed:
        close_bin(by.workplace, by.actor, warehouse, code)
    else:
        add_bins(by.workplace, by.actor, warehouse, [code])
    return {"bin": code}


def _person_shape(person: Person) -> dict[str, Any]:
    return {
        "login": person.login,
        "name": person.name,
        "role": person.role,
        "active": person.active,
        "two_step": bool(person.totp),
        "invited": bool(person.invitation),
    }


def _person(by: Caller, login: str) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        person = person_by_any_login(session, login)
        assert person is not None
        return _person_shape(person)


@router.get("/people")
def get_people(by: By) -> dict[str, Any]:
    """Returns everybody, also those whose access has ended."""
    with by.workplace.database.reading() as session:
        return {"items": [_person_shape(person) for person in everybody(session)]}


@router.post("/people", status_code=201)
def post_person(by: By, wish: NewPersonShape) -> dict[str, Any]:
    """Adds somebody with a first password. Without one the answer holds, this one time, a link by
    which the person chooses it within seven days.
    """
    if wish.password is None:
        path = invite_person(by.workplace, by.actor, wish.login, wish.name, wish.role)
        return {**_person(by, wish.login), "invitation": _link(by, path)}
    add_person(by.workplace, by.actor, wish.login, wish.name, wish.role, wish.password)
    return _person(by, wish.login)


def _link(by: Caller, path: str) -> str:
    return by.workplace.settings.base_url.rstrip("/") + path


@router.patch("/people/{login}")
def patch_person(by: By, login: str, change: PersonChangeShape) -> dict[str, Any]:
    """Changes a person's role or password, ends the access, or makes a new link to come in by."""
    wish = PersonChange(change.role, change.active, change.password, change.second_step_gone)
    change_person(by.workplace, by.actor, login, wish)
    if change.invite:
        path = invite_again(by.workplace, by.actor, login)
        return {**_person(by, login), "invitation": _link(by, path)}
    return _person(by, login)


class NewTokenShape(Shape):
    """A token for a tool. Without rights it may do what its person may; it never may more."""

    name: Annotated[str, described_text(WORDS, MOST_TOKEN_NAME)]
    login: Annotated[str, Field(max_length=40)]
    rights: list[Right] = Field(default_factory=list, max_length=20)
    last_day: Day | None = None


@router.get("/tokens")
def get_tokens(by: By) -> dict[str, Any]:
    """Returns every token, without the text that is sent as Bearer, which nobody keeps."""
    with by.workplace.database.reading() as session:
        return {"items": [_token_shape(row) for row in token_rows(session)]}


@router.post("/tokens", status_code=201)
def post_token(by: By, wish: NewTokenShape) -> dict[str, Any]:
    """Makes a token. The answer holds it, this one time."""
    told = NewToken(wish.name, wish.login, wish.rights, wish.last_day)
    token = add_token(by.workplace, by.actor, told)
    with by.workplace.database.reading() as session:
        return {**_token_shape(token_rows(session)[0]), "token": token}


@router.delete("/tokens/{token}")
def delete_token(by: By, token: Named) -> dict[str, Any]:
    """Ends a token at once."""
    return {"id": token, "name": end_token(by.workplace, by.actor, token)}


def _token_shape(row: TokenRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "name": row.name,
        "login": row.person.login,
        "rights": row.rights,
        "last_day": row.last_day,
        "used_at": row.used_at,
        "created_at": row.created_at,
    }


def _told(shape: Shape) -> dict[str, Any]:
    """Returns what a call names, without what it leaves out."""
    return shape.model_dump(exclude_none=True)
