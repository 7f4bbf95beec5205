"""Exports products as files, in a form that can be imported again without a change."""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from relvan.core.catalogue.facts import Facts
from relvan.core.catalogue.keyed import Keyed, break_place, kind_of_fact
from relvan.core.imports.columns import Column, FileKind, Kind
from relvan.core.imports.pictures import picture_address
from relvan.core.money import as_decimal
from relvan.core.refusal import Refusal, Refused, not_found
from relvan.documents.tables import write_csv, write_xlsx
from relvan.services.bulk.spoken import all_layer_lines, listing_lines
from relvan.services.imports.receive import kind_of
from relvan.services.workplace import Workplace
from relvan.store.facts import codes, facts_by_id, in_chunks
from relvan.store.imports import (
    all_currencies,
    counted_bins,
    list_currencies,
    many_names,
    picture_uses,
)
from relvan.store.product_list import ProductFilter, all_skus
from relvan.store.session import Session

MOST_PRODUCTS = 200_000
FORMS = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}
Cells = list[Any]


@dataclass(frozen=True)
class TakenOut:
    """A file to send: its name, its media type, and its content piece by piece."""

    name: str
    media: str
    content: Iterator[bytes]


def columns_for(workplace: Workplace, kind: Kind) -> list[Column]:
    """Returns every column that a file of a kind can have here, including the price lists,
    attributes and traits that exist."""
    with workplace.database.reading() as session:
        known = many_names(session)
    more = [
        column
        for group in kind.many
        for name in known.get(group, ())
        if (column := kind.column(f"{group} {name}")) is not None
    ]
    kept = [c for c in kind.columns if not c.name.startswith(("trait_", "value_"))]
    return [*kept, *more]


def take_out(
    workplace: Workplace,
    kind_key: str,
    form: str,
    *,
    skus: Sequence[str] = (),
    wanted: ProductFilter | None = None,
    chosen: Collection[str] = (),
) -> TakenOut:
    """Exports the products named, or all that a filter matches, as CSV or XLSX with the chosen
    columns (all when none is chosen).

    The columns that are needed to import the file again are always included.
    """
    kind = _kind_in(kind_key, form)
    if kind.key not in EXPORTED:
        raise not_found("export", kind_key)
    columns = columns_for(workplace, kind)
    unknown = [name for name in chosen if kind.column(name) is None]
    if unknown:
        raise Refused(
            Refusal(
                "not-allowed",
                f"There is no column “{unknown[0][:60]}”.",
                "Leave it out.",
                "columns",
            )
        )
    if chosen:
        columns = [column for column in columns if column.required or column.name in chosen]
    with workplace.database.reading() as session:
        names = list(skus) if wanted is None else all_skus(session, wanted, MOST_PRODUCTS)
    headings = [column.heading for column in columns]
    rows = _file_rows(workplace, kind, columns, names, numbers=form == "xlsx")
    required = [column.heading for column in columns if column.required]
    return _file(kind_key, form, headings, rows, required)


def template(workplace: Workplace, kind_key: str, form: str) -> TakenOut:
    """Returns an example file of a kind: its columns, with the required ones marked, and one row."""
    kind = _kind_in(kind_key, form)
    columns = list(kind.columns)
    if "price" in kind.many:
        with workplace.database.reading() as session:
            columns += [
                Column(Keyed.PRICE.fact(key), f"price: {key}", example="16.90")
                for key in list_currencies(session)
            ]
    headings = [f"{column.heading} *" if column.required else column.heading for column in columns]
    rows = [[column.example for column in columns]]
    marked = [heading for heading in headings if heading.endswith("*")]
    return _file(f"{kind_key}-template", form, headings, rows, marked)


def _kind_in(kind_key: str, form: str) -> Kind:
    if form not in FORMS:
        raise Refused(
            Refusal("not-allowed", "A file must be csv or xlsx.", "Choose one of them.", "form")
        )
    return kind_of(kind_key)


def _file(
    name: str,
    form: str,
    headings: Sequence[str],
    rows: Iterable[Sequence[Any]],
    required: Sequence[str],
) -> TakenOut:
    content = (
        write_csv(headings, rows)
        if form == "csv"
        else iter([write_xlsx(headings, rows, required=required)])
    )
    return TakenOut(f"{name}.{form}", FORMS[form], content)


