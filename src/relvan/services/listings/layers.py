"""Creates, changes, copies and gives layers. A change is shown before it is made and can be undone."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from relvan.core.listings.layers import check_layer
from relvan.core.listings.rulebook import LAYER_TOPICS, Rulebook
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, refuse, refuse_if_any
from relvan.services import audit
from relvan.services.changes import Concern
from relvan.services.listings.later import refresh_soon
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_by_key
from relvan.store.history import last_change
from relvan.store.layer_rows import (
    channels_of_listings,
    find_layer_set,
    is_layer_used,
    layers_about,
    replace_layers,
)
from relvan.store.layers import layer_by_id, layer_set_by_id, layer_sets
from relvan.store.session import Session
from relvan.store.tables import Channel, LayerRow, LayerSet

MOST_AT_ONCE = 20_000


@dataclass(frozen=True)
class LayerWish:
    """A layer that is to be created: its channel by key, its topic, name and values. `standing_for`
    makes it the default layer of a category of ours ("" for all)."""

    channel: str
    topic: str
    name: str
    values: Mapping[str, Any]
    standing_for: str | None = None


def make_layer(workplace: Workplace, actor: Actor, wish: LayerWish) -> int:
    """Saves a new layer; returns its id."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        channel = channel_by_key(session, wish.channel)
        book = workplace.rulebook(channel)
        said, name = _values_said(wish.values), wish.name.strip()
        refuse_if_any(check_layer(book, wish.topic, wish.name, said))
        _refuse_taken(session, channel.id, wish.topic, wish.name, wish.standing_for, None)
        row = LayerRow(
            channel_id=channel.id,
            topic=wish.topic,
            name=name,
            name_key=name.casefold(),
            values=said,
            standing_for=wish.standing_for,
            changed_at=workplace.now(),
        )
        session.add(row)
        session.flush()
        audit.record(
            session,
            actor,
            workplace.now(),
            audit.Subject("layer", row.id),
            "made",
            _changes({}, said, book),
        )
        if wish.standing_for is not None:
            refresh_soon(
                session,
                workplace,
                Concern(actor, f"Work out after “{row.name}”", channel_id=channel.id),
            )
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
    """Changes the values of a layer, its name, or the category that it is the default for (`False`
    leaves that as it is). Every listing that uses it is worked out again and becomes outdated where
    it differs; nothing is sent without being asked."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        row = layer_by_id(session, layer_id)
        book = workplace.rulebook(session.get_one(Channel, row.channel_id))
        said = _values_said(values) if values is not None else dict(row.values)
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
        row.values, row.name, row.name_key = (
            said,
            wanted_name.strip(),
            wanted_name.strip().casefold(),
        )
        row.standing_for, row.changed_at = standing, workplace.now()
        session.flush()
        audit.record(
            session, actor, workplace.now(), audit.Subject("layer", row.id), "changed", changes
        )
        which: dict[str, Any] = {"channel_id": row.channel_id} if wide else {"layer_id": row.id}
        refresh_soon(session, workplace, Concern(actor, f"Work out after “{row.name}”", **which))


def copy_layer(
    workplace: Workplace, actor: Actor, layer_id: int, name: str, channel_key: str = ""
) -> int:
    """Copies a layer, on the same channel or, as far as its fields exist there, to another."""
    actor.must(Right.LISTINGS)
    with workplace.database.reading() as session:
        row = layer_by_id(session, layer_id)
        key = channel_key or session.get_one(Channel, row.channel_id).key
        book = workplace.rulebook(channel_by_key(session, key))
        topic, values = row.topic, dict(row.values)
    known = {rule.name for rule in book.fields if rule.layer == topic} | {"price_steps"}
    return make_layer(
        workplace,
        actor,
        LayerWish(key, topic, name, {k: v for k, v in values.items() if k in known}),
    )


def undo_layer(workplace: Workplace, actor: Actor, layer_id: int) -> None:
    """Gives a layer the values that it had before its last change."""
    actor.must(Right.LISTINGS)
    with workplace.database.reading() as session:
        row = layer_by_id(session, layer_id)
        entry = last_change(session, "layer", layer_id, "changed")
        if entry is None:
            raise refuse(
                "nothing",
                f"“{row.name}” has not been changed yet.",
                "There is nothing to undo.",
            )
        book = workplace.rulebook(session.get_one(Channel, row.channel_id))
        labels = {rule.label: rule.name for rule in book.fields} | {"Price steps": "price_steps"}
        before = {
            labels[label]: pair[0] for label, pair in entry.changes.items() if label in labels
        }
        touched = [
            label
            for label, pair in entry.changes.items()
            if label in labels and _now(row, labels[label]) != pair[1]
        ]
        if touched:
            raise refuse(
                "moved-on", f"“{touched[0]}” has been changed since.", "Look at its history."
            )
        values = {
            name: value
            for name, value in {**row.values, **before}.items()
            if value not in (None, "", [])
        }
        name = entry.changes["name"][0] if "name" in entry.changes else None
    change_layer(workplace, actor, layer_id, values, name=name)


def _now(row: LayerRow, name: str) -> Any:
    return row.values.get(name, "")


def drop_layer(workplace: Workplace, actor: Actor, layer_id: int) -> None:
    """Deletes a layer. Refused while listings use it or it is the default of a category."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        row = layer_by_id(session, layer_id)
        if is_layer_used(session, layer_id) or row.standing_for is not None:
            raise refuse(
                "in-use", f"“{row.name}” speaks for listings.", "Take it from them first.", "layer"
            )
        for kept in layer_sets(session, row.channel_id):
            if layer_id in kept.layers.values():
                kept.layers = {topic: one for topic, one in kept.layers.items() if one != layer_id}
        audit.record(
            session, actor, workplace.now(), audit.Subject("layer", layer_id), "taken away"
        )
        session.delete(row)


