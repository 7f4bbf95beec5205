"""The cartons of the seller, and which of them are proposed for a shipment."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import zip_longest
from typing import Any, Literal

from relvan.core.packing.arranging import Push, push, put_down, read_arranged, turn
from relvan.core.packing.cartons import CartonChoice, CartonKind, PackItem, choose_cartons
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, refuse, refuse_if_any
from relvan.services import audit
from relvan.services.workplace import Actor, Workplace
from relvan.store.bench import BenchLine, bench_lines, carton_by_code, cartons, find_carton
from relvan.store.dispatch import shipment_by_id
from relvan.store.session import Session
from relvan.store.tables import CartonRow

# what is done to a unit of a carton: it is pushed, turned by a quarter, or put down at a place in millimetres
CartonDeed = Push | Literal["turn"] | tuple[float, float]
MOST_CODE, MOST_NAME, MOST_MM, MOST_G, MOST_COST = 30, 60, 10_000, 200_000, 10_000_000
FIGURES = {
    "length_mm": ("Length", 1, MOST_MM),
    "width_mm": ("Width", 1, MOST_MM),
    "height_mm": ("Height", 1, MOST_MM),
    "weight_g": ("Own weight", 0, MOST_G),
    "max_weight_g": ("Weighs at most", 1, MOST_G),
    "cost": ("Cost", 0, MOST_COST),
}


def save_carton(workplace: Workplace, actor: Actor, code: str, told: Mapping[str, Any]) -> str:
    """Adds a carton, or changes the one with this code; what is left out stays. Returns the code.

    Raises:
        Refused: if a figure is missing or makes no sense.
    """
    actor.must(Right.SETUP)
    code = code.strip()
    with workplace.database.writing() as session:
        row = find_carton(session, code)
        facts = {name: getattr(row, name) for name in (*FIGURES, "name", "used")} if row else {}
        facts |= {name: value for name, value in told.items() if value is not None}
        refuse_if_any(_check(code, facts))
        changes = {
            name: (getattr(row, name) if row else None, value)
            for name, value in facts.items()
            if row is None or getattr(row, name) != value
        }
        if row is None:
            row = CartonRow(code=code)
            session.add(row)
        for name, value in facts.items():
            setattr(row, name, value)
        session.flush()
        if changes:
            subject = audit.Subject("carton", row.id)
            audit.record(session, actor, workplace.now(), subject, "saved", changes)
    return code


def _check(code: str, facts: Mapping[str, Any]) -> list[Refusal]:
    found = []
    if not 1 <= len(code) <= MOST_CODE or not code.isprintable():
        message = f"“Code” must have 1 to {MOST_CODE} characters."
        found.append(Refusal("too-long", message, "It is what the scanner reads.", "code"))
    if not 1 <= len(str(facts.get("name", "")).strip()) <= MOST_NAME:
        message = f"“Name” must have 1 to {MOST_NAME} characters."
        found.append(Refusal("missing", message, "Type it.", "name"))
    for name, (label, least, most) in FIGURES.items():
        value = facts.get(name)
        if isinstance(value, bool) or not isinstance(value, int) or not least <= value <= most:
            message = f"“{label}” must be {least:,} to {most:,}; it got {value}."
            found.append(Refusal("out-of-range", message, "Correct it.", name))
    if not found and facts["max_weight_g"] <= facts["weight_g"]:
        message = "“Weighs at most” must be more than the carton itself weighs."
        found.append(Refusal("out-of-range", message, "Correct it.", "max_weight_g"))
    return found


@dataclass(frozen=True)
class CartonProposal:
    """The cartons that are proposed for what is to be packed of a shipment, and the SKUs whose lengths
    or weight are not known, so that they were left out. `why_not` says why nothing is proposed, `goods`
    what is known of the goods by their SKUs."""

    choice: CartonChoice | None
    unknown: tuple[str, ...] = ()
    why_not: str = ""
    goods: Mapping[str, PackItem] = field(default_factory=dict)

    def arranged(self, told: Any) -> "CartonProposal":
        """Returns the proposal with its cartons as a packer has arranged them, told as a list as
        `told_arranged` returns each; what is not an arrangement of these goods is left as proposed."""
        if self.choice is None or not isinstance(told, list):
            return self
        pairs = zip_longest(self.choice.cartons, told[: len(self.choice.cartons)])
        cartons = tuple(read_arranged(one, packed, self.goods) or packed for packed, one in pairs)
        return replace(self, choice=replace(self.choice, cartons=cartons))


def propose_cartons(workplace: Workplace, shipment_id: int, carton: str = "") -> CartonProposal:
    """Returns the cheapest cartons for what is to be packed of a shipment, or as many of the one that is
    named as are needed."""
    with workplace.database.reading() as session:
        shipment_by_id(session, shipment_id)
        lines = bench_lines(session, [shipment_id])[shipment_id]
        kinds = carton_kinds(session, carton)
    return propose_for(lines, kinds)


def carton_kinds(session: Session, code: str = "") -> list[CartonKind]:
    """Returns the cartons that are in use, as the computation takes them; or only the one that is named.

    Raises:
        NotFound: if there is none of that code.
    """
    rows = [carton_by_code(session, code)] if code else cartons(session, used=True)
    return [
        CartonKind(
            row.code,
            (row.length_mm, row.width_mm, row.height_mm),
            row.weight_g,
            row.max_weight_g,
            row.cost,
        )
        for row in rows
    ]


def propose_for(lines: Sequence[BenchLine], kinds: Sequence[CartonKind]) -> CartonProposal:
    """Returns the cheapest cartons for lines at the bench."""
    unknown = tuple(
        line.sku for line in lines if line.left and (not line.size_mm or not line.weight_g)
    )
    items = [
        PackItem(line.sku, line.size_mm, line.weight_g, line.this_way_up, line.fragile)
        for line in lines
        if line.size_mm and line.weight_g
        for _ in range(line.left)
    ]
    if not kinds:
        return CartonProposal(None, unknown, "There are no cartons yet.")
    if not items:
        return CartonProposal(None, unknown, "The lengths of the goods are not known.")
    try:
        goods = {item.id: item for item in items}
        return CartonProposal(choose_cartons(items, kinds), unknown, goods=goods)
    except Refused as refused:
        return CartonProposal(None, unknown, refused.first.message)


def arrange_carton(
    proposal: CartonProposal, which: int, number: int, deed: CartonDeed
) -> tuple[CartonProposal, int]:
    """Arranges a unit of a carton (both count from 1) otherwise; returns the proposal and the number that
    the unit has then.

    Raises:
        Refused: if there is no such unit, or it cannot lie there.
    """
    cartons = proposal.choice.cartons if proposal.choice else ()
    if proposal.choice is None or not 1 <= which <= len(cartons):
        raise refuse("not-found", f"There is no carton {which}.", "Reload the page.", "which")
    packed = cartons[which - 1]
    if isinstance(deed, Push):
        arranged = push(packed, proposal.goods, number, deed)
    elif deed == "turn":
        arranged = turn(packed, proposal.goods, number)
    else:
        arranged = put_down(packed, proposal.goods, number, *deed)
    changed = (*cartons[: which - 1], arranged.packed, *cartons[which:])
    return replace(proposal, choice=replace(proposal.choice, cartons=changed)), arranged.number


def carton_facts(workplace: Workplace, code: str) -> CartonRow:
    """Returns the carton with a code.

    Raises:
        NotFound: if there is none.
    """
    if not code:
        raise refuse("missing", "Name a carton.", "", "carton")
    with workplace.database.reading() as session:
        return carton_by_code(session, code)
