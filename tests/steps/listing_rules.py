"""Holds steps of tests about listing rules."""

from relvan.core.listings.rulebook import (
    CallLimits,
    ChannelCategory,
    FieldRule,
    OrderReading,
    PictureRule,
    RowsAtOnce,
    Rulebook,
)

BOOK = Rulebook(
    key="fair",
    name="Fair",
    dialect="notices",
    edition=1,
    currency="EUR",
    token_label="Token",
    categories=(
        ChannelCategory(key="c-pots", name="Pots"),
        ChannelCategory(key="c-tools", name="Tools"),
    ),
    pictures=PictureRule(least=1, most=3, least_side_px=300),
    least_price=100,
    most_units=99,
    calls=CallLimits(per_second=10, burst=10),
    rows_at_once=RowsAtOnce(quantity=5, price=5),
    orders=OrderReading(poll_every_s=1, page=10, overlap=2),
    fields=(
        FieldRule(name="heading", label="Heading", required=True, least=3, most=20, origin="title"),
        FieldRule(name="shelf", label="Shelf", kind="category", required=True, origin="category"),
        FieldRule(
            name="material", label="Material", required_in=("c-pots",), origin="attributes.material"
        ),
        FieldRule(
            name="days", label="Days", kind="number", required=True, least=0, most=30, default="2"
        ),
        FieldRule(
            name="condition",
            label="Condition",
            kind="choice",
            choices=("new", "used"),
            default="new",
        ),
        FieldRule(name="barcode", label="Barcode", kind="gtin", origin="gtin"),
    ),
)
