"""Making, changing, copying and giving layers; a change is shown before it is made, and can be taken back."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from relvan.core.listings.layers import check_layer
from relvan.core.listings.rulebook import LAYER_TOPICS, Rulebook
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, refuse, refuse_if_any
from relvan.services import audit
from relvan.services.listings.later import refresh_soon
from relvan.services.workplace import Actor, Workplace
from relvan.store.among import among
from relvan.store.channels import channel_by_key
from relvan.store.history import last_change
from relvan.store.layers import layer_by_id, layer_set_by_id
from relvan.store.tables import Channel, LayerRow, LayerSet, Listing, ListingLayer

MOST_AT_ONCE = 20_000


def make_layer(
    workplace: Workplace,
    actor: Actor,
    channel_key: str,
    topic: str,
    name: str,
    values: Mapping[str, Any],
    *,
    standing_for: str | None = None,
) -> int:
    """Keep a new layer; its id. `standing_for` is the category of ours for which it stands ("" for all), if any."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        channel = channel_by_key(session, channel_key)
        book = workplace.rulebook(channel)
        said = _said(values)
        refuse_if_any(check_layer(book, topic, name, said))
        _refuse_taken(session, channel.id, topic, name, standing_for, None)
        row = LayerRow(
            channel_id=channel.id, topic=topic, name=name.strip(), name_key=name.strip().casefold(), values=said,
            standing_for=standing_for, changed_at=workplace.now(),
        )  # fmt: skip
        session.add(row)
        session.flush()
        audit.record(session, actor, workplace.now(), "layer", row.id, "made", _changes({}, said, book))
        if standing_for is not None:
            refresh_soon(session, workplace, actor, f"Work out after “{row.name}”", channel_id=channel.id)
        return row.id


