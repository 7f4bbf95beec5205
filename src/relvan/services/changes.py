"""The unit of work: what one transaction has changed, for the stations above the one that changed
it.

A station notes here what it has changed and calls no station above it. Before the transaction is
saved, each station that follows does its part in it, in the order in which `relvan.services.open`
names them.
"""

from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import datetime
from typing import TYPE_CHECKING

from relvan.core.orders.rules import RuleEvent
from relvan.store.session import Session

if TYPE_CHECKING:
    from relvan.services.workplace import Actor

Sold = frozenset[tuple[int, int]]
# what happens once to an order and is mailed; what happens to its parts is told with the part
MAILED_OF = (RuleEvent.TAKEN, RuleEvent.PAID)


@dataclass(frozen=True)
class Concern:
    """The listings that a change of settings concerns: those of a channel, those that have a layer,
    or some by their ids. It also has who made the change, and the title of the bulk job that works
    the listings out when there are many."""

    actor: "Actor"
    title: str
    channel_id: int | None = None
    layer_id: int | None = None
    listing_ids: tuple[int, ...] | None = None


@dataclass(frozen=True)
class StockMoved:
    """Products whose stock or buffer has changed: when the sale behind it became known, if there
    was one, and the (channel, product) pairs whose number a channel has just lowered itself."""

    product_ids: frozenset[int] = frozenset()
    caused_at: datetime | None = None
    sold: Sold = frozenset()

    def joined(self, other: "StockMoved") -> "StockMoved":
        """Joins two of them; the earlier sale is the one whose delay is measured."""
        causes = [moment for moment in (self.caused_at, other.caused_at) if moment is not None]
        ids = self.product_ids | other.product_ids
        return StockMoved(ids, min(causes, default=None), self.sold | other.sold)


@dataclass(frozen=True)
class MailWish:
    """A mail that is to be written about an order: the event, what it tells of (`key`), and with
    that the number of the invoice or credit note, or the id of the text that a rule names."""

    order_id: int
    event: str
    key: str
    paper: str = ""
    text_id: int = 0


@dataclass
class Changes:
    """What a transaction has changed so far and no station has followed yet; also the numbers of
    the orders that were `served` by stations that followed. `events` has what happened to orders,
    in the order in which it did."""

    moved: StockMoved = StockMoved()
    freed: set[int] = field(default_factory=set)
    products: set[int] = field(default_factory=set)
    cause: str = ""
    concerns: list[Concern] = field(default_factory=list)
    served: list[str] = field(default_factory=list)
    events: dict[tuple[int, RuleEvent, int], None] = field(default_factory=dict)
    mails: dict[MailWish, None] = field(default_factory=dict)

    def happened(self, order_id: int, event: RuleEvent, rule_id: int = 0) -> None:
        """Notes what has happened to an order, for the rules of the desk; with `rule_id`, only that
        rule is asked."""
        self.events[order_id, event, rule_id] = None
        if event in MAILED_OF:
            self.to_mail(MailWish(order_id, event, f"{event}:{order_id}"))

    def to_mail(self, wish: MailWish) -> None:
        """Notes that the customer of an order is to be mailed, if there is a text for that."""
        self.mails[wish] = None

    def drop_mails(self, order_ids: Collection[int]) -> None:
        """Lets no mail be written of what has happened to orders so far."""
        self.mails = {wish: None for wish in self.mails if wish.order_id not in order_ids}

    def take_mails(self) -> list[MailWish]:
        """Takes the mails that are to be written, so that a station writes them now."""
        wishes, self.mails = list(self.mails), {}
        return wishes

    def take_events(self) -> list[tuple[int, RuleEvent, int]]:
        """Takes what has happened to orders, so that the rules follow it now."""
        events, self.events = list(self.events), {}
        return events

    def stock_moved(
        self,
        product_ids: Collection[int],
        *,
        caused_at: datetime | None = None,
        sold: Sold = frozenset(),
        freed: bool = False,
    ) -> None:
        """Notes that stock of these products has moved; with `freed`, orders that lack it may be
        served now."""
        self.moved = self.moved.joined(StockMoved(frozenset(product_ids), caused_at, sold))
        if freed:
            self.freed |= set(product_ids)

    def products_changed(self, product_ids: Collection[int], cause: str = "") -> None:
        """Notes that facts, prices or pictures of these products have changed; `cause` says in
        words what changed them."""
        self.products |= set(product_ids)
        self.cause = self.cause or cause

    def settings_changed(self, concern: Concern) -> None:
        """Notes that settings have changed that decide what listings say, cost or show."""
        self.concerns.append(concern)

    def take_moved(self) -> StockMoved:
        """Takes the stock that has moved, so that a station follows it now."""
        moved, self.moved = self.moved, StockMoved()
        return moved

    def take_freed(self) -> set[int]:
        """Takes the products of which orders may be served, so that a station follows them now."""
        freed, self.freed = self.freed, set()
        return freed

    def take_products(self) -> tuple[set[int], str]:
        """Takes the products that have changed and what changed them, so that a station follows
        them now."""
        products, self.products = self.products, set()
        cause, self.cause = self.cause, ""
        return products, cause

    def take_concerns(self) -> list[Concern]:
        """Takes what changed settings concern, so that a station follows it now."""
        concerns, self.concerns = self.concerns, []
        return concerns


def changes_of(session: Session) -> Changes:
    """Returns the changes of the transaction that a session is in."""
    changes: Changes = session.info.setdefault("changes", Changes())
    return changes
