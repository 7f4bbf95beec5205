"""The seller's tree of categories, the attributes, and which category asks for which."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.orm import Session

from relvan.core.catalogue.attributes import (
    SEPARATOR,
    AttributeKind,
    AttributeRule,
    check_rule,
    levels_of,
    paths_above,
    settle_value,
)
from relvan.core.catalogue.checks import check_category
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse, refuse_if_any
from relvan.services import audit
from relvan.services.catalogue.write import make_wishes, settle_products, write_wishes
from relvan.services.workplace import Actor, Workplace
from relvan.store.categories import attribute_by_name, category_by_path, products_below, products_with_attribute
from relvan.store.facts import facts_by_id, in_chunks
from relvan.store.tables import Attribute, Category, CategoryAttribute, Product


def add_category(workplace: Workplace, actor: Actor, path: str) -> str:
    """Make a place in the tree, with those above it; one that is there already stays."""
    actor.must(Right.CATALOGUE)
    path = SEPARATOR.join(levels_of(path))
    if not path:
        raise refuse("missing", "“Category” must not be empty.", "Type its name.", "category")
    refuse_if_any(check_category(path))
    with workplace.database.writing() as session:
        _make_paths(session, path)
    return path


def _make_paths(session: Session, path: str) -> None:
    for above in paths_above(path):
        if session.scalar(select(Category.id).where(Category.path_key == above.casefold())) is None:
            session.execute(insert(Category), [{"path": above, "path_key": above.casefold()}])


def rename_category(workplace: Workplace, actor: Actor, path: str, new: str) -> int:
    """Call a category another name, or move it: what lies below and the products in it go along; how many those are."""
    actor.must(Right.CATALOGUE)
    new = SEPARATOR.join(levels_of(new))
    refuse_if_any(check_category(new))
    if not new or new.casefold().startswith(f"{path.casefold()}{SEPARATOR}"):
        raise refuse("form", "A category must not lie in itself.", "Choose another place.", "category")
    with workplace.database.writing() as session:
        category_by_path(session, path)
        if new.casefold() != path.casefold() and session.scalar(
            select(Category.id).where(Category.path_key == new.casefold())
        ):
            raise refuse("exists", f"There is a category “{new}” already.", "Choose another name.", "category")
        _make_paths(session, SEPARATOR.join(new.split(SEPARATOR)[:-1]))
        below = session.scalars(select(Category).where(_at_or_below(path))).all()
        for category in below:
            moved = new + category.path[len(path) :]
            category.path, category.path_key = moved, moved.casefold()
        session.flush()
        ids = products_below(session, path)
        for chunk in in_chunks(ids, 500):
            facts = facts_by_id(session, chunk)
            wanted = [(i, {**held, "category": new + str(held["category"])[len(path) :]}) for i, held in facts.items()]
            write_wishes(session, workplace, actor, make_wishes(session, wanted, old=facts))
        return len(ids)


def drop_category(workplace: Workplace, actor: Actor, path: str) -> None:
    """Take a category out of the tree. Refused while products or categories lie in it."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        category = category_by_path(session, path)
        count = len(products_below(session, path))
        inner = session.scalar(select(func.count()).select_from(Category).where(_at_or_below(path))) or 0
        if count or inner > 1:
            message = f"“{path}” holds {count} products and {inner - 1} categories."
            raise refuse("in-use", message, "Move them elsewhere first.", "category")
        session.delete(category)


def _at_or_below(path: str) -> Any:
    key = path.casefold()
    return (Category.path_key == key) | (func.substr(Category.path_key, 1, len(key) + 3) == f"{key}{SEPARATOR}")


