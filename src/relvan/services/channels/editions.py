"""Editions of rulebooks: each channel keeps the one by which its listings were worked out.

When the application starts with another, they are worked out again. When there is none any more, because its file is
gone or broken, the edition from before goes on: a sale must not fail for a missing file.
"""

from pydantic import ValidationError
from sqlalchemy import select

from relvan.core.listings.rulebook import Rulebook
from relvan.gateways.channels.registry import Rulebooks
from relvan.services.listings.later import refresh_soon
from relvan.services.workplace import SYSTEM, Workplace
from relvan.store.tables import Channel


def edition(book: Rulebook) -> str:
    """A rulebook as text, to be kept."""
    return book.model_dump_json()


def take_up_editions(workplace: Workplace) -> list[str]:
    """Bring channels and rulebooks together when the application starts; the names of the channels whose listings are
    worked out again, in the background where there are many."""
    with workplace.database.reading() as session:
        known = session.execute(select(Channel.id, Channel.name, Channel.rulebook, Channel.book)).all()
    found: list[str] = []
    for channel_id, name, key, kept in known:
        book = workplace.rulebooks.by_key.get(key)
        if book is None:
            workplace.rulebooks = _with_kept(workplace.rulebooks, key, name, kept)
        elif edition(book) != kept:
            _take_up(workplace, channel_id, book, again=bool(kept))
            found += [name] if kept else []
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
            title = f"Work out by the new rulebook of {channel.name}"
            refresh_soon(session, workplace, SYSTEM, title, channel_id=channel_id)