def change_layer(
    workplace: Workplace,
    actor: Actor,
    layer_id: int,
    values: Mapping[str, Any] | None = None,
    *,
    name: str | None = None,
    standing_for: str | None | bool = False,
) -> None:
    """Change what a layer says, its name, or what it stands for (`False` leaves that as it is). Every listing it
    speaks for is worked out again and becomes behind where it differs; nothing is sent by itself."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        row = layer_by_id(session, layer_id)
        book = workplace.rulebook(session.get_one(Channel, row.channel_id))
        said = _said(values) if values is not None else dict(row.values)
        wanted_name = row.name if name is None else name
        standing = row.standing_for if isinstance(standing_for, bool) else standing_for
        refuse_if_any(check_layer(book, row.topic, wanted_name, said))
        _refuse_taken(session, row.channel_id, row.topic, wanted_name, standing, row.id)
        changes = _changes(row.values, said, book)
        if row.name != wanted_name.strip():
            changes["name"] = (row.name, wanted_name.strip())
        if row.standing_for != standing:
            changes["stands for"] = (_stands(row.standing_for), _stands(standing))
        if not changes:
            return
        wide = row.standing_for is not None or standing is not None
        row.values, row.name, row.name_key = said, wanted_name.strip(), wanted_name.strip().casefold()
        row.standing_for, row.changed_at = standing, workplace.now()
        session.flush()
        audit.record(session, actor, workplace.now(), "layer", row.id, "changed", changes)
        which: dict[str, Any] = {"channel_id": row.channel_id} if wide else {"layer_id": row.id}
        refresh_soon(session, workplace, actor, f"Work out after “{row.name}”", **which)


def copy_layer(workplace: Workplace, actor: Actor, layer_id: int, name: str, channel_key: str = "") -> int:
    """Make a layer like another, on the same channel or (as far as its fields are known there) on another."""
    actor.must(Right.LISTINGS)
    with workplace.database.reading() as session:
        row = layer_by_id(session, layer_id)
        key = channel_key or session.get_one(Channel, row.channel_id).key
        book = workplace.rulebook(channel_by_key(session, key))
        topic, values = row.topic, dict(row.values)
    known = {rule.name for rule in book.fields if rule.layer == topic} | {"price_steps"}
    return make_layer(workplace, actor, key, topic, name, {k: v for k, v in values.items() if k in known})


def undo_layer(workplace: Workplace, actor: Actor, layer_id: int) -> None:
    """Give a layer the values back that it had before its last change."""
    actor.must(Right.LISTINGS)
    with workplace.database.reading() as session:
        row = layer_by_id(session, layer_id)
        entry = last_change(session, "layer", layer_id, "changed")
        if entry is None:
            raise refuse("nothing", f"“{row.name}” has not been changed yet.", "There is nothing to take back.")
        book = workplace.rulebook(session.get_one(Channel, row.channel_id))
        labels = {rule.label: rule.name for rule in book.fields} | {"Price steps": "price_steps"}
        before = {labels[label]: pair[0] for label, pair in entry.changes.items() if label in labels}
        touched = [label for label, pair in entry.changes.items()
                   if label in labels and _now(row, labels[label]) != pair[1]]  # fmt: skip
        if touched:
            raise refuse("moved-on", f"“{touched[0]}” has been changed since.", "Look at its history.")
        values = {name: value for name, value in {**row.values, **before}.items() if value not in (None, "", [])}
        name = entry.changes["name"][0] if "name" in entry.changes else None
    change_layer(workplace, actor, layer_id, values, name=name)


def _now(row: LayerRow, name: str) -> Any:
    return row.values.get(name, "")


def drop_layer(workplace: Workplace, actor: Actor, layer_id: int) -> None:
    """Take a layer away. Refused while listings have it or it stands for a category."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        row = layer_by_id(session, layer_id)
        used = session.scalar(select(ListingLayer.listing_id).where(ListingLayer.layer_id == layer_id).limit(1))
        if used is not None or row.standing_for is not None:
            raise refuse("in-use", f"“{row.name}” speaks for listings.", "Take it from them first.", "layer")
        for kept in session.scalars(select(LayerSet).where(LayerSet.channel_id == row.channel_id)):
            if layer_id in kept.layers.values():
                kept.layers = {topic: one for topic, one in kept.layers.items() if one != layer_id}
        audit.record(session, actor, workplace.now(), "layer", layer_id, "taken away")
        session.delete(row)


def use_layers(
    workplace: Workplace, actor: Actor, listing_ids: Sequence[int], layers: Mapping[str, int | None]
) -> None:
    """Give listings a layer of each topic named, or none; all of them or, when one is of another channel, none."""
    actor.must(Right.LISTINGS)
    ids = list(dict.fromkeys(listing_ids))
    if not ids or len(ids) > MOST_AT_ONCE:
        raise refuse("ids", f"Between 1 and {MOST_AT_ONCE:,} listings at once; it got {len(ids):,}.", "", "ids")
    with workplace.database.writing() as session:
        channels = _channels_of(session, ids)
        names: dict[str, str] = {}
        for topic, layer_id in layers.items():
            if topic not in LAYER_TOPICS:
                raise refuse("topic", f"There is no topic “{topic[:40]}”.", f"One of {', '.join(LAYER_TOPICS)}.")
            if layer_id is not None:
                row = layer_by_id(session, layer_id)
                if row.topic != topic or channels != {row.channel_id}:
                    message = f"“{row.name}” is a layer of the topic {row.topic} on one channel."
                    raise refuse("layer", message, "Tick listings of that channel only.", "layer")
                names[topic] = row.name
        gone = ListingLayer.topic.in_(layers.keys())
        session.execute(delete(ListingLayer).where(among(ListingLayer.listing_id, ids), gone))
        session.add_all(
            ListingLayer(listing_id=listing_id, topic=topic, layer_id=layer_id)
            for topic, layer_id in layers.items()
            if layer_id is not None
            for listing_id in ids
        )
        session.flush()
        told = {f"layer {topic}": ("", names.get(topic, "none")) for topic in layers}
        audit.record_many(session, actor, workplace.now(), "listing", [(i, "given layers", told) for i in ids])
        refresh_soon(session, workplace, actor, "Work out after new layers", listing_ids=ids)


