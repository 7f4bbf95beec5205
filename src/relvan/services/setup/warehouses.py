"""Warehouses: adding, changing and removing them."""

from collections.abc import Mapping
from typing import Any

from relvan.core.orders.intake import Address
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse, refuse_if_any
from relvan.core.setup.warehouses import (
    PickUp,
    WarehouseFacts,
    WarehouseKind,
    check_warehouse,
    key_from,
)
from relvan.gateways.channels.registry import WITH_CENTRES
from relvan.services import audit
from relvan.services.stock.safety import set_safety_of_many
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channels, find_channel
from relvan.store.session import Session
from relvan.store.setup import (
    WarehouseUse,
    erase_warehouse,
    is_warehouse_key,
    skus_with_safety,
    use_of_warehouse,
)
from relvan.store.stock import warehouse_by_key
from relvan.store.tables import Bin, Warehouse

FLOOR = "FLOOR"


def warehouse_facts(row: Warehouse) -> WarehouseFacts:
    """Returns what is known of a warehouse."""
    address, pick_up = Address.read(row.address), PickUp.read(row.pick_up)
    kind = WarehouseKind(row.kind)
    return WarehouseFacts(
        row.key,
        row.name,
        kind,
        address,
        pick_up,
        row.safety,
        row.channel,
        row.centre,
        row.takes,
        row.hand_over,
    )


def add_warehouse(workplace: Workplace, actor: Actor, wish: Mapping[str, Any]) -> str:
    """Adds a warehouse with one bin, FLOOR, so that goods can be received at once; returns its key.

    Without a key, one is made from the name.
    """
    actor.must(Right.SETUP)
    key = str(wish.get("key", "")) or key_from(str(wish.get("name", "")))
    facts = WarehouseFacts(key, "").changed(wish)
    refuse_if_any(check_warehouse(facts))
    with workplace.database.writing() as session:
        _check_channel(session, workplace, facts)
        if is_warehouse_key(session, facts.key):
            raise refuse(
                "exists",
                f"There is a warehouse “{facts.key}” already.",
                "Choose another key.",
                "warehouse",
            )
        row = Warehouse(key=facts.key)
        _write(row, facts)
        session.add(row)
        session.flush()
        session.add(Bin(warehouse_id=row.id, code=FLOOR, walk=1))
        audit.record(session, actor, workplace.now(), audit.Subject("warehouse", row.id), "made")
    return facts.key


def change_warehouse(
    workplace: Workplace, actor: Actor, key: str, wish: Mapping[str, Any]
) -> WarehouseFacts:
    """Changes what a wish names of a warehouse. Another safety stock goes for the products too that
    have the one of before; a product whose number was set to another one keeps it."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        row = warehouse_by_key(session, key)
        before = warehouse_facts(row)
        facts = before.changed(wish)
        refuse_if_any(check_warehouse(facts))
        _check_channel(session, workplace, facts)
        _write(row, facts)
        changes = _differences(before, facts)
        if changes:
            subject = audit.Subject("warehouse", row.id)
            audit.record(session, actor, workplace.now(), subject, "changed", changes)
        following = []
        if facts.safety != before.safety:
            following = skus_with_safety(session, row.id, before.safety)
    if following:
        set_safety_of_many(workplace, actor, dict.fromkeys(following, facts.safety), key)
    return facts


def foresee_removal(workplace: Workplace, key: str) -> WarehouseUse:
    """Returns what a warehouse has been used for; one that has been used cannot be removed."""
    with workplace.database.reading() as session:
        return use_of_warehouse(session, warehouse_by_key(session, key).id)


def remove_warehouse(workplace: Workplace, actor: Actor, key: str) -> None:
    """Removes a warehouse with its bins. Refused once stock has moved in it or a shipment left it."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        row = warehouse_by_key(session, key)
        use = use_of_warehouse(session, row.id)
        if use.movements or use.shipments or use.orders:
            raise refuse(
                "in-use",
                f"{row.name} has {use.movements:,} movements, {use.shipments:,} shipments and "
                f"{use.orders:,} orders that leave from there alone.",
                "Keep it: the ledger names it.",
                "warehouse",
            )
        erase_warehouse(session, row.id)
        changes = {"name": (row.name, "")}
        subject = audit.Subject("warehouse", row.id)
        audit.record(session, actor, workplace.now(), subject, "removed", changes)


def channels_with_centres_of_their_own(workplace: Workplace) -> list[tuple[str, str]]:
    """Returns the key and the name of every channel that has centres."""
    with workplace.database.reading() as session:
        return [
            (row.key, row.name)
            for row in channels(session)
            if workplace.rulebook(row).dialect in WITH_CENTRES
        ]


def _check_channel(session: Session, workplace: Workplace, facts: WarehouseFacts) -> None:
    """Refuses a centre of a channel that there is not, or that has none."""
    if not facts.channel:
        return
    channel = find_channel(session, facts.channel)
    if channel is None or workplace.rulebook(channel).dialect not in WITH_CENTRES:
        message = f"“{facts.channel[:40]}” is no channel with centres of its own."
        raise refuse("not-found", message, "Choose one of the list.", "channel")


def _write(row: Warehouse, facts: WarehouseFacts) -> None:
    row.name, row.kind, row.safety = facts.name, facts.kind, facts.safety
    row.address, row.pick_up = facts.address.as_dict(), facts.pick_up.as_dict()
    row.channel, row.centre = facts.channel, facts.centre
    row.takes, row.hand_over = facts.takes, facts.hand_over


def _differences(before: WarehouseFacts, after: WarehouseFacts) -> dict[str, tuple[Any, Any]]:
    old = {**before.address.as_dict(), "name": before.name, "kind": before.kind}
    new = {**after.address.as_dict(), "name": after.name, "kind": after.kind}
    for name in ("channel", "centre", "takes", "hand_over"):
        old[name], new[name] = getattr(before, name), getattr(after, name)
    old["pick-up"], new["pick-up"] = before.pick_up.words, after.pick_up.words
    return {name: (old[name], new[name]) for name in new if old[name] != new[name]}
