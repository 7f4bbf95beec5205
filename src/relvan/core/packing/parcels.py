"""Checks what goes into a parcel: only what was picked, and nothing twice."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from relvan.core.refusal import Refusal

MOST_GRAMS = 31_500


@dataclass(frozen=True)
class Packed:
    """So many units of a product in one parcel."""

    sku: str
    quantity: int


def open_units(picked: Mapping[str, int], parcels: Sequence[Sequence[Packed]]) -> dict[str, int]:
    """Returns the units by SKU that were picked and are in no parcel yet."""
    left = dict(picked)
    for parcel in parcels:
        for packed in parcel:
            left[packed.sku] = left.get(packed.sku, 0) - packed.quantity
    return {sku: units for sku, units in left.items() if units}


def check_parcel(lines: Sequence[Packed], weight_g: int, left: Mapping[str, int]) -> list[Refusal]:
    """Checks that a parcel holds at least one unit and only what is not packed yet, and that it
    weighs 1 g to 31.5 kg."""
    found = []
    if not 1 <= weight_g <= MOST_GRAMS:
        message = f"“Weight” must be 1 to {MOST_GRAMS:,} g; it got {weight_g:,}."
        found.append(
            Refusal("out-of-range", message, "Put it on the scale, or type the grams.", "weight_g")
        )
    if not any(line.quantity for line in lines):
        found.append(
            Refusal("missing", "A parcel must hold something.", "Say what is in it.", "lines")
        )
    wanted: dict[str, int] = {}
    for line in lines:
        wanted[line.sku] = wanted.get(line.sku, 0) + line.quantity
    below = {line.sku: line.quantity for line in lines if line.quantity < 0}
    for sku, quantity in {**wanted, **below}.items():
        if quantity < 0 or quantity > left.get(sku, 0):
            message = f"“{sku}” must be 0 to {left.get(sku, 0)} here; it got {quantity}."
            found.append(
                Refusal("not-enough", message, "Only what was picked can be packed, once.", "lines")
            )
    return found
