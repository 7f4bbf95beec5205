"""Chooses the channel's category for many listings at once. Categories are suggested from past
choices, names and titles."""

from dataclasses import dataclass, replace

from relvan.core.listings.rulebook import ChannelCategory
from relvan.core.listings.suggesting import Suggested, suggest_categories
from relvan.core.listings.tree import Branch, asks_for, search_categories, unfold
from relvan.services.workplace import Workplace
from relvan.store.channels import channel_by_key
from relvan.store.listing_list import ListingFilter, listings_without_category
from relvan.store.listings import category_and_title, chosen_categories
from relvan.store.session import Session


@dataclass(frozen=True)
class FoundCategories:
    """Categories to choose from: the whole tree, or those that were found by words; those that fit
    a listing; and by key the labels of the fields that a category needs in addition to those that
    all need."""

    branches: list[Branch] | None
    found: tuple[ChannelCategory, ...]
    suggested: tuple[Suggested, ...]
    asks: dict[str, list[str]]


@dataclass(frozen=True)
class CategoryGroup:
    """Listings without a category whose products are in one category of ours: which category, a few
    SKUs, and what fits."""

    ours: str
    listing_ids: tuple[int, ...]
    skus: tuple[str, ...]
    suggested: tuple[Suggested, ...]


def groups_without_category(
    session: Session, workplace: Workplace, channel_key: str, wanted: ListingFilter
) -> list[CategoryGroup]:
    """Returns the listings that a filter finds on a channel and that have no category there, by the
    category of ours; the largest group comes first."""
    channel = channel_by_key(session, channel_key)
    book = workplace.rulebook(channel)
    past = chosen_categories(session, channel.id)
    lacking = replace(wanted, channel=channel_key, gap=book.category_field, gap_kind="no category")
    grouped: dict[str, list[tuple[int, str, str]]] = {}
    for listing_id, sku, title, ours in listings_without_category(session, lacking):
        grouped.setdefault(ours, []).append((listing_id, sku, title))
    found = [
        CategoryGroup(
            ours,
            tuple(row[0] for row in rows),
            tuple(row[1] for row in rows[:4]),
            suggest_categories(book, ours, [row[2] for row in rows[:20]], past.get(ours, {})),
        )
        for ours, rows in grouped.items()
    ]
    return sorted(found, key=lambda group: (-len(group.listing_ids), group.ours))


def find_categories(
    session: Session,
    workplace: Workplace,
    channel_key: str,
    words: str = "",
    listing_id: int | None = None,
) -> FoundCategories:
    """Returns the categories of a channel to choose from, with suggestions for a listing if one is
    named."""
    channel = channel_by_key(session, channel_key)
    book = workplace.rulebook(channel)
    asks = {category.key: asks_for(book, category.key) for category in book.categories}
    if words.strip():
        return FoundCategories(None, tuple(search_categories(book.categories, words)), (), asks)
    suggested: tuple[Suggested, ...] = ()
    if listing_id is not None:
        ours, title = category_and_title(session, listing_id)
        past = chosen_categories(session, channel.id, ours).get(ours, {})
        suggested = suggest_categories(book, ours, [title], past)
    return FoundCategories(unfold(book.categories), (), suggested, asks)
