"""Reads in the listings that a channel shows already. They are linked to products by SKU, then by
GTIN; for the others the likeliest product is proposed. Reading changes nothing on the channel."""

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from relvan.core.catalogue.identity import gtin_key, sku_key
from relvan.core.catalogue.product import ProductKind
from relvan.core.jobs.life import JobState
from relvan.core.listings.likeness import LIKELY, SURE, Goods, compare
from relvan.core.listings.reading import ReadingFilter
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.channels.port import ShownListing
from relvan.services.jobs.life import NewJob, actor_of, end_job, find_job, open_background_job
from relvan.services.listings.placing import link
from relvan.services.patience import wait_to_ask_again
from relvan.services.workplace import Actor, Workplace
from relvan.store import search
from relvan.store.channels import channel_by_key
from relvan.store.findings import (
    ProductHint,
    hints_of,
    known_refs,
    ours_by_ref,
    placed_products,
    products_by_gtin,
    products_by_sku,
)
from relvan.store.session import Session
from relvan.store.tables import Channel, Finding

TRIED_WORDS, TRIED_PRODUCTS = 4, 20
TRIES, MOST_WAIT_S = 9, 20.0
ALL = ReadingFilter()


def read_findings(
    workplace: Workplace, actor: Actor, channel_key: str, wanted: ReadingFilter = ALL
) -> int:
    """Asks the worker to read in a channel's listings; returns the id of the bulk job."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        channel = channel_by_key(session, channel_key)
        spec: dict[str, Any] = {"kind": "findings", "channel": channel.id, "wanted": asdict(wanted)}
        told = wanted.told()
        title = f"Read what is on {channel.name}" + (f", {told}" if told else "")
        return open_background_job(
            session, workplace, actor, NewJob("findings", title, JobState.APPLYING, spec)
        ).id


def read_some_findings(workplace: Workplace, job_id: int, *, stopped: Callable[[], bool]) -> None:
    """Reads in page by page for the worker, going on where it stopped. When the channel does not
    answer, the job ends, and what was read is kept."""
    with workplace.database.reading() as session:
        job = find_job(session, job_id)
        spec = dict(job.spec)
        channel = session.get_one(Channel, spec["channel"])
        actor = actor_of(session, job, "channel")

    def keep(shown: Sequence[ShownListing]) -> None:
        with workplace.database.writing() as session:
            read = _keep_findings(session, workplace, actor, channel, shown, spec)
            job = find_job(session, job_id)
            counts = dict(job.counts)
            for name, number in read.items():
                counts[name] = counts.get(name, 0) + number
            spec["after"] = shown[-1].ref if shown else ""
            job.counts, job.spec, job.done, job.total = (
                counts,
                spec,
                job.done + len(shown),
                job.total + len(shown),
            )

    trouble = read_pages(workplace, channel, spec.get("after", ""), keep, stopped=stopped)
    if trouble is None:
        return
    with workplace.database.writing() as session:
        end_job(session, workplace, job_id, "fail" if trouble else "end", trouble=trouble)


def read_pages(
    workplace: Workplace,
    channel: Channel,
    after: str,
    keep: Callable[[Sequence[ShownListing]], None],
    *,
    stopped: Callable[[], bool],
) -> str | None:
    """Reads what a channel shows after a reference, page by page; `keep` saves each page before the
    next is read. Returns "" at the end, why it cannot go on, or None when it was stopped."""
    gateway, size = workplace.gateway(channel), workplace.rulebook(channel).listings.page
    tries = 0
    while not stopped():
        try:
            shown = gateway.listings_after(after, size)
        except (OutsideTrouble, OutsideRefusal) as failure:
            tries += 1
            if isinstance(failure, OutsideTrouble) and tries < TRIES:
                wait_to_ask_again(workplace, failure, tries, most_s=MOST_WAIT_S, stopped=stopped)
                continue
            return f"{failure}. What was read before is kept; read again to go on."
        keep(shown)
        after, tries = shown[-1].ref if shown else after, 0
        if len(shown) < size:
            return ""
    return None


def keep_unlinked(
    session: Session, workplace: Workplace, channel: Channel, shown: Sequence[ShownListing]
) -> None:
    """Saves a page of what a channel shows and links nothing; what is ours already is skipped."""
    refs = [row.ref for row in shown]
    ours, known = ours_by_ref(session, channel.id, refs), known_refs(session, channel.id, refs)
    for row in shown:
        if row.ref not in ours:
            found = known.get(row.ref) or Finding(channel_id=channel.id, ref=row.ref)
            _fill(found, row, workplace)
            session.add(found)


def _keep_findings(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    channel: Channel,
    shown: Sequence[ShownListing],
    spec: dict[str, Any],
) -> dict[str, int]:
    """Saves a page of what a channel shows and links what is sure; returns how many of each there
    were."""
    wanted = ReadingFilter(**spec.get("wanted", {}))
    refs = [row.ref for row in shown]
    ours, known = ours_by_ref(session, channel.id, refs), known_refs(session, channel.id, refs)
    counts = {"ours already": 0, "left out": 0, "linked": 0, "open": 0}
    fresh: list[Finding] = []
    for row in shown:
        if row.ref in ours:
            counts["ours already"] += 1
        elif not wanted.takes(
            texts=(row.sku, row.title, row.gtin, row.brand), live=row.live, centre=row.centre
        ):
            counts["left out"] += 1
        else:
            found = known.get(row.ref) or Finding(channel_id=channel.id, ref=row.ref)
            _fill(found, row, workplace)
            session.add(found)
            if found.listing_id is None:
                fresh.append(found)
    session.flush()
    matches = _matches(session, fresh)
    for found in sorted(
        fresh, key=lambda one: bool(one.head)
    ):  # heads first: their variants look for them
        match = matches.get(found.id)
        if match is not None:
            found.product_id, found.likeness, found.reasons = (
                match.product.id,
                match.percent,
                list(match.reasons),
            )
        if match is not None and match.by:
            try:
                link(session, workplace, actor, found, match.product, match.by)
                counts["linked"] += 1
                continue
            except Refused as refused:
                found.reasons = [*found.reasons, refused.first.message]
        counts["open"] += 1
    return counts


def _fill(found: Finding, row: ShownListing, workplace: Workplace) -> None:
    found.head, found.sku, found.gtin = row.head, row.sku[:64], row.gtin[:14]
    found.title, found.brand = row.title[:300], row.brand[:120]
    found.price, found.quantity, found.live, found.centre = (
        row.price,
        row.quantity,
        row.live,
        row.centre,
    )
    found.page, found.traits, found.said = row.page, dict(row.traits), dict(row.fields)
    found.pictures, found.read_at = list(row.pictures), workplace.now()
    found.text, found.weight_g = row.text, row.weight_g
    found.placed_at, found.changed_at = row.placed_at, row.changed_at


@dataclass(frozen=True)
class _Match:
    product: ProductHint
    percent: int
    reasons: tuple[str, ...]
    by: str = ""


def _matches(session: Session, found: Sequence[Finding]) -> dict[int, _Match]:
    """Returns the likeliest product of each unlinked listing: by equal SKU, then by GTIN, else by
    likeness, which is only a suggestion."""
    by_sku = products_by_sku(session, {sku_key(one.sku) for one in found if one.sku})
    by_gtin = products_by_gtin(session, {gtin_key(one.gtin) for one in found if one.gtin})
    matches: dict[int, _Match] = {}
    for one in found:
        same = by_sku.get(sku_key(one.sku)) if one.sku else None
        coded = by_gtin.get(gtin_key(one.gtin), []) if one.gtin else []
        if same is not None:
            matches[one.id] = _Match(same, 100, ("same SKU",), "SKU")
        elif len(coded) == 1:
            matches[one.id] = _Match(coded[0], 98, ("same GTIN",), "GTIN")
        elif coded:
            names = ", ".join(product.sku for product in coded[:3])
            matches[one.id] = _Match(
                coded[0], 80, ("same GTIN", f"several products have it: {names}")
            )
        else:
            like = _suggestion(session, one)
            if like is not None:
                matches[one.id] = like
    return matches


def _suggestion(session: Session, found: Finding) -> _Match | None:
    """Returns the product whose words are most like those of an unlinked listing, if any are alike."""
    words = sorted(
        {word for word in found.title.replace(",", " ").split() if len(word) > 2},
        key=len,
        reverse=True,
    )
    ids: dict[int, None] = {}
    for word in words[:TRIED_WORDS]:
        ids |= dict.fromkeys(search.first_matches(session, word, TRIED_PRODUCTS))
    theirs = Goods(found.title, found.brand, found.gtin)
    best: _Match | None = None
    is_head = bool(found.traits) and not found.head
    taken = placed_products(session, found.channel_id, ids)  # one listing of a product is enough
    for product in hints_of(session, list(ids)):
        if is_head != (product.kind == ProductKind.FAMILY) or product.id in taken:
            continue
        like = compare(Goods(product.title, product.brand, product.gtin), theirs)
        if like.percent >= LIKELY // 2 and (best is None or like.percent > best.percent):
            best = _Match(product, min(like.percent, SURE - 1), like.reasons)
    return best
