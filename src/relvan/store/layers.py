"""Queries over layers and translations, from which listings take values besides those of their own
and of their products.
"""

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from relvan.core.listings.layers import Layer, layer_from
from relvan.core.listings.translating import (
    UNTRANSLATED,
    Translation,
    TranslationKind,
    Translations,
)
from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.channels import CONNECTED
from relvan.store.rows import rows_as
from relvan.store.tables import Channel, LayerRow, LayerSet, Listing, ListingLayer, TranslationRow


@dataclass(frozen=True)
class Speakers:
    """Every layer by its id, the default layers by channel, and the translations of each channel."""

    layers: dict[int, Layer] = field(default_factory=dict)
    standing: dict[int, list[Layer]] = field(default_factory=dict)
    translations: dict[int, Translations] = field(default_factory=dict)

    def translations_on(self, channel_id: int) -> Translations:
        """Returns the translation table of a channel."""
        return self.translations.get(channel_id, UNTRANSLATED)


def load_speakers(session: Session) -> Speakers:
    """Loads all layers and translations; two queries."""
    layers: dict[int, Layer] = {}
    standing: dict[int, list[Layer]] = defaultdict(list)
    for row in session.scalars(*_all_layers()):
        layer = as_layer(row)
        layers[row.id] = layer
        if layer.standing_for is not None:
            standing[row.channel_id].append(layer)
    entries: dict[int, list[Translation]] = defaultdict(list)
    told = bare_rows(session, *_all_translations()).all()
    for channel_id, kind, *rest in told:
        entries[channel_id].append(Translation(TranslationKind(kind), *rest))
    return Speakers(
        layers, standing, {channel: Translations.of(found) for channel, found in entries.items()}
    )


@built_once
def _all_layers() -> Select[LayerRow]:
    return select(LayerRow)


@built_once
def _all_translations() -> Select[int, str, str, str, str, str]:
    row = TranslationRow
    return select(row.channel_id, row.kind, row.field, row.ours, row.theirs, row.category)


def as_layer(row: LayerRow) -> Layer:
    """Returns a saved layer as a value of the rules."""
    return layer_from(row.id, row.topic, row.name, row.values, row.standing_for)  # type: ignore[arg-type]


def chosen_layers(session: Session, listing_ids: Collection[int]) -> dict[int, list[int]]:
    """Returns the ids of the layers that listings have themselves."""
    found: dict[int, list[int]] = defaultdict(list)
    for listing_id, layer_id in bare_rows(session, *_layers_chosen_by(listing_ids)).all():
        found[listing_id].append(layer_id)
    return found


@built_once
def _layers_chosen_by(listing_ids: Collection[int]) -> Select[int, int]:
    return select(ListingLayer.listing_id, ListingLayer.layer_id).where(
        among(ListingLayer.listing_id, listing_ids)
    )


def layer_by_id(session: Session, layer_id: int) -> LayerRow:
    """Returns the layer with an id."""
    row = session.get(LayerRow, layer_id)
    if row is None:
        raise not_found("layer", layer_id)
    return row


def layer_set_by_id(session: Session, set_id: int) -> LayerSet:
    """Returns the set of layers with an id."""
    row = session.get(LayerSet, set_id)
    if row is None:
        raise not_found("set of layers", set_id)
    return row


@dataclass(frozen=True)
class LayerLine:
    """One layer in a list, with the number of listings that have it themselves."""

    id: int
    channel_id: int
    channel: str
    channel_key: str
    topic: str
    name: str
    values: dict[str, Any]
    standing_for: str | None
    changed_at: datetime
    used_by: int


def _lines() -> Select[*tuple[Any, ...]]:
    used = (
        select(func.count())
        .where(ListingLayer.layer_id == LayerRow.id)
        .correlate(LayerRow)
        .scalar_subquery()
    )
    return select(
        LayerRow.id,
        LayerRow.channel_id,
        Channel.name,
        Channel.key,
        LayerRow.topic,
        LayerRow.name,
        LayerRow.values,
        LayerRow.standing_for,
        LayerRow.changed_at,
        used,
    ).join(Channel, Channel.id == LayerRow.channel_id)


def layer_lines(session: Session, *, channel: str = "", topic: str = "") -> list[LayerLine]:
    """Returns layers by channel, topic and name."""
    statement = _lines().where(CONNECTED).order_by(Channel.id, LayerRow.topic, LayerRow.name_key)
    if channel:
        statement = statement.where(Channel.key == channel)
    if topic:
        statement = statement.where(LayerRow.topic == topic)
    return rows_as(LayerLine, session, statement)


def layer_line(session: Session, layer_id: int) -> LayerLine:
    """Returns one layer as a list shows it."""
    found = rows_as(LayerLine, session, _lines().where(LayerRow.id == layer_id))
    if not found:
        raise not_found("layer", layer_id)
    return found[0]


def layer_sets(session: Session, channel_id: int | None = None) -> list[LayerSet]:
    """Returns the sets of layers by name."""
    statement = select(LayerSet).order_by(LayerSet.channel_id, LayerSet.name_key)
    if channel_id is not None:
        statement = statement.where(LayerSet.channel_id == channel_id)
    return list(session.scalars(statement))


def listings_with_layer(
    session: Session, layer_id: int, *, after: int = 0, most: int | None = None
) -> list[int]:
    """Returns the ids of the listings that have a layer themselves, in order: all of them, or a
    number of them after an id.
    """
    of_layer = select(ListingLayer.listing_id).where(ListingLayer.layer_id == layer_id)
    return list(
        session.scalars(
            of_layer.where(ListingLayer.listing_id > after)
            .order_by(ListingLayer.listing_id)
            .limit(most)
        )
    )


def listings_on(
    session: Session, channel_id: int, *, after: int = 0, most: int | None = None
) -> list[int]:
    """Returns the ids of the listings of a channel, in order: all of them, or a number of them
    after an id.
    """
    of_channel = select(Listing.id).where(Listing.channel_id == channel_id, Listing.id > after)
    return list(session.scalars(of_channel.order_by(Listing.id).limit(most)))


@dataclass(frozen=True)
class TranslationLine:
    """One entry of a translation table."""

    id: int
    channel: str
    channel_key: str
    category: str
    kind: str
    field: str
    ours: str
    theirs: str


def translation_lines(session: Session, channel: str = "") -> list[TranslationLine]:
    """Returns the translations of a channel, or of all channels."""
    statement = (
        select(
            TranslationRow.id,
            Channel.name,
            Channel.key,
            TranslationRow.category,
            TranslationRow.kind,
            TranslationRow.field,
            TranslationRow.ours,
            TranslationRow.theirs,
        )
        .join(Channel, Channel.id == TranslationRow.channel_id)
        .where(CONNECTED)
        .order_by(Channel.id, TranslationRow.kind, TranslationRow.field, TranslationRow.ours_key)
    )
    if channel:
        statement = statement.where(Channel.key == channel)
    return rows_as(TranslationLine, session, statement)


def used_translations(session: Session) -> dict[str, str]:
    """Returns every translation that was used before on any channel, as our value in lower case ->
    theirs. The latest one counts.
    """
    rows = session.execute(
        select(TranslationRow.ours_key, TranslationRow.theirs).order_by(TranslationRow.changed_at)
    ).all()
    return dict(map(tuple, rows))  # type: ignore[arg-type]