def use_layers(
    workplace: Workplace, actor: Actor, listing_ids: Sequence[int], layers: Mapping[str, int | None]
) -> None:
    """Gives listings a layer of each topic named, or none. Nothing is changed when a listing is of
    another channel."""
    actor.must(Right.LISTINGS)
    ids = list(dict.fromkeys(listing_ids))
    if not ids or len(ids) > MOST_AT_ONCE:
        raise refuse(
            "ids",
            f"Between 1 and {MOST_AT_ONCE:,} listings at once; it got {len(ids):,}.",
            "",
            "ids",
        )
    with workplace.database.writing() as session:
        channels = _channels_of(session, ids)
        names: dict[str, str] = {}
        for topic, layer_id in layers.items():
            if topic not in LAYER_TOPICS:
                raise refuse(
                    "topic",
                    f"There is no topic “{topic[:40]}”.",
                    f"One of {', '.join(LAYER_TOPICS)}.",
                )
            if layer_id is not None:
                row = layer_by_id(session, layer_id)
                if row.topic != topic or channels != {row.channel_id}:
                    message = f"“{row.name}” is a layer of the topic {row.topic} on one channel."
                    raise refuse("layer", message, "Tick listings of that channel only.", "layer")
                names[topic] = row.name
        replace_layers(session, ids, layers)
        told = {f"layer {topic}": ("", names.get(topic, "none")) for topic in layers}
        audit.record_many(
            session, actor, workplace.now(), "listing", [(i, "given layers", told) for i in ids]
        )
        refresh_soon(
            session, workplace, Concern(actor, "Work out after new layers", listing_ids=tuple(ids))
        )


def keep_set(
    workplace: Workplace, actor: Actor, channel_key: str, name: str, layers: Mapping[str, int]
) -> int:
    """Saves layers of several topics under one name, to be given together; returns its id. The same
    name again replaces it."""
    actor.must(Right.LISTINGS)
    if not name.strip() or len(name) > 80 or not layers:
        raise refuse(
            "name", "A set needs a name of 1 to 80 characters and a layer.", "Choose some.", "name"
        )
    with workplace.database.writing() as session:
        channel = channel_by_key(session, channel_key)
        for topic, layer_id in layers.items():
            row = layer_by_id(session, layer_id)
            if row.channel_id != channel.id or row.topic != topic:
                raise refuse(
                    "layer",
                    f"“{row.name}” is no layer of {channel.name} about {topic}.",
                    "",
                    "layers",
                )
        kept = find_layer_set(session, channel.id, name.strip().casefold())
        if kept is None:
            kept = LayerSet(
                channel_id=channel.id,
                name=name.strip(),
                name_key=name.strip().casefold(),
                layers={},
            )
            session.add(kept)
        kept.layers = dict(layers)
        session.flush()
        return kept.id


def use_set(workplace: Workplace, actor: Actor, listing_ids: Sequence[int], set_id: int) -> None:
    """Gives listings all the layers of a set."""
    actor.must(Right.LISTINGS)
    with workplace.database.reading() as session:
        layers = dict(layer_set_by_id(session, set_id).layers)
    use_layers(workplace, actor, listing_ids, layers)


def _channels_of(session: Session, listing_ids: Sequence[int]) -> set[int]:
    channels = channels_of_listings(session, listing_ids)
    missing = set(listing_ids) - channels.keys()
    if missing:
        raise refuse(
            "not-found", f"There is no listing “{min(missing)}”.", "Look at the list again.", "ids"
        )
    return set(channels.values())


def _values_said(values: Mapping[str, Any]) -> dict[str, Any]:
    """Returns the values that are not empty, without spaces around texts."""
    plain = {
        name: value.strip() if isinstance(value, str) else value for name, value in values.items()
    }
    return {name: value for name, value in plain.items() if value not in ("", None, [])}


def _changes(
    before: Mapping[str, Any], after: Mapping[str, Any], book: Rulebook
) -> dict[str, tuple[Any, Any]]:
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
    for row in layers_about(session, channel_id, topic):
        if row.id == but:
            continue
        if row.name_key == name.strip().casefold():
            found.append(
                Refusal(
                    "exists", f"There is a layer “{row.name}” about {topic} already.", "", "name"
                )
            )
        if (
            standing is not None
            and row.standing_for is not None
            and row.standing_for.casefold() == standing.casefold()
        ):
            message = f"“{row.name}” stands for {_stands(standing)} already."
            found.append(
                Refusal(
                    "exists",
                    message,
                    "Let it go first, or choose another category.",
                    "standing_for",
                )
            )
    if found:
        raise Refused(*found)
