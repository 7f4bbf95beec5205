"""Says which of a channel's listings are read in."""

from dataclasses import dataclass
from typing import Literal, get_args

from relvan.core.listings.likeness import folded
from relvan.core.refusal import refuse

Shown = Literal["", "live", "down"]
MOST_WORDS = 100


@dataclass(frozen=True)
class ReadingFilter:
    """Which listings to read in: all of them, or those that contain every one of some words in SKU,
    title, GTIN or brand, and those that are for sale or not for sale. Listings in the marketplace's
    own centre are only read in when that is asked for."""

    words: str = ""
    shown: Shown = ""
    centre: bool = False

    def __post_init__(self) -> None:
        if self.shown not in get_args(Shown):
            raise refuse(
                "not-allowed",
                "Read all, live ones, or those that are down.",
                "Choose one.",
                "shown",
            )
        if len(self.words) > MOST_WORDS:
            raise refuse(
                "too-long", f"At most {MOST_WORDS} characters of words.", "Say less.", "words"
            )

    def takes(self, *, texts: tuple[str, ...], live: bool, centre: bool) -> bool:
        """Says whether a listing with these texts is to be read in.

        >>> ReadingFilter("vase oat").takes(texts=("VS-1", "Oat glazed vase"), live=True, centre=False)
        True
        """
        if (centre and not self.centre) or (self.shown and live != (self.shown == "live")):
            return False
        held = folded(" ".join(texts))
        return all(word in held for word in folded(self.words).split())

    def told(self) -> str:
        """The filter in words; "" when it takes all listings."""
        parts = [f"like “{self.words.strip()}”"] if self.words.strip() else []
        parts += {"live": ["for sale there"], "down": ["not for sale there"]}.get(self.shown, [])
        return ", ".join([*parts, *(["with what lies in their centre"] if self.centre else [])])
