"""Serves warehouses and their bins over HTTP, for owners only."""

from typing import Annotated, Any, Literal

from pydantic import Field

from relvan.api.described import Flag, described_text
from relvan.api.desk import By, Caller, Cursor, Limit, OneOf, page_of, setup_router
from relvan.api.firm import PostalAddress
from relvan.api.shapes import Shape
from relvan.core.picking.places import MOST_NAME as MOST_AISLE_NAME
from relvan.core.picking.plan import LONGEST_M, MOST_AISLES, MOST_BAYS, MOST_CROSS
from relvan.core.refusal import refuse
from relvan.core.setup.bins import CODE, MOST_CODE, written_out
from relvan.core.setup.firm import MOST_NAME
from relvan.core.setup.warehouses import HAND_OVER, KEY, TAKES, WarehouseKind
from relvan.core.stock.movements import MOST_UNITS
from relvan.core.texts import WORDS
from relvan.services.setup.bins import add_bins, close_bin, merge_bins, rename_bin
from relvan.services.setup.floor import MOST_CAPACITY, set_bin_purpose, set_plan
from relvan.services.setup.warehouses import (
    add_warehouse,
    change_warehouse,
    remove_warehouse,
    warehouse_facts,
)
from relvan.store.setup import bin_lines
from relvan.store.stock import warehouse_by_key, warehouses
from relvan.store.tables import Warehouse

router = setup_router()
Name = Annotated[str, Field(max_length=MOST_NAME), described_text(WORDS, MOST_NAME)]
BinCode = Annotated[str, Field(max_length=MOST_CODE, pattern=f"^{CODE.pattern}$")]


class PickUpShape(Shape):
    """When carriers call: days from 0 for Monday, and the time until which a parcel still leaves."""

    days: list[Annotated[int, Field(ge=0, le=6)]] | None = Field(default=None, max_length=7)
    cut_off: (
        Annotated[
            str,
            Field(max_length=20),
            described_text("^(?:[01][0-9]|2[0-3]):[0-5][0-9]$", 5, least=0),
        ]
        | None
    ) = None


class WarehouseChange(Shape):
    """What is to change of a warehouse; what is left out stays. A centre names its `channel` and what
    that calls it, whether it takes whole orders or parts, and whether orders get there by-itself."""

    name: Name | None = None
    kind: WarehouseKind | None = None
    address: PostalAddress | None = None
    pick_up: PickUpShape | None = None
    safety: Annotated[int, Field(ge=0, le=MOST_UNITS)] | None = None
    channel: Annotated[str, Field(max_length=60)] | None = None
    centre: Annotated[str, Field(max_length=40)] | None = None
    takes: Annotated[str, OneOf("takes", TAKES)] | None = None
    hand_over: Annotated[str, OneOf("hand_over", HAND_OVER)] | None = None


class NewWarehouse(WarehouseChange):
    """A warehouse to be added; without a key one is made from the name."""

    name: Name
    warehouse: Annotated[str, described_text(KEY, 40)] | None = None


class NewBins(Shape):
    """Bins to be added: by a pattern such as {aisle:A-L}-{bay:01-40}, or by their codes."""

    pattern: Annotated[str, Field(max_length=200)] | None = None
    bins: list[BinCode] | None = Field(default=None, max_length=20_000)


class BinChange(Shape):
    """One thing to do with a bin: another code, merging it into another bin, or closing it."""

    code: BinCode | None = None
    merge_into: BinCode | None = None
    closed: Flag | None = None
    purpose: Literal["pick", "reserve"] | None = None
    capacity: int | None = Field(default=None, ge=0, le=MOST_CAPACITY)


def _warehouse_shape(row: Warehouse) -> dict[str, Any]:
    facts = warehouse_facts(row)
    return {
        "warehouse": facts.key,
        "name": facts.name,
        "kind": facts.kind,
        "address": facts.address.as_dict(),
        "pick_up": facts.pick_up.as_dict(),
        "safety": facts.safety,
        "channel": facts.channel or None,
        "centre": facts.centre or None,
        "takes": facts.takes,
        "hand_over": facts.hand_over,
        "plan": row.plan,
        "bin_rule": row.bin_rule,
    }


def _warehouse(by: Caller, key: str) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        return _warehouse_shape(warehouse_by_key(session, key))


@router.get("/warehouses")
def get_warehouses(by: By) -> dict[str, Any]:
    """Returns every warehouse."""
    with by.workplace.database.reading() as session:
        return {"items": [_warehouse_shape(row) for row in warehouses(session)]}


@router.post("/warehouses", status_code=201)
def post_warehouse(by: By, wish: NewWarehouse) -> dict[str, Any]:
    """Adds a warehouse with one bin, FLOOR."""
    told = wish.told()
    told["key"] = told.pop("warehouse", "")
    return _warehouse(by, add_warehouse(by.workplace, by.actor, told))


