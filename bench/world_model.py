"""The seller's world for the simulation: channels that run by a clock of their own, and the demand
on them.

Everything here happens in virtual seconds from the start. A channel takes what it is told after the
time that its weather costs, sells what it shows, and never knows more than it was told: an oversale
is possible only through lag.
"""

import random
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from relvan.core.orders.intake import Address, IncomingLine, IncomingOrder
from relvan.gateways.calling import OutsideTrouble
from relvan.gateways.channels.port import HandInRow, PriceRow, RowVerdict, SheetLine

KEYS = ("corvello", "hagglet", "loomstead", "ownshop")
KINDS = ("calm", "calm", "calm", "slow", "throttled", "flaky", "lost answers", "down")
LATENCY_S = {"calm": 0.08, "slow": 2.5}
TO = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL", "ada@example.com")


@dataclass(frozen=True)
class Wish:
    """One wish of a buyer: units of a listing on a channel, at a time in seconds."""

    at: float
    channel: str
    ref: str
    units: int


@dataclass(frozen=True)
class Weather:
    """How a channel behaves from a time on."""

    at: float
    channel: str
    kind: str


class WorkerKilled(BaseException):
    """Raised where the worker dies in the middle of a call; nothing that it was doing is written
    down.
    """


def demand(refs: Sequence[str], rates: Sequence[float], hours: float, seed: int) -> list[Wish]:
    """Returns the demand as a Poisson process with `rates[i]` sales an hour of listing i on each
    channel; now and then a buyer wants two or three units.
    """
    dice = random.Random(seed)
    total = sum(rates) * len(KEYS)
    found, at = [], 0.0
    while True:
        at += dice.expovariate(total) * 3600
        if at >= hours * 3600:
            return found
        (ref,) = dice.choices(refs, rates)
        found.append(Wish(at, dice.choice(KEYS), ref, dice.choice((1, 1, 1, 1, 1, 2, 3))))


def weather(hours: float, seed: int) -> list[Weather]:
    """Returns the weather, which changes on every channel about every quarter of an hour."""
    dice = random.Random(seed)
    found = []
    for key in KEYS:
        at = 0.0
        while (at := at + dice.expovariate(1 / 900)) < hours * 3600:
            found.append(Weather(at, key, dice.choice(KINDS)))
    return sorted(found, key=lambda one: one.at)


@dataclass
class Tally:
    """The results of the demand: units sold, and sales refused although the goods were there or
    because they were not.
    """

    sales: int = 0
    units: int = 0
    refused_held_back: int = 0
    refused_sold_out: int = 0


@dataclass
class Channel:
    """One channel: what it shows by reference, its orders and its weather; `spend` is told what a
    call costs.
    """

    key: str
    now: Callable[[], float]
    clock: Callable[[], datetime]
    dice: random.Random
    spend: Callable[[float], None]
    by_sheet: bool = False
    kind: str = "calm"
    shown: dict[str, int] = field(default_factory=dict)
    lines: dict[str, str] = field(default_factory=dict)
    orders: list[IncomingOrder] = field(default_factory=list)
    told: int = 0
    sheets: dict[str, tuple[float, list[SheetLine], list[HandInRow]]] = field(default_factory=dict)
    marks: dict[str, str] = field(default_factory=dict)
    killing: bool = False

    def sell(self, wish: Wish) -> bool:
        """Sells what is shown; returns whether it could."""
        self.settle()
        if self.shown.get(wish.ref, 0) < wish.units:
            return False
        self.shown[wish.ref] -= wish.units
        number = len(self.orders) + 1
        line = IncomingLine("1", self.lines[wish.ref], "Goods", wish.units, 1000, wish.ref)
        self.orders.append(
            IncomingOrder(
                f"{self.key}-{number}", self.clock(), "EUR", (line,), TO, paid=True, changed=number
            )
        )
        return True

    def call(self, effect: Callable[[], object]) -> object:
        """Makes one call under the weather; it may take effect although its answer is lost."""
        self.spend(LATENCY_S.get(self.kind, 0.1) * self.dice.uniform(0.6, 1.6))
        if self.kind == "down":
            raise OutsideTrouble("nobody is there")
        if self.kind == "throttled" and self.dice.random() < 0.5:
            raise OutsideTrouble("too many calls", retry_after=self.dice.uniform(1, 4))
        if self.kind == "flaky" and self.dice.random() < 0.2:
            raise OutsideTrouble("the line broke", unclear=self.dice.random() < 0.5)
        done = effect()
        if self.killing:
            self.killing = False
            raise WorkerKilled
        if self.kind == "lost answers" and self.dice.random() < 0.3:
            raise OutsideTrouble("the answer was lost", unclear=True)
        return done

    def settle(self) -> None:
        """Lets hand-ins take effect whose time has come."""
        for due, _, rows in self.sheets.values():
            if due <= self.now() and rows:
                for row in rows:
                    self._take(row)
                rows.clear()

    def _take(self, row: HandInRow) -> None:
        if row.topic == "quantity":
            self.shown[row.ref] = row.quantity
            self.told += 1

    # what a gateway is asked

    def orders_after(self, mark: int, page: int) -> list[IncomingOrder]:
        found = self.call(lambda: [order for order in self.orders if order.changed > mark][:page])
        assert isinstance(found, list)
        return found

    def set_quantities(self, rows: Sequence[tuple[str, int]]) -> list[RowVerdict]:
        def take() -> list[RowVerdict]:
            self.shown.update(rows)
            self.told += len(rows)
            return [RowVerdict(ref, True) for ref, _ in rows]

        found = self.call(take)
        assert isinstance(found, list)
        return found

    def set_prices(self, rows: Sequence[PriceRow]) -> list[RowVerdict]:
        return [RowVerdict(row.ref, True) for row in rows]

    def acknowledge(self, number: str) -> None:
        self.call(lambda: None)

    def hand_in(self, mark: str, rows: Sequence[HandInRow]) -> str:
        def take() -> str:
            if mark not in self.marks:
                number = self.marks[mark] = f"{self.key}-sheet-{len(self.marks) + 1}"
                lines = [SheetLine(row.key) for row in rows]
                self.sheets[number] = (self.now() + 0.6 + 0.002 * len(rows), lines, list(rows))
            return self.marks[mark]

        return str(self.call(take))

    def find_handed_in(self, mark: str) -> str:
        return str(self.call(lambda: self.marks.get(mark, "")))

    def reply_sheet(self, number: str) -> tuple[SheetLine, ...] | None:
        self.settle()
        due, lines, _ = self.sheets[number]
        found = self.call(lambda: tuple(lines) if due <= self.now() else None)
        assert found is None or isinstance(found, tuple)
        return found

    def close(self) -> None:
        """Does nothing, because nothing is open."""


def at(start: datetime, seconds: float) -> datetime:
    """Returns a moment of the simulation."""
    return start + timedelta(seconds=seconds)
