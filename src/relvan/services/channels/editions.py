"""Editions of rulebooks: each channel keeps the rulebook by which its listings were worked out.

When the application starts with another edition, the listings are worked out again. When the file
is missing or damaged, the earlier edition stays in use, so that no sale fails because of a missing
file.
"""

from pydantic import ValidationError

from relvan.core.listings.rulebook import Rulebook
from relvan.gateways.channels.registry import Rulebooks
from relvan.services.changes import Concern, changes_of
from relvan.services.workplace import SYSTEM, Workplace
from relvan.store.channels import channel_editions
from relvan.store.tables import Channel


def edition(book: Rulebook) -> str:
    """Returns a rulebook as text, to be kept."""
    return book.model_dump_json()


def take_up_editions(workplace: Workplace) -> list[str]:
    """Compares channels with rulebooks when the application starts. Returns the names of the
    channels whose listings are worked out again, in the background where there are many."""
    with workplace.database.reading() as session:
        known = channel_editions(session)
    found: list[str] = []
    for held in known:
        book = workplace.rulebooks.by_key.get(held.rulebook)
        if book is None:
            workplace.rulebooks = _with_kept(
                workplace.rulebooks, held.rulebook, held.name, held.edition
            )
        elif edition(book) != held.edition:
            _take_up(workplace, held.id, book, again=bool(held.edition))
            found += [held.name] if held.edition else []
    return found


def _with_kept(books: Rulebooks, key: str, name: str, kept: str) -> Rulebooks:
    try:
        book = Rulebook.model_validate_json(kept)
    except ValidationError:
        return books
    trouble = f"Without it {name} goes on by the edition from before."
    return Rulebooks({**books.by_key, key: book}, {**books.troubles, f"{key}.yaml": trouble})


def _take_up(workplace: Workplace, channel_id: int, book: Rulebook, *, again: bool) -> None:
    with workplace.database.writing() as session:
        channel = session.get_one(Channel, channel_id)
        channel.book, channel.currency = edition(book), book.currency
        if again:
            title = f"Work out by the new requirements of {channel.name}"
            changes_of(session).settings_changed(Concern(SYSTEM, title, channel_id=channel_id))
