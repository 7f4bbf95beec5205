"""The plan of a warehouse: kept, drawn with what is picked where, and what its bins are for."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from relvan.core.people.roles import Right
from relvan.core.picking.heat import DAYS, BinHeat, PlaceSwap, propose_swaps
from relvan.core.picking.places import NamedPlan, plan_for_bins, read_named_plan
from relvan.core.picking.walk import BinRule
from relvan.core.refusal import refuse
from relvan.services import audit
from relvan.services.workplace import Actor, Workplace
from relvan.store.floor import bin_heat
from relvan.store.setup import codes_of_bins
from relvan.store.stock import find_bin, warehouse_by_key
from relvan.store.tables import Warehouse

PURPOSES = ("pick", "reserve")
MOST_CAPACITY = 1_000_000


@dataclass(frozen=True)
class FloorState:
    """A warehouse's plan or, while it has none, one that its bins suggest; the picks of 28 days by bin;
    the codes of bins that are not on it; and which products should change places."""

    plan: NamedPlan | None
    is_kept: bool
    rule: BinRule
    heat: tuple[BinHeat, ...]
    off_plan: tuple[str, ...]
    swaps: tuple[PlaceSwap, ...]


def floor_of(workplace: Workplace, key: str) -> FloorState:
    """Returns the plan of a warehouse with what was picked where."""
    with workplace.database.reading() as session:
        row = warehouse_by_key(session, key)
        heat = bin_heat(session, row.id, workplace.now() - timedelta(days=DAYS))
    codes = [one.code for one in heat]
    plan = read_named_plan(row.plan) if row.plan else plan_for_bins(codes)
    off = tuple(code for code in codes if plan is None or plan.place(code) is None)
    swaps = propose_swaps(plan, heat) if plan else []
    rule = BinRule(row.bin_rule)
    return FloorState(plan, row.plan is not None, rule, tuple(heat), off, tuple(swaps))


def set_plan(workplace: Workplace, actor: Actor, key: str, told: Mapping[str, Any]) -> NamedPlan:
    """Keeps the plan of a warehouse; pick lists that are made from now on follow it. `bin_rule` may
    stand beside its figures.

    Raises:
        Refused: if a figure of the plan makes no sense.
    """
    actor.must(Right.SETUP)
    rule = str(told.get("bin_rule") or "")
    if rule and rule not in list(BinRule):
        message = f"“Which bin first” must be one of {', '.join(BinRule)}; it got {rule[:40]}."
        raise refuse("not-allowed", message, "Choose one.", "bin_rule")
    plan = read_named_plan({name: value for name, value in told.items() if name != "bin_rule"})
    with workplace.database.writing() as session:
        row = warehouse_by_key(session, key)
        changes: dict[str, tuple[Any, Any]] = {"plan": (_words(row), _told(plan))}
        row.plan = plan.as_dict()
        if rule:
            changes["bin_rule"] = (row.bin_rule, rule)
            row.bin_rule = rule
        subject = audit.Subject("warehouse", row.id)
        audit.record(session, actor, workplace.now(), subject, "changed", changes)
    return plan


def _told(plan: NamedPlan) -> str:
    floor = plan.floor
    return f"{floor.aisles} aisles of {floor.bays} bays, {len(floor.cross)} cross aisles between"


def _words(row: Warehouse) -> str:
    return _told(read_named_plan(row.plan)) if row.plan else ""


def set_bin_purpose(
    workplace: Workplace,
    actor: Actor,
    key: str,
    code: str,
    purpose: str | None = None,
    capacity: int | None = None,
) -> None:
    """Says what a bin is for, pick or reserve, and how many units it holds; None leaves it as it is,
    and a capacity of 0 is not known."""
    actor.must(Right.SETUP)
    if purpose is not None and purpose not in PURPOSES:
        message = f"“Purpose” must be pick or reserve; it got {purpose[:40]}."
        raise refuse("not-allowed", message, "Choose one.", "purpose")
    if capacity is not None and not 0 <= capacity <= MOST_CAPACITY:
        message = f"“Capacity” must be 0 to {MOST_CAPACITY:,} units; it got {capacity}."
        raise refuse("out-of-range", message, "Correct it.", "capacity")
    with workplace.database.writing() as session:
        row = warehouse_by_key(session, key)
        shelf = find_bin(session, row.id, code)
        changes: dict[str, tuple[Any, Any]] = {}
        if purpose is not None and purpose != shelf.purpose:
            changes["purpose"] = (shelf.purpose, purpose)
            shelf.purpose = purpose
        if capacity is not None and (capacity or None) != shelf.capacity:
            changes["capacity"] = (shelf.capacity, capacity or None)
            shelf.capacity = capacity or None
        if changes:
            subject = audit.Subject("warehouse", row.id)
            deed = f"bin {shelf.code} changed"
            audit.record(session, actor, workplace.now(), subject, deed, changes)


def plan_from_bins(workplace: Workplace, key: str) -> NamedPlan | None:
    """Returns the plan that the codes of a warehouse's bins suggest, or None."""
    with workplace.database.reading() as session:
        row = warehouse_by_key(session, key)
        return plan_for_bins(list(codes_of_bins(session, row.id)))
