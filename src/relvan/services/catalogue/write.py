"""Writing products: one or thousands by the same statements, with checks, history, search and listings brought along.

Pages, the API, bulk changes, imports and undo all come through here; none may skip a check.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import Any

from sqlalchemy import delete, insert, select
from sqlalchemy.orm import Session

from relvan.core.catalogue.attributes import paths_above, settle_all
from relvan.core.catalogue.checks import check_facts
from relvan.core.catalogue.facts import Facts, difference, group_of, is_empty
from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.product import ProductKind
from relvan.core.refusal import Refusal
from relvan.services import audit
from relvan.services.catalogue.complete import settle_completeness
from relvan.services.catalogue.product_rows import attributes_of, insert_products, update_products, write_bonds
from relvan.services.catalogue.references import Wish, check_references
from relvan.services.listings.refresh import refresh_listings
from relvan.services.workplace import Actor, Workplace
from relvan.store import search
from relvan.store.among import among
from relvan.store.bulk import delete_rows, insert_rows
from relvan.store.catalogue import product_uses
from relvan.store.facts import attribute_rules, codes, facts_by_id, variants_of
from relvan.store.imports import price_list_ids
from relvan.store.tables import Category, KitPart, ListPrice, PriceBreak, SkuName

SEARCHED = ("sku", "title", "gtin", "brand", "aliases")


def make_wishes(
    session: Session, wanted: Iterable[tuple[int | None, Facts]], *, old: dict[int, Facts] | None = None
) -> list[Wish]:
    """Wishes for products by id (none for a new one), with all that can be refused by looking at each alone."""
    listed = list(wanted)
    before = facts_by_id(session, [i for i, _ in listed if i is not None]) if old is None else old
    rules = attribute_rules(session)
    lists = set(price_list_ids(session))
    wishes = []
    for product_id, new in listed:
        new, refusals = _settled(new, rules)
        wish = Wish(product_id, before.get(product_id, {}) if product_id is not None else {}, new)
        wish.changes = difference(wish.old, new)
        if wish.changes or product_id is None:
            wish.refusals = check_facts(new, wish.changes if wish.old else None)
            wish.refusals += [*refusals, *_unknown_lists(wish, lists)]
        wishes.append(wish)
    return wishes


def _settled(facts: Facts, rules: dict[str, Any]) -> tuple[Facts, list[Refusal]]:
    """Attributes in the form that the seller defined, under the name as it was defined."""
    if not rules or "attribute " not in map(group_of, facts):
        return facts, []
    given = attributes_of(facts)
    settled, refusals = settle_all(rules, given)
    others = {name: value for name, value in facts.items() if not name.startswith("attribute ")}
    return {**others, **{f"attribute {name}": value for name, value in settled.items() if value}}, refusals


def _unknown_lists(wish: Wish, lists: set[str]) -> list[Refusal]:
    """Price lists that its changes name and nobody made."""
    if not wish.touches("price ", "break ", "alias "):
        return []
    named: set[str] = set()
    for name in wish.changes:
        group = group_of(name)
        if group == "price ":
            named.add(name.removeprefix(group))
        elif group == "break ":
            named.add(name.removeprefix(group).rpartition(" ")[0])
        elif group == "alias ":
            named.update((wish.new.get(name) or {}).get("prices", ()))
    if named <= lists:
        return []
    return [
        Refusal("not-found", f"There is no price list “{key}”.", "Make it under Prices first.", "price")
        for key in sorted(named.difference(lists))
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
    made = [wish for wish in wanted if wish.id is None]
    new = {id(wish) for wish in made}
    make_categories(session, {str(w.new.get("category") or "") for w in wanted if w.touches("category")})
    insert_products(session, workplace, made)
    _write_codes(session, wanted)  # before what names a product by its SKU
    update_products(session, workplace, [wish for wish in wanted if id(wish) not in new])
    write_bonds(session, wanted)
    _write_prices(session, wanted)
    _write_parts(session, wanted)
    session.expire_all()
    ids = [wish.id for wish in wanted if wish.id is not None]
    search.index_products(session, [wish.id for wish in wanted if wish.id is not None and wish.touches(*SEARCHED)])
    audit.record_many(
        session, actor, workplace.now(), "product",
        [(wish.id, _deed(wish, id(wish) in new), {} if id(wish) in new else wish.changes) for wish in wanted],
        job_id=job_id,
    )  # fmt: skip
    known = {wish.id: wish.new for wish in wanted if wish.id is not None}
    heads = [wish.id for wish in wanted if wish.id and wish.kind == ProductKind.FAMILY]
    settle_products(session, workplace, ids, families=heads, known=known, cause=f"product changed by {actor.name}")


def settle_products(
    session: Session,
    workplace: Workplace,
    product_ids: Collection[int],
    *,
    families: Collection[int] = (),
    known: Mapping[int, Facts] | None = None,
    cause: str = "",
) -> None:
    """What follows from changed products: counts of missing facts, and their listings; variants with their family.
    `known` are facts that need not be read again."""
    ids = {*product_ids, *(variants_of(session, families) if families else ())}
    settle_completeness(session, ids, known or {})
    refresh_listings(session, workplace, product_ids=ids, cause=cause)


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
    going = {wish.id: wish for wish in wishes if wish.id and wish.touches("archived") and wish.new.get("archived")}
    for product_id, where in (product_uses(session, going) if going else {}).items():
        message = f"“{going[product_id].sku}” is still in use: {where}."
        going[product_id].refusals.append(
            Refusal("in-use", message, "Take its listings down and finish its orders first.")
        )


def make_categories(session: Session, named: Collection[str]) -> None:
    """Every category named has its place in the tree, with those above it."""
    paths = {path.casefold(): path for name in named if name for path in paths_above(name)}
    if not paths:
        return
    known = set(session.scalars(select(Category.path_key).where(among(Category.path_key, paths))).all())
    values = [{"path": path, "path_key": key} for key, path in paths.items() if key not in known]
    if values:
        session.execute(insert(Category), values)


def _write_codes(session: Session, wishes: Sequence[Wish]) -> None:
    changed = [wish for wish in wishes if wish.touches("sku", "aliases", "alias ") or not wish.old]
    if not changed:
        return
    there = [wish.id for wish in changed if wish.old]
    if there:
        session.execute(delete(SkuName.__table__).where(among(SkuName.product_id, there)))  # type: ignore[arg-type]
    rows: list[tuple[Any, ...]] = []
    for wish in changed:
        rows.append((sku_key(wish.sku), wish.sku, False, wish.id, "", "", {}))
        faces = {sku_key(n.removeprefix("alias ")): v for n, v in wish.new.items() if n.startswith("alias ")}
        for alias in wish.new.get("aliases", ()):
            said = faces.get(sku_key(alias), {})
            own = (said.get("title", ""), said.get("picture", ""), said.get("prices", {}))
            rows.append((sku_key(alias), alias, True, wish.id, *own))
    insert_rows(session, SkuName, ("key", "sku", "alias", "product_id", "title", "picture", "prices"), rows)


def _write_prices(session: Session, wishes: Sequence[Wish]) -> None:
    lists = price_list_ids(session)
    gone: dict[str, list[tuple[int | None, ...]]] = defaultdict(list)
    rows: dict[str, list[tuple[int | None, ...]]] = defaultdict(list)
    for wish in wishes:
        for name, (before, after) in wish.changes.items():
            group = group_of(name)
            if group not in ("price ", "break "):
                continue
            rest = name.removeprefix(group)
            key, _, least = rest.rpartition(" ") if group == "break " else (rest, "", "")
            place = (lists[key], wish.id, *((int(least),) if least else ()))
            if not is_empty(before):
                gone[group].append(place)
            if not is_empty(after):
                rows[group].append((*place, after))
    columns = ("price_list_id", "product_id")
    delete_rows(session, ListPrice, columns, gone["price "])
    insert_rows(session, ListPrice, (*columns, "amount"), rows["price "])
    delete_rows(session, PriceBreak, (*columns, "least"), gone["break "])
    insert_rows(session, PriceBreak, (*columns, "least", "amount"), rows["break "])


def _write_parts(session: Session, wishes: Sequence[Wish]) -> None:
    changed = [wish for wish in wishes if wish.touches("parts")]
    if not changed:
        return
    session.execute(delete(KitPart).where(KitPart.kit_id.in_([wish.id for wish in changed])))
    found = codes(session, [sku for wish in changed for sku, _ in wish.new.get("parts", ())])
    rows = [
        (wish.id, found[sku_key(sku)][0], quantity, position)
        for wish in changed
        for position, (sku, quantity) in enumerate(wish.new.get("parts", ()))
    ]
    insert_rows(session, KitPart, ("kit_id", "part_id", "quantity", "position"), rows)