@router.get("/warehouses/{warehouse}")
def get_warehouse(by: By, warehouse: str) -> dict[str, Any]:
    """Returns one warehouse."""
    return _warehouse(by, warehouse)


@router.patch("/warehouses/{warehouse}")
def patch_warehouse(by: By, warehouse: str, change: WarehouseChange) -> dict[str, Any]:
    """Changes a warehouse."""
    facts = change_warehouse(by.workplace, by.actor, warehouse, change.told())
    return _warehouse(by, facts.key)


@router.delete("/warehouses/{warehouse}")
def delete_warehouse(by: By, warehouse: str) -> dict[str, Any]:
    """Removes a warehouse in which nothing ever moved."""
    remove_warehouse(by.workplace, by.actor, warehouse)
    return {"warehouse": warehouse}


class AisleEndShape(Shape):
    """One end of an aisle; aisles count from 0."""

    aisle: int = Field(default=0, ge=0, le=MOST_AISLES)
    end: Literal["front", "back"] = "front"


class PlanShape(Shape):
    """The plan of a warehouse; lengths are in metres. `names` are those with which the codes of bins
    begin, from left to right; `cross_aisles` the distances of further cross aisles from the front."""

    aisles: int = Field(ge=1, le=MOST_AISLES)
    bays: int = Field(ge=1, le=MOST_BAYS)
    bay_m: float = Field(default=1, gt=0, le=LONGEST_M)
    aisle_pitch_m: float = Field(default=5, gt=0, le=LONGEST_M)
    cross_off_m: float = Field(default=1, ge=0, le=LONGEST_M)
    cross_aisles: list[float] = Field(default=[], max_length=MOST_CROSS)
    start: AisleEndShape = AisleEndShape()
    drop: AisleEndShape | None = None
    names: list[Annotated[str, Field(min_length=1, max_length=MOST_AISLE_NAME)]] | None = None
    bin_rule: Literal["empties", "oldest", "near"] | None = None


@router.put("/warehouses/{warehouse}/plan")
def put_plan(by: By, warehouse: str, plan: PlanShape) -> dict[str, Any]:
    """Keeps the plan of a warehouse. Bins take their places from their codes; pick lists that are made
    from now on follow it."""
    set_plan(by.workplace, by.actor, warehouse, plan.model_dump(exclude_none=True))
    return _warehouse(by, warehouse)


@router.get("/warehouses/{warehouse}/bins")
def get_bins(by: By, warehouse: str, limit: Limit = 50, after: Cursor = 0) -> dict[str, Any]:
    """Returns the bins of a warehouse in the order in which one walks past them."""
    with by.workplace.database.reading() as session:
        row = warehouse_by_key(session, warehouse)
        rows = bin_lines(session, row.id, after=after, limit=limit + 1)
    items, following = page_of(rows, limit, lambda one: one.walk)
    shapes = [
        {
            "bin": one.code,
            "walk": one.walk,
            "closed": one.closed,
            "purpose": one.purpose,
            "capacity": one.capacity,
            "products": one.products,
            "units": one.units,
        }
        for one in items
    ]
    return {"items": shapes, "next": following}


@router.post("/warehouses/{warehouse}/bins", status_code=201)
def post_bins(by: By, warehouse: str, wish: NewBins) -> dict[str, Any]:
    """Adds bins; those that are there already stay, and closed ones are opened again."""
    if (wish.pattern is None) == (wish.bins is None):
        raise refuse("missing", "Send a pattern or a list of bins.", "One of the two.", "pattern")
    codes = written_out(wish.pattern) if wish.pattern is not None else wish.bins or []
    added = add_bins(by.workplace, by.actor, warehouse, codes)
    return {"new": added.new, "reopened": added.reopened, "there": added.there}


@router.patch("/warehouses/{warehouse}/bins/{code}")
def patch_bin(by: By, warehouse: str, code: str, change: BinChange) -> dict[str, Any]:
    """Gives a bin another code, merges it into another one, closes it or opens it again."""
    told = change.told()
    about = {name: told.pop(name) for name in ("purpose", "capacity") if name in told}
    if about and not told:
        set_bin_purpose(by.workplace, by.actor, warehouse, code, **about)
        return {"bin": code}
    if len(told) != 1 or about:
        message = "Send one of code, merge_into and closed; or purpose and capacity."
        raise refuse("form", message, "One at a time.", "code")
    if change.code is not None:
        rename_bin(by.workplace, by.actor, warehouse, code, change.code)
        return {"bin": change.code}
    if change.merge_into is not None:
        merge_bins(by.workplace, by.actor, warehouse, code, change.merge_into)
    elif change.closed:
        close_bin(by.workplace, by.actor, warehouse, code)
    else:
        add_bins(by.workplace, by.actor, warehouse, [code])
    return {"bin": code}
