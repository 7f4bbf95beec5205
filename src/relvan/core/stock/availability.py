"""Works out what is free, and how much of it a channel shows. See docs/rules.md, “What is free”."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, fields
from decimal import Decimal, InvalidOperation
from typing import Protocol

from relvan.core.refusal import Refusal, refuse
from relvan.core.stock.pace import NO_PACE, SellingPace
from relvan.core.stock.risk import check_risk, hold_back_of
from relvan.core.why import Why


@dataclass(frozen=True)
class StockBalance:
    """What one warehouse has of one product, in units."""

    warehouse: str
    on_hand: int = 0
    reserved: int = 0
    blocked: int = 0
    safety: int = 0

    @property
    def free(self) -> int:
        """The units that may be sold from here; never below 0."""
        return max(0, self.on_hand - self.reserved - self.blocked - self.safety)

    @property
    def words(self) -> str:
        """How the number of free units comes about, in words."""
        parts = [f"{self.on_hand} on hand"]
        taken = ((self.reserved, "reserved"), (self.blocked, "blocked"), (self.safety, "safety"))
        return " ".join([*parts, *(f"- {number} {word}" for number, word in taken if number)])


@dataclass(frozen=True)
class KitStock:
    """How many of a kit one warehouse can make; `words` name the scarcest part."""

    warehouse: str
    free: int
    words: str


class Holding(Protocol):
    """What one place has of one product: stock, or what can be made from the stock of parts."""

    @property
    def warehouse(self) -> str:
        """The name of the place."""
        ...

    @property
    def free(self) -> int:
        """The units that may be sold from here."""
        ...

    @property
    def words(self) -> str:
        """How the number comes about, in words."""
        ...


@dataclass(frozen=True)
class StockPolicy:
    """A stock rule: how much of *free* a channel shows. Either the number `fixed`; or the `share`
    (percent, 0 to 100), less the buffer `hold_back`, at most `cap`, and 0 when the result is below
    `least`. With `beyond_stock` a fixed number may exceed what is free. With a `risk` the buffer is
    worked out instead: it is so large that more units are sold before the channel shows a sale made
    elsewhere only with that probability. `pause_at_zero` hides the listing while it shows 0."""

    share: Decimal = Decimal(100)
    hold_back: int = 0
    cap: int | None = None
    least: int = 0
    fixed: int | None = None
    beyond_stock: bool = False
    risk: Decimal | None = None
    pause_at_zero: bool = False

    @property
    def words(self) -> str:
        """The stock rule in words."""
        zero = "paused at zero" if self.pause_at_zero else "stays up at zero"
        if self.fixed is not None:
            return (
                f"fixed at {self.fixed}{', also beyond stock' if self.beyond_stock else ''}; {zero}"
            )
        held = f"{self.hold_back} held back" if self.hold_back else ""
        said = [
            f"{self.share.normalize():f} % of what is free",
            held if self.risk is None else f"buffer by risk {self.risk.normalize():f}",
            f"at most {self.cap}" if self.cap is not None else "",
            f"none under {self.least}" if self.least else "",
        ]
        return f"{', '.join(part for part in said if part)}; {zero}"


@dataclass(frozen=True)
class Shown:
    """The quantity that a channel shows, the free units behind it, and why; `paused` says that the
    listing is hidden at 0."""

    free: int
    quantity: int
    why: Why
    paused: bool = False


def service_shown(most: int) -> Shown:
    """Returns what a channel shows of a service, which is not stocked: the largest number that the
    channel takes."""
    return Shown(most, most, Why().then("Service", most, "a service is not counted"))


def check_policy(policy: StockPolicy) -> list[Refusal]:
    """Checks a stock rule: the percentage is from 0 to 100, and no number is below 0."""
    found = []
    if not 0 <= policy.share <= 100:
        message = f"“Share” must be between 0 and 100 percent; it got {policy.share}."
        found.append(Refusal("out-of-range", message, "Type a percentage.", "share"))
    numbers = {
        "hold_back": policy.hold_back,
        "cap": policy.cap,
        "least": policy.least,
        "fixed": policy.fixed,
    }
    for name, number in numbers.items():
        if number is not None and not 0 <= number <= 1_000_000:
            label = name.replace("_", "-").capitalize()
            message = f"“{label}” must be between 0 and 1,000,000; it got {number:,}."
            found.append(Refusal("out-of-range", message, "Correct the number.", name))
    return found + (check_risk(float(policy.risk)) if policy.risk is not None else [])


def free_over(holdings: Sequence[Holding]) -> tuple[int, Why]:
    """Returns what is free over all warehouses of a supply list, in units, with a step of the why
    for each."""
    why, total = Why(), 0
    for holding in holdings:
        total += holding.free
        why = why.then(holding.warehouse, holding.free, holding.words)
    return total, why.then("Free", total, "sum of the warehouses" if len(holdings) > 1 else "")


def shown_quantity(
    holdings: Sequence[Holding],
    policy: StockPolicy,
    most: int | None = None,
    pace: SellingPace = NO_PACE,
    *,
    whose: str = "",
    elsewhere: Sequence[Holding] = (),
) -> Shown:
    """Returns what a channel shows: `q = floor(free * s) - h`, at most the cap, and 0 when it is
    below the least.

    `most` is the largest number that the channel takes. `whose` names the exception that the stock
    rule comes from; it is empty for the channel's own. `elsewhere` is what lies in warehouses that
    do not feed the channel: the why names it, but it does not count.

    >>> mill, yard = StockBalance("Millrace", 14, 3, 0, 2), StockBalance("Yard", 6, 0, 1)
    >>> shown_quantity([mill, yard], StockPolicy(Decimal(60), 1, 5, 2)).quantity
    5
    """
    free, why = free_over(holdings)
    for holding in elsewhere:
        if holding.free:
            detail = f"{holding.free} free there, but it does not feed this channel"
            why = why.then(holding.warehouse, "not counted", detail)
    if whose:
        why = why.then("Stock rule", whose, "the nearest counts, not the channel's")
    if policy.fixed is not None:
        quantity = policy.fixed if policy.beyond_stock else min(policy.fixed, free)
        detail = "may sell beyond stock" if policy.beyond_stock else f"never more than {free} free"
        why = why.then("Fixed number", quantity, detail)
    else:
        quantity, why = _by_share(free, policy, why, pace)
    if most is not None and quantity > most:
        quantity = most
        why = why.then("Channel's most", quantity, "the channel takes no more")
    paused = policy.pause_at_zero and quantity == 0
    return Shown(
        free, quantity, why.then("Shown", quantity, "paused at zero" if paused else ""), paused
    )


def _by_share(free: int, policy: StockPolicy, why: Why, pace: SellingPace) -> tuple[int, Why]:
    quantity = int(free * policy.share / 100)
    if policy.share != 100:
        why = why.then("Share", quantity, f"{policy.share.normalize():f} % of {free}, rounded down")
    if policy.risk is not None:
        held = hold_back_of(pace.mean, float(policy.risk))
        quantity = max(0, quantity - held)
        why = why.then("Buffer by risk", quantity, pace.words_of(held, policy.risk))
    elif policy.hold_back:
        quantity = max(0, quantity - policy.hold_back)
        why = why.then("Buffer", quantity, f"{policy.hold_back} kept back")
    if policy.cap is not None and quantity > policy.cap:
        quantity = policy.cap
        why = why.then("Cap", quantity, f"at most {policy.cap} shown")
    if quantity < policy.least:
        quantity = 0
        why = why.then("Show 0 below", 0, f"fewer than {policy.least} are not shown at all")
    return quantity, why


def policy_from(data: Mapping[str, object]) -> StockPolicy:
    """Reads a stock rule from plain data, as the API and the store have it. Unknown names and wrong
    types are refused."""
    unknown = data.keys() - {f.name for f in fields(StockPolicy)}
    if unknown:
        raise refuse(
            "unknown", f"“Stock rule” has no {', '.join(sorted(unknown))}.", "", "stock_policy"
        )
    try:
        return StockPolicy(
            share=Decimal(str(data.get("share", 100))),
            hold_back=int(str(data.get("hold_back") or 0)),
            cap=_whole(data.get("cap")),
            least=int(str(data.get("least") or 0)),
            fixed=_whole(data.get("fixed")),
            beyond_stock=bool(data.get("beyond_stock", False)),
            risk=_chance(data.get("risk")),
            pause_at_zero=bool(data.get("pause_at_zero", False)),
        )
    except (ValueError, InvalidOperation):
        raise refuse(
            "form", "“Stock rule” must be whole numbers and a percentage.", "", "stock_policy"
        ) from None


def policy_data(policy: StockPolicy) -> dict[str, object]:
    """Returns a stock rule as plain data."""
    risk = None if policy.risk is None else f"{policy.risk.normalize():f}"
    return {**asdict(policy), "share": str(policy.share), "risk": risk}


def _chance(value: object) -> Decimal | None:
    if value is None or value == "":
        return None
    found = Decimal(str(value))
    if not found.is_finite():
        raise ValueError("no number")
    return found


def _whole(value: object) -> int | None:
    return None if value is None or value == "" else int(str(value))
