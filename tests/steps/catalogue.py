"""Holds steps of tests about the catalogue."""

import pytest

from relvan.core.catalogue.product import Part, ProductDraft, ProductKind, Trait
from relvan.core.refusal import Refused
from relvan.services.catalogue.families import (
    NewFamily,
)
from relvan.services.catalogue.save import create_product

GLAZE, SIZE = Trait("Glaze"), Trait("Size")


def kit(workplace, owner, sku, *parts, **more):
    draft = ProductDraft(
        sku=sku, title=sku, kind=ProductKind.KIT, parts=tuple(Part(*p) for p in parts), **more
    )
    return create_product(workplace, owner, draft)


def code_of(call):
    with pytest.raises(Refused) as refused:
        call()
    return refused.value.first.code


def family(sku="PT", *axes, **shared):
    return NewFamily(sku, "Aubrey pot", axes or (GLAZE, SIZE), shared)
