"""Expected stock: receipts that are expected, and transfers between warehouses."""

from dataclasses import dataclass
from datetime import date

from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse, refuse_if_any
from relvan.core.stock.movements import MOST_UNITS, Reason, check_note
from relvan.services.stock.goods_places import GoodsPlace, goods_place
from relvan.services.stock.move import (
    MoveStock,
    move_in,
    moved_before,
    note_movements,
    write_movement,
)
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.coming import made_under, open_receipts
from relvan.store.session import Session
from relvan.store.stock import balance_row, warehouse_by_key
from relvan.store.tables import Bin, ExpectedReceipt, Movement, Product, Transfer, Warehouse


@dataclass(frozen=True)
class ExpectReceipt:
    """Units that are expected in a warehouse by a day. The same `request_key` counts once."""

    sku: str
    warehouse: str
    quantity: int
    due: date
    note: str = ""
    request_key: str | None = None


@dataclass(frozen=True)
class SendTransfer:
    """Units that leave a warehouse (from a bin, else the usual one) for another. The same
    `request_key` counts once."""

    sku: str
    source: str
    target: str
    quantity: int
    bin: str = ""
    note: str = ""
    request_key: str | None = None


def expect_receipt(workplace: Workplace, actor: Actor, wish: ExpectReceipt) -> int:
    """Notes that goods are expected; returns the id of the note."""
    actor.must(Right.STOCK)
    refuse_if_any(check_note(wish.note))
    _check_units(wish.quantity)
    with workplace.database.writing() as session:
        if wish.request_key and (made := made_under(session, ExpectedReceipt, wish.request_key)):
            return made
        product, warehouse = _stocked(session, wish.sku), warehouse_by_key(session, wish.warehouse)
        row = ExpectedReceipt(
            product_id=product.id,
            warehouse_id=warehouse.id,
            quantity=wish.quantity,
            due=wish.due.isoformat(),
            note=wish.note,
            made_at=workplace.now(),
            request_key=wish.request_key,
        )
        session.add(row)
        session.flush()
        return row.id


def receive_expected(
    workplace: Workplace,
    actor: Actor,
    receipt_id: int,
    units: int,
    *,
    shelf: str = "",
    key: str | None = None,
) -> int:
    """Receives what has come of an expected receipt, as a receipt in the ledger; returns how many
    units are still expected. More than expected may come; when all has come, the note ends."""
    actor.must(Right.STOCK)
    _check_units(units)
    with workplace.database.writing() as session:
        row = session.get(ExpectedReceipt, receipt_id)
        if row is None:
            raise not_found("expected receipt", receipt_id)
        if key and moved_before(session, key):
            return max(0, row.quantity - row.received)
        if row.ended_at is not None:
            raise refuse(
                "ended", "This receipt is at an end.", "Write the goods in by hand.", "units"
            )
        _take(session, workplace, actor, row, _Arrived(units, shelf, key))
        note_movements(session, workplace, [row.product_id])
        return max(0, row.quantity - row.received)


@dataclass(frozen=True)
class _Arrived:
    """Units that have come, the bin into which they go, the key under which they come once, and the day by
    which they must be used, or empty."""

    units: int
    shelf: str
    key: str | None
    use_by: str = ""


def _take(
    session: Session, workplace: Workplace, actor: Actor, row: ExpectedReceipt, arrived: _Arrived
) -> None:
    """Writes what has come of an expected receipt into the ledger; when all has come, it ends."""
    product = session.get_one(Product, row.product_id)
    warehouse = session.get_one(Warehouse, row.warehouse_id)
    note = f"expected by {row.due}" + (f", {row.note}" if row.note else "")
    wish = MoveStock(
        product.sku,
        warehouse.key,
        "receipt",
        arrived.units,
        bin=arrived.shelf,
        note=note[:200],
        request_key=arrived.key,
        use_by=arrived.use_by,
    )
    move_in(session, workplace, actor, wish)
    row.received += arrived.units
    if row.received >= row.quantity:
        row.ended_at = workplace.now()
    session.flush()


@dataclass(frozen=True)
class ReceiveGoods:
    """Units of a product that have come into a bin of a warehouse, under a key under which they come
    once; `use_by` is the day (ISO 8601) by which they must be used, or empty."""

    sku: str
    warehouse: str
    units: int
    bin: str
    key: str
    use_by: str = ""


def receive_goods(workplace: Workplace, actor: Actor, wish: ReceiveGoods) -> list[int]:
    """Receives goods against what is expected of them, the soonest first, in one transaction; what is
    beyond all that is expected counts to the last of them, or is a receipt of its own where nothing was
    expected. Returns the receipts of which something is still expected.

    Raises:
        Refused: if there is no such product, warehouse or bin.
    """
    actor.must(Right.STOCK)
    _check_units(wish.units)
    with workplace.database.writing() as session:
        place = goods_place(session, wish.sku, wish.warehouse, wish.bin)
        product, warehouse = place.product, place.warehouse
        rows = open_receipts(session, product.id, warehouse.id)
        if not moved_before(session, wish.key):
            left = wish.units
            for at, row in enumerate(rows):
                units = left if at == len(rows) - 1 else min(left, row.quantity - row.received)
                if units > 0:
                    key = wish.key if left == wish.units else f"{wish.key}:{at}"
                    _take(
                        session, workplace, actor, row, _Arrived(units, wish.bin, key, wish.use_by)
                    )
                    left -= units
            if not rows:
                note = "not expected"
                move = MoveStock(
                    product.sku,
                    warehouse.key,
                    "receipt",
                    wish.units,
                    bin=wish.bin,
                    note=note,
                    request_key=wish.key,
                    use_by=wish.use_by,
                )
                move_in(session, workplace, actor, move)
            note_movements(session, workplace, [product.id])
        return [row.id for row in rows if row.ended_at is None]


