"""Finds the rulebooks that ship with the application, and the adapter for a dialect."""

from collections.abc import Callable
from functools import cache
from pathlib import Path

import yaml

from relvan.core.listings.rulebook import Rulebook
from relvan.core.refusal import not_found
from relvan.gateways.calling import Caller, Pace
from relvan.gateways.channels.notices import NoticesGateway
from relvan.gateways.channels.pieces import PiecesGateway
from relvan.gateways.channels.port import ChannelGateway
from relvan.gateways.channels.storefront import StorefrontGateway

RULEBOOKS = Path(__file__).parent / "rulebooks"
# dialect -> (adapter, the word before the token in the Authorization header)
DIALECTS: dict[str, tuple[Callable[[Caller], ChannelGateway], str]] = {
    "notices": (NoticesGateway, "Token"),
    "pieces": (PiecesGateway, "Key"),
    "storefront": (StorefrontGateway, "Bearer"),
}


@cache
def rulebooks() -> dict[str, Rulebook]:
    """Every rulebook by its key, checked against the model."""
    found = [Rulebook.model_validate(yaml.safe_load(path.read_text())) for path in sorted(RULEBOOKS.glob("*.yaml"))]
    return {rulebook.key: rulebook for rulebook in found}


def rulebook(key: str) -> Rulebook:
    """One rulebook."""
    if key not in rulebooks():
        raise not_found("rulebook", key)
    return rulebooks()[key]


def open_gateway(book: Rulebook, address: str, token: str, *, private_allowed: bool) -> ChannelGateway:
    """The gateway of a channel account."""
    adapter, word = DIALECTS[book.dialect]
    headers = {"Authorization": f"{word} {token}"}
    pace = Pace(book.calls.per_second, book.calls.burst)
    return adapter(Caller(address, headers, name=book.name, private_allowed=private_allowed, pace=pace))
