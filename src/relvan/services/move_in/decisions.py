"""What a person has decided about a proposal, as it is kept with the job, and how it is checked."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from relvan.core.move_in.details import Sources, check_sources
from relvan.core.move_in.matching import ASK, MARK, JoinRules
from relvan.core.move_in.proposal import Wishes
from relvan.core.refusal import Refusal, refuse, refuse_if_any

STEPS, LIST = "steps", "list"
MOST_DECISIONS = 20_000


@dataclass(frozen=True)
class Decided:
    """The decisions about one move. Listings are named by the ids of what was found, products by
    the lowest id among their listings.

    `details` says where each detail comes from, and `own` the same for single products. `apart`
    stand alone, `together` are pairs of the same goods, `differ` pairs of different goods.
    `no_families` are not wanted, `kits` are kits indeed, `left_out` are not made. `prices` says for
    each channel whether it gets steps or a list, and under "base" which channel has list prices.
    """

    mark: int = MARK
    stock_from: str = ""
    warehouse: str = ""
    details: Mapping[str, str] = field(default_factory=dict)
    own: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    apart: Sequence[int] = ()
    together: Sequence[Sequence[int]] = ()
    differ: Sequence[Sequence[int]] = ()
    no_families: Sequence[str] = ()
    kits: Sequence[int] = ()
    left_out: Sequence[int] = ()
    prices: Mapping[str, str] = field(default_factory=dict)

    @classmethod
    def read(cls, spec: Mapping[str, Any]) -> "Decided":
        """Reads the decisions that are kept with a job."""
        return cls(**spec.get("decided", {}))

    def as_dict(self) -> dict[str, Any]:
        """Returns the decisions as plain data."""
        return {name: getattr(self, name) for name in self.__dataclass_fields__}

    def wishes(
        self, channels: Sequence[str], existing: Mapping[int, str], taken: Collection[str]
    ) -> Wishes:
        """Returns what the core needs to propose."""
        own = {int(name): dict(sources) for name, sources in self.own.items()}
        return Wishes(
            matching=JoinRules(
                self.mark,
                frozenset(self.apart),
                tuple(_pair(pair) for pair in self.together),
                frozenset(_pair(pair) for pair in self.differ),
            ),
            sources=Sources(self.details, own),
            channels=channels,
            stock_from=self.stock_from,
            no_families=frozenset(self.no_families),
            kits=frozenset(self.kits),
            left_out=frozenset(self.left_out),
            existing=existing,
            taken=taken,
        )


def _pair(pair: Sequence[int]) -> tuple[int, int]:
    return min(pair), max(pair)


def check_decided(decided: Decided, channels: Sequence[str]) -> None:
    """Refuses decisions that name what there is not, or that are out of range."""
    found: list[Refusal] = []
    if not ASK <= decided.mark <= 100:
        message = f"“Mark” must be from {ASK} to 100; it got {decided.mark}."
        found.append(Refusal("out-of-range", message, "Choose another mark.", "mark"))
    if decided.stock_from and decided.stock_from not in channels:
        message = f"“{decided.stock_from[:40]}” is none of the channels that were read."
        fix = f"Name one of {', '.join(channels)}."
        found.append(Refusal("unknown", message, fix, "stock_from"))
    found += check_sources(decided.details, channels)
    for sources in decided.own.values():
        found += check_sources(sources, channels)
    found += _check_prices(decided.prices, channels)
    counted = len(decided.apart) + len(decided.together) + len(decided.differ)
    if counted + len(decided.own) + len(decided.left_out) > MOST_DECISIONS:
        message = f"At most {MOST_DECISIONS:,} decisions about single listings are kept."
        found.append(Refusal("too-many", message, "Decide for all at once, by detail.", "own"))
    refuse_if_any(found)


def _check_prices(prices: Mapping[str, str], channels: Sequence[str]) -> list[Refusal]:
    found = []
    for name, value in prices.items():
        allowed = channels if name == "base" else (STEPS, LIST)
        if (name != "base" and name not in channels) or value not in allowed:
            message = f"“{name[:40]}: {value[:40]}” is no way to take prices."
            fix = "Name a channel with steps or list, or under base the channel of the list."
            found.append(Refusal("not-allowed", message, fix, "prices"))
    return found


def changed_decisions(decided: Decided, changes: Mapping[str, Any]) -> Decided:
    """Returns the decisions with some of them replaced; `details`, `own` and `prices` are added to
    what was decided before, and an empty value takes a decision back.
    """
    unknown = changes.keys() - decided.as_dict().keys()
    if unknown:
        name = sorted(unknown)[0]
        raise refuse("unknown", f"There is nothing to decide under “{name[:40]}”.", "", name)
    merged: dict[str, Any] = {}
    for name, value in changes.items():
        if name in ("details", "own", "prices"):
            held = {**getattr(decided, name), **value}
            merged[name] = {key: one for key, one in held.items() if one}
        else:
            merged[name] = value
    return Decided(**{**decided.as_dict(), **merged})
