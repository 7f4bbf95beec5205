"""The rows of products, as wishes make and change them: only the columns that a change touches are written."""

from collections import defaultdict
from collections.abc import Sequence
from typing import Any

from sqlalchemy import ColumnElement, select, update
from sqlalchemy.orm import Session

from relvan.core.catalogue.facts import Facts
from relvan.core.catalogue.families import combination_key, widen
from relvan.core.catalogue.identity import gtin_key, sku_key
from relvan.core.catalogue.product import ProductKind, Trait
from relvan.services.catalogue.references import Wish
from relvan.services.workplace import Workplace
from relvan.store.among import among
from relvan.store.bulk import insert_rows, update_rows
from relvan.store.facts import COLUMNS, FLAGS, TEXTS, codes, in_chunks
from relvan.store.tables import Product

PLAIN = tuple(name for name in COLUMNS if name not in (*FLAGS, *TEXTS, "kind", "tax_code"))
MADE = (*PLAIN, *TEXTS, *FLAGS, "kind", "tax_code", "sku_key", "gtin_key", "attributes", "traits", "axes", "lacking",
        "created_at", "changed_at")  # fmt: skip


def insert_products(session: Session, workplace: Workplace, wishes: Sequence[Wish]) -> None:
    """Make the products that are not there yet; each wish knows its id afterwards. What binds them to families comes
    with `write_bonds`, when all of them are there."""
    now = workplace.now()
    rows: list[tuple[Any, ...]] = []
    for wish in wishes:
        get = wish.new.get
        rows.append((
            *map(get, PLAIN), *(get(name) or "" for name in TEXTS), *(bool(get(name)) for name in FLAGS),
            wish.kind, _tax_code(wish), sku_key(wish.sku), _gtin_key(wish.new), attributes_of(wish.new), {}, [], 0,
            now, now,
        ))  # fmt: skip
    insert_rows(session, Product, MADE, rows)
    ids: dict[str, int] = {}
    for keys in in_chunks([sku_key(wish.sku) for wish in wishes]):
        ids |= dict(session.execute(select(Product.sku_key, Product.id).where(among(Product.sku_key, keys))).all())
    for wish in wishes:
        wish.id = ids[sku_key(wish.sku)]


def update_products(session: Session, workplace: Workplace, wishes: Sequence[Wish]) -> None:
    """Write what changes of products that are there, those that change the same columns by one statement."""
    now = workplace.now()
    groups: dict[tuple[str, ...], list[tuple[Any, ...]]] = defaultdict(list)
    for wish in wishes:
        columns = {**_columns(wish, workplace), "changed_at": now}
        groups[tuple(columns)].append((*columns.values(), wish.id))
    for names, rows in groups.items():
        update_rows(session, Product, names, rows)


def _columns(wish: Wish, workplace: Workplace) -> dict[str, Any]:
    """The columns that a wish changes, with their new values, always in the same order."""
    new, found = wish.new, dict[str, Any]()
    for name in sorted(wish.changes):
        if name in TEXTS:
            found[name] = new.get(name) or ""
        elif name in FLAGS:
            found[name] = bool(new.get(name))
        elif name == "kind" or name == "tax_code":
            found["kind"], found["tax_code"] = wish.kind, _tax_code(wish)
        elif name in PLAIN:
            found[name] = new.get(name)
        elif name.startswith("attribute "):
            found["attributes"] = attributes_of(new)
        elif name == "archived":
            found["archived_at"] = workplace.now() if new.get("archived") else None
    if "sku" in found:
        found["sku_key"] = sku_key(wish.sku)
    if "gtin" in found:
        found["gtin_key"] = _gtin_key(new)
    return found


def attributes_of(facts: Facts) -> dict[str, Any]:
    """The attributes among facts, by name."""
    return {name.removeprefix("attribute "): value for name, value in facts.items() if name.startswith("attribute ")}


def traits_of(facts: Facts) -> dict[str, str]:
    """The trait values among facts, by name."""
    return {name.removeprefix("trait "): value for name, value in facts.items() if name.startswith("trait ")}


def _tax_code(wish: Wish) -> str:
    return wish.new.get("tax_code") or ("" if wish.kind == ProductKind.VARIANT else "standard")


def _gtin_key(facts: Facts) -> str | None:
    return gtin_key(facts["gtin"]) if facts.get("gtin") else None


def write_bonds(session: Session, wishes: Sequence[Wish]) -> None:
    """Bind variants to their families: traits, and what tells the variants of a family apart."""
    bound = [wish for wish in wishes if _is_bound(wish)]
    if not bound:
        return
    named = codes(session, [str(wish.new["family"]) for wish in bound if wish.new.get("family")])
    axes = _widened(session, bound, named)
    moving = [wish.id for wish in bound if wish.old]
    if moving:  # two variants may take one another's place
        _take_apart(session, among(Product.id, moving))
    rows = [(*_bond(wish, named, axes), wish.id) for wish in bound]
    update_rows(session, Product, ("traits", "axes", "family_id", "combination"), rows)
    heads = {wish.id for wish in bound}
    wider = [(held, head) for head, (held, changed) in axes.items() if changed and head not in heads]
    update_rows(session, Product, ("axes",), wider)
    _recombine(session, [wish for wish in bound if wish.kind == ProductKind.FAMILY and wish.touches("axes")])


def _is_bound(wish: Wish) -> bool:
    if not wish.old:
        return wish.kind in (ProductKind.FAMILY, ProductKind.VARIANT)
    return wish.touches("family", "trait ", "axes", "kind")


def _bond(wish: Wish, named: dict[str, tuple[int, str, bool]], axes: "Axes") -> tuple[Any, ...]:
    """Traits, axes, family and combination of one product."""
    traits = traits_of(wish.new)
    if wish.new.get("family"):
        head = named[sku_key(str(wish.new["family"]))][0]
        held = [Trait(name, tuple(values)) for name, values in axes[head][0]]
        return traits, [], head, combination_key(held, traits)
    own = axes[wish.id][0] if wish.kind == ProductKind.FAMILY and wish.id in axes else wish.new.get("axes", [])
    return traits, own, None, None


Axes = dict[int, tuple[list[Any], bool]]


def _widened(session: Session, wishes: Sequence[Wish], named: dict[str, tuple[int, str, bool]]) -> Axes:
    """The traits of every family named, with the values of its variants added; whether something was."""
    ids = {found[0] for found in named.values()}
    rows = session.execute(select(Product.id, Product.axes).where(among(Product.id, ids))).all() if ids else []
    held: Axes = {product_id: (axes, False) for product_id, axes in rows}
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


def _recombine(session: Session, families: Sequence[Wish]) -> None:
    """Work out anew what tells the variants of families apart, after their traits were named or ordered anew."""
    for wish in families:
        axes = [Trait(name, tuple(values)) for name, values in wish.new.get("axes", [])]
        rows = session.execute(select(Product.id, Product.traits).where(Product.family_id == wish.id)).all()
        _take_apart(session, Product.family_id == wish.id)
        update_rows(
            session, Product, ("combination",), [(combination_key(axes, traits), variant) for variant, traits in rows]
        )


def _take_apart(session: Session, which: ColumnElement[bool]) -> None:
    session.execute(update(Product).where(which).values(combination=None).execution_options(synchronize_session=False))
