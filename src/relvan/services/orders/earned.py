"""What orders earned in a span of days, in the seller's currency: by order, product, channel or week,
and of one order.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

from relvan.core.listings.rulebook import FeeRule
from relvan.core.money import Money, as_decimal
from relvan.core.orders.earned import (
    Earned,
    EarnedBy,
    SoldLine,
    SoldOrder,
    earned_by_line,
    ranked,
    sum_up,
    total_of,
)
from relvan.core.prices.fees import fees_of
from relvan.core.prices.rates import Rates
from relvan.core.refusal import refuse
from relvan.documents.tables import write_csv
from relvan.services.workplace import Workplace
from relvan.store.channels import channel_names_by_id, channels
from relvan.store.earned import (
    EarningLine,
    EarningOrder,
    carried,
    earning_lines,
    earning_order,
    earning_orders,
)
from relvan.store.prices import rates_on
from relvan.store.session import Session

MOST_ORDERS = 50_000
CHUNK = 2_000
USUAL_DAYS = 28
BY_HAND = "By hand or by file"


@dataclass(frozen=True)
class EarnedView:
    """What orders earned from a day to another, both included: sums by key in their order, their
    total, the currency, and orders that are left out because no rate of their currency is known."""

    by: EarnedBy
    since: date
    until: date
    currency: str
    rows: Sequence[tuple[str, Earned]]
    total: Earned
    orders: int
    left_out: int


def earned_in(
    workplace: Workplace,
    by: EarnedBy,
    since: date | None = None,
    until: date | None = None,
) -> EarnedView:
    """Returns what orders earned that were placed in a span of days; the last 28 when it is not said.

    Raises:
        Refused: if the span ends before it begins, or has too many orders.
    """
    last = until or workplace.local_now().date()
    first = since or last - timedelta(days=USUAL_DAYS - 1)
    if last < first:
        message = f"The span ends on {last}, before it begins on {first}."
        raise refuse("out-of-range", message, "Correct one of the days.", "to")
    zone = ZoneInfo(workplace.firm.time_zone)
    begin = datetime.combine(first, time(), zone)
    end = datetime.combine(last + timedelta(days=1), time(), zone)
    with workplace.database.reading() as session:
        rows = earning_orders(session, begin, end, MOST_ORDERS + 1)
        if len(rows) > MOST_ORDERS:
            message = f"More than {MOST_ORDERS:,} orders were placed in these days."
            raise refuse("too-many", message, "Choose a shorter span.", "from")
        desk = _Desk(session, workplace)
        sold = list(desk.sold(rows))
    found = sum_up(sold, by)
    return EarnedView(
        by,
        first,
        last,
        workplace.firm.currency,
        ranked(found, by),
        total_of(found.values()),
        len(sold),
        len(rows) - len(sold),
    )


def earned_of_order(workplace: Workplace, session: Session, order_id: int) -> Earned | None:
    """Returns what one order earned so far; None when no rate of its currency is known."""
    desk = _Desk(session, workplace)
    sold = list(desk.sold([earning_order(session, order_id)]))
    return total_of(one for _, one in earned_by_line(sold[0])) if sold else None


class _Desk:
    """What is known of channels and rates, and asked for once."""

    def __init__(self, session: Session, workplace: Workplace) -> None:
        self._session, self._workplace = session, workplace
        self._names = channel_names_by_id(session)
        self._fees: dict[int, FeeRule] = {
            channel.id: workplace.rulebook(channel).fees for channel in channels(session)
        }
        self._rates: Rates = rates_on(session, workplace.local_now().date())

    def sold(self, rows: Sequence[EarningOrder]) -> Iterator[SoldOrder]:
        """Yields orders with what they came to; those of a currency without a rate are left out."""
        for start in range(0, len(rows), CHUNK):
            some = rows[start : start + CHUNK]
            ids = [row.id for row in some]
            by_order: dict[int, list[EarningLine]] = {}
            for line in earning_lines(self._session, ids):
                by_order.setdefault(line.order_id, []).append(line)
            parcels = carried(self._session, ids)
            for row in some:
                rate = self._rates.between(row.currency, self._workplace.firm.currency)
                if rate is not None:
                    yield self._sold(row, by_order.get(row.id, []), parcels, rate[0])

    def _sold(
        self,
        row: EarningOrder,
        lines: Sequence[EarningLine],
        parcels: Mapping[int, tuple[int, list[tuple[str, int]]]],
        rate: Decimal,
    ) -> SoldOrder:
        count, prices = parcels.get(row.id, (0, []))
        firm = self._workplace.firm
        carriage = 0
        for currency, amount in prices:
            told = self._rates.convert(Money(amount, currency or firm.currency), firm.currency)
            carriage += told.amount if told else 0
        parts: dict[int, list[EarningLine]] = {}
        for line in lines:
            if line.part_of is not None:
                parts.setdefault(line.part_of, []).append(line)
        zone = ZoneInfo(firm.time_zone)
        return SoldOrder(
            row.number,
            self._names.get(row.channel_id or 0, BY_HAND),
            row.placed_at.astimezone(zone).date(),
            tuple(
                self._line(row, line, parts.get(line.id, []))
                for line in lines
                if line.part_of is None and line.quantity
            ),
            row.delivery_price,
            carriage,
            count * firm.packaging,
            row.credited,
            rate,
        )

    def _line(self, row: EarningOrder, line: EarningLine, parts: Sequence[EarningLine]) -> SoldLine:
        amount = line.unit_price * line.quantity - line.discount
        price = amount if row.with_tax else amount + line.tax
        cost = line.cost
        if parts and cost is None and all(part.cost is not None for part in parts):
            whole = sum((part.cost or 0) * part.quantity for part in parts)
            cost = whole // line.quantity
        if line.kind == "service" and cost is None:
            cost = 0  # work that nobody has given a cost
        fees = 0
        rule = self._fees.get(row.channel_id or 0)
        if rule is not None and line.unit_price:
            fees = fees_of(line.unit_price, rule, line.category or "").total * line.quantity
        return SoldLine(line.sku or line.title, line.quantity, price, line.tax, cost, fees)


HEADINGS = (
    "Units",
    "Price",
    "Tax",
    "Fees",
    "Cost",
    "Carriage",
    "Packaging",
    "Given back",
    "Margin",
    "Currency",
    "Lines without a cost",
)


def earned_file(view: EarnedView) -> Iterator[bytes]:
    """Returns what orders earned as CSV, piece by piece."""
    rows = (
        [
            key,
            one.units,
            *(
                as_decimal(amount, view.currency)
                for amount in (
                    one.price,
                    one.tax,
                    one.fees,
                    one.cost,
                    one.carriage,
                    one.packaging,
                    one.refund,
                    one.margin,
                )
            ),
            view.currency,
            one.unknown,
        ]
        for key, one in view.rows
    )
    return write_csv([str(view.by).capitalize(), *HEADINGS], rows)
