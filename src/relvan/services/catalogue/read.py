"""Reading one product whole."""

from dataclasses import dataclass

from relvan.core.catalogue.product import ProductDraft
from relvan.services.catalogue.save import draft_of
from relvan.services.workplace import Workplace
from relvan.store.catalogue import PictureRow, find_product, product_pictures


@dataclass(frozen=True)
class ProductView:
    """A product with its pictures."""

    draft: ProductDraft
    pictures: list[PictureRow]
    archived: bool


def view_product(workplace: Workplace, sku: str) -> ProductView:
    """A product by its SKU or an alias."""
    with workplace.database.reading() as session:
        product = find_product(session, sku)
        return ProductView(
            draft_of(session, product), product_pictures(session, product.id), product.archived_at is not None
        )
