"""Keeps count of the details that products lack, for the line and the lists."""

from collections.abc import Collection, Mapping

from relvan.core.catalogue.attributes import asked_of
from relvan.core.catalogue.completeness import Completeness, completeness
from relvan.core.catalogue.facts import Facts
from relvan.store.bulk import update_rows
from relvan.store.catalogue import families_of, kept_completeness
from relvan.store.facts import asks_by_category, facts_by_id, in_chunks, picture_counts, whole_facts
from relvan.store.session import Session
from relvan.store.tables import Product


def settle_completeness(
    session: Session, product_ids: Collection[int], known: Mapping[int, Facts] | None = None
) -> None:
    """Brings the kept counts of some products up to date, after any change of details, prices or
    pictures. `known` are facts that need not be read again."""
    session.flush()
    for ids in in_chunks(product_ids):
        kept = kept_completeness(session, ids)
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
    """Returns what each product should have and what it lacks, with what its family lends it."""
    own = (
        {product_id: known[product_id] for product_id in product_ids if product_id in known}
        if known
        else {}
    )
    own |= facts_by_id(session, [product_id for product_id in product_ids if product_id not in own])
    asks = asks_by_category(session)
    pictures = picture_counts(session, product_ids)
    heads = family_pictures(session, product_ids)
    whole = whole_facts(session, own)
    asked = {
        category: asked_of(category, asks)
        for category in {str(f.get("category", "")) for f in whole.values()}
    }
    return {
        product_id: completeness(
            facts,
            pictures=pictures.get(product_id, 0) or heads.get(product_id, 0),
            asked=asked[str(facts.get("category", ""))],
        )
        for product_id, facts in whole.items()
    }


def family_pictures(session: Session, product_ids: Collection[int]) -> dict[int, int]:
    """Returns how many pictures the families of variants have, by variant."""
    families = families_of(session, product_ids)
    counted = picture_counts(session, set(families.values()))
    return {variant: counted.get(family, 0) for variant, family in families.items()}
