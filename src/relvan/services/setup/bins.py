"""Bins of a warehouse: many added at once, renamed, merged, closed and opened again."""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.people.roles import Right
from relvan.core.refusal import refuse, refuse_if_any
from relvan.core.setup.bins import MOST_BINS, check_code, walking_order
from relvan.core.stock.movements import Reason
from relvan.services import audit
from relvan.services.stock.move import note_movements, write_movement
from relvan.services.workplace import Actor, Workplace
from relvan.store.goods_places import has_picked_goods_of
from relvan.store.session import Session
from relvan.store.setup import (
    closed_bins,
    codes_of_bins,
    has_open_picks_in,
    insert_bins,
    keep_walks,
    lies_in,
    reopen_bins,
)
from relvan.store.stock import bin_balance_row, find_bin, warehouse_by_key
from relvan.store.tables import Bin, Movement


@dataclass(frozen=True)
class BinsAdded:
    """What became of codes: those that are new, opened again, or there already."""

    new: tuple[str, ...]
    reopened: tuple[str, ...]
    there: tuple[str, ...]


def foresee_bins(workplace: Workplace, warehouse: str, codes: Sequence[str]) -> BinsAdded:
    """Returns what would become of codes, without adding any."""
    with workplace.database.reading() as session:
        return _sorted_out(session, warehouse_by_key(session, warehouse).id, codes)


def add_bins(workplace: Workplace, actor: Actor, warehouse: str, codes: Sequence[str]) -> BinsAdded:
    """Adds bins and puts all bins of the warehouse in order; those that are there already stay, and
    closed ones are opened again.
    """
    actor.must(Right.SETUP)
    for code in codes:
        refuse_if_any(check_code(code, "codes"))
    with workplace.database.writing() as session:
        row = warehouse_by_key(session, warehouse)
        added = _sorted_out(session, row.id, codes)
        known = codes_of_bins(session, row.id)
        if len(known) + len(added.new) > MOST_BINS:
            raise refuse(
                "too-many", f"A warehouse has at most {MOST_BINS:,} bins.", "Add fewer.", "codes"
            )
        insert_bins(session, row.id, added.new)
        reopen_bins(session, [known[code] for code in added.reopened])
        _put_in_order(session, row.id)
        if added.new or added.reopened:
            changes = {"bins": (len(known), len(known) + len(added.new))}
            _record(session, workplace, actor, row.id, changes)
    return added


def rename_bin(workplace: Workplace, actor: Actor, warehouse: str, code: str, to: str) -> None:
    """Gives a bin another code; what lies in it stays there."""
    actor.must(Right.SETUP)
    to = to.strip().upper()
    refuse_if_any(check_code(to, "to"))
    with workplace.database.writing() as session:
        row = warehouse_by_key(session, warehouse)
        shelf = find_bin(session, row.id, code)
        if to == shelf.code:
            return
        if to in codes_of_bins(session, row.id):
            raise refuse(
                "exists",
                f"{row.name} has a bin “{to}” already.",
                "Merge the two, or choose another code.",
                "to",
            )
        changes = {"bin": (shelf.code, to)}
        shelf.code = to
        session.flush()
        _put_in_order(session, row.id)
        _record(session, workplace, actor, row.id, changes)


def merge_bins(workplace: Workplace, actor: Actor, warehouse: str, code: str, into: str) -> int:
    """Moves all that lies in a bin to another bin of the warehouse and closes it; returns the
    units. Refused while a pick list still leads to the bin.
    """
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        row = warehouse_by_key(session, warehouse)
        shelf, target = find_bin(session, row.id, code), find_bin(session, row.id, into)
        if shelf.id == target.id:
            raise refuse("same", "A bin cannot be merged into itself.", "Name another one.", "into")
        _refuse_open_picks(session, shelf)
        if target.closed:
            raise refuse("closed", f"Bin {target.code} is closed.", "Open it first.", "into")
        lying = lies_in(session, shelf.id)
        for product_id, on_hand, blocked in lying:
            use_by = bin_balance_row(session, shelf.id, product_id).use_by
            for there, sign in ((target, 1), (shelf, -1)):
                movement = Movement(
                    at=workplace.now(),
                    product_id=product_id,
                    warehouse_id=row.id,
                    bin_id=there.id,
                    reason=Reason.TRANSFER,
                    on_hand=sign * on_hand,
                    blocked=sign * blocked,
                    note=f"{shelf.code} is merged into {target.code}",
                    person_id=actor.person_id,
                    use_by=use_by if sign > 0 else None,
                )
                write_movement(session, movement)
        shelf.closed = True
        note_movements(session, workplace, [product_id for product_id, _, _ in lying])
        changes = {"bin": (shelf.code, f"merged into {target.code}")}
        _record(session, workplace, actor, row.id, changes)
        return sum(on_hand for _, on_hand, _ in lying)


def close_bin(workplace: Workplace, actor: Actor, warehouse: str, code: str) -> None:
    """Closes an empty bin, so that it takes no more goods."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        row = warehouse_by_key(session, warehouse)
        shelf = find_bin(session, row.id, code)
        _refuse_open_picks(session, shelf)
        if units := sum(on_hand for _, on_hand, _ in lies_in(session, shelf.id)):
            raise refuse(
                "not-empty",
                f"{units:,} units lie in {shelf.code}.",
                "Merge it into another bin instead.",
                "code",
            )
        if len(codes_of_bins(session, row.id)) - len(closed_bins(session, row.id)) < 2:
            raise refuse("last", f"{shelf.code} is the last bin.", "Add another one first.", "code")
        shelf.closed = True
        changes = {"bin": (shelf.code, "closed")}
        _record(session, workplace, actor, row.id, changes)


def _record(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    warehouse_id: int,
    changes: audit.Changes,
) -> None:
    subject = audit.Subject("warehouse", warehouse_id)
    audit.record(session, actor, workplace.now(), subject, "changed", changes)


def _refuse_open_picks(session: Session, shelf: Bin) -> None:
    if has_open_picks_in(session, shelf.id):
        raise refuse(
            "in-use", f"A pick list still leads to {shelf.code}.", "Finish that list first.", "code"
        )
    if has_picked_goods_of(session, shelf.id):
        message = f"Goods that were picked from {shelf.code} have not left yet."
        raise refuse("in-use", message, "Send them first, or undo their picks.", "code")


def _sorted_out(session: Session, warehouse_id: int, codes: Sequence[str]) -> BinsAdded:
    known, closed = codes_of_bins(session, warehouse_id), closed_bins(session, warehouse_id)
    wanted = list(dict.fromkeys(codes))
    return BinsAdded(
        tuple(code for code in wanted if code not in known),
        tuple(code for code in wanted if code in closed),
        tuple(code for code in wanted if code in known and code not in closed),
    )


def _put_in_order(session: Session, warehouse_id: int) -> None:
    known = codes_of_bins(session, warehouse_id)
    order = walking_order(list(known))
    keep_walks(session, {known[code]: walk for walk, code in enumerate(order, 1)})
