"""Moving in: how long it takes to propose a catalogue of 2,000 listings on 3 channels, and how many of
the links are right. The floor is comparing the same words without deciding anything.

Run as `python bench/bench_move_in.py [listings] [seed ...]`.
"""

import sys
import time
from itertools import combinations
from typing import Any

from relvan.core.move_in.proposal import Wishes, propose_catalogue
from relvan.core.move_in.seen import SeenListing
from relvan.core.move_in.words import Weights, words_of
from standins.made_worlds import Habits, MadeWorld, make_world


def as_seen(made: MadeWorld) -> list[SeenListing]:
    """Returns the listings of a made-up world as moving in reads them."""
    found: list[SeenListing] = []

    def add(channel: str, said: dict[str, Any], head: str, above: dict[str, Any] | None) -> str:
        number = len(found) + 1
        traits = said.get("traits", {})
        traits = dict.fromkeys(traits, "") if isinstance(traits, list) else traits
        names = [(above or said).get("title", ""), *(traits.values() if above else ())]
        found.append(
            SeenListing(
                number,
                channel,
                f"ref-{number}",
                said["sku"],
                said.get("title") or ", ".join(names),
                said.get("price", 0),
                "EUR",
                said.get("quantity", 0),
                head,
                said.get("gtin", ""),
                said.get("brand", ""),
                said.get("text", ""),
                said.get("weight_g"),
                traits,
            )
        )
        return f"ref-{number}"

    for channel, listings in made.listings.items():
        for said in listings:
            head = add(channel, said, "", None)
            for variant in said.get("variants", ()):
                add(channel, variant, head, said)
    return found


def floor(seen: list[SeenListing]) -> float:
    """Returns the seconds that it takes to compare each listing with 24 others."""
    began = time.perf_counter()
    words = [frozenset(words_of(one.title)) for one in seen]
    weights = Weights(words)
    for at, own in enumerate(words):
        for other in words[at + 1 : at + 25]:
            weights.share(own, other)
    return time.perf_counter() - began


def main(listings: int, seeds: list[int]) -> None:
    """Prints a line for each made-up world."""
    for seed in seeds:
        made = make_world(seed, Habits(listings=listings))
        seen = as_seen(made)
        least = floor(seen)
        began = time.perf_counter()
        found = propose_catalogue(seen, Wishes(channels=list(made.listings)))
        took = time.perf_counter() - began
        by_id = {one.id: one for one in seen}
        pairs = [
            (by_id[one], by_id[other])
            for product in found.products
            for one, other in combinations(product.listings, 2)
            if product.kind != "family" and by_id[one].channel != by_id[other].channel
        ]
        truth = made.truth
        right = sum(truth[a.channel, a.sku] == truth[b.channel, b.sku] for a, b in pairs)
        print(
            f"seed {seed}: {len(seen):,} listings in {took:.1f} s ({took / least:.1f} times the floor"
            f" of {least:.1f} s), {right / max(1, len(pairs)):.2%} of {len(pairs):,} links right,"
            f" {right / made.true_links():.2%} of the true ones found"
        )


if __name__ == "__main__":
    main(
        int(sys.argv[1]) if len(sys.argv) > 1 else 2_000,
        [int(seed) for seed in sys.argv[2:]] or [1, 2, 3],
    )
