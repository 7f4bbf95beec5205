"""Moves stock by hand, and brings along balances, listings, and orders that waited for it."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from relvan.core.jobs.life import moved_on
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, not_found, refuse, refuse_if_any
from relvan.core.stock.movements import (
    BY_HAND,
    MOST_UNITS,
    Change,
    Level,
    Reason,
    check_note,
    movement_change,
    reversed_change,
)
from relvan.core.stock.use_by import check_use_by, earliest
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.stock.goods_places import GoodsPlaces
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.goods_places import picked_units
from relvan.store.ids import add_together
from relvan.store.ledger import movement_by_key
from relvan.store.session import Session
from relvan.store.stock import (
    add_balance,
    add_bin_balance,
    balance_row,
    balance_rows,
    bin_balance_row,
    bin_balance_rows,
    warehouse_by_key,
)
from relvan.store.tables import Balance, Bin, BinBalance, Movement, Product, Warehouse


@dataclass(frozen=True)
class MoveStock:
    """One movement by hand: either `change` units or the number `counted` in the bin. `use_by` is the day
    (ISO 8601) by which units that come must be used; it is empty where there is none.

    Without a bin it concerns the one where most of the product is. With `expected` units it is refused
    where other than so many lie there. The same `request_key` moves once.
    """

    sku: str
    warehouse: str
    reason: str
    change: int | None = None
    counted: int | None = None
    bin: str = ""
    note: str = ""
    request_key: str | None = None
    use_by: str = ""
    expected: int | None = None


@dataclass(frozen=True)
class Moved:
    """The result: on hand and free in that warehouse now, and the orders that could now be
    reserved."""

    movement: int | None
    sku: str
    warehouse: str
    bin: str
    on_hand: int
    blocked: int
    served: tuple[str, ...] = ()


def move_stock(workplace: Workplace, actor: Actor, wish: MoveStock) -> Moved:
    """Writes one movement into the ledger."""
    actor.must(Right.STOCK)
    with workplace.database.writing() as session:
        if wish.request_key and (before := _made_before(session, wish.request_key)):
            return before
        movement = move_in(session, workplace, actor, wish)
        note_movements(session, workplace, [movement.product_id])
        served = workplace.bring_along(session).served
        product, warehouse = (
            find_product(session, wish.sku),
            warehouse_by_key(session, wish.warehouse),
        )
        shelf, balance = (
            session.get_one(Bin, movement.bin_id),
            balance_row(session, product.id, warehouse.id),
        )
        return Moved(
            movement.id,
            product.sku,
            warehouse.key,
            shelf.code,
            balance.on_hand,
            balance.blocked,
            tuple(served),
        )


def move_in(session: Session, workplace: Workplace, actor: Actor, wish: MoveStock) -> Movement:
    """Writes one movement inside a transaction; `note_movements` brings along what depends on it."""
    (answer,) = move_all_in(session, workplace, actor, [wish])
    if isinstance(answer, Refused):
        raise answer
    return answer


def move_all_in(
    session: Session, workplace: Workplace, actor: Actor, wishes: Sequence[MoveStock]
) -> list[Movement | Refused]:
    """Writes movements one after the other inside a transaction, as far as they can be made; each finds
    what those before it left. Returns each movement, or why it was refused. It takes as many queries
    for many as for one; `note_movements` brings along what depends on them."""
    places = GoodsPlaces(session, [(wish.sku, wish.warehouse, wish.bin) for wish in wishes])
    answers: list[Movement | Refused] = []
    for wish in wishes:
        try:
            answers.append(_planned(workplace, actor, places, wish))
        except Refused as refused:
            answers.append(refused)
    write_movements(session, [made for made in answers if isinstance(made, Movement)])
    return answers


def move_each(
    session: Session, workplace: Workplace, actor: Actor, wishes: Sequence[MoveStock]
) -> set[int]:
    """Writes movements as `move_all_in` does, and notes them; returns the products that moved.

    Raises:
        Refused: if one of them is refused.
    """
    moved = set()
    for answer in move_all_in(session, workplace, actor, wishes):
        if isinstance(answer, Refused):
            raise answer
        moved.add(answer.product_id)
    if moved:
        note_movements(session, workplace, moved)
    return moved


def _planned(workplace: Workplace, actor: Actor, places: GoodsPlaces, wish: MoveStock) -> Movement:
    reason = _reason(wish.reason)
    refuse_if_any([*check_note(wish.note), *check_use_by(wish.use_by)])
    shelf = places.find(wish.sku, wish.warehouse, wish.bin)
    if wish.expected is not None and shelf.level.lies != wish.expected:
        raise Refused(moved_on(["counted"], {"counted": shelf.level.lies}))
    change = movement_change(reason, shelf.level, change=wish.change, counted=wish.counted)
    places.move(shelf, change)
    return Movement(
        at=workplace.now(),
        product_id=shelf.product.id,
        warehouse_id=shelf.warehouse.id,
        bin_id=shelf.bin.id,
        reason=reason,
        on_hand=change.on_hand,
        blocked=change.blocked,
        note=wish.note,
        person_id=actor.person_id,
        request_key=wish.request_key,
        use_by=wish.use_by or None,
    )


def note_movements(session: Session, workplace: Workplace, product_ids: Collection[int]) -> None:
    """Notes that stock has moved, so that listings follow and orders that wait for it are served."""
    changes_of(session).stock_moved(product_ids, caused_at=workplace.now(), freed=True)


def undo_movement(workplace: Workplace, actor: Actor, movement_id: int) -> Moved:
    """Undoes a movement made by hand, by one that is its opposite; undone twice, it happens once."""
    actor.must(Right.STOCK)
    with workplace.database.writing() as session:
        first = session.get(Movement, movement_id)
        if first is None or first.reason not in BY_HAND:
            raise not_found("movement", movement_id)
        key = f"undo:{movement_id}"
        if before := _made_before(session, key):
            return before
        undo_in(session, workplace, actor, first)
        done = _made_before(session, key)
        assert done is not None
        return done


def undo_in(session: Session, workplace: Workplace, actor: Actor, first: Movement) -> None:
    """Writes the opposite of a movement inside a transaction, and brings along what depends on it."""
    lies = bin_balance_row(session, first.bin_id, first.product_id)
    picked = picked_units(session, first.bin_id, first.product_id)
    level = Level(lies.on_hand, lies.blocked, picked)
    change = reversed_change(Change(first.on_hand, first.blocked), level)
    movement = Movement(
        at=workplace.now(),
        product_id=first.product_id,
        warehouse_id=first.warehouse_id,
        bin_id=first.bin_id,
        reason=Reason.UNDO,
        on_hand=change.on_hand,
        blocked=change.blocked,
        note=f"takes back a {first.reason}",
        person_id=actor.person_id,
        request_key=f"undo:{first.id}",
        use_by=first.use_by if change.on_hand > 0 else None,
    )
    write_movement(session, movement)
    note_movements(session, workplace, [first.product_id])


def write_movement(session: Session, movement: Movement) -> None:
    """Adds a movement, as `write_movements` does."""
    write_movements(session, [movement])


def write_movements(session: Session, movements: Sequence[Movement]) -> None:
    """Adds movements one after the other and brings both balances along, in the same transaction. Units
    that go keep the date of their bin on the movement, so that they bring it back when that is undone.
    """
    if not movements:
        return
    products = {movement.product_id for movement in movements}
    balances = balance_rows(session, products)
    bins = bin_balance_rows(session, {movement.bin_id for movement in movements}, products)
    for movement in movements:
        product_id = movement.product_id
        kept, place = (product_id, movement.warehouse_id), (movement.bin_id, product_id)
        if kept not in balances:
            balances[kept] = add_balance(session, *kept)
        if place not in bins:
            bins[place] = add_bin_balance(session, *place)
        _apply(movement, balances[kept], bins[place])
    add_together(session, movements)


def _apply(movement: Movement, balance: Balance, lies: BinBalance) -> None:
    balance.on_hand += movement.on_hand
    balance.blocked += movement.blocked
    if movement.on_hand < 0:
        movement.use_by = movement.use_by or lies.use_by
    elif movement.on_hand > 0 or movement.use_by:
        lies.use_by = earliest(lies.use_by, lies.on_hand, movement.use_by)
    lies.on_hand += movement.on_hand
    lies.blocked += movement.blocked
    if lies.on_hand <= 0:
        lies.use_by = None


def find_movement(workplace: Workplace, request_key: str) -> int | None:
    """Returns the movement that was made under a key of ours; None when there is none."""
    with workplace.database.reading() as session:
        movement = movement_by_key(session, request_key)
        return movement.id if movement else None


def set_safety(workplace: Workplace, actor: Actor, sku: str, warehouse: str, units: int) -> None:
    """Sets how many units of a product are kept back in a warehouse, from every channel."""
    actor.must(Right.STOCK)
    if not 0 <= units <= MOST_UNITS:
        raise refuse(
            "out-of-range", f"“Safety” must be 0 to {MOST_UNITS:,}; it got {units:,}.", "", "safety"
        )
    with workplace.database.writing() as session:
        product, place = find_product(session, sku), warehouse_by_key(session, warehouse)
        balance = balance_row(session, product.id, place.id)
        if balance.safety == units:
            return
        changes = {f"safety in {place.name}": (balance.safety, units)}
        balance.safety = units
        session.flush()
        audit.record(
            session,
            actor,
            workplace.now(),
            audit.Subject("product", product.id),
            "changed",
            changes,
        )
        changes_of(session).stock_moved([product.id], freed=True)


def _reason(name: str) -> Reason:
    if name not in BY_HAND:
        message = f"“Reason” must be one of {', '.join(BY_HAND)}; it got “{name[:30]}”."
        raise refuse("not-allowed", message, "Choose one of them.", "reason")
    return Reason(name)


def moved_before(session: Session, request_key: str) -> bool:
    """Says whether a movement was made under a key."""
    return movement_by_key(session, request_key) is not None


def _made_before(session: Session, request_key: str) -> Moved | None:
    movement = movement_by_key(session, request_key)
    if movement is None:
        return None
    product, warehouse = (
        session.get_one(Product, movement.product_id),
        session.get_one(Warehouse, movement.warehouse_id),
    )
    balance = balance_row(session, product.id, warehouse.id)
    shelf = session.get_one(Bin, movement.bin_id)
    return Moved(
        movement.id, product.sku, warehouse.key, shelf.code, balance.on_hand, balance.blocked
    )
