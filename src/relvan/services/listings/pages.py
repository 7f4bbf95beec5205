"""Pages of a channel's own catalogue. They are looked for by GTIN, then by words, compared with our
products, and chosen."""

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any, cast

from relvan.core.catalogue.identity import check_gtin, gtin_key
from relvan.core.listings.likeness import Goods, Likeness, compare
from relvan.core.listings.rulebook import NEW_PAGE, PageRule
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.channels.port import CatalogueGateway, CataloguePage
from relvan.gateways.fetching import fetch_picture
from relvan.services.listings.draft import set_values
from relvan.services.workplace import Actor, Workplace
from relvan.store.pages import Seeker, forget_page_searches, seekers
from relvan.store.session import Session
from relvan.store.tables import Channel, PageSearch

MOST_CANDIDATES = 6
WITH_PICTURE = 3
MOST_PICTURE_BYTES = 4_000_000


@dataclass(frozen=True)
class Candidate:
    """A page that may be the right one, with its likeness to our product (0 to 100) and the
    reasons."""

    page: str
    gtin: str
    title: str
    brand: str
    size: str
    picture: str
    category: str
    offers: int
    lowest: int | None
    percent: int
    reasons: tuple[str, ...]
    sure: bool = False


def look_for_pages(workplace: Workplace, channel_id: int, *, most: int = 40) -> int:
    """Looks for pages for listings that need one and were not looked for yet; returns how many
    there were. One call takes several GTINs; words are used for those that GTINs do not find."""
    with workplace.database.reading() as session:
        channel = session.get_one(Channel, channel_id)
        rule = workplace.rulebook(channel).pages
        if (
            rule is None
            or channel.paused
            or (channel.probe_at is not None and channel.probe_at > workplace.now())
        ):
            return 0
        wanted = seekers(session, channel_id, limit=most)
    found: dict[int, list[Candidate]] = {}
    gateway = cast(CatalogueGateway, workplace.gateway(channel))
    try:
        for start in range(0, len(wanted), rule.gtins_at_once):
            found |= _look(gateway, rule, wanted[start : start + rule.gtins_at_once])
    except (OutsideTrouble, OutsideRefusal):
        pass  # the next round goes on with those that are left
    for listing_id, candidates in found.items():
        found[listing_id] = [
            *_with_pictures(workplace, candidates[:WITH_PICTURE]),
            *candidates[WITH_PICTURE:],
        ]
    _keep_candidates(workplace, found)
    return len(found)


def search_pages(
    workplace: Workplace, actor: Actor, listing_id: int, words: str
) -> list[Candidate]:
    """Looks for pages of one listing by words that a person typed; what is found is kept beside the
    listing."""
    actor.must(Right.LISTINGS)
    with workplace.database.reading() as session:
        found = seekers(session, None, listing_ids=[listing_id])
        if not found:
            raise refuse(
                "not-found", "This listing needs no page.", "It has one, or its channel has none."
            )
        channel = session.get_one(Channel, found[0].channel_id)
        rule = workplace.rulebook(channel).pages
    if rule is None:
        raise refuse("not-found", f"{channel.name} has no catalogue of its own.", "")
    gateway = cast(CatalogueGateway, workplace.gateway(channel))
    try:
        pages = gateway.pages_by_words(words.strip()[:200], rule.found_at_once)
    except (OutsideTrouble, OutsideRefusal) as failure:
        raise refuse("unreachable", f"{failure}.", "Try again in a moment.", "words") from failure
    candidates = _ranked(found[0], pages)
    candidates = [*_with_pictures(workplace, candidates[:WITH_PICTURE]), *candidates[WITH_PICTURE:]]
    _keep_candidates(workplace, {listing_id: candidates}, words=words.strip()[:200])
    return candidates


