"""Writes products, one or thousands with the same statements, and brings along checks, history,
search and listings.

Pages, the API, bulk changes, imports and undo all write through this module, so that none can skip
a check.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import Any

from relvan.core.catalogue.attributes import paths_above, settle_all
from relvan.core.catalogue.checks import check_facts
from relvan.core.catalogue.facts import Facts, difference, group_of, is_empty
from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.keyed import Keyed, break_place, kind_of_fact, list_of_fact
from relvan.core.catalogue.product import ProductKind
from relvan.core.refusal import Refusal
from relvan.services import audit
from relvan.services.catalogue.columns import replace_prices
from relvan.services.catalogue.complete import settle_completeness
from relvan.services.catalogue.product_rows import (
    attributes_of,
    insert_products,
    update_products,
    write_bonds,
)
from relvan.services.catalogue.references import ProductWish, check_references
from relvan.services.changes import changes_of
from relvan.services.workplace import Actor, Workplace
from relvan.store import search
from relvan.store.bulk import delete_rows, insert_rows
from relvan.store.catalogue import product_uses
from relvan.store.categories import add_categories
from relvan.store.facts import attribute_rules, codes, facts_by_id, variant_ids
from relvan.store.imports import price_list_ids
from relvan.store.product_rows import forget_codes, forget_parts
from relvan.store.session import Session
from relvan.store.tables import KitPart, PriceBreak, SkuName

SEARCHED = ("sku", "title", "gtin", "brand", "aliases")


def make_wishes(
    session: Session,
    wanted: Iterable[tuple[int | None, Facts]],
    *,
    old: dict[int, Facts] | None = None,
) -> list[ProductWish]:
    """Makes wishes for products by id (None for a new one), with all refusals that depend on one
    product alone."""
    listed = list(wanted)
    before = facts_by_id(session, [i for i, _ in listed if i is not None]) if old is None else old
    rules = attribute_rules(session)
    lists = set(price_list_ids(session))
    wishes = []
    for product_id, new in listed:
        new, refusals = _settled(new, rules)
        wish = ProductWish(
            product_id, before.get(product_id, {}) if product_id is not None else {}, new
        )
        wish.changes = difference(wish.old, new)
        if wish.changes or product_id is None:
            wish.refusals = check_facts(new, wish.changes if wish.old else None)
            wish.refusals += [*refusals, *_unknown_lists(wish, lists)]
        wishes.append(wish)
    return wishes


def _settled(facts: Facts, rules: dict[str, Any]) -> tuple[Facts, list[Refusal]]:
    """Brings attributes into the form that the seller defined, under the name as it was defined."""
    if not rules or Keyed.ATTRIBUTE not in map(group_of, facts):
        return facts, []
    given = attributes_of(facts)
    settled, refusals = settle_all(rules, given)
    others = Keyed.ATTRIBUTE.without(facts)
    return {
        **others,
        **{Keyed.ATTRIBUTE.fact(name): value for name, value in settled.items() if value},
    }, refusals


def _unknown_lists(wish: ProductWish, lists: set[str]) -> list[Refusal]:
    """Returns refusals of price lists that do not exist."""
    if not wish.touches(Keyed.PRICE, Keyed.BREAK, Keyed.ALIAS):
        return []
    named: set[str] = set()
    for name in wish.changes:
        if (key := list_of_fact(name)) is not None:
            named.add(key)
        elif Keyed.ALIAS.has(name):
            named.update((wish.new.get(name) or {}).get("prices", ()))
    if named <= lists:
        return []
    return [
        Refusal(
            "not-found", f"There is no price list “{key}”.", "Make it under Prices first.", "price"
        )
        for key in sorted(named.difference(lists))
    ]


def write_wishes(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    wishes: Sequence[ProductWish],
    *,
    job_id: int | None = None,
) -> None:
    """Checks wishes against the rest of the catalogue and carries out those that nothing refuses;
    the others carry their refusals.

    Wishes that name one another, such as a kit and its part, may come together; each is refused or
    carried out by itself.
    """
    check_references(session, [wish for wish in wishes if not wish.refusals])
    _check_archive(session, wishes)
    for wish in _dragged_along(wishes):
        wish.refusals.append(
            Refusal("with-it", f"What “{wish.sku}” names was refused.", "Correct that first.", "")
        )
    wanted = [wish for wish in wishes if not wish.refusals and (wish.changes or wish.id is None)]
    if wanted:
        made = [wish for wish in wanted if wish.id is None]
        _write_rows(session, workplace, wanted, made)
        _bring_along(session, workplace, actor, wanted, {id(wish) for wish in made}, job_id)


def _write_rows(
    session: Session, workplace: Workplace, wanted: Sequence[ProductWish], made: list[ProductWish]
) -> None:
    """Writes the products of wishes, with what belongs to them; each new one gets its id."""
    new = {id(wish) for wish in made}
    make_categories(
        session, {str(w.new.get("category") or "") for w in wanted if w.touches("category")}
    )
    if renamed := [w.id for w in wanted if w.id is not None and w.old and _is_renamed(w)]:
        forget_codes(session, renamed)
    insert_products(session, workplace, made)
    _write_codes(session, wanted)  # before what names a product by its SKU
    update_products(session, workplace, [wish for wish in wanted if id(wish) not in new])
    write_bonds(session, wanted)
    _write_prices(session, wanted)
    _write_parts(session, wanted)
    session.expire_all()


def _bring_along(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    wanted: Sequence[ProductWish],
    new: Collection[int],
    job_id: int | None,
) -> None:
    """Brings along search, history and listings; `new` are the identities of wishes that created a
    product."""
    ids = [wish.id for wish in wanted if wish.id is not None]
    search.index_products(
        session, [wish.id for wish in wanted if wish.id is not None and wish.touches(*SEARCHED)]
    )
    entries = [
        (wish.id, _deed(wish, id(wish) in new), {} if id(wish) in new else wish.changes)
        for wish in wanted
    ]
    audit.record_many(session, actor, workplace.now(), "product", entries, job_id=job_id)
    settle_products(
        session,
        workplace,
        ids,
        families=[wish.id for wish in wanted if wish.id and wish.kind == ProductKind.FAMILY],
        known={wish.id: wish.new for wish in wanted if wish.id is not None},
        cause=f"product changed by {actor.name}",
    )


def settle_products(
    session: Session,
    workplace: Workplace,
    product_ids: Collection[int],
    *,
    families: Collection[int] = (),
    known: Mapping[int, Facts] | None = None,
    cause: str = "",
) -> None:
    """Brings along what follows from changed products: the counts of missing details, and their
    listings, for a family also those of its variants. `known` are facts that need not be read
    again."""
    ids = {*product_ids, *(variant_ids(session, families) if families else ())}
    settle_completeness(session, ids, known or {})
    changes_of(session).products_changed(ids, cause)


def _deed(wish: ProductWish, new: bool) -> str:
    if new:
        return "created"
    if set(wish.changes) == {"archived"}:
        return "archived" if wish.new.get("archived") else "taken from the archive"
    return "changed"


def _dragged_along(wishes: Sequence[ProductWish]) -> list[ProductWish]:
    """Returns the wishes that have no refusal of their own but depend, directly or not, on one that
    is refused and whose product does not exist yet."""
    refused = {
        sku_key(wish.sku) for wish in wishes if wish.refusals and wish.id is None and wish.sku
    }
    found: list[ProductWish] = []
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


def _check_archive(session: Session, wishes: Sequence[ProductWish]) -> None:
    going = {
        wish.id: wish
        for wish in wishes
        if wish.id and wish.touches("archived") and wish.new.get("archived")
    }
    for product_id, where in (product_uses(session, going) if going else {}).items():
        message = f"“{going[product_id].sku}” is still in use: {where}."
        going[product_id].refusals.append(
            Refusal("in-use", message, "Take its listings down and finish its orders first.")
        )


def make_categories(session: Session, named: Collection[str]) -> None:
    """Creates the categories that are named and do not exist yet, with those above them."""
    paths = {path.casefold(): path for name in named if name for path in paths_above(name)}
    if not paths:
        return
    add_categories(session, paths)


def _is_renamed(wish: ProductWish) -> bool:
    return wish.touches("sku", "aliases", Keyed.ALIAS)


def _write_codes(session: Session, wishes: Sequence[ProductWish]) -> None:
    """Writes the SKUs and aliases of changed products, and the aliases of new ones."""
    rows: list[tuple[Any, ...]] = []
    for wish in filter(_is_renamed, wishes):
        if wish.old:
            rows.append((sku_key(wish.sku), wish.sku, False, wish.id, "", "", {}))
        faces = {sku_key(alias): said for alias, said in Keyed.ALIAS.of(wish.new).items()}
        for alias in wish.new.get("aliases", ()):
            said = faces.get(sku_key(alias), {})
            own = (said.get("title", ""), said.get("picture", ""), said.get("prices", {}))
            rows.append((sku_key(alias), alias, True, wish.id, *own))
    insert_rows(
        session, SkuName, ("key", "sku", "alias", "product_id", "title", "picture", "prices"), rows
    )


def _write_prices(session: Session, wishes: Sequence[ProductWish]) -> None:
    lists = price_list_ids(session)
    gone: dict[Keyed, list[tuple[int | None, ...]]] = defaultdict(list)
    rows: dict[Keyed, list[tuple[int | None, ...]]] = defaultdict(list)
    for wish in wishes:
        for name, (before, after) in wish.changes.items():
            kind = kind_of_fact(name)
            place: tuple[int | None, ...]
            if kind == Keyed.PRICE:
                place = (lists[kind.key(name)], wish.id)
            elif kind == Keyed.BREAK:
                key, least = break_place(name)
                place = (lists[key], wish.id, least)
            else:
                continue
            if not is_empty(before):
                gone[kind].append(place)
            if not is_empty(after):
                rows[kind].append((*place, after))
    columns = ("price_list_id", "product_id")
    replace_prices(session, gone[Keyed.PRICE], rows[Keyed.PRICE])
    delete_rows(session, PriceBreak, (*columns, "least"), gone[Keyed.BREAK])
    insert_rows(session, PriceBreak, (*columns, "least", "amount"), rows[Keyed.BREAK])


def _write_parts(session: Session, wishes: Sequence[ProductWish]) -> None:
    changed = [wish for wish in wishes if wish.touches("parts")]
    if not changed:
        return
    forget_parts(session, [wish.id for wish in changed if wish.id is not None])
    found = codes(session, [sku for wish in changed for sku, _ in wish.new.get("parts", ())])
    rows = [
        (wish.id, found[sku_key(sku)][0], quantity, position)
        for wish in changed
        for position, (sku, quantity) in enumerate(wish.new.get("parts", ()))
    ]
    insert_rows(session, KitPart, ("kit_id", "part_id", "quantity", "position"), rows)
