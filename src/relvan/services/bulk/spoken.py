"""Files of listing fields and of layer values: each row is one field of a listing or of a layer."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from typing import Any

from relvan.core.imports.columns import FileKind
from relvan.core.imports.things import Found, Thing
from relvan.core.jobs.life import JobVerdict
from relvan.core.listings.layers import STEPS, check_layer
from relvan.core.listings.rulebook import FieldRule, Rulebook
from relvan.core.refusal import Refused, not_found, refuse
from relvan.services.listings.draft import check_value, set_values
from relvan.services.listings.layers import change_layer
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channels
from relvan.store.job_rows import ChangeRow
from relvan.store.layers import LayerLine, layer_lines
from relvan.store.listings import SpokenListing, listings_of, spoken_listings
from relvan.store.session import Session
from relvan.store.tables import Channel

SPOKEN = (FileKind.LISTINGS, FileKind.LAYERS)


class _Known:
    """What the rows may name: channels with their rulebooks, listings by channel and SKU, layers by
    name."""

    def __init__(
        self, session: Session, workplace: Workplace, things: Sequence[Thing], kind: str
    ) -> None:
        found = channels(session)
        self.channels: dict[str, Channel] = {
            name.casefold(): c for c in found for name in (c.key, c.name)
        }
        self.books = {channel.id: workplace.rulebook(channel) for channel in found}
        self.listings: dict[tuple[int, str], SpokenListing] = {}
        self.layers: dict[tuple[str, str, str], LayerLine] = {}
        if kind == FileKind.LISTINGS:
            self.listings = spoken_listings(session, [thing.sku for thing in things])
        else:
            lines = layer_lines(session)
            self.layers = {
                (line.channel_key, line.topic, line.name.casefold()): line for line in lines
            }

    def channel(self, name: str) -> Channel:
        found = self.channels.get(name.strip().casefold())
        if found is None:
            raise refuse(
                "unknown-channel",
                f"There is no channel “{name[:40]}”.",
                "Correct the cell.",
                "channel",
            )
        return found

    def field(self, book: Rulebook, name: str) -> FieldRule:
        wanted = name.strip().casefold()
        found = next(
            (
                rule
                for rule in book.fields
                if wanted in (rule.name.casefold(), rule.label.casefold())
            ),
            None,
        )
        if found is None:
            raise refuse(
                "unknown",
                f"{book.name} has no field “{name[:40]}”.",
                "Look at its requirements.",
                "field",
            )
        return found


def rehearse_spoken(workplace: Workplace, kind: str, things: Sequence[Thing]) -> list[Found]:
    """Returns (thing, verdict, change, refusals) of each row."""
    seen: dict[Any, int] = {}
    look = _listing if kind == FileKind.LISTINGS else _layer
    found: list[Found] = []
    with workplace.database.reading() as session:
        known = _Known(session, workplace, things, kind)
        for thing in things:
            refusals, change = list(thing.refusals), None
            if not thing.rows[0].refusals:
                try:
                    change = look(known, thing, seen)
                except Refused as refused:
                    refusals += refused.refusals
            broken = bool(refusals or thing.rows[0].refusals)
            same = change is not None and change["value"][0] == change["value"][1]
            verdict = (
                JobVerdict.REFUSED if broken else JobVerdict.SAME if same else JobVerdict.CHANGES
            )
            found.append(Found(thing, verdict, None if broken or same else change, refusals))
    return found


def _once(seen: dict[Any, int], place: Any, thing: Thing) -> None:
    first = seen.setdefault(place, thing.leader)
    if first != thing.leader:
        raise refuse("twice", f"That field is in row {first} already.", "Leave one out.", "field")


def _listing(known: _Known, thing: Thing, seen: dict[Any, int]) -> dict[str, Any]:
    facts = thing.facts
    channel = known.channel(str(facts["channel"]))
    listing = known.listings.get((channel.id, thing.key))
    if listing is None:
        message = f"“{thing.sku}” is not on {channel.name}."
        raise refuse("not-found", message, "Draft it there first.", "sku")
    book = known.books[channel.id]
    rule = known.field(book, str(facts["field"]))
    value = _meant(book, rule, str(facts.get("value") or ""))
    refusals = check_value(rule, rule.name, value)
    if refusals:
        raise Refused(*refusals)
    _once(seen, (listing.id, rule.name), thing)
    return {
        "value": [listing.own.get(rule.name, ""), value],
        "field": [rule.name, rule.name],
        "listing": [listing.id, listing.id],
    }


def _layer(known: _Known, thing: Thing, seen: dict[Any, int]) -> dict[str, Any]:
    facts = thing.facts
    channel, topic = known.channel(str(facts["channel"])), str(facts["topic"]).strip().casefold()
    line = known.layers.get((channel.key, topic, thing.sku.strip().casefold()))
    if line is None:
        message = f"There is no layer “{thing.sku[:60]}” about {topic[:20]} on {channel.name}."
        raise refuse("not-found", message, "Make it first.", "layer")
    book = known.books[channel.id]
    rule = known.field(book, str(facts["field"]))
    value = _meant(book, rule, str(facts.get("value") or ""))
    refusals = check_layer(book, topic, line.name, {rule.name: value})
    if refusals:
        raise Refused(*refusals)
    _once(seen, (line.id, rule.name), thing)
    return {
        "value": [str(line.values.get(rule.name, "")), value],
        "field": [rule.name, rule.name],
        "layer": [line.id, line.id],
    }


def _meant(book: Rulebook, rule: FieldRule, value: str) -> str:
    """Returns the key of a category; a row may give its key or its name."""
    if rule.kind != "category":
        return value.strip()
    wanted = value.strip().casefold()
    return next(
        (one.key for one in book.categories if one.name.casefold() == wanted), value.strip()
    )


def apply_spoken(
    workplace: Workplace, actor: Actor, kind: str, rows: Sequence[ChangeRow], *, undo: bool = False
) -> dict[int, str]:
    """Carries out rows or undoes them. Returns by position why some were refused; a refused row
    does not stop the others."""
    thing = "listing" if kind == FileKind.LISTINGS else "layer"
    grouped: dict[int, list[ChangeRow]] = defaultdict(list)
    for row in rows:
        grouped[int(row.change[thing][0])].append(row)
    with workplace.database.reading() as session:
        said = _said_now(session, thing, list(grouped))
    wanted: dict[int, dict[str, str]] = {}
    reasons: dict[int, str] = {}
    for subject, together in grouped.items():
        pairs = {row.change["field"][0]: row.change["value"] for row in together}
        try:
            if values := _wanted(thing, subject, said.get(subject), pairs, undo=undo):
                wanted[subject] = values
        except Refused as refused:
            reasons |= dict.fromkeys((row.position for row in together), _why(refused))
    refusals = _say_all(workplace, actor, thing, wanted, said)
    return reasons | {
        row.position: why for subject, why in refusals.items() for row in grouped[subject]
    }


def _wanted(
    thing: str,
    subject: int,
    now: Mapping[str, Any] | None,
    pairs: Mapping[str, Sequence[str]],
    *,
    undo: bool,
) -> dict[str, str]:
    """Returns the values that a listing or layer is to get; there are none when it has them
    already, for example after an interruption."""
    if now is None:
        raise not_found(thing, subject)
    wanted = {name: pair[0 if undo else 1] for name, pair in pairs.items()}
    expected = {name: pair[1 if undo else 0] for name, pair in pairs.items()}
    if all(str(now.get(name, "")) == value for name, value in wanted.items()):
        return {}
    moved = [name for name, value in expected.items() if str(now.get(name, "")) != value]
    if moved:
        raise refuse(
            "moved-on", f"“{moved[0]}” has been changed since.", "Look at it and decide by hand."
        )
    return wanted


def _say_all(
    workplace: Workplace,
    actor: Actor,
    thing: str,
    wanted: Mapping[int, Mapping[str, str]],
    said: Mapping[int, Mapping[str, Any]],
) -> dict[int, str]:
    """Gives listings or layers their values: listings in one transaction, or one by one when one of
    them is refused. Returns by id why some were refused."""
    if thing == "listing" and len(wanted) > 1:
        try:
            set_values(workplace, actor, wanted)
        except Refused:
            pass  # one of them: it is found by saying each alone
        else:
            return {}
    reasons = {}
    for subject, values in wanted.items():
        try:
            if thing == "listing":
                set_values(workplace, actor, {subject: values})
            else:
                change_layer(workplace, actor, subject, {**said[subject], **values})
        except Refused as refused:
            reasons[subject] = _why(refused)
    return reasons


def _why(refused: Refused) -> str:
    return f"{refused.first.message} {refused.first.fix}".strip()


def _said_now(
    session: Session, thing: str, subjects: Sequence[int]
) -> dict[int, Mapping[str, Any]]:
    """Returns the values that listings or layers have of their own now, by id; those that do not
    exist any more are missing."""
    if thing == "listing":
        return {one.id: one.own for one in listings_of(session, listing_ids=subjects)}
    return {line.id: line.values for line in layer_lines(session) if line.id in set(subjects)}


def listing_lines(session: Session, skus: Sequence[str]) -> list[dict[str, Any]]:
    """Returns the fields that listings of products have of their own, one line for each field."""
    keys = {channel.id: channel.key for channel in channels(session)}
    return [
        {"sku": found.sku, "channel": keys[channel_id], "field": name, "value": value}
        for (channel_id, _), found in spoken_listings(session, skus).items()
        for name, value in found.own.items()
    ]


def all_layer_lines(session: Session) -> list[dict[str, Any]]:
    """Returns the values of every layer, one line for each field. Price steps are no text and are
    not included."""
    return [
        {
            "layer": line.name,
            "channel": line.channel_key,
            "topic": line.topic,
            "field": name,
            "value": value,
        }
        for line in layer_lines(session)
        for name, value in line.values.items()
        if name != STEPS
    ]
