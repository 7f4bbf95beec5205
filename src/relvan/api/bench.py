"""Serves cartons and the pack bench over HTTP."""

from typing import Annotated, Any

from pydantic import Field

from relvan.api.desk import By, Caller, api_router
from relvan.api.shapes import Amount, Shape, amount_of, minor
from relvan.core.packing.cartons import PackedCarton
from relvan.services.bench.scan import BenchScan, bench_view, scan_at_bench
from relvan.services.packing.cartons import MOST_G, MOST_MM, propose_cartons, save_carton
from relvan.store.bench import cartons
from relvan.store.tables import CartonRow

router = api_router(tags=["dispatch"])
Code = Annotated[str, Field(min_length=1, max_length=30)]
InnerLength = Annotated[int, Field(ge=1, le=MOST_MM)]
Grams = Annotated[int, Field(ge=0, le=MOST_G)]


class CartonSize(Shape):
    """The inner lengths of a carton in mm."""

    l: InnerLength  # noqa: E741 - as products have it
    w: InnerLength
    h: InnerLength


class CartonChange(Shape):
    """What is to change of a carton; what is left out stays."""

    name: Annotated[str, Field(min_length=1, max_length=60)] | None = None
    size_mm: CartonSize | None = None
    weight_g: Grams | None = None
    max_weight_g: Annotated[int, Field(ge=1, le=MOST_G)] | None = None
    cost: Amount | None = None
    used: bool | None = None


class NewCarton(CartonChange):
    """A carton; `code` is what the scanner reads from it."""

    code: Code


class ScanShape(Shape):
    """What the scanner read at the pack bench, the shipment that lies there, a weight in grams where it
    was typed, and whether the parcel is closed although its weight differs (`anyway`) or something is
    left for another parcel (`part`)."""

    code: Annotated[str, Field(min_length=1, max_length=200)]
    shipment: int | None = None
    weight_g: Annotated[int, Field(ge=1, le=MOST_G)] | None = None
    anyway: bool = False
    part: bool = False


def _carton_shape(by: Caller, row: CartonRow) -> dict[str, Any]:
    return {
        "code": row.code,
        "name": row.name,
        "size_mm": {"l": row.length_mm, "w": row.width_mm, "h": row.height_mm},
        "weight_g": row.weight_g,
        "max_weight_g": row.max_weight_g,
        "cost": amount_of(row.cost, by.workplace.firm.currency),
        "used": row.used,
    }


@router.get("/cartons")
def get_cartons(by: By) -> dict[str, Any]:
    """Returns the cartons, the smallest first."""
    with by.workplace.database.reading() as session:
        return {"items": [_carton_shape(by, row) for row in cartons(session)], "next": None}


@router.post("/cartons", status_code=201)
def post_carton(by: By, wish: NewCarton) -> dict[str, Any]:
    """Adds a carton."""
    return _save(by, wish.code, wish)


@router.patch("/cartons/{code}")
def patch_carton(by: By, code: str, change: CartonChange) -> dict[str, Any]:
    """Changes a carton."""
    return _save(by, code, change)


def _save(by: Caller, code: str, wish: CartonChange) -> dict[str, Any]:
    size = wish.size_mm
    cost = minor(wish.cost, by.workplace.firm.currency, "cost") if wish.cost else None
    told = {
        "name": wish.name,
        "length_mm": size.l if size else None,
        "width_mm": size.w if size else None,
        "height_mm": size.h if size else None,
        "weight_g": wish.weight_g,
        "max_weight_g": wish.max_weight_g,
        "cost": cost,
        "used": wish.used,
    }
    saved = save_carton(by.workplace, by.actor, code, told)
    with by.workplace.database.reading() as session:
        return next(
            _carton_shape(by, row) for row in cartons(session) if row.code.lower() == saved.lower()
        )


@router.get("/shipments/{shipment_id}/cartons")
def get_proposed(by: By, shipment_id: int, carton: str = "") -> dict[str, Any]:
    """Returns the cartons that are proposed for what is to be packed of a shipment, the cheapest or as many
    of the one that is named as are needed, with the place of every item in mm; `unknown` are goods whose
    lengths or weight are not known."""
    proposal = propose_cartons(by.workplace, shipment_id, carton)
    choice = proposal.choice
    currency = by.workplace.firm.currency
    return {
        "cost": amount_of(choice.cost, currency) if choice else None,
        "bound": amount_of(choice.bound, currency) if choice else None,
        "cartons": [_packed(one) for one in choice.cartons] if choice else [],
        "unknown": list(proposal.unknown),
        "why_not": proposal.why_not,
    }


def _packed(one: PackedCarton) -> dict[str, Any]:
    names = ("x", "y", "z", "dx", "dy", "dz")
    return {
        "carton": one.carton.id,
        "weight_g": one.weight_g,
        "fill": round(one.fill, 6),
        "items": [
            {"sku": item.id, **dict(zip(names, (*item.at, *item.size), strict=True))}
            for item in one.items
        ],
    }


@router.post("/bench/scan")
def post_scan(by: By, scan: ScanShape) -> dict[str, Any]:
    """Does what a code means at the pack bench: it leads to a shipment, marks goods as scanned, or closes
    the parcel and buys its label. The answer has the shipment that lies there now."""
    done = scan_at_bench(
        by.workplace,
        by.actor,
        BenchScan(scan.code, scan.shipment, scan.weight_g, scan.anyway, scan.part),
    )
    view = bench_view(by.workplace, done.shipment_id, propose=False) if done.shipment_id else None
    return {
        "shipment": done.shipment_id,
        "message": done.words,
        "trouble": done.trouble,
        "labels": [f"/api/v1/parcels/{parcel}/label.pdf" for parcel in done.parcels],
        "lines": [
            {
                "sku": line.sku,
                "to_pack": line.left,
                "scanned": line.scanned,
                "wanted": view.wanted(line),
            }
            for line in view.lines
        ]
        if view
        else [],
        "inserts": [one.name for one in view.inserts] if view else [],
        "services": [{"title": title, "units": units} for title, units in view.services]
        if view
        else [],
    }
