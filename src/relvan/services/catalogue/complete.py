"""Keeping count of the basic facts that products lack, for the line and the lists."""

from collections.abc import Collection

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from relvan.core.catalogue.completeness import missing_facts
from relvan.store.tables import ListPrice, Product, ProductPicture


def settle_completeness(session: Session, product_ids: Collection[int]) -> None:
    """Bring the kept count of some products up to date; after any change of facts, prices or pictures."""
    session.flush()
    prices = select(func.count()).where(ListPrice.product_id == Product.id).scalar_subquery()
    pictures = select(func.count()).where(ProductPicture.product_id == Product.id).scalar_subquery()
    for product, priced, pictured in session.execute(
        select(Product, prices, pictures).where(Product.id.in_(product_ids))
    ):
        missing = missing_facts(
            product.kind,
            description=product.description,
            weight_g=product.weight_g,
            prices=priced,
            pictures=pictured,
        )
        if product.lacking != len(missing):
            product.lacking = len(missing)
    session.flush()
