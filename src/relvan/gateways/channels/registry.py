"""Finds the rulebooks, those that ship with the application and the seller's own, and the adapter
for a dialect."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import yaml
from pydantic import ValidationError
from pydantic_core import InitErrorDetails, PydanticCustomError

from relvan.core.listings.rulebook import Rulebook
from relvan.core.refusal import not_found
from relvan.gateways.calling import CallPace, OutsideCaller
from relvan.gateways.channels.handins import HandInsGateway
from relvan.gateways.channels.notices import NoticesGateway
from relvan.gateways.channels.pieces import PiecesGateway
from relvan.gateways.channels.port import ChannelGateway
from relvan.gateways.channels.storefront import StorefrontGateway

RULEBOOKS = Path(__file__).parent / "rulebooks"
# dialect -> (adapter, the word before the token in the Authorization header)
DIALECTS: dict[str, tuple[Callable[[OutsideCaller], ChannelGateway], str]] = {
    "handins": (HandInsGateway, "Stall"),
    "notices": (NoticesGateway, "Token"),
    "pieces": (PiecesGateway, "Key"),
    "storefront": (StorefrontGateway, "Bearer"),
}


WITH_CENTRES = ("handins",)  # the dialects whose adapters are a `CentreGateway`


@dataclass(frozen=True)
class Rulebooks:
    """Rulebooks by their keys; and by file name, what is wrong with files that hold none."""

    by_key: Mapping[str, Rulebook]
    troubles: Mapping[str, str]

    def of(self, key: str) -> Rulebook:
        """Returns one rulebook by its key."""
        if key not in self.by_key:
            raise not_found("rulebook", key)
        return self.by_key[key]


@cache
def rulebooks() -> dict[str, Rulebook]:
    """Returns the rulebooks that ship with the application, by their keys."""
    found = [_read(path) for path in sorted(RULEBOOKS.glob("*.yaml"))]
    return {rulebook.key: rulebook for rulebook in found}


def rulebook(key: str) -> Rulebook:
    """Returns one of the rulebooks that ship with the application."""
    return Rulebooks(rulebooks(), {}).of(key)


def read_rulebooks(folder: Path) -> Rulebooks:
    """Reads the rulebooks that ship with the application and those of a folder. Of two with one key
    the folder's counts. A file that holds none is left out and named.
    """
    found, troubles = dict(rulebooks()), dict[str, str]()
    for path in sorted((*folder.glob("*.yaml"), *folder.glob("*.yml"))):
        try:
            book = _read(path)
        except (OSError, UnicodeDecodeError, yaml.YAMLError) as error:
            troubles[path.name] = f"It cannot be read: {' '.join(str(error).split())[:200]}"
        except ValidationError as error:
            first = error.errors()[0]
            place = ".".join(map(str, first["loc"])) or "the whole"
            troubles[path.name] = f"{place}: {first['msg']}"
        else:
            found[book.key] = book
    return Rulebooks(found, troubles)


def _read(path: Path) -> Rulebook:
    book = Rulebook.model_validate(yaml.safe_load(path.read_text(encoding="utf-8")))
    if book.dialect not in DIALECTS:
        message = f"there is no dialect “{book.dialect}”; known: {', '.join(DIALECTS)}"
        wrong = PydanticCustomError("dialect", "{said}", {"said": message})
        detail = InitErrorDetails(type=wrong, loc=("dialect",), input=book.dialect)
        raise ValidationError.from_exception_data("Rulebook", [detail])
    return book


def open_gateway(
    book: Rulebook, address: str, token: str, *, private_allowed: bool
) -> ChannelGateway:
    """Returns the gateway of a channel account."""
    adapter, word = DIALECTS[book.dialect]
    headers = {"Authorization": f"{word} {token}"}
    pace = CallPace(book.calls.per_second, book.calls.burst)
    return adapter(
        OutsideCaller(address, headers, name=book.name, private_allowed=private_allowed, pace=pace)
    )
