"""Describes a kind of file: its key, its columns, what they hold, and other names that they are
known by."""

from dataclasses import dataclass
from enum import StrEnum

from relvan.core.catalogue.facts import NAMES


class FileKind(StrEnum):
    """The kinds of files, by what their rows say."""

    PRODUCTS = "products"
    FAMILIES = "families"
    KITS = "kits"
    ALIASES = "aliases"
    PRICES = "prices"
    COUNTS = "stock-counts"
    PICTURES = "pictures"
    ATTRIBUTES = "attributes"
    LISTINGS = "listing-fields"
    LAYERS = "layer-values"
    DEEDS = "listing-deeds"
    ORDERS = "orders"


@dataclass(frozen=True)
class Column:
    """One column of a kind of file: its fact, heading, form and unit, an example, and other names
    for it."""

    name: str
    heading: str
    form: str = "text"
    unit: str = ""
    required: bool = False
    example: str = ""
    also: tuple[str, ...] = ()


@dataclass(frozen=True)
class Kind:
    """One kind of file. `many` are groups of columns of which a file can have any number, such as
    `price: retail`."""

    key: FileKind
    title: str
    words: str
    columns: tuple[Column, ...]
    many: tuple[str, ...] = ()

    def column(self, name: str) -> Column | None:
        """Returns the column of a fact, including facts of which there can be many; None when this
        kind of file has no such column."""
        found = next((column for column in self.columns if column.name == name), None)
        group, space, rest = name.partition(" ")
        if found is None and space and group in self.many and rest:
            return Column(name, f"{group}: {rest}", "amount" if group == "price" else "text")
        return found

    @property
    def required(self) -> tuple[Column, ...]:
        """Returns the columns without which a file cannot be read."""
        return tuple(column for column in self.columns if column.required)


def fact_column(name: str, example: str = "", *also: str, required: bool = False) -> Column:
    known = NAMES[name]
    heading = f"{known.label} {known.unit}".strip() if known.unit else known.label
    return Column(name, heading, known.form, known.unit, required, example, also)
