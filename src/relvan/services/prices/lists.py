"""Price lists: creating them, and changing many prices of one at once, as in a sheet."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.catalogue.checks import check_text
from relvan.core.catalogue.keyed import price_fact
from relvan.core.catalogue.product import MOST_WORD
from relvan.core.money import MINOR_DIGITS, parse_amount
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, refuse, refuse_if_any
from relvan.services import audit
from relvan.services.catalogue.save import change_facts
from relvan.services.verdicts import Verdict
from relvan.services.workplace import Actor, Workplace
from relvan.store.prices import is_price_list, price_list_by_key
from relvan.store.tables import PriceList

MOST_CELLS = 20_000


@dataclass(frozen=True)
class NewPriceList:
    """A price list that is to be created; `key` is its name in files and in the API."""

    key: str
    name: str
    currency: str
    tax_inside: bool


LIST_KEY = "^[a-z][a-z0-9-]{0,39}$"


def add_price_list(workplace: Workplace, actor: Actor, wish: NewPriceList) -> str:
    """Creates a price list; returns its key."""
    actor.must(Right.PRICES)
    key = wish.key.strip().casefold()
    found = check_text("name", "Name", wish.name, MOST_WORD, needed=True)
    if not re.fullmatch(LIST_KEY, key):
        message = f"“Key” must be small letters, digits and dashes; it got “{wish.key[:40]}”."
        found.append(Refusal("form", message, "Like trade or retail-chf.", "key"))
    if wish.currency not in MINOR_DIGITS:
        message = (
            f"“Currency” must be the code of a currency in use; it got “{wish.currency[:10]}”."
        )
        found.append(
            Refusal("not-allowed", message, "Type its three letters, like EUR.", "currency")
        )
    refuse_if_any(found)
    with workplace.database.writing() as session:
        if is_price_list(session, key):
            raise refuse(
                "exists", f"There is a price list “{key}” already.", "Choose another key.", "key"
            )
        made = PriceList(
            key=key, name=wish.name.strip(), currency=wish.currency, tax_inside=wish.tax_inside
        )
        session.add(made)
        session.flush()
        audit.record(session, actor, workplace.now(), audit.Subject("price list", made.id), "made")
    return key


@dataclass(frozen=True)
class TypedPrice:
    """One price as it was typed into a sheet; `least` is 1, or the number of units from which it
    holds. An empty price removes it from the list."""

    sku: str
    list_key: str
    text: str
    least: int = 1


def set_prices(workplace: Workplace, actor: Actor, cells: Sequence[TypedPrice]) -> list[Verdict]:
    """Writes many prices; returns a verdict for each product. A price that cannot be read is
    refused and does not stop the others."""
    actor.must(Right.PRICES)
    if len(cells) > MOST_CELLS:
        raise refuse(
            "too-many",
            f"At most {MOST_CELLS:,} prices at once.",
            "Bring them in as a file.",
            "cells",
        )
    with workplace.database.reading() as session:
        currencies = {
            key: price_list_by_key(session, key).currency
            for key in {cell.list_key for cell in cells}
        }
    wanted: dict[str, dict[str, object]] = {}
    broken: dict[str, Verdict] = {}
    for cell in cells:
        name = price_fact(cell.list_key, cell.least)
        try:
            amount = (
                parse_amount(cell.text, currencies[cell.list_key], "price")
                if cell.text.strip()
                else None
            )
            if amount == 0:
                raise refuse(
                    "out-of-range",
                    f"“{cell.text}” must be more than 0.",
                    "Empty the cell instead.",
                    "price",
                )
            wanted.setdefault(cell.sku, {})[name] = amount
        except Refused as refused:
            broken[cell.sku] = Verdict(
                cell.sku, False, refused.first.message, refused.first.code, refused.first.fix
            )
    readable = [(sku, facts) for sku, facts in wanted.items() if sku not in broken]
    return [*broken.values(), *change_facts(workplace, actor, readable, right=Right.PRICES)]
