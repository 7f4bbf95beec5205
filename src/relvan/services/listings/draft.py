"""Drafts listings of products on channels, and changes the values that a listing has of its own."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.product import ProductKind
from relvan.core.jobs.life import JobVerdict
from relvan.core.listings.rulebook import FieldRule
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, not_found, refuse, refuse_if_any
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.changes import Concern
from relvan.services.jobs.rows import open_job
from relvan.services.listings.later import refresh_soon
from relvan.services.listings.refresh import refresh_listings
from relvan.services.verdicts import Verdict, refused_verdict
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import named_products, variants_of
from relvan.store.channels import channel_by_key, channels
from relvan.store.database import after_commit
from relvan.store.job_rows import NewRow
from relvan.store.listings import listed_on, listings_of
from relvan.store.session import Session
from relvan.store.tables import Channel, Listing

MOST_VALUE = 20_000
CHUNK = 300


@dataclass(frozen=True)
class Drafted:
    """The drafts that were created, by id, and a verdict for every SKU."""

    listing_ids: tuple[int, ...]
    verdicts: tuple[Verdict, ...]


def draft_listings(
    workplace: Workplace, actor: Actor, channel_key: str, skus: Sequence[str]
) -> Drafted:
    """Drafts a listing of each product on a channel. A listing that exists already is left as it
    is, and the verdict says so.

    A family is drafted as one page with all its variants where the channel shows families, else as
    its variants. An alias gets a listing of its own, beside that of its product. Many listings are
    drafted in several transactions.
    """
    actor.must(Right.LISTINGS)
    ids: list[int] = []
    verdicts: list[Verdict] = []
    for start in range(0, max(1, len(skus)), CHUNK):
        drafted = _draft_some(workplace, actor, channel_key, skus[start : start + CHUNK])
        ids += drafted.listing_ids
        verdicts += drafted.verdicts
    return Drafted(tuple(ids), tuple(verdicts))


def _draft_some(
    workplace: Workplace, actor: Actor, channel_key: str, skus: Sequence[str]
) -> Drafted:
    made: list[Listing] = []
    verdicts = []
    with workplace.database.writing() as session:
        channel = channel_by_key(session, channel_key)
        families = workplace.rulebook(channel).takes_families
        wanted = _with_variants(session, skus, families=families)
        there = _there(session, channel, wanted)
        heads = {
            product_id: listing_id for (product_id, alias), listing_id in there.items() if not alias
        }
        for one in wanted:
            if refusal := _why_not(channel, one, there):
                verdicts.append(refused_verdict(one.sku, refusal))
                continue
            head_id = heads.get(one.family_id or 0) if families and not one.alias else None
            listing = _new_listing(channel.id, one, head_id, workplace.now())
            session.add(listing)
            there[one.product_id or 0, one.alias] = 0
            if one.is_family:  # its variants want to know it
                session.flush()
                heads[one.product_id or 0] = listing.id
            made.append(listing)
            verdicts.append(Verdict(one.sku, True))
        session.flush()
        ids = tuple(listing.id for listing in made)
        audit.record_many(
            session, actor, workplace.now(), "listing", [(i, "drafted", {}) for i in ids]
        )
        if ids:
            refresh_listings(session, workplace, listing_ids=_with_heads(made))
            after_commit(session, lambda: workplace.wake(Work.PAGES, channel.id))
    return Drafted(ids, tuple(verdicts))


def _there(
    session: Session, channel: Channel, wanted: Sequence["_Wanted"]
) -> dict[tuple[int, str], int]:
    return listed_on(
        session, channel.id, [(one.product_id, one.alias) for one in wanted if one.product_id]
    )


def _why_not(
    channel: Channel, one: "_Wanted", there: Mapping[tuple[int, str], int]
) -> Refused | None:
    """Returns why a listing cannot be drafted, if that is so."""
    if one.product_id is None:
        return not_found("product", one.sku)
    if one.archived:
        return refuse("archived", f"“{one.sku}” is in the archive.", "Restore it first.")
    if (one.product_id, one.alias) in there:
        return refuse(
            "exists", f"“{one.sku}” is on {channel.name} already.", "Open its listing instead."
        )
    return None


@dataclass(frozen=True)
class ForeseenDrafts:
    """What drafting would do on one channel: how many listings would be new, how many exist
    already, how many would be refused. A family counts with its page, where the channel has such
    pages, and with each of its variants."""

    channel_key: str
    channel: str
    new: int
    there: int
    refused: int


def foresee_drafts(workplace: Workplace, skus: Sequence[str]) -> list[ForeseenDrafts]:
    """Returns what drafting these products would do on each channel, by the same steps as drafting
    them."""
    found = []
    with workplace.database.reading() as session:
        wanted = {
            families: _with_variants(session, skus, families=families) for families in (False, True)
        }
        for channel in channels(session):
            asked = wanted[workplace.rulebook(channel).takes_families]
            there = _there(session, channel, asked)
            reasons = [
                refusal.first.code for one in asked if (refusal := _why_not(channel, one, there))
            ]
            exist = reasons.count("exists")
            found.append(
                ForeseenDrafts(
                    channel.key,
                    channel.name,
                    len(asked) - len(reasons),
                    exist,
                    len(reasons) - exist,
                )
            )
    return found


@dataclass(frozen=True)
class DraftJob:
    """The result of drafting on several channels: how many drafts there are, why some were not
    created, and the bulk job that says so for each."""

    made: int
    refused: tuple[str, ...]
    job_id: int


def draft_on_channels(
    workplace: Workplace, actor: Actor, channel_keys: Sequence[str], skus: Sequence[str]
) -> DraftJob:
    """Drafts products on several channels at once. A bulk job keeps what was created, what was not,
    and why."""
    rows: list[NewRow] = []
    refused: list[str] = []
    made = 0
    for key in channel_keys:
        drafted = draft_listings(workplace, actor, key, skus)
        ids = iter(drafted.listing_ids)
        for verdict in drafted.verdicts:
            name = f"{verdict.subject} on {key}"
            row = NewRow(len(rows) + 1, name)
            if verdict.ok:
                rows.append(row._replace(verdict=JobVerdict.DONE, listing_id=next(ids)))
            else:
                rows.append(row._replace(verdict=JobVerdict.REFUSED, reason=verdict.message))
                refused.append(verdict.message)
        made += len(drafted.listing_ids)
    with workplace.database.writing() as session:
        names = [channel_by_key(session, key).name for key in channel_keys]
        title = f"Draft {len(skus):,} {'product' if len(skus) == 1 else 'products'} on {', '.join(names)}"
        job, _ = open_job(session, workplace, actor, "draft", title[:200], rows)
        return DraftJob(made, tuple(refused), job.id)


def _with_heads(made: Sequence[Listing]) -> set[int]:
    return {listing.id for listing in made} | {
        listing.head_id for listing in made if listing.head_id is not None
    }


@dataclass(frozen=True)
class _Wanted:
    """One listing that is to be drafted: of which product (None when nobody knows it), and under
    which alias."""

    sku: str
    product_id: int | None = None
    alias: str = ""
    archived: bool = False
    is_family: bool = False
    family_id: int | None = None


def _new_listing(channel_id: int, wanted: _Wanted, head_id: int | None, now: datetime) -> Listing:
    assert wanted.product_id is not None
    return Listing(
        channel_id=channel_id,
        product_id=wanted.product_id,
        alias=wanted.alias,
        head_id=head_id,
        is_head=wanted.is_family,
        own={},
        refusal=[],
        gaps=[],
        created_at=now,
        changed_at=now,
    )


def _with_variants(session: Session, skus: Sequence[str], *, families: bool) -> list[_Wanted]:
    """Returns what is to be listed: each SKU, and for families the page with all its variants, or
    the variants alone."""
    known = named_products(session, skus)
    heads = [found.id for found in known.values() if found.kind == ProductKind.FAMILY]
    below = variants_of(session, heads)
    wanted: dict[tuple[int | None, str], _Wanted] = {}

    def want(one: _Wanted) -> None:
        wanted.setdefault((one.product_id, one.alias if one.product_id else one.sku), one)

    for sku in skus:
        found = known.get(sku_key(sku))
        if found is None:
            want(_Wanted(sku))
            continue
        is_family = found.kind == ProductKind.FAMILY
        if families or not is_family:
            family_id = found.family_id if families else None
            want(_Wanted(found.sku, found.id, found.alias, found.archived, is_family, family_id))
        for variant in below.get(found.id, ()) if is_family else ():
            if not variant.archived:
                want(_Wanted(variant.sku, variant.id, family_id=found.id))
    return list(wanted.values())


def change_listings(
    workplace: Workplace, actor: Actor, listing_ids: Sequence[int], values: Mapping[str, str]
) -> None:
    """Gives listings values of their own; an empty value is taken from the product again. All of
    them or none."""
    set_values(workplace, actor, dict.fromkeys(listing_ids, values))


def set_values(workplace: Workplace, actor: Actor, wanted: Mapping[int, Mapping[str, str]]) -> None:
    """Gives each listing its own values; an empty value is taken from the product again. All of
    them or none."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        found = {listing.id: listing for listing in listings_of(session, listing_ids=list(wanted))}
        missing = [listing_id for listing_id in wanted if listing_id not in found]
        if missing:
            raise not_found("listing", missing[0])
        books = {c.id: workplace.rulebook(c) for c in channels(session)}
        refuse_if_any(
            refusal
            for listing_id, values in wanted.items()
            for name, value in values.items()
            for refusal in check_value(books[found[listing_id].channel_id].field(name), name, value)
        )
        entries = []
        for listing_id, values in wanted.items():
            listing = found[listing_id]
            kept = {name: value for name, value in {**listing.own, **values}.items() if value}
            if kept != listing.own:
                changes = {
                    name: (listing.own.get(name, ""), value)
                    for name, value in values.items()
                    if listing.own.get(name, "") != value
                }
                listing.own, listing.changed_at = kept, workplace.now()
                entries.append((listing_id, "changed", changes))
        audit.record_many(session, actor, workplace.now(), "listing", entries)
        refresh_soon(
            session, workplace, Concern(actor, "Work out after a change", listing_ids=tuple(wanted))
        )


