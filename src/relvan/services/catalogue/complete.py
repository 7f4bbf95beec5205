"""Keeping count of the facts that products lack, for the line and the lists."""

from collections.abc import Collection, Mapping

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.catalogue.attributes import asked_of
from relvan.core.catalogue.completeness import Completeness, completeness
from relvan.core.catalogue.facts import Facts
from relvan.store.among import among
from relvan.store.bulk import update_rows
from relvan.store.facts import asks_by_category, facts_by_id, in_chunks, picture_counts, whole_facts
from relvan.store.tables import Product


def settle_completeness(
    session: Session, product_ids: Collection[int], known: Mapping[int, Facts] | None = None
) -> None:
    """Bring the kept counts of some products up to date; after any change of facts, prices or pictures.
    `known` are facts that need not be read again."""
    session.flush()
    for ids in in_chunks(product_ids):
        kept = {i: (asked, lacking) for i, asked, lacking in session.execute(
            select(Product.id, Product.asked, Product.lacking).where(among(Product.id, ids))).all()}  # fmt: skip
        found = completeness_of(session, ids, known)
        rows = [
            (now.asked, len(now.missing), product_id)
            for product_id, now in found.items()
            if kept[product_id] != (now.asked, len(now.missing))
        ]
        update_rows(session, Product, ("asked", "lacking"), rows)
    session.expire_all()


def completeness_of(
    session: Session, product_ids: Collection[int], known: Mapping[int, Facts] | None = None
) -> dict[int, Completeness]:
    """What each product is asked for and lacks, with what its family lends it."""
    own = {product_id: known[product_id] for product_id in product_ids if product_id in known} if known else {}
    own |= facts_by_id(session, [product_id for product_id in product_ids if product_id not in own])
    asks = asks_by_category(session)
    pictures = picture_counts(session, product_ids)
    heads = family_pictures(session, product_ids)
    whole = whole_facts(session, own)
    asked = {category: asked_of(category, asks) for category in {str(f.get("category", "")) for f in whole.values()}}
    return {
        product_id: completeness(
            facts,
            pictures=pictures.get(product_id, 0) or heads.get(product_id, 0),
            asked=asked[str(facts.get("category", ""))],
        )
        for product_id, facts in whole.items()
    }


def family_pictures(session: Session, product_ids: Collection[int]) -> dict[int, int]:
    """How many pictures the families of variants have, by variant."""
    rows = session.execute(
        select(Product.id, Product.family_id).where(among(Product.id, product_ids), Product.family_id.is_not(None))
    ).all()
    counted = picture_counts(session, {family for _, family in rows if family is not None})
    return {variant: counted.get(family, 0) for variant, family in rows if family is not None}