def look_again(workplace: Workplace, actor: Actor, listing_ids: Sequence[int]) -> None:
    """Drops what was found for listings, so that it is looked for again."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        forget_page_searches(session, listing_ids)


def choose_pages(
    workplace: Workplace, actor: Actor, chosen: Mapping[int, str], *, reason: str = ""
) -> None:
    """Chooses a page for each listing, or `new` to ask the channel for one; `reason` says why there
    is no GTIN, where that is so."""
    actor.must(Right.LISTINGS)
    with workplace.database.reading() as session:
        known = {one.listing_id: one for one in seekers(session, None, listing_ids=list(chosen))}
        books = {
            one.channel_id: workplace.rulebook(session.get_one(Channel, one.channel_id))
            for one in known.values()
        }
    values: dict[int, dict[str, str]] = {}
    for listing_id, page in chosen.items():
        if listing_id not in known or not page.strip() or len(page) > 80:
            raise refuse(
                "page",
                "A listing or its page cannot be found.",
                "Look at the list again.",
                "page",
            )
        book = books[known[listing_id].channel_id]
        values[listing_id] = {book.page_field: page.strip()}
        why = next((rule.name for rule in book.fields if rule.without and rule.for_new_page), "")
        if reason and page == NEW_PAGE and why and not known[listing_id].gtin:
            values[listing_id][why] = reason
    set_values(workplace, actor, values)


def _look(
    gateway: CatalogueGateway, rule: PageRule, wanted: Sequence[Seeker]
) -> dict[int, list[Candidate]]:
    codes = {
        gtin_key(one.gtin): one.gtin for one in wanted if one.gtin and not check_gtin(one.gtin)
    }
    by_code: dict[str, list[CataloguePage]] = {}
    if codes:
        for page in gateway.pages_by_gtin(list(codes.values())):
            by_code.setdefault(gtin_key(page.gtin), []).append(page)
    found = {}
    for one in wanted:
        pages = by_code.get(gtin_key(one.gtin), []) if one.gtin else []
        if not pages:
            pages = gateway.pages_by_words(f"{one.brand} {one.title}".strip(), rule.found_at_once)
        found[one.listing_id] = _ranked(one, pages)
    return found


def _ranked(ours: Seeker, pages: Sequence[CataloguePage]) -> list[Candidate]:
    """Returns candidates, the likeliest first. One is sure when it is the only sure one."""
    goods = Goods(ours.title, ours.brand, ours.gtin)
    likely: list[tuple[CataloguePage, Likeness]] = [
        (page, compare(goods, Goods(page.title, page.brand, page.gtin))) for page in pages
    ]
    likely.sort(key=lambda pair: -pair[1].percent)
    sure = sum(like.sure for _, like in likely) == 1
    twins = sum("same GTIN" in like.reasons for _, like in likely) > 1
    return [
        Candidate(
            page.page,
            page.gtin,
            page.title,
            page.brand,
            page.size,
            page.picture,
            page.category,
            page.offers,
            page.lowest,
            like.percent,
            (*like.reasons, *(("another page has this GTIN too",) if twins else ())),
            sure=like.sure and sure and not twins,
        )
        for page, like in likely[:MOST_CANDIDATES]
    ]


def _with_pictures(workplace: Workplace, candidates: Sequence[Candidate]) -> list[Candidate]:
    """Returns candidates whose pictures are kept with us, so that our pages load nothing from other
    addresses."""
    return [
        Candidate(**{**asdict(one), "picture": _kept(workplace, one.picture)}) for one in candidates
    ]


def _kept(workplace: Workplace, address: str) -> str:
    if not address:
        return ""
    allowed = workplace.settings.private_addresses
    try:
        content = fetch_picture(address, private_allowed=allowed, most_bytes=MOST_PICTURE_BYTES)
    except (Refused, OutsideTrouble):
        return ""
    kind = next((name for start, name in PICTURES.items() if content.startswith(start)), "")
    if not kind:
        return ""
    name = f"{hashlib.sha256(content).hexdigest()}.{kind}"
    workplace.files.keep(f"candidates/{name}", content)
    return name


PICTURES = {b"\x89PNG": "png", b"\xff\xd8\xff": "jpg", b"RIFF": "webp"}


def _keep_candidates(
    workplace: Workplace, found: Mapping[int, Sequence[Candidate]], *, words: str = ""
) -> None:
    if not found:
        return
    with workplace.database.writing() as session:
        forget_page_searches(session, found)
        session.add_all(
            _row(session, workplace, listing_id, told, words) for listing_id, told in found.items()
        )


def _row(
    session: Session,
    workplace: Workplace,
    listing_id: int,
    candidates: Sequence[Candidate],
    words: str,
) -> PageSearch:
    told: list[Any] = [{**asdict(one), "reasons": list(one.reasons)} for one in candidates]
    return PageSearch(
        listing_id=listing_id, words=words, candidates=told, looked_at=workplace.now()
    )
