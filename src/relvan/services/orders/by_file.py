"""Rehearses orders that come by file: says of each what would be taken, without changing anything."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date
from decimal import Decimal

from relvan.core.catalogue.identity import sku_key
from relvan.core.imports.blocks import Row
from relvan.core.imports.things import Found, Thing
from relvan.core.jobs.life import JobVerdict
from relvan.core.money import as_decimal
from relvan.core.orders.by_file import (
    FileCase,
    FiledLine,
    FiledOrder,
    read_filed_order,
)
from relvan.core.orders.by_hand import price_of_line
from relvan.core.orders.filed_prices import (
    KnownGoods,
    PricedFiledOrder,
    filed_data,
    notes_of,
    price_filed_order,
)
from relvan.core.orders.tax_case import TaxCase, rates_in, tax_case
from relvan.services.orders.addresses import check_written_address
from relvan.services.orders.judge import price_sources
from relvan.services.workplace import Workplace
from relvan.store.catalogue import products_by_code
from relvan.store.customers import customers_by_mail, customers_by_number
from relvan.store.orders import numbers_by_reference
from relvan.store.session import Session
from relvan.store.tables import Customer

CHUNK = 500


def rehearse_orders(workplace: Workplace, _kind: str, things: Sequence[Thing]) -> list[Found]:
    """Returns what would become of each order of a file: taken, skipped because its reference was
    taken before, or refused."""
    addressed = any(
        name in row.values or name in row.empty
        for thing in things[:1]
        for row in thing.rows[:1]
        for name in ("street", "town")
    )
    firm = workplace.firm
    today = workplace.local_now().date()
    case = FileCase(today, workplace.tax.home or "", firm.currency, addressed)
    found: list[Found] = []
    for start in range(0, len(things), CHUNK):
        with workplace.database.reading() as session:
            found += _some(session, workplace, things[start : start + CHUNK], case)
    return found


def _some(
    session: Session, workplace: Workplace, things: Sequence[Thing], case: FileCase
) -> list[Found]:
    before = numbers_by_reference(session, [thing.sku for thing in things if thing.sku])
    fresh = [thing for thing in things if thing.sku.casefold() not in before]
    orders = [read_filed_order(thing.sku, thing.rows, case) for thing in fresh]
    desk = FileDesk(session, workplace, orders)
    found = {id(thing): _judge(desk, thing, one) for thing, one in zip(fresh, orders, strict=True)}
    for thing in things:
        if id(thing) not in found:
            note = f"It was taken before, as {before[thing.sku.casefold()]}."
            found[id(thing)] = Found(thing, JobVerdict.SAME, None, [], note)
    for thing in things:
        for row in thing.rows:  # a file may be long: what is read is kept in the verdict
            row.values = {}
    return [found[id(thing)] for thing in things]


def _judge(desk: "FileDesk", thing: Thing, order: FiledOrder) -> Found:
    rows = {row.position: row for row in thing.rows}
    priced = desk.priced(order, rows)
    if not thing.sku or any(row.refusals for row in thing.rows):
        return Found(thing, JobVerdict.REFUSED, None, [])
    written = order.ship_to.street and check_written_address(order.ship_to)
    notes = [*notes_of(priced), *(f"{one.message} {one.fix}" for one in (written or ())[:1])]
    more = filed_data(priced)
    return Found(thing, JobVerdict.NEW, _change(priced), [], " ".join(notes), more)


def _change(order: PricedFiledOrder) -> dict[str, list[str | None]]:
    """Returns what would be taken, in words for the list of rows."""
    goods = ", ".join(
        f"{line.filed.quantity} x {line.filed.sku or line.filed.title}" for line in order.lines[:4]
    )
    left = len(order.lines) - 4
    if left > 0:
        goods += f" and {left} more {'line' if left == 1 else 'lines'}"
    total = f"{as_decimal(order.total, order.filed.currency)} {order.filed.currency}"
    said = {"customer": order.filed.ship_to.name, "goods": goods, "total": total}
    return {name: [None, value] for name, value in said.items()}


class FileDesk:
    """What the lines of some orders may name: products, rates and price lists. Each is asked for once
    for all of them."""

    def __init__(
        self, session: Session, workplace: Workplace, orders: Sequence[FiledOrder]
    ) -> None:
        self._session, self._workplace = session, workplace
        skus = {line.sku for order in orders for line in order.lines if line.sku}
        self._known = products_by_code(session, list(skus))
        mails = {order.ship_to.mail for order in orders} - {""}
        self._by_mail = customers_by_mail(session, list(mails))
        numbers = {order.customer for order in orders} - {""}
        self._by_number = customers_by_number(session, list(numbers))
        self._rates: dict[tuple[TaxCase, date], Mapping[str, Decimal]] = {}

    def customer(self, order: FiledOrder) -> Customer | None:
        """Returns the customer by mail address or number, or None."""
        mail = order.ship_to.mail.casefold()
        return self._by_mail.get(mail) or self._by_number.get(order.customer.casefold())

    def know(self, customer: Customer) -> None:
        """Keeps a customer who was created for an earlier order of the file."""
        self._by_mail[customer.mail.casefold()] = customer

    def tax_case(self, order: FiledOrder) -> TaxCase:
        """Returns how an order is taxed."""
        customer = self.customer(order)
        number = order.tax_number or (customer.tax_number if customer else "")
        country = order.ship_to.country or self._workplace.tax.home
        return tax_case(self._workplace.tax, country, number=number)

    def goods(self, order: FiledOrder, percents: Mapping[str, Decimal]) -> list[KnownGoods]:
        """Returns what is known of the goods of every line, with a price where the file has none."""
        found = [self._goods_of(line) for line in order.lines]
        open_lines = [
            (at, line, known)
            for at, (line, known) in enumerate(zip(order.lines, found, strict=True))
            if line.price is None and known.product
        ]
        if open_lines:
            ids = [known.product for _, _, known in open_lines]
            customer = self.customer(order)
            sources = price_sources(self._session, order.currency, customer, ids)
            for at, line, known in open_lines:
                own, lists = sources(known.product)
                percent = percents[known.tax_code]
                price = price_of_line(
                    line.quantity, percent, own=own, lists=lists, with_tax=order.with_tax
                ).price
                found[at] = replace(known, price=price)
        return found

    def _goods_of(self, line: FiledLine) -> KnownGoods:
        told = self._known.get(sku_key(line.sku)) if line.sku else None
        return KnownGoods(told[0], told[1], told[2] or "standard") if told else KnownGoods()

    def priced(self, order: FiledOrder, rows: Mapping[int, Row]) -> PricedFiledOrder:
        """Returns an order with its prices and taxes."""
        case = self.tax_case(order)
        key = (case, order.placed)
        if key not in self._rates:
            self._rates[key] = rates_in(self._workplace.tax, case, order.placed)
        rates = self._rates[key]
        return price_filed_order(order, self.goods(order, rates), rates, rows)
