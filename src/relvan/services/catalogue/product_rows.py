"""Inserts and updates the rows of products. Only the columns that a change concerns are written."""

from collections import defaultdict
from collections.abc import Sequence
from typing import Any

from relvan.core.catalogue.facts import Facts
from relvan.core.catalogue.families import combination_key, widen
from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.product import ProductKind, Trait
from relvan.services.catalogue.columns import change_rows, create_rows
from relvan.services.catalogue.references import ProductWish
from relvan.services.workplace import Workplace
from relvan.store.bulk import update_rows
from relvan.store.facts import COLUMNS, codes, traits_of_variants
from relvan.store.product_rows import axes_of, clear_combinations
from relvan.store.session import Session
from relvan.store.tables import Product

SIMPLE = tuple(name for name in COLUMNS if name not in ("kind", "tax_code"))


def insert_products(session: Session, workplace: Workplace, wishes: Sequence[ProductWish]) -> None:
    """Creates the products that do not exist yet; each wish gets its id. `write_bonds` ties them to
    families afterwards, when all of them exist."""
    if not wishes:
        return
    columns: dict[str, Sequence[Any]] = {
        **{name: [wish.new.get(name) for wish in wishes] for name in SIMPLE},
        "kind": [wish.kind for wish in wishes],
        "tax_code": [_tax_code(wish) for wish in wishes],
        "attributes": [attributes_of(wish.new) for wish in wishes],
    }
    for wish, product_id in zip(
        wishes, create_rows(session, workplace.now(), columns), strict=True
    ):
        wish.id = product_id


def update_products(session: Session, workplace: Workplace, wishes: Sequence[ProductWish]) -> None:
    """Writes the changes of existing products; those that change the same columns share one
    statement."""
    groups: dict[tuple[str, ...], list[tuple[Any, ...]]] = defaultdict(list)
    for wish in wishes:
        columns = _columns(wish, workplace)
        groups[tuple(columns)].append((*columns.values(), wish.id))
    for names, rows in groups.items():
        *held, ids = zip(*rows, strict=True)
        change_rows(session, workplace.now(), ids, dict(zip(names, held, strict=True)))


def _columns(wish: ProductWish, workplace: Workplace) -> dict[str, Any]:
    """Returns the columns that a wish changes with their new values, always in the same order."""
    new, found = wish.new, dict[str, Any]()
    for name in sorted(wish.changes):
        if name in ("kind", "tax_code"):
            found["kind"], found["tax_code"] = wish.kind, _tax_code(wish)
        elif name in SIMPLE:
            found[name] = new.get(name)
        elif Keyed.ATTRIBUTE.has(name):
            found["attributes"] = attributes_of(new)
        elif name == "archived":
            found["archived_at"] = workplace.now() if new.get("archived") else None
    return found


def attributes_of(facts: Facts) -> dict[str, Any]:
    """Returns the attributes among facts, by name."""
    return Keyed.ATTRIBUTE.of(facts)


def traits_of(facts: Facts) -> dict[str, str]:
    """Returns the trait values among facts, by name."""
    return Keyed.TRAIT.of(facts)


def _tax_code(wish: ProductWish) -> str:
    return wish.new.get("tax_code") or ("" if wish.kind == ProductKind.VARIANT else "standard")


def write_bonds(session: Session, wishes: Sequence[ProductWish]) -> None:
    """Ties variants to their families: writes their traits and the text by which the variants of a
    family are told apart."""
    bound = [wish for wish in wishes if _is_bound(wish)]
    if not bound:
        return
    named = codes(session, [str(wish.new["family"]) for wish in bound if wish.new.get("family")])
    axes = _widened(session, bound, named)
    moving = [wish.id for wish in bound if wish.old and wish.id is not None]
    if moving:  # two variants may take one another's place
        clear_combinations(session, product_ids=moving)
    rows = [(*_bond(wish, named, axes), wish.id) for wish in bound]
    update_rows(session, Product, ("traits", "axes", "family_id", "combination"), rows)
    heads = {wish.id for wish in bound}
    wider = [
        (held, head) for head, (held, changed) in axes.items() if changed and head not in heads
    ]
    update_rows(session, Product, ("axes",), wider)
    _recombine(
        session,
        [wish for wish in bound if wish.kind == ProductKind.FAMILY and wish.touches("axes")],
    )


def _is_bound(wish: ProductWish) -> bool:
    if not wish.old:
        return wish.kind in (ProductKind.FAMILY, ProductKind.VARIANT)
    return wish.touches("family", Keyed.TRAIT, "axes", "kind")


def _bond(
    wish: ProductWish, named: dict[str, tuple[int, str, bool]], axes: "Axes"
) -> tuple[Any, ...]:
    """Returns the traits, axes, family and combination of one product."""
    traits = traits_of(wish.new)
    if wish.new.get("family"):
        head = named[sku_key(str(wish.new["family"]))][0]
        held = [Trait(name, tuple(values)) for name, values in axes[head][0]]
        return traits, [], head, combination_key(held, traits)
    own = (
        axes[wish.id][0]
        if wish.kind == ProductKind.FAMILY and wish.id in axes
        else wish.new.get("axes", [])
    )
    return traits, own, None, None


Axes = dict[int, tuple[list[Any], bool]]


def _widened(
    session: Session, wishes: Sequence[ProductWish], named: dict[str, tuple[int, str, bool]]
) -> Axes:
    """Adds the values of variants to the traits of their families. Returns the traits of every
    family named and whether something was added."""
    ids = {found[0] for found in named.values()}
    held: Axes = {product_id: (axes, False) for product_id, axes in axes_of(session, ids).items()}
    for wish in wishes:
        if wish.kind == ProductKind.FAMILY and wish.id is not None:
            held[wish.id] = (wish.new.get("axes", []), False)
    for wish in wishes:
        family = wish.new.get("family")
        if family:
            head = named[sku_key(str(family))][0]
            old = [Trait(name, tuple(values)) for name, values in held[head][0]]
            wide = widen(old, traits_of(wish.new))
            if list(wide) != old:
                held[head] = ([[trait.name, list(trait.values)] for trait in wide], True)
    return held


def _recombine(session: Session, families: Sequence[ProductWish]) -> None:
    """Works out anew how the variants of families are told apart, after traits were renamed or put
    in another order."""
    for wish in families:
        axes = [Trait(name, tuple(values)) for name, values in wish.new.get("axes", [])]
        assert wish.id is not None
        variants = traits_of_variants(session, wish.id)
        clear_combinations(session, family_id=wish.id)
        rows = [(combination_key(axes, traits), variant) for variant, _, traits in variants]
        update_rows(session, Product, ("combination",), rows)
