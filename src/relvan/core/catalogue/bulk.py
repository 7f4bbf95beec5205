"""Changes of one detail of many products: what each operation makes of the present value."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Any

from relvan.core.catalogue.checks import check_text
from relvan.core.catalogue.facts import (
    NAMES,
    Facts,
    form_of,
    is_empty,
    label_of,
    with_facts,
)
from relvan.core.catalogue.keyed import kind_of_fact
from relvan.core.catalogue.product import ProductKind
from relvan.core.imports.cells import CellReading, guess_decimal, read_cell, read_number
from relvan.core.imports.columns import Column
from relvan.core.money import round_half_up
from relvan.core.refusal import Refusal, Refused, refuse

# what can be done, by the form of a fact
OPERATIONS: Mapping[str, Mapping[str, str]] = {
    "text": {
        "set": "set to",
        "empty": "empty",
        "replace": "replace words",
        "before": "put before",
        "after": "put after",
    },
    "lines": {
        "set": "set to",
        "empty": "empty",
        "replace": "replace words",
        "before": "put before",
        "after": "put after",
    },
    "code": {"set": "set to", "empty": "empty"},
    "whole": {"set": "set to", "empty": "empty", "more": "more by", "percent": "more or less by %"},
    "amount": {
        "set": "set to",
        "empty": "empty",
        "more": "more or less by",
        "percent": "more or less by %",
    },
    "flag": {"set": "set to", "empty": "set to no"},
}
# what makes no sense to give many at once, or needs a page of its own
NOT_IN_BULK = ("sku", "kind", "gtin", "family", "parts", "axes", "aliases", "title ")
NEEDING_A_VALUE = ("set", "more", "percent", "replace", "before", "after")
MOST_OPERATIONS = 12
MOST_VALUE = 20_000


@dataclass(frozen=True)
class Operation:
    """One operation on one detail. `value` and `by` are as they were typed; the operation `replace`
    puts `by` in place of `value`."""

    fact: str
    deed: str
    value: str = ""
    by: str = ""


def check_operations(operations: Sequence[Operation]) -> None:
    """Refuses operations that do not suit their detail; each refusal names the field of the form."""
    if not 1 <= len(operations) <= MOST_OPERATIONS:
        raise refuse(
            "missing",
            f"Choose 1 to {MOST_OPERATIONS} details to change.",
            "Choose one.",
            "operations",
        )
    wrong: list[Refusal] = []
    for number, operation in enumerate(operations):
        form = form_of(operation.fact)
        if operation.fact not in NAMES and kind_of_fact(operation.fact) is None:
            message = f"A product has no detail “{operation.fact[:40]}”."
            wrong += refuse("unknown", message, "Choose another.", f"operation_{number}").refusals
        elif operation.fact in NOT_IN_BULK or operation.deed not in OPERATIONS.get(form.form, {}):
            message = f"“{label_of(operation.fact)}” cannot be changed by “{operation.deed[:20]}” for many at once."
            wrong += refuse(
                "not-allowed", message, "Choose another.", f"operation_{number}"
            ).refusals
        elif operation.deed in NEEDING_A_VALUE and not operation.value.strip():
            message = f"“{label_of(operation.fact)}” has no value."
            wrong += refuse(
                "missing", message, "Type one, or choose to empty it.", f"operation_{number}"
            ).refusals
        elif operation.deed in ("set", "before", "after", "replace"):
            wrong += check_text(
                f"operation_{number}",
                label_of(operation.fact),
                operation.value,
                MOST_VALUE,
                lines=form.form == "lines",
            )
    if wrong:
        raise Refused(*wrong)


def carry_out(operations: Sequence[Operation], facts: Facts, currency: str) -> Facts:
    """Returns the facts of one product after all operations. A value that does not have the form of
    its detail is refused."""
    new: dict[str, Any] = {}
    for operation in operations:
        held = new.get(operation.fact, facts.get(operation.fact))
        new[operation.fact] = _result(operation, held, currency)
    if facts.get("kind") == ProductKind.FAMILY:
        new = {name: value for name, value in new.items() if name not in ("gtin", "case_quantity")}
    return with_facts(facts, new)


def _result(operation: Operation, held: Any, currency: str) -> Any:
    form = form_of(operation.fact)
    column = Column(operation.fact, form.label, form.form, form.unit)
    if operation.deed == "empty":
        return None
    if operation.deed == "set":
        decimal = guess_decimal([operation.value])
        return read_cell(operation.value, column, CellReading(decimal), currency)
    if operation.deed == "replace":
        return str(held or "").replace(operation.value, operation.by).strip() or None
    if operation.deed in ("before", "after"):
        joined = (
            f"{operation.value} {held or ''}"
            if operation.deed == "before"
            else f"{held or ''} {operation.value}"
        )
        return joined.strip()
    if is_empty(held) and held != 0:
        return held  # nothing is more or less than nothing
    return _shifted(operation, held, column, currency)


def _shifted(operation: Operation, held: int, column: Column, currency: str) -> int:
    text = operation.value.strip().removeprefix("+").removesuffix("%").strip()
    number = read_number(text, guess_decimal([text]))
    if number is None:
        message = (
            f"“{column.heading}” must be changed by a number; it got “{operation.value[:40]}”."
        )
        raise refuse("form", message, "Like 5 or -2.50.", column.name)
    try:
        if operation.deed == "percent":
            return max(0, round_half_up(Decimal(held) * (100 + number) / 100))
        shift = number.scaleb(2 if currency != "JPY" else 0) if column.form == "amount" else number
        return max(0, held + round_half_up(shift))
    except InvalidOperation:
        raise refuse(
            "form", f"“{operation.value[:40]}” is too large.", "Type less.", column.name
        ) from None
