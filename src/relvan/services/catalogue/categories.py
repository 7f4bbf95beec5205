"""The seller's tree of categories, the attributes, and which category recommends which."""

from collections.abc import Mapping, Sequence
from typing import Any

from relvan.core.catalogue.attributes import (
    SEPARATOR,
    AttributeKind,
    AttributeRule,
    check_rule,
    levels_of,
    settle_value,
)
from relvan.core.catalogue.checks import check_category
from relvan.core.catalogue.keyed import Keyed
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse, refuse_if_any
from relvan.services import audit
from relvan.services.catalogue.write import (
    make_categories,
    make_wishes,
    settle_products,
    write_wishes,
)
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import product_ids
from relvan.store.categories import (
    asked_attributes,
    attribute_by_name,
    categories_at_or_below,
    category_by_path,
    find_attribute,
    forget_attribute,
    is_category,
    products_below,
    products_with_attribute,
    replace_asks,
)
from relvan.store.facts import facts_by_id, in_chunks
from relvan.store.session import Session
from relvan.store.tables import Attribute


def add_category(workplace: Workplace, actor: Actor, path: str) -> str:
    """Creates a category, with those above it; a category that exists already is left as it is."""
    actor.must(Right.CATALOGUE)
    path = SEPARATOR.join(levels_of(path))
    if not path:
        raise refuse("missing", "“Category” must not be empty.", "Type its name.", "category")
    refuse_if_any(check_category(path))
    with workplace.database.writing() as session:
        make_categories(session, [path])
    return path


def rename_category(workplace: Workplace, actor: Actor, path: str, new: str) -> int:
    """Renames or moves a category, with everything below it and the products in it; returns how
    many those are."""
    actor.must(Right.CATALOGUE)
    new = SEPARATOR.join(levels_of(new))
    refuse_if_any(check_category(new))
    if not new or new.casefold().startswith(f"{path.casefold()}{SEPARATOR}"):
        raise refuse(
            "form", "A category must not lie in itself.", "Choose another place.", "category"
        )
    with workplace.database.writing() as session:
        category_by_path(session, path)
        if new.casefold() != path.casefold() and is_category(session, new.casefold()):
            raise refuse(
                "exists",
                f"There is a category “{new}” already.",
                "Choose another name.",
                "category",
            )
        make_categories(session, [SEPARATOR.join(new.split(SEPARATOR)[:-1])])
        for category in categories_at_or_below(session, path):
            moved = new + category.path[len(path) :]
            category.path, category.path_key = moved, moved.casefold()
        session.flush()
        ids = products_below(session, path)
        for chunk in in_chunks(ids, 500):
            facts = facts_by_id(session, chunk)
            wanted = [
                (i, {**held, "category": new + str(held["category"])[len(path) :]})
                for i, held in facts.items()
            ]
            write_wishes(session, workplace, actor, make_wishes(session, wanted, old=facts))
        return len(ids)


def drop_category(workplace: Workplace, actor: Actor, path: str) -> None:
    """Deletes a category. It is refused while products or categories are in it."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        category = category_by_path(session, path)
        count = len(products_below(session, path))
        inner = len(categories_at_or_below(session, path)) - 1
        if count or inner:
            message = f"“{path}” holds {count} products and {inner} categories."
            raise refuse("in-use", message, "Move them elsewhere first.", "category")
        session.delete(category)


def save_attribute(
    workplace: Workplace, actor: Actor, rule: AttributeRule, *, name: str = ""
) -> None:
    """Creates an attribute, or changes the one that has been called `name`. Values of products that
    do not fit the new form are refused, and the first few are named: no value is lost."""
    actor.must(Right.CATALOGUE)
    refuse_if_any(check_rule(rule))
    with workplace.database.writing() as session:
        other = find_attribute(session, rule.name)
        kept = attribute_by_name(session, name) if name else None
        if other is not None and other is not kept:
            raise refuse(
                "exists",
                f"There is an attribute “{other.name}” already.",
                "Choose another name.",
                "name",
            )
        _refuse_misfits(session, kept.name if kept else rule.name, rule)
        values: dict[str, Any] = {
            "name": rule.name,
            "name_key": rule.name.casefold(),
            "kind": str(rule.kind),
            "unit": rule.unit,
            "choices": list(rule.choices),
        }
        if kept is None:
            session.add(Attribute(**values))
        else:
            for column, value in values.items():
                setattr(kept, column, value)
        session.flush()
        _settle_values(session, workplace, actor, kept.name if kept else rule.name, rule)


def _refuse_misfits(session: Session, name: str, rule: AttributeRule) -> None:
    wrong = []
    for _, sku, value in products_with_attribute(session, name):
        try:
            settle_value(rule, value)
        except Refused:
            wrong.append(f"{sku} has “{value[:40]}”")
    if wrong:
        told = "; ".join(wrong[:3]) + (f" and {len(wrong) - 3} more" if len(wrong) > 3 else "")
        raise refuse(
            "misfit",
            f"“{rule.name}” would not fit what is there: {told}.",
            "Correct these first.",
            "kind",
        )


def _settle_values(
    session: Session, workplace: Workplace, actor: Actor, name: str, rule: AttributeRule
) -> None:
    """Brings the existing values into the attribute's form, under its new name."""
    for chunk in in_chunks(
        [product_id for product_id, _, _ in products_with_attribute(session, name)], 500
    ):
        facts = facts_by_id(session, chunk)
        old = Keyed.ATTRIBUTE.fact(name).casefold()
        wanted = []
        for product_id, held in facts.items():
            value = next(value for fact, value in held.items() if fact.casefold() == old)
            others = {fact: kept for fact, kept in held.items() if fact.casefold() != old}
            wanted.append(
                (product_id, {**others, Keyed.ATTRIBUTE.fact(rule.name): settle_value(rule, value)})
            )
        write_wishes(session, workplace, actor, make_wishes(session, wanted, old=facts))


def drop_attribute(workplace: Workplace, actor: Actor, name: str) -> None:
    """Deletes the definition of an attribute; the values that products have stay as text."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        forget_attribute(session, attribute_by_name(session, name))
        _recount(session, workplace, "")


def ask_for(workplace: Workplace, actor: Actor, path: str, asks: Mapping[str, bool]) -> None:
    """Says which attributes a category recommends: name -> whether it is needed. This replaces what
    it recommended before."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        category = category_by_path(session, path)
        before = asked_attributes(session, category.id)
        wanted = {attribute_by_name(session, name).id: needed for name, needed in asks.items()}
        replace_asks(session, category.id, wanted)
        changes = {"asks for": (sorted(before), sorted(asks))}
        audit.record(
            session,
            actor,
            workplace.now(),
            audit.Subject("category", category.id),
            "asks changed",
            changes,
        )
        _recount(session, workplace, path)


def _recount(session: Session, workplace: Workplace, path: str) -> None:
    """Counts anew what the products at or below a category lack."""
    ids: Sequence[int] = products_below(session, path) if path else product_ids(session)
    for chunk in in_chunks(ids, 500):
        settle_products(session, workplace, chunk)


def attribute_rule(name: str, kind: str, unit: str, choices: Sequence[str]) -> AttributeRule:
    """Reads an attribute from plain data. An unknown kind is refused."""
    if kind not in set(AttributeKind):
        message = f"“Kind” must be one of {', '.join(AttributeKind)}; it got “{kind[:30]}”."
        raise refuse("not-allowed", message, "Choose one of them.", "kind")
    return AttributeRule(
        name.strip(),
        AttributeKind(kind),
        unit.strip(),
        tuple(c.strip() for c in choices if c.strip()),
    )
