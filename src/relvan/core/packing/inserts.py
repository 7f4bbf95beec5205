"""What goes into parcels besides the goods: leaflets, samples, cards. See docs/rules.md, “Inserts”."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, fields
from typing import Any

from relvan.core.refusal import Refusal

MOST_NAME, MOST_WEIGHT_G, MOST_INSERTS, MOST_VALUES = 80, 5_000, 100, 60


@dataclass(frozen=True)
class InsertFacts:
    """What decides about inserts of a shipment: the key of its channel (empty for orders by hand), the
    country, the SKUs, and what its goods were sold for, in minor units."""

    channel: str
    country: str
    skus: frozenset[str]
    value: int


@dataclass(frozen=True)
class Insert:
    """Something that goes into the first parcel of shipments of which all of this is so; what is empty is
    not asked for, and of several values one is enough. `none` as a channel is for orders by hand."""

    name: str
    weight_g: int = 0
    channels: tuple[str, ...] = ()
    countries: tuple[str, ...] = ()
    skus: tuple[str, ...] = ()
    least_value: int | None = None
    active: bool = True
    id: int = 0

    def fits(self, facts: InsertFacts) -> bool:
        """Says whether it goes into a shipment.

        >>> leaflet = Insert("Care of glazes", skus=("PT-14",))
        >>> leaflet.fits(InsertFacts("", "IE", frozenset({"PT-14", "SO-20"}), 4_000))
        True
        """
        wanted = {sku.upper() for sku in self.skus}
        return (
            self.active
            and (not self.channels or (facts.channel or "none") in self.channels)
            and (not self.countries or facts.country in self.countries)
            and (not wanted or bool(wanted & {sku.upper() for sku in facts.skus}))
            and (self.least_value is None or facts.value >= self.least_value)
        )

    def as_dict(self) -> dict[str, Any]:
        """Returns it as plain data, without its id."""
        told = {one.name: getattr(self, one.name) for one in fields(self) if one.name != "id"}
        return {key: [*v] if isinstance(v, tuple) else v for key, v in told.items()}

    @classmethod
    def read(cls, told: Mapping[str, Any], insert_id: int = 0) -> "Insert":
        """Reads it from plain data.

        >>> Insert.read(Insert("Card", 8, channels=("none",)).as_dict()) == Insert("Card", 8, ("none",))
        True
        """
        known = {one.name for one in fields(cls)} - {"id"}
        facts: dict[str, Any] = {
            key: tuple(value) if isinstance(value, list) else value
            for key, value in told.items()
            if key in known
        }
        return cls(**facts, id=insert_id)


def insert_words(insert: Insert, channels: Mapping[str, str], money: Callable[[int], str]) -> str:
    """Says for which shipments an insert is; names of channels are given by their keys.

    >>> insert_words(Insert("Card", channels=("none",), countries=("IE",)), {}, str)
    'Orders by hand. Going to IE.'
    """
    parts = []
    if insert.channels:
        named = [channels[key] for key in insert.channels if key in channels]
        sold = [f"Sold on {', '.join(named)}."] if named else []
        parts += [*sold, *(["Orders by hand."] if "none" in insert.channels else [])]
    if insert.countries:
        parts.append(f"Going to {', '.join(insert.countries)}.")
    if insert.skus:
        parts.append(f"With {', '.join(insert.skus)}.")
    if insert.least_value is not None:
        parts.append(f"Worth at least {money(insert.least_value)}.")
    return " ".join(parts) or "Every shipment."


def check_insert(
    insert: Insert, channels: Collection[str], countries: Collection[str]
) -> list[Refusal]:
    """Checks an insert before it is saved; `channels` and `countries` are those that there are."""
    found = []
    if not 1 <= len(insert.name.strip()) <= MOST_NAME:
        message = f"“Name” must have 1 to {MOST_NAME} characters."
        found.append(Refusal("form", message, "Say what the packer puts in.", "name"))
    if not 0 <= insert.weight_g <= MOST_WEIGHT_G:
        message = f"“Weight” must be 0 to {MOST_WEIGHT_G:,} g; it got {insert.weight_g:,}."
        found.append(Refusal("out-of-range", message, "Correct it.", "weight_g"))
    for field, values, there in (
        ("channels", insert.channels, {*channels, "none"}),
        ("countries", insert.countries, countries),
    ):
        strange = [one for one in values if one not in there]
        if strange:
            message = f"“{strange[0][:40]}” is not known here."
            found.append(Refusal("not-found", message, "Choose one of the list.", field))
    if len(insert.skus) > MOST_VALUES:
        message = f"“SKUs” must have at most {MOST_VALUES} values."
        found.append(Refusal("too-many", message, "Make two inserts of it.", "skus"))
    if insert.least_value is not None and insert.least_value < 0:
        message = "“Worth at least” must not be below 0."
        found.append(Refusal("out-of-range", message, "Correct it.", "least_value"))
    return found
