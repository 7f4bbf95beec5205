"""Queries and statements that a change of layers and translations needs: which listings have a
layer, and what exists already.
"""

from collections.abc import Collection, Mapping

from sqlalchemy import ColumnElement, delete, select
from sqlalchemy.orm import Session

from relvan.core.listings.translating import Translation
from relvan.store.among import among
from relvan.store.tables import LayerRow, LayerSet, Listing, ListingLayer, TranslationRow


def is_layer_used(session: Session, layer_id: int) -> bool:
    """Says whether a listing has a layer itself."""
    used = select(ListingLayer.listing_id).where(ListingLayer.layer_id == layer_id).limit(1)
    return session.scalar(used) is not None


def replace_layers(
    session: Session, listing_ids: Collection[int], layers: Mapping[str, int | None]
) -> None:
    """Gives listings these layers by topic, and removes their layer of a topic that has none here."""
    gone = ListingLayer.topic.in_(layers.keys())
    session.execute(delete(ListingLayer).where(among(ListingLayer.listing_id, listing_ids), gone))
    session.add_all(
        ListingLayer(listing_id=listing_id, topic=topic, layer_id=layer_id)
        for topic, layer_id in layers.items()
        if layer_id is not None
        for listing_id in listing_ids
    )
    session.flush()


def find_layer_set(session: Session, channel_id: int, name_key: str) -> LayerSet | None:
    """Returns the set of layers of a channel with a name, or None."""
    return session.scalar(
        select(LayerSet).where(LayerSet.channel_id == channel_id, LayerSet.name_key == name_key)
    )


def channels_of_listings(session: Session, listing_ids: Collection[int]) -> dict[int, int]:
    """Returns the channel of each of some listings; listings that do not exist are left out."""
    found = select(Listing.id, Listing.channel_id).where(among(Listing.id, listing_ids))
    return dict(session.execute(found).all())


def layers_about(session: Session, channel_id: int, topic: str) -> list[LayerRow]:
    """Returns the layers of a channel about a topic."""
    return list(
        session.scalars(
            select(LayerRow).where(LayerRow.channel_id == channel_id, LayerRow.topic == topic)
        )
    )


def find_translation(
    session: Session, channel_id: int, entry: Translation
) -> TranslationRow | None:
    """Returns the saved translation of the same value of ours, or None."""
    ours = TranslationRow.ours_key == entry.ours.strip().casefold()
    return session.scalar(select(TranslationRow).where(*_of_field(channel_id, entry), ours))


def forget_other_translations(session: Session, channel_id: int, entry: Translation) -> None:
    """Deletes the other translations of the field that a translation is about, except for the same
    value of ours.
    """
    others = TranslationRow.ours_key != entry.ours.strip().casefold()
    session.execute(delete(TranslationRow).where(*_of_field(channel_id, entry), others))


def _of_field(channel_id: int, entry: Translation) -> tuple[ColumnElement[bool], ...]:
    return (
        TranslationRow.channel_id == channel_id,
        TranslationRow.category == entry.category,
        TranslationRow.kind == entry.kind.value,
        TranslationRow.field == entry.field,
    )
