"""Holds steps of tests about families on channels."""

from relvan.core.catalogue.product import ProductDraft, ProductKind, Trait
from relvan.services.catalogue.pictures import add_picture
from relvan.services.catalogue.save import save_many
from relvan.store.listings import listings_of
from tests.house import TEXT, png, receive

SIZES = ("9 cm", "14 cm")


GLAZES = ("Ink", "Oat")


def make_family(workplace, owner, units=5, **facts):
    """Creates a family of four pots with a picture, and stock of each."""
    axes = (Trait("Size", SIZES), Trait("Glaze", GLAZES))
    head = ProductDraft(
        "PT",
        "Aubrey pot",
        ProductKind.FAMILY,
        description=TEXT,
        category="Pots",
        axes=axes,
        attributes={"material": "stoneware"},
        weight_g=700,
        **facts,
    )
    drafts = [head] + [
        ProductDraft(
            f"PT-{size.split()[0]}-{glaze.upper()}",
            f"Aubrey pot, {size}, {glaze}",
            ProductKind.VARIANT,
            family="PT",
            traits={"Size": size, "Glaze": glaze},
            prices={"retail": 1690},
            cost=500,
        )
        for size in SIZES
        for glaze in GLAZES
    ]
    assert all(
        verdict.ok
        for verdict in save_many(workplace, owner, [(draft.sku, draft) for draft in drafts])
    )
    add_picture(workplace, owner, "PT", png())
    for draft in drafts[1:]:
        receive(workplace, owner, draft.sku, units)
    return [draft.sku for draft in drafts]


def on(workplace, channel_id=1):
    """Returns the listings of a channel by SKU."""
    with workplace.database.reading() as session:
        from relvan.store.listing_list import ListingFilter, listing_page

        rows = {row.id: row.sku for row in listing_page(session, ListingFilter(), limit=200)}
        return {rows[one.id]: one for one in listings_of(session, channel_id=channel_id)}
