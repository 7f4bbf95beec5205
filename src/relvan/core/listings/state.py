"""Works out the state of a listing from its gaps and from what was asked, sent and answered. A
person never chooses it."""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Literal

from relvan.core.why import Why

Wish = Literal["none", "live", "down"]
TOPICS = ("content", "pictures", "price", "quantity")


class ListingState(StrEnum):
    """The states of a listing, in the order of its life."""

    DRAFT = "draft"
    READY = "ready"
    SENDING = "sending"
    REFUSED = "refused"
    LIVE = "live"
    OUTDATED = "behind"
    DOWN = "down"


STATE_WORDS = {state: str(state) for state in ListingState} | {ListingState.OUTDATED: "outdated"}


@dataclass(frozen=True)
class ListingFacts:
    """The facts that the state is worked out from.

    `wish` is what the seller last asked for. `placed`: the channel has a place for it. `shown`: the
    channel shows it, as far as we know. `paused`: it is not to be shown while its quantity is 0.
    `gone` says why the channel no longer shows it although nobody here asked for that. `refusal` is
    the channel's last word against it. `held` and `sent` are checksums by topic of what we hold and
    of what the channel has accepted.
    """

    gaps: int
    wish: Wish
    placed: bool
    shown: bool
    refusal: str
    held: Mapping[str, str]
    sent: Mapping[str, str]
    gone: str = ""
    paused: bool = False


def outdated_topics(facts: ListingFacts) -> tuple[str, ...]:
    """Returns the topics in which the channel shows something else than we hold."""
    if not facts.placed:
        return ()
    return tuple(
        topic for topic in TOPICS if facts.held.get(topic, "") != facts.sent.get(topic, "")
    )


def listing_state(facts: ListingFacts) -> tuple[ListingState, Why]:
    """Returns the state of a listing, and why it is so."""
    why = Why()
    if facts.placed and not facts.shown and facts.gone:
        return ListingState.DOWN, why.then(
            "Channel", facts.gone, "nobody here asked for that; put it back"
        )
    if facts.placed and facts.paused and facts.wish == "live":
        state = ListingState.SENDING if facts.shown else ListingState.DOWN
        return state, why.then(
            "Quantity", 0, "paused at zero, as its stock rule says; put back when there is stock"
        )
    if facts.placed and (facts.wish == "down" or not facts.shown):
        if facts.wish == "live":
            return ListingState.SENDING, why.then(
                "Asked for", "live", "the channel does not show it yet"
            )
        if facts.shown:
            return ListingState.SENDING, why.then("Asked for", "down", "the channel still shows it")
        return ListingState.DOWN, why.then("Asked for", "down", "the channel no longer shows it")
    if facts.refusal:
        return ListingState.REFUSED, why.then("Channel's answer", "refused", facts.refusal)
    if facts.placed:
        outdated = outdated_topics(facts)
        if not outdated:
            return ListingState.LIVE, why.then(
                "Accepted", "all", "what the channel shows is what we hold"
            )
        for topic in outdated:
            why = why.then(topic.capitalize(), "differs", "from what the channel last accepted")
        return ListingState.OUTDATED, why
    if facts.gaps:
        return ListingState.DRAFT, why.then("Gaps", facts.gaps, "keep it from going live")
    if facts.wish == "live":
        return ListingState.SENDING, why.then(
            "Asked for", "live", "the channel has not answered yet"
        )
    return ListingState.READY, why.then("Gaps", 0, "it can be published")
