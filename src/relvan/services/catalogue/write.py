"""Writing products: one or thousands by the same statements, with checks, history, search and listings brought along.

Pages, the API, bulk changes, imports and undo all come through here; none may skip a check.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import Any

from sqlalchemy import bindparam, delete, insert, select, tuple_, update
from sqlalchemy.orm import Session

from relvan.core.catalogue.attributes import paths_above, settle_all
from relvan.core.catalogue.facts import Facts, difference, draft_from, is_empty
from relvan.core.catalogue.families import combination_key, widen
from relvan.core.catalogue.identity import gtin_key, sku_key
from relvan.core.catalogue.product import ProductKind, Trait, check_product
from relvan.core.refusal import Refusal
from relvan.services import audit
from relvan.services.catalogue.complete import settle_completeness
from relvan.services.catalogue.references import Wish, check_references
from relvan.services.listings.refresh import refresh_listings
from relvan.services.workplace import Actor, Workplace
from relvan.store import search
from relvan.store.catalogue import product_uses
from relvan.store.facts import COLUMNS, attribute_rules, codes, facts_by_id, in_chunks, variants_of
from relvan.store.tables import Category, KitPart, ListPrice, PriceBreak, PriceList, Product, SkuName

SEARCHED = ("sku", "title", "gtin", "brand", "aliases")
FLAGS = ("parts_apart", "hazardous", "fragile", "this_way_up")
TEXTS = ("brand", "description", "category", "origin", "hs_code", "supplier", "tax_code")


def make_wishes(
    session: Session, wanted: Iterable[tuple[int | None, Facts]], *, old: dict[int, Facts] | None = None
) -> list[Wish]:
    """Wishes for products by id (none for a new one), with all that can be refused by looking at each alone."""
    listed = list(wanted)
    before = facts_by_id(session, [i for i, _ in listed if i is not None]) if old is None else old
    rules = attribute_rules(session)
    lists = set(session.scalars(select(PriceList.key)).all())
    wishes = []
    for product_id, new in listed:
        new, refusals = _settled(new, rules)
        wish = Wish(product_id, before.get(product_id, {}) if product_id is not None else {}, new)
        wish.changes = difference(wish.old, new)
        if wish.changes or product_id is None:
            wish.refusals = [*check_product(draft_from(new)), *refusals, *_unknown_lists(new, lists)]
        wishes.append(wish)
    return wishes


def _settled(facts: Facts, rules: dict[str, Any]) -> tuple[Facts, list[Refusal]]:
    """Attributes in the form that the seller defined, under the name as it was defined."""
    given = {name.removeprefix("attribute "): v for name, v in facts.items() if name.startswith("attribute ")}
    if not rules or not given:
        return facts, []
    settled, refusals = settle_all(rules, given)
    others = {name: value for name, value in facts.items() if not name.startswith("attribute ")}
    return {**others, **{f"attribute {name}": value for name, value in settled.items() if value}}, refusals


def _unknown_lists(facts: Facts, lists: Collection[str]) -> list[Refusal]:
    named = {name.removeprefix("price ") for name in facts if name.startswith("price ")}
    named |= {name.removeprefix("break ").rpartition(" ")[0] for name in facts if name.startswith("break ")}
    named |= {key for n, value in facts.items() if n.startswith("alias ") and value for key in value.get("prices", {})}
    return [
        Refusal("not-found", f"There is no price list “{key}”.", "Make it under Prices first.", "price")
        for key in sorted(named - set(lists))
    ]


def write_wishes(
    session: Session, workplace: Workplace, actor: Actor, wishes: Sequence[Wish], *, job_id: int | None = None
) -> None:
    """Check wishes against the rest of the catalogue, and carry out those that nothing refuses; the others say why.

    Wishes that name one another (a kit and its part) may come together; each is refused or carried out alone.
    """
    check_references(session, [wish for wish in wishes if not wish.refusals])
    _check_archive(session, wishes)
    for wish in _dragged_along(wishes):
        wish.refusals.append(Refusal("with-it", f"What “{wish.sku}” names was refused.", "Correct that first.", ""))
    wanted = [wish for wish in wishes if not wish.refusals and (wish.changes or wish.id is None)]
    if not wanted:
        return
    new = {id(wish) for wish in wanted if wish.id is None}
    _make_categories(session, wanted)
    _insert_new(session, workplace, [wish for wish in wanted if wish.id is None])
    _write_codes(session, wanted)  # before what names a product by its SKU
    _write_columns(session, workplace, wanted)
    _write_prices(session, wanted)
    _write_parts(session, wanted)
    ids = [wish.id for wish in wanted if wish.id is not None]
    search.index_products(session, [wish.id for wish in wanted if wish.id is not None and wish.touches(*SEARCHED)])
    audit.record_many(
        session, actor, workplace.now(), "product",
        [(wish.id, _deed(wish, id(wish) in new), {} if id(wish) in new else wish.changes) for wish in wanted],
        job_id=job_id,
    )  # fmt: skip
    known = {wish.id: wish.new for wish in wanted if wish.id is not None}
    heads = [wish.id for wish in wanted if wish.id and wish.kind == ProductKind.FAMILY]
    settle_products(session, workplace, ids, families=heads, known=known)


def settle_products(
    session: Session,
    workplace: Workplace,
    product_ids: Collection[int],
    *,
    families: Collection[int] = (),
    known: Mapping[int, Facts] | None = None,
) -> None:
    """What follows from changed products: counts of missing facts, and their listings; variants with their family.
    `known` are facts that need not be read again."""
    ids = {*product_ids, *(variants_of(session, families) if families else ())}
    settle_completeness(session, ids, known or {})
    refresh_listings(session, workplace, product_ids=ids)


def _deed(wish: Wish, new: bool) -> str:
    if new:
        return "created"
    if set(wish.changes) == {"archived"}:
        return "archived" if wish.new.get("archived") else "taken from the archive"
    return "changed"


def _dragged_along(wishes: Sequence[Wish]) -> list[Wish]:
    """Wishes without a refusal of their own that name one that is refused and not there yet, however indirectly."""
    refused = {sku_key(wish.sku) for wish in wishes if wish.refusals and wish.id is None and wish.sku}
    found: list[Wish] = []
    open_wishes = [wish for wish in wishes if not wish.refusals]
    while refused:
        hit = [
            wish
            for wish in open_wishes
            if sku_key(str(wish.new.get("family", ""))) in refused
            or any(sku_key(sku) in refused for sku, _ in wish.new.get("parts", ()))
        ]
        found += hit
        open_wishes = [wish for wish in open_wishes if wish not in hit]
        refused = {sku_key(wish.sku) for wish in hit if wish.id is None}
    return found


def _check_archive(session: Session, wishes: Sequence[Wish]) -> None:
    for wish in wishes:
        if wish.id is not None and wish.touches("archived") and wish.new.get("archived"):
            where = product_uses(session, wish.id)
            if where:
                message = f"“{wish.sku}” is still in use: {where}."
                wish.refusals.append(Refusal("in-use", message, "Take its listings down and finish its orders first."))


def _make_categories(session: Session, wishes: Sequence[Wish]) -> None:
    """Every category named has its place in the tree, with those above it."""
    named = {str(w.new["category"]) for w in wishes if w.touches("category") and w.new.get("category")}
    paths = {path.casefold(): path for name in named for path in paths_above(name)}
    if not paths:
        return
    known = set(session.scalars(select(Category.path_key).where(Category.path_key.in_(paths))).all())
    values = [{"path": path, "path_key": key} for key, path in paths.items() if key not in known]
    if values:
        session.execute(insert(Category), values)


def _insert_new(session: Session, workplace: Workplace, wishes: Sequence[Wish]) -> None:
    if not wishes:
        return
    now = workplace.now()
    bare = {"kind": "single", "title": "", "brand": "", "description": "", "category": "", "attributes": {},
            "tax_code": "standard", "lacking": 0, "created_at": now, "changed_at": now}  # fmt: skip
    values = [{**bare, "sku": wish.sku, "sku_key": sku_key(wish.sku)} for wish in wishes]
    table: Any = Product.__table__
    session.execute(insert(table), values)
    ids: dict[str, int] = {}
    for keys in in_chunks([value["sku_key"] for value in values]):
        ids |= dict(session.execute(select(table.c.sku_key, table.c.id).where(table.c.sku_key.in_(keys))).all())
    for wish in wishes:
        wish.id = ids[sku_key(wish.sku)]


def _write_columns(session: Session, workplace: Workplace, wishes: Sequence[Wish]) -> None:
    named = codes(session, [str(wish.new["family"]) for wish in wishes if wish.new.get("family")])
    axes = _widened(session, wishes, named)
    table: Any = Product.__table__
    rows = [_row(wish, workplace, named, axes) for wish in wishes]
    assigned: dict[str, Any] = {name: bindparam(name) for name in rows[0] if name != "b_id"}
    moving = [wish.id for wish in wishes if wish.old and wish.touches("family", "trait ", "axes")]
    if moving:  # two variants may take one another's place
        session.execute(update(table).where(table.c.id.in_(moving)).values(combination=None))
    session.execute(update(table).where(table.c.id == bindparam("b_id")).values(**assigned), rows)
    turned = [{"b_id": w.id, "at": workplace.now() if w.new.get("archived") else None} for w in wishes
              if w.touches("archived")]  # fmt: skip
    if turned:
        there = update(table).where(table.c.id == bindparam("b_id"))
        session.execute(there.values(archived_at=bindparam("at")), turned)
    heads = {wish.id for wish in wishes}
    wider = [{"b_id": head, "axes": held} for head, (held, changed) in axes.items() if changed and head not in heads]
    if wider:
        session.execute(update(table).where(table.c.id == bindparam("b_id")).values(axes=bindparam("axes")), wider)
    _recombine(session, [wish for wish in wishes if wish.kind == ProductKind.FAMILY and wish.touches("axes")])
    session.expire_all()


def _recombine(session: Session, families: Sequence[Wish]) -> None:
    """Work out anew what tells the variants of families apart, after their traits were named or ordered anew."""
    table: Any = Product.__table__
    for wish in families:
        axes = [Trait(name, tuple(values)) for name, values in wish.new.get("axes", [])]
        rows = session.execute(select(Product.id, Product.traits).where(Product.family_id == wish.id)).all()
        if rows:
            session.execute(update(table).where(table.c.family_id == wish.id).values(combination=None))
            values = [{"b_id": variant, "key": combination_key(axes, traits)} for variant, traits in rows]
            there = update(table).where(table.c.id == bindparam("b_id"))
            session.execute(there.values(combination=bindparam("key")), values)


Axes = dict[int, tuple[list[Any], bool]]


def _widened(session: Session, wishes: Sequence[Wish], named: dict[str, tuple[int, str, bool]]) -> Axes:
    """The traits of every family named, with the values of its variants added; whether something was."""
    ids = {found[0] for found in named.values()}
    rows = session.execute(select(Product.id, Product.axes).where(Product.id.in_(ids))).all() if ids else []
    held: Axes = {product_id: (axes, False) for product_id, axes in rows}
    for wish in wishes:
        if wish.kind == ProductKind.FAMILY and wish.id is not None:
            held[wish.id] = (wish.new.get("axes", []), False)
    for wish in wishes:
        family = wish.new.get("family")
        if family:
            head = named[sku_key(str(family))][0]
            old = [Trait(name, tuple(values)) for name, values in held[head][0]]
            wide = widen(old, _traits(wish.new))
            if list(wide) != old:
                held[head] = ([[trait.name, list(trait.values)] for trait in wide], True)
    return held


def _traits(facts: Facts) -> dict[str, str]:
    return {name.removeprefix("trait "): value for name, value in facts.items() if name.startswith("trait ")}


def _row(wish: Wish, workplace: Workplace, named: dict[str, tuple[int, str, bool]], axes: Axes) -> dict[str, Any]:
    """All columns of one product."""
    new = wish.new
    row: dict[str, Any] = {name: new.get(name) for name in COLUMNS}
    row |= {name: new.get(name) or "" for name in TEXTS}
    row |= {name: bool(new.get(name)) for name in FLAGS}
    row["kind"] = wish.kind
    row["tax_code"] = new.get("tax_code") or ("" if wish.kind == ProductKind.VARIANT else "standard")
    row |= {"sku_key": sku_key(wish.sku), "gtin_key": gtin_key(new["gtin"]) if new.get("gtin") else None}
    row["attributes"] = {
        name.removeprefix("attribute "): value for name, value in new.items() if name.startswith("attribute ")
    }
    row["traits"], row["axes"] = _traits(new), new.get("axes", [])
    row["family_id"] = row["combination"] = None
    if new.get("family"):
        head = named[sku_key(str(new["family"]))][0]
        held = [Trait(name, tuple(values)) for name, values in axes[head][0]]
        row["family_id"], row["combination"] = head, combination_key(held, row["traits"])
    elif wish.kind == ProductKind.FAMILY and wish.id in axes:
        row["axes"] = axes[wish.id][0]
    return {**row, "changed_at": workplace.now(), "b_id": wish.id}


def _write_codes(session: Session, wishes: Sequence[Wish]) -> None:
    changed = [wish for wish in wishes if wish.touches("sku", "aliases", "alias ") or not wish.old]
    if not changed:
        return
    session.execute(delete(SkuName).where(SkuName.product_id.in_([wish.id for wish in changed])))
    plain: dict[str, Any] = {"title": "", "picture": "", "prices": {}}
    values = []
    for wish in changed:
        own = {sku_key(n.removeprefix("alias ")): v for n, v in wish.new.items() if n.startswith("alias ")}
        values.append({"key": sku_key(wish.sku), "sku": wish.sku, "alias": False, "product_id": wish.id, **plain})
        for alias in wish.new.get("aliases", ()):
            key = sku_key(alias)
            said = {name: own.get(key, {}).get(name, empty) for name, empty in plain.items()}
            values.append({"key": key, "sku": alias, "alias": True, "product_id": wish.id, **said})
    session.execute(_into(SkuName), values)


def _write_prices(session: Session, wishes: Sequence[Wish]) -> None:
    lists: dict[str, int] | None = None
    prices: dict[str, list[Any]] = defaultdict(list)
    for wish in wishes:
        for name in wish.changes:
            if not name.startswith(("price ", "break ")):
                continue
            lists = lists or dict(session.execute(select(PriceList.key, PriceList.id)).all())
            group, _, rest = name.partition(" ")
            key, _, least = rest.rpartition(" ") if group == "break" else (rest, "", "")
            row: dict[str, Any] = {"price_list_id": lists.get(key), "product_id": wish.id}
            if group == "break":
                row["least"] = int(least)
            if row["price_list_id"] is not None:
                prices[f"-{group}"].append(tuple(row.values()))
                if not is_empty(wish.new.get(name)):
                    prices[group].append({**row, "amount": wish.new[name]})
    _replace(session, ListPrice, prices["-price"], prices["price"])
    _replace(session, PriceBreak, prices["-break"], prices["break"])


def _replace(session: Session, table: Any, gone: list[Any], rows: list[dict[str, Any]]) -> None:
    keys = list(table.__table__.primary_key.columns)
    for start in range(0, len(gone), 400):
        session.execute(delete(table).where(tuple_(*keys).in_(gone[start : start + 400])))
    if rows:
        session.execute(_into(table), rows)


def _into(table: Any) -> Any:
    """An insert that goes past the object layer, which costs more than the rows."""
    return insert(table.__table__)


def _write_parts(session: Session, wishes: Sequence[Wish]) -> None:
    changed = [wish for wish in wishes if wish.touches("parts")]
    if not changed:
        return
    session.execute(delete(KitPart).where(KitPart.kit_id.in_([wish.id for wish in changed])))
    found = codes(session, [sku for wish in changed for sku, _ in wish.new.get("parts", ())])
    values = [
        {"kit_id": wish.id, "part_id": found[sku_key(sku)][0], "quantity": quantity, "position": position}
        for wish in changed
        for position, (sku, quantity) in enumerate(wish.new.get("parts", ()))
    ]
    if values:
        session.execute(_into(KitPart), values)
