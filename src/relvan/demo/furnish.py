"""Adds the rest of the range to the demo: attributes, price lists, families, kits, services, and
files to try.
"""

from collections.abc import Callable
from datetime import date
from pathlib import Path

from relvan.core.catalogue.facts import Facts, draft_from
from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.product import ProductDraft
from relvan.core.refusal import Refused
from relvan.demo.goods import LIST
from relvan.demo.range import ASKS, ATTRIBUTES, CHF, TRADE, Family, families
from relvan.demo.samples import fair_file, good_file, messy_file
from relvan.demo.sets import kits, old_codes, services
from relvan.demo.studio import Studio
from relvan.services.catalogue.categories import add_category, ask_for, save_attribute
from relvan.services.catalogue.families import NewFamily, link_family
from relvan.services.catalogue.save import change_facts, save_many
from relvan.services.prices.lists import NewPriceList, add_price_list
from relvan.services.workplace import Actor, Workplace

Move = Callable[[str, str, int], None]


def furnish(workplace: Workplace, owner: Actor, move: Move, studio: Studio) -> None:
    """Adds all of it; `move` puts a number of units of a SKU into a warehouse."""
    for rule in ATTRIBUTES:
        save_attribute(workplace, owner, rule)
    for path, asks in ASKS.items():
        add_category(workplace, owner, path)
        ask_for(workplace, owner, path, asks)
    drafts = [draft for family in families() for draft in _family(workplace, owner, family)]
    drafts += [(draft.sku, draft) for draft in (*services(), *kits())]
    wrong = [verdict for verdict in save_many(workplace, owner, drafts) if not verdict.ok]
    assert not wrong, wrong
    for sku in ("KIT-HERB", "KIT-TOOLS", "KIT-GIFT", "KIT-TRIO-9"):
        studio.order(sku, "box", "#C9973F", sku.removeprefix("KIT-").title())
    for family in families():
        _fill(family, move, studio)
    change_facts(workplace, owner, [(sku, {"aliases": [alias]}) for alias, sku in old_codes()])
    _price_lists(workplace, owner)


def _family(
    workplace: Workplace, owner: Actor, family: Family
) -> list[tuple[str, ProductDraft | Refused]]:
    """Links the products of a family that are there already, and returns the drafts of the others,
    with that of the family itself where none is there.
    """
    shared = {
        "category": family.category,
        "brand": "Quillmoss",
        "description": family.description,
        **family.shared,
    }
    first = {member.sku: member.traits for member in family.members if member.draft is None}
    head = NewFamily(family.sku, family.title, family.axes, shared)
    drafts: list[tuple[str, ProductDraft | Refused]] = [
        (member.sku, _placed(member.draft, family.sku, member.traits))
        for member in family.members
        if member.draft is not None
    ]
    if first:
        link_family(workplace, owner, head, first)
        return drafts
    return [(head.sku, _head(head)), *drafts]


def _fill(family: Family, move: Move, studio: Studio) -> None:
    """Gives the products of a family their pictures and their first stock."""
    if family.shape:
        studio.order(family.sku, family.shape, family.colour, family.title)
    for member in family.members:
        if member.draft is None:
            continue
        if member.shape and len(family.traits) > 1:
            caption = ", ".join(member.traits.values())
            studio.order(member.sku, member.shape, member.colour, caption)
        if member.units:
            move(member.sku, member.warehouse, member.units)


def _head(family: NewFamily) -> ProductDraft:
    axes = [[trait.name, list(trait.values)] for trait in family.axes]
    facts: Facts = {
        "sku": family.sku,
        "title": family.title,
        "kind": "family",
        "axes": axes,
        **family.shared,
    }
    return draft_from(facts)


def _placed(draft: ProductDraft, family: str, traits: dict[str, str]) -> ProductDraft:
    values = {name: getattr(draft, name) for name in ProductDraft.__dataclass_fields__}
    return ProductDraft(**{**values, "family": family, "traits": traits})


def _price_lists(workplace: Workplace, owner: Actor) -> None:
    add_price_list(workplace, owner, NewPriceList(TRADE, "Trade", "EUR", False))
    add_price_list(workplace, owner, NewPriceList(CHF, "Retail in francs", "CHF", True))
    changes: list[tuple[str, dict[str, object]]] = []
    for family in families():
        for member in family.members[:20]:
            price = member.draft.prices[LIST] if member.draft else None
            if price:
                trade = round(price * 0.55)
                changes.append(
                    (
                        member.sku,
                        {
                            Keyed.PRICE.fact(TRADE): trade,
                            f"break {TRADE} 12": round(trade * 0.92),
                            f"break {TRADE} 48": round(trade * 0.86),
                        },
                    )
                )
            if price and family.sku in ("SA", "HP"):
                changes[-1][1][Keyed.PRICE.fact(CHF)] = round(price * 1.05 / 5) * 5
    verdicts = change_facts(workplace, owner, changes)
    assert all(verdict.ok for verdict in verdicts), verdicts


def lay_out_samples(workplace: Workplace, folder: Path, today: date) -> None:
    """Writes files with which an import can be tried: a good one, one as suppliers send them, and
    the orders of a craft fair.
    """
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "spring prices and weights.xlsx").write_bytes(good_file(workplace))
    (folder / "supplier list, messy.csv").write_bytes(messy_file())
    (folder / "orders of a craft fair.csv").write_bytes(fair_file(today))
