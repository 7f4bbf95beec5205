"""Files whose rows are not facts of products: counts of bins, and pictures by their addresses."""

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from relvan.core.catalogue.pictures import check_role
from relvan.core.imports.columns import FileKind
from relvan.core.imports.pictures import held_picture
from relvan.core.imports.things import Found, Thing
from relvan.core.jobs.life import JobVerdict
from relvan.core.refusal import NotFound, Refusal, Refused, refuse
from relvan.gateways.calling import check_address
from relvan.gateways.fetching import fetch_picture
from relvan.services.catalogue.pictures import (
    add_picture,
    picture_is_kept,
    picture_roles,
    remove_picture,
    use_picture,
)
from relvan.services.imports.counts import place_of_count, rehearse_count, request_key
from relvan.services.stock.goods_places import GoodsPlaces
from relvan.services.stock.move import find_movement, undo_movement
from relvan.services.workplace import Actor, Workplace
from relvan.store.facts import codes, in_chunks
from relvan.store.job_rows import ChangeRow

AT_ONCE = 500  # counts for which is read together what lies in their bins


def rehearse_alone(workplace: Workplace, kind: FileKind, things: Sequence[Thing]) -> list[Found]:
    """Returns (thing, verdict, change, refusals) of each row."""
    seen: dict[Any, int] = {}
    with workplace.database.reading() as session:
        known = codes(session, [thing.sku for thing in things])
        if kind == FileKind.COUNTS:
            found: list[Found] = []
            for some in in_chunks(things, AT_ONCE):
                places = GoodsPlaces(session, [place_of_count(thing) for thing in some])
                count = partial(rehearse_count, places, seen=seen)
                found += [_rehearse_one(thing, thing.key in known, count) for thing in some]
                session.expunge_all()
            return found
    # names of machines are looked up for pictures: not while a transaction is open
    return [
        _rehearse_one(thing, thing.key in known, lambda thing: _picture(workplace, thing, seen))
        for thing in things
    ]


def _rehearse_one(thing: Thing, known: bool, change_of: Callable[[Thing], dict[str, Any]]) -> Found:
    refusals = list(thing.refusals)
    change: dict[str, Any] | None = None
    if thing.sku and not known:
        refusals.append(
            Refusal(
                "unknown-sku", f"“{thing.sku}” is not in the catalogue.", "Correct the SKU.", "sku"
            )
        )
    elif not thing.rows[0].refusals:
        try:
            change = change_of(thing)
        except Refused as refused:
            refusals += refused.refusals
    broken = bool(refusals or thing.rows[0].refusals)
    same = change is not None and all(old == new for old, new in change.values())
    verdict = JobVerdict.REFUSED if broken else JobVerdict.SAME if same else JobVerdict.CHANGES
    return Found(thing, verdict, None if broken or same else change, refusals)


def _picture(workplace: Workplace, thing: Thing, seen: dict[Any, int]) -> dict[str, Any]:
    address, role = (
        str(thing.facts["address"]),
        str(thing.facts.get("role") or "further").casefold(),
    )
    held = held_picture(address)
    if not held:
        check_address(
            address.partition("?")[0], private_allowed=workplace.settings.private_addresses
        )
    elif not picture_is_kept(workplace, held):
        raise refuse(
            "not-found", f"There is no picture “{held[:12]}” here.", "Give its address.", "address"
        )
    check_role(role)
    first = seen.setdefault((thing.key, address), thing.leader)
    if first != thing.leader:
        raise refuse(
            "twice",
            f"That picture of “{thing.sku}” is in row {first} already.",
            "Leave one out.",
            "address",
        )
    if held and (held, role) in picture_roles(workplace, thing.sku):
        return {"picture": [address, address], "role": [role, role]}
    return {"picture": [None, address], "role": [None, role]}


def apply_picture(workplace: Workplace, actor: Actor, row: ChangeRow) -> dict[str, Any]:
    """Fetches the picture of one row; returns what else is to be kept with its change."""
    address, role = row.change["picture"][1], row.change["role"][1]
    before = [sha for sha, _ in picture_roles(workplace, row.subject)]
    if sha := held_picture(address):
        use_picture(workplace, actor, row.subject, sha, role=role)
    else:
        content = fetch_picture(
            address,
            private_allowed=workplace.settings.private_addresses,
            most_bytes=workplace.settings.largest_picture_mb * 1_000_000,
        )
        sha = add_picture(workplace, actor, row.subject, content, role=role)
    return {"sha": [None, "" if sha in before else sha]}


def undo_alone(workplace: Workplace, actor: Actor, kind: str, row: ChangeRow) -> None:
    """Undoes one row."""
    if kind == FileKind.PICTURES:
        sha = row.change.get("sha", [None, ""])[1]
        try:
            if sha:
                remove_picture(workplace, actor, row.subject, sha)
        except NotFound:
            pass  # somebody took it off already
        return
    movement = find_movement(workplace, request_key(row))
    if movement is not None:
        undo_movement(workplace, actor, movement)