def require_members(
    workplace: Workplace, actor: Actor, listing_ids: Sequence[int], *, must: bool
) -> None:
    """Says whether members of families' pages must be there for the family to go live."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        for listing in listings_of(session, listing_ids=listing_ids):
            if listing.head_id is not None and listing.must != must:
                listing.must = must
                audit.record(
                    session,
                    actor,
                    workplace.now(),
                    audit.Subject("listing", listing.id),
                    "must be there",
                    {"must be there": (not must, must)},
                )


def check_value(rule: FieldRule | None, name: str, value: str) -> list[Refusal]:
    """Checks that a value is for a field of the channel and not far too long. Whatever else the
    channel requires is a gap."""
    if rule is None:
        return [
            Refusal(
                "unknown",
                f"The channel has no field “{name[:40]}”.",
                "Look at its requirements.",
                name,
            )
        ]
    if len(value) > MOST_VALUE:
        message = (
            f"“{rule.label}” must have at most {MOST_VALUE:,} characters; it has {len(value):,}."
        )
        return [Refusal("too-long", message, "Shorten it.", name)]
    if any(ord(character) < 32 and character not in "\n\r\t" for character in value):
        return [
            Refusal(
                "form", f"“{rule.label}” must be plain text.", "Remove control characters.", name
            )
        ]
    return []
