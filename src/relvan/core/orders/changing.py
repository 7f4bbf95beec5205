"""Decides what a change means for an order that is under way: a new address by hand, and what its
channel tells after goods were picked or have left. See docs/rules.md, “Changes of orders”.
"""

from relvan.core.orders.facts import Extent, OrderFacts
from relvan.core.orders.intake import Address
from relvan.core.orders.returns import LineStanding
from relvan.core.refusal import Refusal


def refuse_new_address(
    number: str, facts: OrderFacts, before: Address, wanted: Address, *, cancelled: bool
) -> list[Refusal]:
    """Returns why an order cannot go to another address now, or nothing.

    The country stays, because the tax of the order depends on it.
    """
    if cancelled:
        message = f"“{number}” is cancelled."
        return [Refusal("cancelled", message, "Nothing more is sent of it.")]
    if facts.units and facts.shipped == Extent.ALL:
        message = f"“{number}” has been shipped."
        return [Refusal("shipped", message, "Ask the carrier to send the parcels elsewhere.")]
    waiting = facts.units_picked - facts.units_shipped
    if waiting > 0:
        message = f"{_units(waiting)} of “{number}” {_are(waiting)} picked for the old address."
        return [Refusal("picked", message, "Undo these picks first.")]
    if wanted.country.upper() != before.country.upper():
        message = f"“{number}” goes to {before.country}, and its tax was worked out for that."
        fix = "Copy the order, change the country there, and cancel this one."
        return [Refusal("not-allowed", message, fix, "country")]
    return []


def words_of_late_cancellation(facts: OrderFacts) -> str:
    """Returns what the team must know when a channel cancels an order, and nothing where no goods
    were touched."""
    waiting = facts.units_picked - facts.units_shipped
    told = []
    if facts.units_shipped:
        told.append(f"{_units(facts.units_shipped)} had left")
    if waiting > 0:
        told.append(f"{_units(waiting)} {_are(waiting)} picked")
    return f"Its channel cancelled it. {', and '.join(told)}." if told else ""


def words_of_late_address(facts: OrderFacts, wanted: Address) -> str:
    """Returns what the team must know when a channel changes the address of an order, and nothing
    where no goods were touched. What had left stays on its way to the old address."""
    waiting = facts.units_picked - facts.units_shipped
    to = f"{wanted.street}, {wanted.postcode} {wanted.town}, {wanted.country}"
    if facts.units_shipped:
        left = _units(facts.units_shipped)
        return f"Its channel changed the address to {to}. {left} had left for the old one: ask the carrier."
    if waiting > 0:
        return f"Its channel changed the address to {to}. {_units(waiting)} {_are(waiting)} picked: check the label."
    return ""


def words_of_late_line(line: LineStanding, units: int) -> str:
    """Returns what the team must know when a buyer takes units off a line that are picked, invoiced
    or have left."""
    told = f"Its buyer took {_units(units)} of {line.name} off."
    if line.shipped:
        return f"{told} {_units(line.shipped)} had left."
    if line.picked:
        return f"{told} {_units(line.picked)} {_are(line.picked)} picked."
    return f"{told} {_units(line.invoiced)} {_are(line.invoiced)} invoiced."


def _units(count: int) -> str:
    return f"{count} unit" if count == 1 else f"{count} units"


def _are(count: int) -> str:
    return "is" if count == 1 else "are"
