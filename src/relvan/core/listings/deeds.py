"""Says what may be done to a listing now, and why not. Service, preview, page, file and API all ask
`listing_deeds`."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum

from relvan.core.channels.sending import Topic
from relvan.core.refusal import NotFound, Refusal


class ListingDeed(StrEnum):
    """An action that a person can take on one listing or on many."""

    PUBLISH = "publish"
    TAKE_DOWN = "take down"
    PUT_BACK = "put back"


class ListingWish(StrEnum):
    """What the seller last asked of a listing."""

    NONE = "none"
    LIVE = "live"
    DOWN = "down"


@dataclass(frozen=True)
class ListingStanding:
    """The facts that the actions on a listing depend on. `gaps` counts what keeps it from going
    live, and `first_gap` names the first; `outdated` are the topics on which the channel shows
    something else than we hold; `lapses` says that the channel takes listings down after some time.
    """

    gaps: int = 0
    first_gap: str = ""
    placed: bool = False
    shown: bool = False
    down: bool = False
    outdated: frozenset[str] = frozenset()
    followed: bool = True
    quantity: int = 0
    is_head: bool = False
    lapses: bool = False


@dataclass(frozen=True)
class ListingAnswer:
    """The result of one action on one listing: the topics to send to its channel and the wish to
    note, or, in `refused`, why nothing is done. `note` is said when nothing has to be sent; `would`
    is what a preview says."""

    topics: tuple[Topic, ...] = ()
    wish: ListingWish = ListingWish.NONE
    refused: str = ""
    note: str = ""
    would: str = ""


def read_listing_deed(name: str) -> ListingDeed:
    """Returns the action that a cell or an address names, with a dash or a space between its words.

    >>> str(read_listing_deed("Take-down"))
    'take down'

    Raises:
        NotFound: if there is no such deed.
    """
    wanted = name.strip().casefold().replace("-", " ").replace("_", " ")
    if wanted not in set(ListingDeed):
        message = f"“Deed” must be one of {', '.join(ListingDeed)}; it got “{name[:30]}”."
        raise NotFound(Refusal("not-found", message, "Choose one of them.", "deed"))
    return ListingDeed(wanted)


def listing_deeds(listing: ListingStanding) -> Mapping[ListingDeed, ListingAnswer]:
    """Returns the answer of each action for a listing by itself. What holds for a family's page as
    a whole is decided by `plan_family` (`core/listings/families.py`)."""
    return {deed: _RULES[deed](listing) for deed in ListingDeed}


def _publish(listing: ListingStanding) -> ListingAnswer:
    if listing.gaps:
        word = "gap keeps" if listing.gaps == 1 else "gaps keep"
        return ListingAnswer(
            refused=f"{listing.gaps} {word} it from going live: {listing.first_gap}",
            would="stay: gaps keep them from going live",
        )
    if not listing.placed:
        return ListingAnswer((Topic.PUBLISH,), ListingWish.LIVE, would="would be placed")
    if listing.down:
        return _put_back(listing)
    if listing.outdated & {Topic.CONTENT, Topic.PICTURES}:
        return ListingAnswer((Topic.CONTENT,), ListingWish.LIVE, would="would be sent again")
    if not listing.followed:
        note = "Its price and quantity are followed from now on."
        return ListingAnswer(
            wish=ListingWish.LIVE, note=note, would="would be kept in step from now on"
        )
    return ListingAnswer(
        wish=ListingWish.LIVE, note="Nothing differs.", would="have nothing to send"
    )


def _take_down(listing: ListingStanding) -> ListingAnswer:
    if not listing.placed:
        return ListingAnswer(
            wish=ListingWish.NONE, note="It is not on the channel.", would="are not up"
        )
    if listing.shown:
        return ListingAnswer((Topic.SHOWN,), ListingWish.DOWN, would="would be taken down")
    return ListingAnswer(wish=ListingWish.DOWN, note="It is down already.", would="are not up")


def _put_back(listing: ListingStanding) -> ListingAnswer:
    if not listing.placed:
        message = "It has never been on the channel: publish it."
        return ListingAnswer(refused=message, would="stay: never on the channel")
    if listing.quantity <= 0 and not listing.is_head:
        return ListingAnswer(refused="None is free to sell.", would="stay: none is free to sell")
    if listing.shown and not listing.lapses:
        return ListingAnswer(
            wish=ListingWish.LIVE, note="It is shown already.", would="are not down"
        )
    would = "would be renewed" if listing.shown else "would be put back"
    return ListingAnswer((Topic.SHOWN,), ListingWish.LIVE, would=would)


_RULES: Mapping[ListingDeed, Callable[[ListingStanding], ListingAnswer]] = {
    ListingDeed.PUBLISH: _publish,
    ListingDeed.TAKE_DOWN: _take_down,
    ListingDeed.PUT_BACK: _put_back,
}