def _file_rows(
    workplace: Workplace,
    kind: Kind,
    columns: Sequence[Column],
    names: Sequence[str],
    *,
    numbers: bool,
) -> Iterator[Cells]:
    """Returns the cells of every row, a thousand products at a time. Layers do not belong to
    products, so all of them are included."""
    with workplace.database.reading() as session:
        currencies = all_currencies(session, workplace.firm.currency)
        layers = all_layer_lines(session) if kind.key == FileKind.LAYERS else []
    for said in layers:
        yield [
            _cell(said.get(column.name), column, currencies, numbers=numbers) for column in columns
        ]
    if kind.key == FileKind.LAYERS:
        return
    for chunk in in_chunks(names):
        with workplace.database.reading() as session:
            known = codes(session, chunk)
            ids = [known[sku.casefold()][0] for sku in chunk if sku.casefold() in known]
            facts = facts_by_id(session, ids)
            listed = [(product_id, facts[product_id]) for product_id in ids]
            found = list(_LINES[kind.key](session, listed))
        for line in found:
            yield [
                _cell(line.get(column.name), column, currencies, numbers=numbers)
                for column in columns
            ]


def _cell(value: Any, column: Column, currencies: Mapping[str, str], *, numbers: bool) -> Any:
    if value is None or value is False:
        return ""
    if value is True:
        return "yes"
    if column.form == "amount":
        currency = currencies.get(Keyed.PRICE.key(column.name), currencies[""])
        amount = as_decimal(value, currency)
        return amount if numbers else str(amount)
    if column.form == "list":
        return "; ".join(value)
    return value if column.form == "whole" else str(value)


Lines = Iterator[Mapping[str, Any]]
Listed = Sequence[tuple[int, Facts]]


def _products(session: Session, listed: Listed) -> Lines:
    return (facts for _, facts in listed)


def _families(session: Session, listed: Listed) -> Lines:
    """Returns a line for each variant among the products."""
    heads = {str(facts["family"]) for _, facts in listed if facts.get("family")}
    known = facts_by_id(session, [found[0] for found in codes(session, heads).values()])
    titles = {held["sku"]: held["title"] for held in known.values()}
    for _, facts in listed:
        if facts.get("family"):
            yield {**facts, "head": facts["family"], "head_title": titles[facts["family"]]}


def _kits(session: Session, listed: Listed) -> Lines:
    for _, facts in listed:
        for sku, quantity in facts.get("parts", ()):
            yield {
                **facts,
                "kit": facts["sku"],
                "kit_title": facts["title"],
                "part": sku,
                "quantity": quantity,
            }


def _aliases(session: Session, listed: Listed) -> Lines:
    for _, facts in listed:
        for alias in facts.get("aliases", ()):
            own = facts.get(Keyed.ALIAS.fact(alias), {})
            prices = Keyed.PRICE.named(own.get("prices", {}))
            yield {"alias": alias, "sku": facts["sku"], "title": own.get("title", ""), **prices}


def _prices(session: Session, listed: Listed) -> Lines:
    for _, facts in listed:
        for name, amount in facts.items():
            kind = kind_of_fact(name)
            if kind == Keyed.PRICE:
                yield {"sku": facts["sku"], "list": kind.key(name), "price": amount}
            elif kind == Keyed.BREAK:
                key, least = break_place(name)
                yield {"sku": facts["sku"], "list": key, "price": amount, "least": least}


def _counts(session: Session, listed: Listed) -> Lines:
    lies = counted_bins(session, [product_id for product_id, _ in listed])
    for product_id, facts in listed:
        for warehouse, shelf, units in lies.get(product_id, ()):
            yield {"sku": facts["sku"], "warehouse": warehouse, "bin": shelf, "counted": units}


def _pictures(session: Session, listed: Listed) -> Lines:
    uses = picture_uses(session, [product_id for product_id, _ in listed])
    for product_id, facts in listed:
        for sha, role in uses.get(product_id, ()):
            yield {"sku": facts["sku"], "address": picture_address(sha), "role": role}


def _attributes(session: Session, listed: Listed) -> Lines:
    for _, facts in listed:
        for name, value in Keyed.ATTRIBUTE.of(facts).items():
            yield {"sku": facts["sku"], "attribute": name, "value": value}


def _listings(session: Session, listed: Listed) -> Lines:
    yield from listing_lines(session, [str(facts["sku"]) for _, facts in listed])


# a file of listing deeds says what is to be done, which nothing that stands can tell
_LINES = {
    FileKind.PRODUCTS: _products,
    FileKind.FAMILIES: _families,
    FileKind.KITS: _kits,
    FileKind.ALIASES: _aliases,
    FileKind.PRICES: _prices,
    FileKind.COUNTS: _counts,
    FileKind.PICTURES: _pictures,
    FileKind.ATTRIBUTES: _attributes,
    FileKind.LISTINGS: _listings,
}
EXPORTED = (*_LINES, FileKind.LAYERS)
