"""Works out the price of a channel from the list price: the seller's steps in their order, then the
bounds. See docs/rules.md, “Prices”."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal, InvalidOperation
from typing import Literal, cast, get_args

from relvan.core.listings.rulebook import FeeRule
from relvan.core.money import MINOR_DIGITS, MOST_MINOR, Money, as_decimal, round_half_up
from relvan.core.prices.bounds import NO_BOUNDS, Bounds, keep_within
from relvan.core.prices.fees import fees_of
from relvan.core.prices.lowest import lowest_covering
from relvan.core.prices.rates import NO_RATES, Rates
from relvan.core.prices.sales import SalePrice
from relvan.core.refusal import Refusal, refuse
from relvan.core.why import Why

Direction = Literal["up", "down", "nearest"]
MOST_STEPS = 12


@dataclass(frozen=True)
class PercentStep:
    """Raises (+) or lowers (-) a price by a percentage."""

    percent: Decimal


@dataclass(frozen=True)
class AmountStep:
    """Raises (+) or lowers (-) a price by an amount in minor units."""

    amount: int


@dataclass(frozen=True)
class EndingStep:
    """Moves a price to the nearest one that ends as given: 99 and 49 give 24.99 and 24.49; 995
    gives 1x9.95."""

    endings: tuple[int, ...]
    direction: Direction = "nearest"


@dataclass(frozen=True)
class CoverFeesStep:
    """Raises a price to the lowest one that leaves, after the channel's fees, what the price was
    before this step."""


@dataclass(frozen=True)
class ConvertStep:
    """Converts a price into another currency, by the rate of the day."""

    currency: str


PriceStep = PercentStep | AmountStep | EndingStep | CoverFeesStep | ConvertStep


@dataclass(frozen=True)
class Price:
    """The price of a channel in minor units with its why. `floored` says that a floor raised it.
    While a sale price holds, `regular` is the price without it. `lowest` is the highest of the
    floors, whether it raised the price or not."""

    money: Money
    why: Why
    floored: bool = False
    regular: Money | None = None
    lowest: Money | None = None


@dataclass(frozen=True)
class NoPrice:
    """Says that there is no price, and why not."""

    reason: str
    why: Why


@dataclass(frozen=True)
class PriceTerms:
    """What a price depends on besides list price and steps: the channel's fees in a category, the
    rates of the day, and the bounds."""

    fees: FeeRule = FeeRule()
    category: str = ""
    rates: Rates = NO_RATES
    bounds: Bounds = NO_BOUNDS


NO_TERMS = PriceTerms()


def check_steps(steps: Sequence[PriceStep]) -> list[Refusal]:
    """Checks price steps: there are at most 12; percentages are above -100; endings are from 0 to
    9999; currencies are known."""
    found = []
    if len(steps) > MOST_STEPS:
        found.append(
            Refusal(
                "too-many",
                f"“Price steps” must be at most {MOST_STEPS}.",
                "Join some.",
                "price_steps",
            )
        )
    for step in steps:
        if isinstance(step, PercentStep) and not -100 < step.percent <= 1000:
            message = f"“Percent” must be above -100 and at most 1000; it got {step.percent}."
            found.append(Refusal("out-of-range", message, "Correct the percentage.", "percent"))
        if isinstance(step, EndingStep) and (
            not step.endings or not all(0 <= e <= 9999 for e in step.endings)
        ):
            message = "“Endings” must be numbers like 99 or 49, parted by commas."
            found.append(Refusal("form", message, "Type at least one.", "endings"))
        if isinstance(step, ConvertStep) and step.currency not in MINOR_DIGITS:
            message = f"“{step.currency[:10]}” is not the code of a currency in use."
            found.append(
                Refusal("not-allowed", message, "Type its three letters, like CHF.", "currency")
            )
    return found


def apply_ending(amount: int, step: EndingStep) -> int:
    """Returns the price with one of the endings: rounded up, down or to the nearest. A tie goes up,
    and the result is never 0 or below.

    >>> apply_ending(2967, EndingStep((99, 49), "nearest"))
    2949
    """
    modulus = 100
    while max(step.endings) >= modulus:
        modulus *= 10
    bases = (amount // modulus - 1, amount // modulus, amount // modulus + 1)
    candidates = sorted(
        {base * modulus + ending for base in bases for ending in step.endings} - {0}
    )
    above = min(candidate for candidate in candidates if candidate >= amount and candidate > 0)
    below = max((candidate for candidate in candidates if 0 < candidate <= amount), default=above)
    if step.direction == "up":
        return above
    if step.direction == "down":
        return below
    return above if above - amount <= amount - below or below > amount else below


def channel_price(
    base: Money,
    steps: Sequence[PriceStep],
    terms: PriceTerms = NO_TERMS,
    *,
    list_name: str = "Price list",
    sale: SalePrice | None = None,
) -> Price | NoPrice:
    """Returns the price that a channel shows. Each step rounds half up to minor units; floor and
    ceiling always come last. A `sale` price of the list goes through the same steps and bounds, and
    counts when the result is lower."""
    regular = _led(base, steps, terms, list_name, f"list price in {base.currency}")
    if sale is None or isinstance(regular, NoPrice):
        return regular
    found = _led(
        Money(sale.amount, base.currency), steps, terms, f"{list_name}, sale price", sale.words
    )
    was = as_decimal(regular.money.amount, regular.money.currency)
    if isinstance(found, NoPrice) or found.money.amount >= regular.money.amount:
        told = regular.why.then("Sale price", "not lower", f"{sale.words}; the regular price stays")
        return replace(regular, why=told)
    why = found.why.then(
        "Instead of", was, "the regular price, shown struck through where the channel allows it"
    )
    return replace(found, why=why, regular=regular.money)


def _led(
    start: Money, steps: Sequence[PriceStep], terms: PriceTerms, name: str, detail: str
) -> Price | NoPrice:
    """Returns where the steps lead from an amount, within the bounds."""
    money, why = start, Why().then(name, as_decimal(start.amount, start.currency), detail)
    for step in steps:
        after = after_step(money, step, terms)
        if isinstance(after, str):
            return NoPrice(after, why.then("Price", "none", after))
        label, detail = _words(step, after, terms, money.currency)
        money, why = after, why.then(label, as_decimal(after.amount, after.currency), detail)
    held = keep_within(money, terms.bounds, terms.fees, terms.category, terms.rates, why)
    why = held.why.then(
        "Price", as_decimal(held.money.amount, held.money.currency), held.money.currency
    )
    return Price(held.money, why, held.floored, lowest=held.lowest)


def target_currency(currency: str, steps: Sequence[PriceStep]) -> str:
    """Returns the currency that the steps lead to from the currency of the price list."""
    for step in steps:
        if isinstance(step, ConvertStep):
            currency = step.currency
    return currency


def after_step(money: Money, step: PriceStep, terms: PriceTerms) -> Money | str:
    """Returns the price after a step, or why there is none."""
    amount, currency = money.amount, money.currency
    if isinstance(step, ConvertStep):
        there = terms.rates.convert(money, step.currency)
        return there or f"There is no rate from {currency} to {step.currency}."
    if isinstance(step, CoverFeesStep):
        lowest = lowest_covering(amount, terms.fees, terms.category)
        if lowest is None or lowest > MOST_MINOR:
            return "The fees there eat up every price."
        return Money(lowest, currency)
    if isinstance(step, PercentStep):
        return Money(max(0, round_half_up(Decimal(amount) * (100 + step.percent) / 100)), currency)
    if isinstance(step, AmountStep):
        return Money(max(0, amount + step.amount), currency)
    return Money(apply_ending(amount, step), currency)


def _words(step: PriceStep, after: Money, terms: PriceTerms, currency: str) -> tuple[str, str]:
    """Returns the name of a step and words for the change that it made."""
    if isinstance(step, ConvertStep):
        found = terms.rates.between(currency, step.currency)
        return "Convert", found[1] if found and found[1] else "the same currency"
    if isinstance(step, CoverFeesStep):
        kept = as_decimal(fees_of(after.amount, terms.fees, terms.category).total, currency)
        return "Cover fees", f"of which {kept} {currency} are theirs"
    if isinstance(step, PercentStep):
        return "Percent", f"{step.percent.normalize():+f} %"
    if isinstance(step, AmountStep):
        sign = "+" if step.amount >= 0 else ""
        return "Amount", f"{sign}{as_decimal(step.amount, currency)} {currency}"
    return (
        "Ending",
        f"{step.direction} to {' or '.join(f'{ending:02d}' for ending in step.endings)}",
    )


def steps_from(data: Sequence[Mapping[str, object]]) -> tuple[PriceStep, ...]:
    """Reads steps from plain data: `{"kind": "percent", "percent": "10"}`, `{"kind": "amount",
    "amount": 100}`, `{"kind": "ending", "endings": [99, 49], "direction": "nearest"}`, `{"kind":
    "cover fees"}`, `{"kind": "convert", "currency": "CHF"}`. Anything else is refused."""
    return tuple(_step_from(item) for item in data)


def steps_data(steps: Sequence[PriceStep]) -> list[dict[str, object]]:
    """Returns steps as plain data."""
    found: list[dict[str, object]] = []
    for step in steps:
        if isinstance(step, PercentStep):
            found.append({"kind": "percent", "percent": str(step.percent)})
        elif isinstance(step, AmountStep):
            found.append({"kind": "amount", "amount": step.amount})
        elif isinstance(step, CoverFeesStep):
            found.append({"kind": "cover fees"})
        elif isinstance(step, ConvertStep):
            found.append({"kind": "convert", "currency": step.currency})
        else:
            found.append(
                {"kind": "ending", "endings": list(step.endings), "direction": step.direction}
            )
    return found


def _step_from(item: Mapping[str, object]) -> PriceStep:
    try:
        if item.get("kind") == "percent":
            return PercentStep(Decimal(str(item["percent"])))
        if item.get("kind") == "amount":
            return AmountStep(int(str(item["amount"])))
        if item.get("kind") == "cover fees":
            return CoverFeesStep()
        if item.get("kind") == "convert":
            return ConvertStep(str(item["currency"]).upper())
        direction = item.get("direction", "nearest")
        endings = item["endings"]
        if (
            item.get("kind") == "ending"
            and direction in get_args(Direction)
            and isinstance(endings, list | tuple)
        ):
            return EndingStep(
                tuple(int(str(ending)) for ending in endings), cast(Direction, direction)
            )
    except (KeyError, ValueError, InvalidOperation):
        pass
    message = "A price step must be a percent, an amount, an ending, “cover fees” or “convert”."
    raise refuse("form", message, 'Like {"kind": "percent", "percent": "10"}.', "price_steps")
