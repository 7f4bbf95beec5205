"""Files that publish, take down or put back listings. Each row names a listing by SKU and channel."""

from collections import defaultdict
from collections.abc import Mapping, Sequence

from relvan.core.imports.things import Found, Thing
from relvan.core.jobs.life import JobVerdict
from relvan.core.listings.deeds import ListingDeed, read_listing_deed
from relvan.core.refusal import Refusal, Refused, refuse
from relvan.services.listings.publish import do_listings, plan_deed
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channels
from relvan.store.job_rows import ChangeRow, refused_by_listing
from relvan.store.listings import SpokenListing, head_ids, spoken_listings
from relvan.store.session import Session


def rehearse_deeds(workplace: Workplace, _kind: str, things: Sequence[Thing]) -> list[Found]:
    """Returns (thing, verdict, change, refusals) of each row. When the head of a family is refused,
    its members in the file are refused with it; a head stands for its whole family."""
    with workplace.database.reading() as session:
        keys = {
            name.casefold(): one.id for one in channels(session) for name in (one.key, one.name)
        }
        listings = spoken_listings(session, [thing.sku for thing in things])
        named: dict[int, tuple[ListingDeed, int]] = {}
        rows = [_read(keys, listings, thing, named) for thing in things]
        told = _foreseen(session, {listing_id: deed for listing_id, (deed, _) in named.items()})
    return [_judge(thing, row, told) for thing, row in zip(things, rows, strict=True)]


def _read(
    keys: Mapping[str, int],
    listings: Mapping[tuple[int, str], SpokenListing],
    thing: Thing,
    named: dict[int, tuple[ListingDeed, int]],
) -> tuple[int, ListingDeed] | Refused | None:
    """Returns the listing and the action that a row names; None when its cells cannot be read."""
    if thing.rows[0].refusals:
        return None
    try:
        channel = str(thing.facts["channel"]).strip()
        if channel.casefold() not in keys:
            raise refuse(
                "unknown-channel",
                f"There is no channel “{channel[:40]}”.",
                "Correct the cell.",
                "channel",
            )
        listing = listings.get((keys[channel.casefold()], thing.key))
        if listing is None:
            raise refuse(
                "not-found",
                f"“{thing.sku}” is not listed on {channel}.",
                "Draft it there first.",
                "sku",
            )
        deed = read_listing_deed(str(thing.facts["deed"]))
        _, first = named.setdefault(listing.id, (deed, thing.leader))
        if first != thing.leader:
            raise refuse(
                "twice", f"That listing is in row {first} already.", "Leave one of them out.", "sku"
            )
    except Refused as refused:
        return refused
    return listing.id, deed


def _foreseen(session: Session, deeds: Mapping[int, ListingDeed]) -> dict[int, tuple[str, str]]:
    """Returns, for each listing, why it is refused and what would be done."""
    found: dict[int, tuple[str, str]] = {}
    for deed, ids in _by_deed(deeds).items():
        plan = plan_deed(session, deed, _whole_families(session, ids))
        for listing_id in ids:
            step = plan.steps[listing_id]
            found[listing_id] = (
                step.refused,
                step.answer.would if step.answer.topics or step.waits else "",
            )
    return found


def _by_deed(deeds: Mapping[int, ListingDeed]) -> dict[ListingDeed, list[int]]:
    grouped: dict[ListingDeed, list[int]] = defaultdict(list)
    for listing_id, deed in deeds.items():
        grouped[deed].append(listing_id)
    return grouped


def _whole_families(session: Session, ids: Sequence[int]) -> list[int]:
    """Puts heads before all others, so that a family is treated as one whatever the order of its
    rows."""
    heads = head_ids(session, ids)
    return [*(one for one in ids if one in heads), *(one for one in ids if one not in heads)]


def _judge(
    thing: Thing, row: tuple[int, ListingDeed] | Refused | None, told: Mapping[int, tuple[str, str]]
) -> Found:
    if row is None:
        return Found(thing, JobVerdict.REFUSED, None, list(thing.refusals))
    if isinstance(row, Refused):
        return Found(thing, JobVerdict.REFUSED, None, [*thing.refusals, *row.refusals])
    listing_id, deed = row
    refused, would = told[listing_id]
    if refused:
        return Found(thing, JobVerdict.REFUSED, None, [Refusal("refused", refused)])
    if not would:
        return Found(thing, JobVerdict.SAME, None, [])
    change = {"deed": [None, str(deed)], "listing": [listing_id, listing_id]}
    return Found(thing, JobVerdict.CHANGES, change, [])


def apply_deeds(
    workplace: Workplace, actor: Actor, rows: Sequence[ChangeRow]
) -> dict[int, tuple[bool, str]]:
    """Carries out rows. Returns, by position, which bulk job tells how it ends, or why the row was
    not begun."""
    position_of = {int(row.change["listing"][1]): row.position for row in rows}
    deeds = {int(row.change["listing"][1]): ListingDeed(row.change["deed"][1]) for row in rows}
    results: dict[int, tuple[bool, str]] = {}
    for deed, ids in _by_deed(deeds).items():
        try:
            job = do_listings(workplace, actor, deed, ids)
        except Refused as refused:
            reason = f"{refused.first.message} {refused.first.fix}".strip()
            results |= {position_of[listing_id]: (False, reason) for listing_id in ids}
            continue
        with workplace.database.reading() as session:
            reasons = refused_by_listing(session, job)
        for listing_id in ids:
            reason = reasons.get(listing_id, "")
            results[position_of[listing_id]] = (
                not reason,
                reason or f"It goes out with bulk job {job}.",
            )
    return results
