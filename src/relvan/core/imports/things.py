"""Finds which rows of a file describe one thing together, and what that thing is to become,
compared with what it is now."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from relvan.core.catalogue.facts import Facts, with_facts
from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.keyed import Keyed, price_fact
from relvan.core.catalogue.product import ProductKind
from relvan.core.imports.blocks import Row
from relvan.core.imports.columns import FileKind, Kind
from relvan.core.refusal import Refusal

ADD, REPLACE = "add", "replace"


@dataclass(frozen=True)
class Options:
    """What the person chose: whether products with unknown SKUs are created; whether rows are added
    to a family's variants or a kit's parts, or replace them; whether an empty cell empties the fact
    or leaves it. Of orders, it says the tray in which they begin, and whether payments are firm,
    provisional or left out."""

    create: bool = True
    members: str = ADD
    clear: bool = False
    tray: str = ""
    payments: str = "firm"


@dataclass(slots=True)
class Thing:
    """One thing that rows of a file describe. Things with the same `group` are taken or refused
    together.

    `implied` is below 0 for a thing without a row of its own, such as a family that only its
    variants name; it is then kept under that number. `proposed_title` counts when the thing is
    created and no row gives it a title.
    """

    sku: str
    rows: list[Row]
    facts: Facts = field(default_factory=dict)
    parts: list[tuple[str, int]] | None = None
    aliases: list[str] = field(default_factory=list)
    group: str = ""
    creates: bool = True
    refusals: list[Refusal] = field(default_factory=list)
    implied: int = 0
    proposed_title: str = ""

    @property
    def key(self) -> str:
        """The key by which the thing is found."""
        return sku_key(self.sku)

    @property
    def leader(self) -> int:
        """The number of its first row, or the number under which it is implied."""
        return self.implied or self.rows[0].position


class Found(NamedTuple):
    """What a rehearsal says of a thing: the verdict, what would change as fact -> [old, new], why it
    is refused, a note for its first row, and what is kept beside for applying it."""

    thing: Thing
    verdict: str
    change: dict[str, Any] | None
    refusals: list[Refusal]
    note: str = ""
    more: dict[str, Any] | None = None


def gather(kind: Kind, rows: Iterable[Row], options: Options) -> list[Thing]:
    """Returns the things that the rows describe, in the order in which they occur first."""
    things = _GATHER[kind.key](rows, options)
    for thing in things:
        for column in kind.required:
            for row in thing.rows:
                if row.values.get(column.name) is None and not any(
                    r.field == column.name for r in row.refusals
                ):
                    message = f"“{column.heading}” is empty."
                    row.refusals.append(Refusal("missing", message, "Fill the cell.", column.name))
    return things


def target(thing: Thing, now: Facts | None, options: Options) -> Facts:
    """Returns what the facts of a thing are to be. `now` are its present facts; there are none when
    it is to be created."""
    facts = with_facts(now or {"kind": "single"}, thing.facts)
    if now is None:
        facts.setdefault("title", thing.proposed_title or thing.sku)
    if not thing.facts.get("archived"):
        facts.pop("archived", None)  # naming a product in a file takes it out of the archive
    if thing.parts is not None:
        held = (
            {}
            if options.members == REPLACE
            else {sku_key(sku): [sku, q] for sku, q in (now or {}).get("parts", [])}
        )
        held |= {
            sku_key(sku): [held.get(sku_key(sku), [sku])[0], quantity]
            for sku, quantity in thing.parts
        }
        facts["parts"] = list(held.values())
    if thing.aliases:
        known = {sku_key(alias): alias for alias in (now or {}).get("aliases", [])}
        known |= {sku_key(alias): known.get(sku_key(alias), alias) for alias in thing.aliases}
        facts["aliases"] = sorted(known.values(), key=str.casefold)
    return facts


def turn_of(kind: str, depth: int = 0) -> int:
    """Returns the order in which a thing is written: families first, then stocked products, then
    kits, inner kits before outer ones."""
    return 0 if kind == ProductKind.FAMILY else 2 + depth if kind == ProductKind.KIT else 1


def _products(rows: Iterable[Row], options: Options) -> list[Thing]:
    things: dict[str, Thing] = {}
    for row in rows:
        facts = {name: value for name, value in row.values.items() if name != "aliases"}
        facts |= dict.fromkeys(row.empty - {"kind", "sku"}) if options.clear else {}
        sku = row.text("sku")
        _settle_kind(row, facts)
        first = things.get(sku_key(sku)) if sku else None
        if first is not None:
            message = f"“{sku}” is in row {first.leader} already."
            row.refusals.append(Refusal("twice", message, "Join the rows.", "sku"))
        thing = Thing(sku, [row], facts)
        if "aliases" in row.values or ("aliases" in row.empty and options.clear):
            thing.facts["aliases"] = sorted(row.values.get("aliases", []), key=str.casefold)
        if first is None and sku:
            things[sku_key(sku)] = thing
        else:
            things[f"row {row.position}"] = thing
    return [*_heads_of(things), *things.values()]


def _heads_of(things: Mapping[str, Thing]) -> list[Thing]:
    """Returns the families that products with trait values name. A family without a row of its own
    is implied; a family with a row gets the traits of its variants."""
    heads: dict[str, Thing] = {}
    titles: dict[str, list[str]] = {}
    for thing in things.values():
        family = str(thing.facts.get("family") or "")
        traits = {key: str(v) for key, v in Keyed.TRAIT.of(thing.facts).items() if v is not None}
        if not family or not traits:
            continue
        key = sku_key(family)
        head = things.get(key) or heads.get(key)
        if head is None:
            facts: Facts = {"sku": family, "kind": "family"}
            head = heads[key] = Thing(family, [], facts, implied=-1 - len(heads))
        if head.facts.get("kind") == "family":
            _add_axes(head, traits)
        titles.setdefault(key, []).append(str(thing.facts.get("title") or ""))
    for key, head in heads.items():
        head.proposed_title = title_in_common(titles[key])
    return list(heads.values())


JOINING = {"a", "an", "and", "for", "in", "of", "the", "with"}


def title_in_common(titles: Sequence[str]) -> str:
    """Returns the words that all titles begin with, up to the part in which they differ; it is
    empty when they share none.

    >>> title_in_common(["Aubrey pot, ink glaze, 14 cm", "Aubrey pot, oat glaze, 14 cm"])
    'Aubrey pot'
    >>> title_in_common(["Aubrey pot, glaze 1", "Aubrey pot, glaze 2"]), title_in_common(["Pot in ink", "Pot in oat"])
    ('Aubrey pot', 'Pot')
    """
    split = [title.split() for title in titles]
    common = []
    for words in zip(*split, strict=False):
        if len({word.casefold() for word in words}) > 1:
            break
        common.append(words[0])
    if len(titles) < 2:
        return ""
    ends = [at for at, word in enumerate(common) if word.endswith((",", ";", ":"))]
    common = common[: ends[-1] + 1] if ends else common
    while common and common[-1].casefold() in JOINING:
        common.pop()
    return " ".join(common).strip(" ,;:-–(/")


def _settle_kind(row: Row, facts: Facts) -> None:
    kind = row.values.get("kind")
    if kind is not None:
        lowered = str(kind).casefold()
        if lowered not in set(ProductKind):
            message = f"“Kind” must be one of {', '.join(ProductKind)}; it got “{str(kind)[:40]}”."
            row.refusals.append(Refusal("not-allowed", message, "Correct the cell.", "kind"))
            facts.pop("kind")
        else:
            facts["kind"] = lowered
    elif facts.get("family"):
        facts["kind"] = "variant"


def _families(rows: Iterable[Row], options: Options) -> list[Thing]:
    heads: dict[str, Thing] = {}
    variants: list[Thing] = []
    seen: dict[str, int] = {}
    for row in rows:
        head = row.text("head")
        group = sku_key(head) or f"row {row.position}"
        facts: Facts = {"sku": head, "kind": "family"}
        family = heads.setdefault(
            group, Thing(head, [], facts, group=group, implied=-1 - len(heads))
        )
        family.rows.append(row)
        if row.text("head_title"):
            family.facts["title"] = row.text("head_title")
        if not row.text("sku"):
            continue
        key = sku_key(row.text("sku"))
        if key in seen:
            message = f"“{row.text('sku')}” is in row {seen[key]} already."
            row.refusals.append(Refusal("twice", message, "Write each variant once.", "sku"))
            continue
        seen[key] = row.position
        traits = _traits_of(row)
        facts = {"sku": row.text("sku"), "kind": "variant", "family": head}
        facts |= Keyed.TRAIT.named(traits)
        facts |= {
            name: value
            for name, value in row.values.items()
            if name == "title" or Keyed.PRICE.has(name)
        }
        variants.append(Thing(row.text("sku"), [row], facts, group=group))
        _add_axes(family, traits)
    return [*heads.values(), *variants]


def _traits_of(row: Row) -> dict[str, str]:
    found = {key: str(v) for key, v in Keyed.TRAIT.of(row.values).items()}
    for n in (1, 2, 3):
        if row.text(f"trait_{n}") and row.text(f"value_{n}"):
            found[row.text(f"trait_{n}")] = row.text(f"value_{n}")
    return found


def _add_axes(family: Thing, traits: Mapping[str, str]) -> None:
    axes: list[list[Any]] = family.facts.setdefault("axes", [])
    for name, value in traits.items():
        axis = next((axis for axis in axes if axis[0].casefold() == name.casefold()), None)
        if axis is None:
            axis = [name, []]
            axes.append(axis)
        if value.casefold() not in {held.casefold() for held in axis[1]}:
            axis[1].append(value)


def join_axes(now: Sequence[Any], new: Sequence[Any]) -> list[list[Any]]:
    """Adds the traits and values of a file to the traits that a family has; new ones come last."""
    found = [[name, list(values)] for name, values in now]
    for name, values in new:
        axis = next((axis for axis in found if axis[0].casefold() == name.casefold()), None)
        if axis is None:
            found.append([name, list(values)])
            continue
        known = {held.casefold() for held in axis[1]}
        axis[1] += [value for value in values if value.casefold() not in known]
    return found


def _kits(rows: Iterable[Row], options: Options) -> list[Thing]:
    kits: dict[str, Thing] = {}
    for row in rows:
        sku = row.text("kit")
        group = sku_key(sku) or f"row {row.position}"
        kit = kits.setdefault(
            group, Thing(sku, [], {"sku": sku, "kind": "kit"}, parts=[], group=group)
        )
        kit.rows.append(row)
        if row.text("kit_title"):
            kit.facts["title"] = row.text("kit_title")
        kit.facts |= {
            n: v for n, v in row.values.items() if Keyed.PRICE.has(n) or n == "parts_apart"
        }
        part, quantity = row.text("part"), row.values.get("quantity")
        assert kit.parts is not None
        if part and isinstance(quantity, int):
            if sku_key(part) in {sku_key(held) for held, _ in kit.parts}:
                message = f"“{part}” is a part of “{sku}” twice."
                row.refusals.append(
                    Refusal("twice", message, "Write it once, with the sum.", "part")
                )
            kit.parts.append((part, quantity))
    return list(kits.values())


def _aliases(rows: Iterable[Row], options: Options) -> list[Thing]:
    things: dict[str, Thing] = {}
    for row in rows:
        sku, alias = row.text("sku"), row.text("alias")
        thing = things.setdefault(
            sku_key(sku) or f"row {row.position}", Thing(sku, [], creates=False)
        )
        thing.rows.append(row)
        if not alias:
            continue
        thing.aliases.append(alias)
        prices = Keyed.PRICE.of(row.values)
        if row.text("title") or prices:
            thing.facts[Keyed.ALIAS.fact(alias)] = {
                "title": row.text("title"),
                "picture": "",
                "prices": prices,
            }
    return list(things.values())


def _prices(rows: Iterable[Row], options: Options) -> list[Thing]:
    things: dict[str, Thing] = {}
    for row in rows:
        sku, key = row.text("sku"), row.text("list").casefold()
        thing = things.setdefault(
            sku_key(sku) or f"row {row.position}", Thing(sku, [], creates=False)
        )
        thing.rows.append(row)
        least = row.values.get("least")
        name = price_fact(key, least if isinstance(least, int) else None)
        if name in thing.facts and row.values.get("price") is not None:
            message = f"“{sku}” has that price of “{key}” in another row already."
            row.refusals.append(Refusal("twice", message, "Leave one of them out.", "price"))
        if row.values.get("price") is not None:
            thing.facts[name] = row.values["price"]
    return list(things.values())


def _attributes(rows: Iterable[Row], options: Options) -> list[Thing]:
    things: dict[str, Thing] = {}
    for row in rows:
        sku, name = row.text("sku"), row.text("attribute")
        thing = things.setdefault(
            sku_key(sku) or f"row {row.position}", Thing(sku, [], creates=False)
        )
        thing.rows.append(row)
        if name:
            thing.facts[Keyed.ATTRIBUTE.fact(name)] = row.text("value") or None
    return list(things.values())


def _alone(rows: Iterable[Row], options: Options) -> list[Thing]:
    """Returns one thing for each row: counts, pictures, listing fields and publishing."""
    return [Thing(row.text("sku"), [row], dict(row.values), creates=False) for row in rows]


def _orders(rows: Iterable[Row], options: Options) -> list[Thing]:
    """Returns one thing for each reference; a row without one stands alone."""
    things: dict[str, Thing] = {}
    for row in rows:
        reference = row.text("reference").strip()
        key = reference.casefold() or f"row {row.position}"
        things.setdefault(key, Thing(reference, [])).rows.append(row)
    return list(things.values())


def _spoken(rows: Iterable[Row], options: Options) -> list[Thing]:
    """Returns one thing for each row of a file of layer values: one field of the layer that it
    names."""
    return [Thing(row.text("layer"), [row], dict(row.values), creates=False) for row in rows]


_GATHER = {
    FileKind.PRODUCTS: _products,
    FileKind.FAMILIES: _families,
    FileKind.KITS: _kits,
    FileKind.ALIASES: _aliases,
    FileKind.PRICES: _prices,
    FileKind.COUNTS: _alone,
    FileKind.PICTURES: _alone,
    FileKind.ATTRIBUTES: _attributes,
    FileKind.LISTINGS: _alone,
    FileKind.DEEDS: _alone,
    FileKind.LAYERS: _spoken,
    FileKind.ORDERS: _orders,
}
