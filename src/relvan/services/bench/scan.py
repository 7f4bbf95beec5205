"""The pack bench: what a scan does. A code leads to a shipment, marks goods as scanned, or closes the
parcel, whose label is then bought.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from relvan.core.catalogue.identity import is_code_of
from relvan.core.packing.inserts import Insert
from relvan.core.packing.parcels import Packed
from relvan.core.packing.weighing import WeighedItem, WeightCheck, check_weight
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse
from relvan.core.shipping.life import ShipmentState
from relvan.services.packing.cartons import CartonProposal, carton_kinds, propose_for
from relvan.services.packing.inserts import inserts_for, services_of
from relvan.services.packing.parcels import add_parcel, weigh
from relvan.services.shipping.carriage import label_shipment
from relvan.services.workplace import Actor, Workplace
from relvan.store.bench import (
    BenchLine,
    bench_lines,
    find_carton,
    list_of_shipment,
    pick_list_named,
    set_scanned,
    shipments_named,
    to_pack_on_list,
)
from relvan.store.dispatch import parcels_of, pick_list_by_id, shipment_by_id
from relvan.store.session import Session
from relvan.store.stock import warehouse_by_id
from relvan.store.tables import CartonRow, Order, Shipment, ShipmentLine

CLOSE = "CLOSE"  # the code that closes a parcel in the proposed carton
TOTE = re.compile(r"(.+?)[-/ ]T(\d{1,4})", re.IGNORECASE)
SCANS = ("none", "some", "all")


@dataclass(frozen=True)
class BenchView:
    """What lies on the bench: the shipment with its order's number, its lines, the carton that is
    proposed, what the parcel should weigh in grams where that is known, and what must be scanned
    (none, some: one of each product, or all). `waiting` counts what else of its list is to be packed.
    `inserts` go in with the goods, and `services` were sold with them, such as gift wrap, as (title,
    units)."""

    shipment: Shipment
    order: str
    promised: date | None
    lines: Sequence[BenchLine]
    proposal: CartonProposal
    scan: str
    waiting: int
    pick_list: str
    inserts: tuple[Insert, ...] = ()
    services: tuple[tuple[str, int], ...] = ()

    def wanted(self, line: BenchLine) -> int:
        """Returns how many units of a line must be scanned before the parcel is closed."""
        return {"none": 0, "some": min(1, line.left), "all": line.left}[self.scan]

    @property
    def unscanned(self) -> list[BenchLine]:
        """The lines of which something must still be scanned."""
        return [line for line in self.lines if line.scanned < self.wanted(line)]


@dataclass(frozen=True)
class Scanned:
    """What a scan led to: the shipment that lies on the bench now, what is said of it, and the parcels
    whose labels are to be printed."""

    shipment_id: int | None
    words: str = ""
    parcels: tuple[int, ...] = ()
    trouble: str = ""


@dataclass(frozen=True)
class BenchScan:
    """What the scanner read, the shipment that lies on the bench, and what the packer has said besides: a
    weight in grams that was typed, and that the parcel is closed although something differs (`anyway`)
    or something is left for another parcel (`part`)."""

    code: str
    shipment_id: int | None = None
    weight_g: int | None = None
    anyway: bool = False
    part: bool = False


def bench_view(
    workplace: Workplace, shipment_id: int, *, propose: bool = True, carton: str = ""
) -> BenchView:
    """Returns what a packer sees of a shipment; with `propose` also the cartons, which take their
    time: the cheapest, or as many of the one that is named as are needed."""
    with workplace.database.reading() as session:
        shipment = shipment_by_id(session, shipment_id)
        order = session.get_one(Order, shipment.order_id)
        lines = bench_lines(session, [shipment_id])[shipment_id]
        kinds = carton_kinds(session, carton) if propose else []
        scan = warehouse_by_id(session, shipment.warehouse_id).bench_scan
        pick_list = list_of_shipment(session, shipment_id)
        others = to_pack_on_list(session, pick_list) if pick_list else []
        number = pick_list_by_id(session, pick_list).number if pick_list else ""
        besides = inserts_for(session, order, lines), services_of(session, order)
    return BenchView(
        shipment,
        order.number,
        date.fromisoformat(order.promised_on) if order.promised_on else None,
        [line for line in lines if line.left],
        propose_for(lines, kinds) if propose else CartonProposal(None),
        scan,
        len([one for one in others if one != shipment_id]),
        number,
        *besides,
    )


def scan_at_bench(workplace: Workplace, actor: Actor, scan: BenchScan) -> Scanned:
    """Does what a scanned code means.

    Raises:
        Refused: if the code means nothing here, or the parcel cannot be closed as it is; nothing is
            changed then.
    """
    actor.must(Right.DISPATCH)
    code = scan.code.strip()
    if not code:
        raise refuse("no-scan", "Nothing was scanned.", "Scan an order, a tote or goods.", "code")
    if scan.shipment_id is not None:
        found = _with_shipment(workplace, actor, scan, code)
        if found is not None:
            return found
    return _lead(workplace, scan, code)


def _with_shipment(
    workplace: Workplace, actor: Actor, scan: BenchScan, code: str
) -> Scanned | None:
    """Does what a code means for the shipment on the bench, or returns None where it means none of its
    goods and no carton."""
    assert scan.shipment_id is not None
    view = bench_view(workplace, scan.shipment_id, propose=False)
    line = _line_for(view.lines, code)
    if line is not None:
        return _mark(workplace, view, line)
    with workplace.database.reading() as session:
        carton = find_carton(session, code)
    if carton is not None or code.upper() == CLOSE:
        return _close(workplace, actor, scan, view, carton)
    return None


def _line_for(lines: Sequence[BenchLine], code: str) -> BenchLine | None:
    """Returns the line of whose product a code is, of several one of which something is left."""
    known = [line for line in lines if is_code_of(code, line.sku, line.gtin, line.aliases)]
    return next((line for line in known if line.scanned < line.left), known[0] if known else None)


def _mark(workplace: Workplace, view: BenchView, line: BenchLine) -> Scanned:
    """Notes that one unit was scanned; where one of each is enough, all of them."""
    if line.scanned >= line.left:
        message = f"{line.sku} is scanned already: {line.left} of {line.left}."
        raise refuse("too-many", message, "Put it back; it is one too many.", "code")
    units = line.left if view.scan != "all" else line.scanned + 1
    with workplace.database.writing() as session:
        set_scanned(session, line.id, units)
    return Scanned(view.shipment.id, f"{line.sku}: {units} of {line.left}.")


def _lead(workplace: Workplace, scan: BenchScan, code: str) -> Scanned:
    """Returns the shipment to which a code leads: an order, a shipment, a pick list, a tote, or goods of
    the pick list from which the one on the bench is."""
    with workplace.database.reading() as session:
        shipment_id = _led_to(session, code) or _by_goods(session, scan, code)
        if shipment_id is None:
            message = f"“{code[:64]}” is nothing of this parcel, and no order, list or tote."
            fix = "Put it aside and scan again." if scan.shipment_id else "Scan an order or a list."
            raise refuse("wrong-scan", message, fix, "code")
        shipment = shipment_by_id(session, shipment_id)
        if shipment.state != ShipmentState.TO_PACK:
            message = f"{shipment.number} is “{shipment.state}”, not “to pack”."
            raise refuse("wrong-state", message, "Scan another one.", "code")
    return Scanned(shipment_id, f"{shipment.number} lies on the bench.")


def _led_to(session: Session, code: str) -> int | None:
    pick_list, tote = pick_list_named(session, code), None
    if pick_list is None and (parts := TOTE.fullmatch(code)):
        pick_list, tote = pick_list_named(session, parts[1]), int(parts[2])
    if pick_list is not None:
        found = to_pack_on_list(session, pick_list.id, tote)
        if not found:
            message = f"Nothing of “{code[:40]}” is to be packed."
            raise refuse("nothing", message, "Pick it first, or scan another one.", "code")
        return found[0]
    shipments = shipments_named(session, code)
    ready = [one for one in shipments if one.state == ShipmentState.TO_PACK]
    return next((one.id for one in (*ready, *shipments)), None)


def _by_goods(session: Session, scan: BenchScan, code: str) -> int | None:
    """Returns the shipment of the same pick list that wants the goods of a code, so that goods which were
    picked together are sorted by scanning them."""
    if scan.shipment_id is None:
        return None
    current = bench_lines(session, [scan.shipment_id])[scan.shipment_id]
    pick_list = list_of_shipment(session, scan.shipment_id)
    if pick_list is None or any(line.scanned for line in current):
        return None
    others = to_pack_on_list(session, pick_list)
    lines = bench_lines(session, others)
    return next((one for one in others if _line_for(lines[one], code) is not None), None)


def _close(
    workplace: Workplace, actor: Actor, scan: BenchScan, view: BenchView, carton: CartonRow | None
) -> Scanned:
    """Closes the parcel: checks what was scanned and the weight, packs it, and buys the labels once all
    is packed."""
    packed = _packed_now(scan, view)
    carton = carton or _proposed(workplace, bench_view(workplace, view.shipment.id))
    besides = (carton.weight_g if carton else 0) + sum(one.weight_g for one in view.inserts)
    weight = _weight(workplace, actor, scan, packed, besides)
    units = [Packed(line.sku, count) for line, count in packed]
    shipment_id = view.shipment.id
    parcel_id = add_parcel(
        workplace, actor, shipment_id, units, weight, carton.name if carton else ""
    )
    with workplace.database.writing() as session:
        for line in view.lines:
            session.get_one(ShipmentLine, line.id).scanned = 0
        state = shipment_by_id(session, shipment_id).state
    if state != ShipmentState.TO_SHIP:
        return Scanned(shipment_id, "The parcel is closed. Pack the next one.", ())
    return _label(workplace, actor, view, parcel_id)


def _packed_now(scan: BenchScan, view: BenchView) -> list[tuple[BenchLine, int]]:
    """Returns what goes into the parcel that is closed."""
    open_lines = view.unscanned
    if open_lines and not scan.part:
        named = ", ".join(
            f"{view.wanted(line) - line.scanned} of {line.sku}" for line in open_lines[:4]
        )
        message = f"Not scanned yet: {named}."
        fix = "Scan it; or close the parcel and pack the rest into another one."
        raise refuse("not-scanned", message, fix, "part")
    if not scan.part:
        return [(line, line.left) for line in view.lines]
    packed = [(line, line.scanned) for line in view.lines if line.scanned]
    if not packed:
        raise refuse("not-scanned", "Nothing of this parcel was scanned.", "Scan it.", "code")
    return packed


def _proposed(workplace: Workplace, view: BenchView) -> CartonRow | None:
    choice = view.proposal.choice
    if choice is None or not choice.cartons:
        return None
    with workplace.database.reading() as session:
        return find_carton(session, choice.cartons[0].carton.id)


def _weight(
    workplace: Workplace,
    actor: Actor,
    scan: BenchScan,
    packed: Sequence[tuple[BenchLine, int]],
    own: int,
) -> int:
    """Returns the weight of the parcel: typed, from the scale, or worked out where there is no scale.
    `own` is what its carton and its inserts weigh.

    Raises:
        Refused: if the weight is not as expected, or is not known.
    """
    items = [WeighedItem(line.sku, units, line.weight_g or 0) for line, units in packed]
    known = all(item.weight_g for item in items)
    measured = scan.weight_g
    if measured is None and workplace.firm.scale:
        measured = weigh(workplace, actor)
    if measured is None:
        if not known:
            message = "The weight of some goods is not known, and there is no scale."
            raise refuse("no-scale", message, "Type the weight.", "weight_g")
        return sum(item.quantity * item.weight_g for item in items) + own
    if measured == 0:
        raise refuse("weight", "Nothing lies on the scale.", "Put the parcel on it.", "code")
    if known and not scan.anyway:
        _refuse_weight(check_weight(measured, items, own), measured)
    return measured


def _refuse_weight(check: WeightCheck, measured: int) -> None:
    if check.agrees:
        return
    message = f"It weighs {measured:,} g, and should weigh {check.expected_g:,} g. {check.reason}"
    raise refuse("weight", message, "Look into the parcel; or close it all the same.", "anyway")


def _label(workplace: Workplace, actor: Actor, view: BenchView, parcel_id: int) -> Scanned:
    """Buys the labels of a packed shipment, and goes on with the next one of its list."""
    shipment_id = view.shipment.id
    following = _next(workplace, shipment_id)
    try:
        labelled = label_shipment(workplace, actor, shipment_id)
    except Refused as refused:
        words = f"{view.shipment.number} is packed, and has no label yet: {refused.first.message}"
        return Scanned(following, "", (), words)
    with workplace.database.reading() as session:
        parcels = tuple(parcel.id for parcel in parcels_of(session, shipment_id))
    done = "packed and dispatched" if labelled.dispatched else "packed"
    words = f"{view.shipment.number} is {done}: {labelled.words}."
    return Scanned(following, words, parcels)


def _next(workplace: Workplace, shipment_id: int) -> int | None:
    with workplace.database.reading() as session:
        pick_list = list_of_shipment(session, shipment_id)
        found = to_pack_on_list(session, pick_list) if pick_list else []
    return next((one for one in found if one != shipment_id), None)


def set_bench_scan(workplace: Workplace, actor: Actor, warehouse_id: int, scan: str) -> None:
    """Says what is scanned at the bench of a warehouse: none, some (one of each product) or all."""
    actor.must(Right.SETUP)
    if scan not in SCANS:
        message = f"“What is scanned” must be one of {', '.join(SCANS)}; it got {scan[:40]}."
        raise refuse("not-allowed", message, "Choose one.", "scan")
    with workplace.database.writing() as session:
        warehouse_by_id(session, warehouse_id).bench_scan = scan