def keep_set(workplace: Workplace, actor: Actor, channel_key: str, name: str, layers: Mapping[str, int]) -> int:
    """Keep layers of several topics under one name, to be given in one go; its id. The same name again replaces it."""
    actor.must(Right.LISTINGS)
    if not name.strip() or len(name) > 80 or not layers:
        raise refuse("name", "A set needs a name of 1 to 80 characters and a layer.", "Choose some.", "name")
    with workplace.database.writing() as session:
        channel = channel_by_key(session, channel_key)
        for topic, layer_id in layers.items():
            row = layer_by_id(session, layer_id)
            if row.channel_id != channel.id or row.topic != topic:
                raise refuse("layer", f"“{row.name}” is no layer of {channel.name} about {topic}.", "", "layers")
        wanted = (LayerSet.channel_id == channel.id, LayerSet.name_key == name.strip().casefold())
        kept = session.scalar(select(LayerSet).where(*wanted))
        if kept is None:
            kept = LayerSet(channel_id=channel.id, name=name.strip(), name_key=name.strip().casefold(), layers={})
            session.add(kept)
        kept.layers = dict(layers)
        session.flush()
        return kept.id


def use_set(workplace: Workplace, actor: Actor, listing_ids: Sequence[int], set_id: int) -> None:
    """Give listings all the layers of a set."""
    actor.must(Right.LISTINGS)
    with workplace.database.reading() as session:
        layers = dict(layer_set_by_id(session, set_id).layers)
    use_layers(workplace, actor, listing_ids, layers)


def _channels_of(session: Session, listing_ids: Sequence[int]) -> set[int]:
    rows = session.execute(select(Listing.id, Listing.channel_id).where(among(Listing.id, listing_ids))).all()
    missing = set(listing_ids) - {listing_id for listing_id, _ in rows}
    if missing:
        raise refuse("not-found", f"There is no listing “{min(missing)}”.", "Look at the list again.", "ids")
    return {channel for _, channel in rows}


def _said(values: Mapping[str, Any]) -> dict[str, Any]:
    """What is said at all; text without spaces around it."""
    plain = {name: value.strip() if isinstance(value, str) else value for name, value in values.items()}
    return {name: value for name, value in plain.items() if value not in ("", None, [])}


def _changes(before: Mapping[str, Any], after: Mapping[str, Any], book: Rulebook) -> dict[str, tuple[Any, Any]]:
    names = [*before, *(name for name in after if name not in before)]
    labels = {rule.name: rule.label for rule in book.fields} | {"price_steps": "Price steps"}
    return {
        labels.get(name, name): (before.get(name, ""), after.get(name, ""))
        for name in names
        if before.get(name, "") != after.get(name, "")
    }


def _stands(category: str | None) -> str:
    return "nothing" if category is None else category or "everything"


def _refuse_taken(
    session: Session, channel_id: int, topic: str, name: str, standing: str | None, but: int | None
) -> None:
    found: list[Refusal] = []
    there = select(LayerRow).where(LayerRow.channel_id == channel_id, LayerRow.topic == topic)
    for row in session.scalars(there):
        if row.id == but:
            continue
        if row.name_key == name.strip().casefold():
            found.append(Refusal("exists", f"There is a layer “{row.name}” about {topic} already.", "", "name"))
        if standing is not None and row.standing_for is not None and row.standing_for.casefold() == standing.casefold():
            message = f"“{row.name}” stands for {_stands(standing)} already."
            found.append(Refusal("exists", message, "Let it go first, or choose another category.", "standing_for"))
    if found:
        raise Refused(*found)