def save_attribute(workplace: Workplace, actor: Actor, rule: AttributeRule, *, name: str = "") -> None:
    """Define an attribute, or change the one that has been called `name`. Values that do not fit the new form are
    refused, the first few named: nothing is thrown away."""
    actor.must(Right.CATALOGUE)
    refuse_if_any(check_rule(rule))
    with workplace.database.writing() as session:
        other = session.scalar(select(Attribute).where(Attribute.name_key == rule.name.casefold()))
        kept = attribute_by_name(session, name) if name else None
        if other is not None and other is not kept:
            raise refuse("exists", f"There is an attribute “{other.name}” already.", "Choose another name.", "name")
        _refuse_misfits(session, kept.name if kept else rule.name, rule)
        values: dict[str, Any] = {"name": rule.name, "name_key": rule.name.casefold(), "kind": str(rule.kind),
                                  "unit": rule.unit, "choices": list(rule.choices)}  # fmt: skip
        if kept is None:
            session.execute(insert(Attribute), [values])
        else:
            session.execute(update(Attribute).where(Attribute.id == kept.id).values(**values))
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
        raise refuse("misfit", f"“{rule.name}” would not fit what is there: {told}.", "Correct these first.", "kind")


def _settle_values(session: Session, workplace: Workplace, actor: Actor, name: str, rule: AttributeRule) -> None:
    """Bring the values there are into the attribute's form, under its new name."""
    for chunk in in_chunks([product_id for product_id, _, _ in products_with_attribute(session, name)], 500):
        facts = facts_by_id(session, chunk)
        old = f"attribute {name}".casefold()
        wanted = []
        for product_id, held in facts.items():
            value = next(value for fact, value in held.items() if fact.casefold() == old)
            others = {fact: kept for fact, kept in held.items() if fact.casefold() != old}
            wanted.append((product_id, {**others, f"attribute {rule.name}": settle_value(rule, value)}))
        write_wishes(session, workplace, actor, make_wishes(session, wanted, old=facts))


def drop_attribute(workplace: Workplace, actor: Actor, name: str) -> None:
    """Forget the definition of an attribute; the values that products have stay, as text."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        attribute = attribute_by_name(session, name)
        session.execute(delete(CategoryAttribute).where(CategoryAttribute.attribute_id == attribute.id))
        session.delete(attribute)
        session.flush()
        _recount(session, workplace, "")


def ask_for(workplace: Workplace, actor: Actor, path: str, asks: Mapping[str, bool]) -> None:
    """Say which attributes a category asks for: name -> whether it is needed. Replaces what it asked for before."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        category = category_by_path(session, path)
        before = session.execute(
            select(Attribute.name, CategoryAttribute.needed)
            .join(CategoryAttribute, CategoryAttribute.attribute_id == Attribute.id)
            .where(CategoryAttribute.category_id == category.id)
        ).all()
        session.execute(delete(CategoryAttribute).where(CategoryAttribute.category_id == category.id))
        values = [
            {"category_id": category.id, "attribute_id": attribute_by_name(session, name).id, "needed": needed}
            for name, needed in asks.items()
        ]
        if values:
            session.execute(insert(CategoryAttribute), values)
        changes = {"asks for": (sorted(name for name, _ in before), sorted(asks))}
        audit.record(session, actor, workplace.now(), "category", category.id, "asks changed", changes)
        _recount(session, workplace, path)


def _recount(session: Session, workplace: Workplace, path: str) -> None:
    """Count anew what the products at or below a category lack."""
    ids: Sequence[int] = products_below(session, path) if path else session.scalars(select(Product.id)).all()
    for chunk in in_chunks(ids, 500):
        settle_products(session, workplace, chunk)


def attribute_rule(name: str, kind: str, unit: str, choices: Sequence[str]) -> AttributeRule:
    """An attribute from plain data. Refused: an unknown kind."""
    if kind not in set(AttributeKind):
        message = f"“Kind” must be one of {', '.join(AttributeKind)}; it got “{kind[:30]}”."
        raise refuse("not-allowed", message, "Choose one of them.", "kind")
    return AttributeRule(
        name.strip(), AttributeKind(kind), unit.strip(), tuple(c.strip() for c in choices if c.strip())
    )