def end_expected(workplace: Workplace, actor: Actor, receipt_id: int) -> None:
    """Ends an expected receipt; ended twice, it stays ended."""
    actor.must(Right.STOCK)
    with workplace.database.writing() as session:
        row = session.get(ExpectedReceipt, receipt_id)
        if row is None:
            raise not_found("expected receipt", receipt_id)
        row.ended_at = row.ended_at or workplace.now()


def send_transfer(workplace: Workplace, actor: Actor, wish: SendTransfer) -> int:
    """Sends units to another warehouse; they are in transit from now on. Units that are blocked or
    promised are refused."""
    actor.must(Right.STOCK)
    refuse_if_any(check_note(wish.note))
    _check_units(wish.quantity)
    with workplace.database.writing() as session:
        if wish.request_key and (made := made_under(session, Transfer, wish.request_key)):
            return made
        product = _stocked(session, wish.sku)
        source, target = (
            warehouse_by_key(session, wish.source),
            warehouse_by_key(session, wish.target),
        )
        if source.id == target.id:
            raise refuse(
                "same", "A transfer goes to another warehouse.", "Choose another one.", "target"
            )
        place = goods_place(session, product.sku, source.key, wish.bin)
        _check_there(session, place, wish.quantity)
        row = Transfer(
            product_id=product.id,
            from_id=source.id,
            to_id=target.id,
            quantity=wish.quantity,
            note=wish.note,
            sent_at=workplace.now(),
            request_key=wish.request_key,
        )
        session.add(row)
        leave = _moved(product, source, place.bin, -wish.quantity, f"to {target.name}")
        _write(session, workplace, actor, leave)
        note_movements(session, workplace, [product.id])
        return row.id


def receive_transfer(
    workplace: Workplace,
    actor: Actor,
    transfer_id: int,
    units: int,
    *,
    shelf: str = "",
    key: str | None = None,
) -> int:
    """Receives what has arrived of a transfer; returns how many units are still in transit."""
    actor.must(Right.STOCK)
    _check_units(units)
    with workplace.database.writing() as session:
        row = _open_transfer(session, transfer_id, done=bool(key and moved_before(session, key)))
        left = row.quantity - row.received
        if key and moved_before(session, key):
            return left
        if units > left:
            raise refuse(
                "not-enough",
                f"Only {left} are in transit.",
                "Count what else came as a receipt.",
                "units",
            )
        product = session.get_one(Product, row.product_id)
        source, target = (
            session.get_one(Warehouse, row.from_id),
            session.get_one(Warehouse, row.to_id),
        )
        place = goods_place(session, product.sku, target.key, shelf).bin
        arrive = _moved(product, target, place, units, f"from {source.name}")
        arrive.request_key = key
        _write(session, workplace, actor, arrive)
        row.received += units
        if row.received == row.quantity:
            row.ended_at = workplace.now()
        session.flush()
        note_movements(session, workplace, [product.id])
        return row.quantity - row.received


def end_transfer(workplace: Workplace, actor: Actor, transfer_id: int) -> int:
    """Ends a transfer: what has not arrived is lost; returns how many units that is. Ended twice,
    it stays ended."""
    actor.must(Right.STOCK)
    with workplace.database.writing() as session:
        row = _open_transfer(session, transfer_id, done=True)
        if row.ended_at is None:
            row.ended_at, row.lost = workplace.now(), row.quantity - row.received
        return row.lost


def _open_transfer(session: Session, transfer_id: int, *, done: bool) -> Transfer:
    row = session.get(Transfer, transfer_id)
    if row is None:
        raise not_found("transfer", transfer_id)
    if row.ended_at is not None and not done:
        raise refuse("ended", "This transfer is at an end.", "Write the goods in by hand.", "units")
    return row


def _moved(product: Product, warehouse: Warehouse, shelf: Bin, units: int, note: str) -> Movement:
    """A movement of a transfer, without when and by whom it happened."""
    return Movement(
        product_id=product.id,
        warehouse_id=warehouse.id,
        bin_id=shelf.id,
        reason=Reason.TRANSFER,
        on_hand=units,
        blocked=0,
        note=note,
    )


def _write(session: Session, workplace: Workplace, actor: Actor, movement: Movement) -> None:
    movement.at, movement.person_id = workplace.now(), actor.person_id
    write_movement(session, movement)


def _check_there(session: Session, place: GoodsPlace, units: int) -> None:
    warehouse = place.warehouse
    balance = balance_row(session, place.product.id, warehouse.id)
    there = place.level.lies - place.level.blocked
    if units > there:
        message = (
            f"{units} units are more than the {there} in {place.bin.code} that are not blocked."
        )
        raise refuse("not-enough", message, "Take them from another bin, or fewer.", "quantity")
    unpromised = balance.on_hand - balance.blocked - balance.reserved
    if units > unpromised:
        message = f"{units} units are more than the {max(0, unpromised)} in {warehouse.name} not promised to orders."
        raise refuse("promised", message, "Free some first, or send fewer.", "quantity")


def _check_units(units: int) -> None:
    if not 0 < units <= MOST_UNITS:
        message = f"“Units” must be between 1 and {MOST_UNITS:,}; it got {units:,}."
        raise refuse("out-of-range", message, "Type a number.", "quantity")


def _stocked(session: Session, sku: str) -> Product:
    product = find_product(session, sku)
    if product.kind not in ("single", "variant"):
        raise refuse(
            "not-stocked", f"“{product.sku}” is a {product.kind} and holds no stock.", "", "sku"
        )
    return product
