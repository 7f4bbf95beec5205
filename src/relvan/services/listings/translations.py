"""Translation tables from our words to the channel's. One entry closes the gap of every listing
that lacks it."""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.listings.rulebook import FieldRule, Rulebook
from relvan.core.listings.translating import Translation, TranslationKind, suggest
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, refuse_if_any
from relvan.services import audit
from relvan.services.changes import Concern
from relvan.services.listings.later import refresh_soon
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_by_key
from relvan.store.layer_rows import find_translation, forget_other_translations
from relvan.store.layers import used_translations
from relvan.store.listings import untranslated_values
from relvan.store.session import Session
from relvan.store.tables import TranslationRow

MOST = 200


def set_translations(
    workplace: Workplace, actor: Actor, channel_key: str, entries: Sequence[Translation]
) -> None:
    """Writes entries into a channel's table; an empty one deletes the old entry. All of them or
    none; every listing there is worked out again."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        channel = channel_by_key(session, channel_key)
        book = workplace.rulebook(channel)
        refuse_if_any(refusal for entry in entries for refusal in check_translation(book, entry))
        changes = {}
        for entry in entries:
            before = _put(session, workplace, channel.id, entry)
            if before != entry.theirs:
                changes[f"{entry.kind} {entry.field} {entry.ours}".replace("  ", " ")] = (
                    before,
                    entry.theirs,
                )
        if not changes:
            return
        session.flush()
        audit.record(
            session,
            actor,
            workplace.now(),
            audit.Subject("channel", channel.id),
            "translated",
            changes,
        )
        title = f"Work out {channel.name} after translating"
        refresh_soon(session, workplace, Concern(actor, title, channel_id=channel.id))


def check_translation(book: Rulebook, entry: Translation) -> list[Refusal]:
    """Checks that an entry is about something that the channel has, and uses a word that it knows."""
    found = []
    keys = {category.key for category in book.categories}
    if entry.category and entry.category not in keys:
        found.append(
            Refusal(
                "unknown", f"“{entry.category}” is no category there.", "Choose one.", "category"
            )
        )
    if not entry.ours.strip() or max(len(entry.ours), len(entry.theirs)) > MOST:
        found.append(
            Refusal("form", f"“Ours” must have 1 to {MOST} characters, theirs at most.", "", "ours")
        )
    rule = book.field(entry.field)
    if entry.kind == TranslationKind.ATTRIBUTE and rule is None:
        found.append(
            Refusal("unknown", f"{book.name} has no field “{entry.field[:40]}”.", "", "field")
        )
    known = book.traits.names_for(entry.category)
    if entry.kind == TranslationKind.TRAIT and known and entry.theirs and entry.theirs not in known:
        told = ", ".join(known)
        found.append(
            Refusal(
                "unknown", f"{book.name} knows the traits {told} only.", "Choose one.", "theirs"
            )
        )
    if entry.kind == TranslationKind.VALUE and rule is not None and entry.theirs:
        allowed = _allowed(book, rule)
        if allowed and entry.theirs not in allowed:
            message = f"“{rule.label}” must be one of {', '.join(allowed[:12])}."
            found.append(Refusal("not-allowed", message, "Choose one.", "theirs"))
    return found


def _allowed(book: Rulebook, rule: FieldRule) -> tuple[str, ...]:
    if rule.kind == "category":
        return tuple(category.key for category in book.categories)
    return rule.choices


def _put(session: Session, workplace: Workplace, channel_id: int, entry: Translation) -> str:
    """Writes one entry; returns what it was before."""
    ours = entry.ours.strip()
    row = find_translation(session, channel_id, entry)
    before = row.theirs if row else ""
    theirs = entry.theirs.strip()
    if entry.kind == TranslationKind.ATTRIBUTE:  # of a field one attribute of ours is the source
        forget_other_translations(session, channel_id, entry)
        theirs = entry.field if theirs else ""
    if not theirs:
        if row is not None:
            session.delete(row)
    elif row is not None:
        row.theirs, row.changed_at = theirs, workplace.now()
    else:
        session.add(
            TranslationRow(
                channel_id=channel_id,
                category=entry.category,
                kind=entry.kind.value,
                field=entry.field,
                ours=ours,
                ours_key=ours.casefold(),
                theirs=theirs,
                changed_at=workplace.now(),
            )
        )
        session.flush()
    return before


@dataclass(frozen=True)
class Untranslated:
    """One word that listings of a channel lack: where it belongs, our word, how many listings lack
    it, which words the channel allows, and a proposal."""

    kind: TranslationKind
    field: str
    label: str
    ours: str
    count: int
    choices: tuple[tuple[str, str], ...]
    proposal: str
    because: str


def untranslated(session: Session, workplace: Workplace, channel_key: str) -> list[Untranslated]:
    """Returns what listings of a channel lack in its table, the most frequent first, each with a
    proposal where there is one."""
    channel = channel_by_key(session, channel_key)
    book = workplace.rulebook(channel)
    used = used_translations(session)
    found = []
    for name, ours, count in untranslated_values(session, channel.key):
        kind = TranslationKind.TRAIT if name == "trait" else TranslationKind.VALUE
        rule = book.field(name)
        allowed = _allowed(book, rule) if rule else ()
        if kind == TranslationKind.TRAIT:
            allowed = book.traits.names
        proposal, because = suggest(ours, allowed, used)
        choices = tuple(
            (one, book.category_name(one) if rule and rule.kind == "category" else one)
            for one in allowed
        )
        label = "Trait" if kind == TranslationKind.TRAIT else rule.label if rule else name
        field = "" if kind == TranslationKind.TRAIT else name
        found.append(Untranslated(kind, field, label, ours, count, choices, proposal, because))
    return found
