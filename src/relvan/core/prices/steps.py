"""From list price to channel price: the seller's steps in order, then the floor. See docs/rules.md, “Prices”."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Literal, cast, get_args

from relvan.core.money import Money, as_decimal, round_half_up
from relvan.core.refusal import Refusal, refuse
from relvan.core.why import Why

Direction = Literal["up", "down", "nearest"]
MOST_STEPS = 12


@dataclass(frozen=True)
class PercentStep:
    """More (+) or less (-) by a percentage."""

    percent: Decimal


@dataclass(frozen=True)
class AmountStep:
    """More (+) or less (-) by an amount in minor units."""

    amount: int


@dataclass(frozen=True)
class EndingStep:
    """To the nearest price that ends as given: 99 or 49 are 24.99 and 24.49; 995 is 1x9.95."""

    endings: tuple[int, ...]
    direction: Direction = "nearest"


PriceStep = PercentStep | AmountStep | EndingStep


@dataclass(frozen=True)
class Price:
    """A channel's price in minor units with its why; `floored` when the floor held."""

    money: Money
    why: Why
    floored: bool = False


def check_steps(steps: Sequence[PriceStep]) -> list[Refusal]:
    """At most 12 steps; percentages above -100; endings between 0 and 9999."""
    found = []
    if len(steps) > MOST_STEPS:
        found.append(Refusal("too-many", f"“Price steps” must be at most {MOST_STEPS}.", "Join some.", "price_steps"))
    for step in steps:
        if isinstance(step, PercentStep) and not -100 < step.percent <= 1000:
            message = f"“Percent” must be above -100 and at most 1000; it got {step.percent}."
            found.append(Refusal("out-of-range", message, "Correct the percentage.", "percent"))
        if isinstance(step, EndingStep) and (not step.endings or not all(0 <= e <= 9999 for e in step.endings)):
            message = "“Endings” must be numbers like 99 or 49, parted by commas."
            found.append(Refusal("form", message, "Type at least one.", "endings"))
    return found


def apply_ending(amount: int, step: EndingStep) -> int:
    """The price with one of the endings: up, down or nearest; a tie goes up, and never to 0 or below.

    >>> apply_ending(2967, EndingStep((99, 49), "nearest"))
    2949
    """
    modulus = 100
    while max(step.endings) >= modulus:
        modulus *= 10
    bases = (amount // modulus - 1, amount // modulus, amount // modulus + 1)
    candidates = sorted({base * modulus + ending for base in bases for ending in step.endings} - {0})
    above = min(candidate for candidate in candidates if candidate >= amount and candidate > 0)
    below = max((candidate for candidate in candidates if 0 < candidate <= amount), default=above)
    if step.direction == "up":
        return above
    if step.direction == "down":
        return below
    return above if above - amount <= amount - below or below > amount else below


def channel_price(
    base: Money, steps: Sequence[PriceStep], *, floor: Money | None = None, list_name: str = "Price list"
) -> Price:
    """The price a channel shows: each step rounds half up to minor units; the floor comes always last. A floor in
    another currency holds nothing, and the why says so."""
    amount, currency = base.amount, base.currency
    why = Why().then(list_name, as_decimal(amount, currency), f"list price in {currency}")
    for step in steps:
        amount, label, detail = _apply(amount, step, currency)
        why = why.then(label, as_decimal(amount, currency), detail)
    floored = floor is not None and floor.currency == currency and amount < floor.amount
    if floor is not None:
        detail = "held: the steps went below it" if floored else "not reached"
        if floor.currency != currency:
            detail = f"in {floor.currency}, not compared with {currency}"
        why = why.then("Floor", as_decimal(floor.amount, floor.currency), detail)
    if floored:
        assert floor is not None
        amount = floor.amount
    return Price(Money(amount, currency), why.then("Price", as_decimal(amount, currency), currency), floored)


def _apply(amount: int, step: PriceStep, currency: str) -> tuple[int, str, str]:
    if isinstance(step, PercentStep):
        after = round_half_up(Decimal(amount) * (100 + step.percent) / 100)
        return max(0, after), "Percent", f"{step.percent.normalize():+f} %"
    if isinstance(step, AmountStep):
        sign = "+" if step.amount >= 0 else ""
        return max(0, amount + step.amount), "Amount", f"{sign}{as_decimal(step.amount, currency)} {currency}"
    words = " or ".join(f"{ending:02d}" for ending in step.endings)
    return apply_ending(amount, step), "Ending", f"{step.direction} to {words}"


def steps_from(data: Sequence[Mapping[str, object]]) -> tuple[PriceStep, ...]:
    """Steps from plain data: `{"kind": "percent", "percent": "10"}`, `{"kind": "amount", "amount": 100}`,
    `{"kind": "ending", "endings": [99, 49], "direction": "nearest"}`. Refused: anything else."""
    return tuple(_step_from(item) for item in data)


def steps_data(steps: Sequence[PriceStep]) -> list[dict[str, object]]:
    """Steps as plain data."""
    found: list[dict[str, object]] = []
    for step in steps:
        if isinstance(step, PercentStep):
            found.append({"kind": "percent", "percent": str(step.percent)})
        elif isinstance(step, AmountStep):
            found.append({"kind": "amount", "amount": step.amount})
        else:
            found.append({"kind": "ending", "endings": list(step.endings), "direction": step.direction})
    return found


def _step_from(item: Mapping[str, object]) -> PriceStep:
    try:
        if item.get("kind") == "percent":
            return PercentStep(Decimal(str(item["percent"])))
        if item.get("kind") == "amount":
            return AmountStep(int(str(item["amount"])))
        direction = item.get("direction", "nearest")
        endings = item["endings"]
        if item.get("kind") == "ending" and direction in get_args(Direction) and isinstance(endings, list | tuple):
            return EndingStep(tuple(int(str(ending)) for ending in endings), cast(Direction, direction))
    except (KeyError, ValueError, InvalidOperation):
        pass
    message = "A price step must be a percent, an amount or an ending."
    raise refuse("form", message, 'Like {"kind": "percent", "percent": "10"}.', "price_steps")
