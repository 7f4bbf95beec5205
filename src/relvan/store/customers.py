"""Queries over customers, their addresses and prices, and over estimates."""

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import ColumnElement, case, delete, func, or_, select, update
from sqlalchemy.orm import Session

from relvan.core.orders.intake import Address
from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.tables import (
    AuditEntry,
    Customer,
    CustomerAddress,
    CustomerPrice,
    Estimate,
    Order,
    PriceBreak,
    PriceList,
)

ALIVE = Customer.merged_into_id.is_(None)


def customer_by_number(session: Session, number: str) -> Customer:
    """Returns a customer by number; of one that was merged, the one who stayed."""
    row = session.scalar(select(Customer).where(Customer.number == number))
    if row is None:
        raise not_found("customer", number)
    return session.get_one(Customer, row.merged_into_id) if row.merged_into_id else row


def customer_by_mail(session: Session, mail: str) -> Customer | None:
    """Returns the customer with a mail address, or None."""
    wanted = select(Customer).where(Customer.mail == mail, Customer.mail != "", ALIVE)
    return session.scalar(wanted)


def customers_by_mail(session: Session, mails: Collection[str]) -> dict[str, Customer]:
    """Returns customers by their mail addresses in small letters."""
    if not mails:
        return {}
    wanted = select(Customer).where(among(Customer.mail, mails), Customer.mail != "", ALIVE)
    return {row.mail.casefold(): row for row in session.scalars(wanted)}


def customers_by_number(session: Session, numbers: Collection[str]) -> dict[str, Customer]:
    """Returns customers by their numbers in small letters; those that were merged or forgotten are
    left out."""
    if not numbers:
        return {}
    wanted = select(Customer).where(
        among(Customer.number, numbers), ALIVE, Customer.forgotten_at.is_(None)
    )
    return {row.number.casefold(): row for row in session.scalars(wanted)}


def add_missing_addresses(session: Session, wanted: Collection[CustomerAddress]) -> None:
    """Adds addresses of customers that are not kept yet; of those that lead to the same place as one that is
    kept, only a telephone number is taken over."""
    ids = {one.customer_id for one in wanted}
    rows = session.scalars(select(CustomerAddress).where(among(CustomerAddress.customer_id, ids)))
    there = {(row.customer_id, Address.read(row.address).mark): row for row in rows}
    for one in wanted:
        told = Address.read(one.address)
        kept = there.get((one.customer_id, told.mark))
        if kept is None:
            session.add(one)
        elif told.phone:
            kept.address = told.as_dict()


def customer_by_id(session: Session, customer_id: int) -> Customer:
    """Returns the customer with an id. The customer must exist."""
    return session.get_one(Customer, customer_id)


@dataclass(frozen=True)
class Bought:
    """What a customer has bought in a currency, in minor units, and what of that is not paid (below 0:
    to be given back), in how many orders that are not cancelled, and when the last was placed. What was
    credited or cancelled is left out of the amounts."""

    currency: str
    total: int
    owed: int
    orders: int
    last: datetime | None


@dataclass(frozen=True)
class CustomerRow:
    """A customer as a list shows it: how many orders are not cancelled, when the last one was placed, and
    what was bought by currency, that of most orders first."""

    id: int
    number: str
    name: str
    mail: str
    orders: int = 0
    last: datetime | None = None
    bought: tuple[Bought, ...] = ()


def customer_page(
    session: Session, words: str = "", *, after: str = "", limit: int = 50
) -> list[CustomerRow]:
    """Returns customers by name, starting after one of them by number."""
    page = select(Customer.id, Customer.number, Customer.name, Customer.mail)
    page = page.where(*_found_by(words)).order_by(Customer.name, Customer.id)
    if after:
        last = customer_by_number(session, after)
        beyond = or_(
            Customer.name > last.name, (Customer.name == last.name) & (Customer.id > last.id)
        )
        page = page.where(beyond)
    found = session.execute(page.limit(limit)).all()
    sums = sums_of_customers(session, [row.id for row in found])
    return [
        CustomerRow(
            row.id,
            row.number,
            row.name,
            row.mail,
            sum(one.orders for one in sums[row.id]),
            max((one.last for one in sums[row.id] if one.last), default=None),
            sums[row.id],
        )
        for row in found
    ]


def sums_of_customers(
    session: Session, customer_ids: Collection[int]
) -> dict[int, tuple[Bought, ...]]:
    """Returns what customers have bought, in the currency of most orders first."""
    counts = Order.cancelled_at.is_(None)
    orders = func.sum(case((counts, 1), else_=0))
    due = Order.total - Order.credited
    wanted = (
        select(
            Order.customer_id,
            Order.currency,
            func.sum(due),
            func.sum(due - Order.paid),
            orders,
            func.max(case((counts, Order.placed_at))),
        )
        .where(among(Order.customer_id, customer_ids))
        .group_by(Order.customer_id, Order.currency)
        .order_by(orders.desc(), Order.currency)
    )
    found: dict[int, tuple[Bought, ...]] = defaultdict(tuple)
    for customer_id, currency, total, owed, count, last in session.execute(wanted):
        if count or owed:
            found[customer_id] += (Bought(currency, int(total), int(owed), int(count), last),)
    return found


def _found_by(words: str) -> list[ColumnElement[bool]]:
    text = words.strip().replace("%", "").replace("_", "")
    if not text:
        return [ALIVE]
    return [
        ALIVE,
        or_(
            Customer.number.like(f"{text}%"),
            Customer.name.like(f"%{text}%"),
            Customer.mail.like(f"{text}%"),
        ),
    ]


def addresses_of(session: Session, customer_id: int) -> list[CustomerAddress]:
    """Returns the addresses of a customer, the newest first."""
    wanted = select(CustomerAddress).where(CustomerAddress.customer_id == customer_id)
    return list(session.scalars(wanted.order_by(CustomerAddress.id.desc())))


def prices_of_customer(session: Session, customer_id: int) -> list[CustomerPrice]:
    """Returns a customer's own prices."""
    wanted = select(CustomerPrice).where(CustomerPrice.customer_id == customer_id)
    return list(session.scalars(wanted.order_by(CustomerPrice.product_id)))


def own_prices(
    session: Session, customer_id: int, product_ids: Collection[int], currency: str
) -> dict[int, CustomerPrice]:
    """Returns a customer's own prices of products in a currency, by product."""
    wanted = select(CustomerPrice).where(
        CustomerPrice.customer_id == customer_id,
        CustomerPrice.currency == currency,
        among(CustomerPrice.product_id, product_ids),
    )
    return {row.product_id: row for row in session.scalars(wanted)}


def breaks_of(
    session: Session, list_ids: Collection[int], product_ids: Collection[int]
) -> dict[tuple[int, int], list[tuple[int, int]]]:
    """Returns the quantity breaks of price lists, by (list, product)."""
    wanted = select(
        PriceBreak.price_list_id, PriceBreak.product_id, PriceBreak.least, PriceBreak.amount
    ).where(PriceBreak.price_list_id.in_(list_ids), among(PriceBreak.product_id, product_ids))
    found: dict[tuple[int, int], list[tuple[int, int]]] = {}
    for list_id, product_id, least, amount in session.execute(wanted):
        found.setdefault((list_id, product_id), []).append((least, amount))
    return found


def lists_in(session: Session, currency: str, first: int | None) -> list[PriceList]:
    """Returns the price lists of a currency, a customer's own first."""
    wanted = select(PriceList).where(PriceList.currency == currency).order_by(PriceList.id)
    return sorted(session.scalars(wanted), key=lambda row: row.id != first)


def give_orders(session: Session, loser: int, winner: int) -> int:
    """Gives all orders, estimates, addresses and prices of one customer to another; returns how many
    orders they were. Of two own prices the one of the customer who stays holds."""
    orders = session.execute(
        update(Order).where(Order.customer_id == loser).values(customer_id=winner)
    )
    session.execute(
        update(Estimate).where(Estimate.customer_id == loser).values(customer_id=winner)
    )
    session.execute(
        update(CustomerAddress)
        .where(CustomerAddress.customer_id == loser)
        .values(customer_id=winner)
    )
    kept = select(CustomerPrice.product_id).where(CustomerPrice.customer_id == winner)
    session.execute(
        delete(CustomerPrice).where(
            CustomerPrice.customer_id == loser, CustomerPrice.product_id.in_(kept)
        )
    )
    session.execute(
        update(CustomerPrice).where(CustomerPrice.customer_id == loser).values(customer_id=winner)
    )
    return int(getattr(orders, "rowcount", 0))


def delete_details(session: Session, customer_id: int) -> None:
    """Deletes the addresses and the own prices of a customer."""
    for table in (CustomerAddress, CustomerPrice):
        session.execute(delete(table).where(table.customer_id == customer_id))


def empty_entries_about(
    session: Session, customer_id: int, order_ids: Collection[int], deed: str
) -> None:
    """Empties what the audit trail tells of a customer who is to be forgotten: all of the customer,
    and of the orders what one deed has written. Who did what and when stays."""
    of_customer = (AuditEntry.subject_kind == "customer") & (AuditEntry.subject_id == customer_id)
    of_orders = (
        (AuditEntry.subject_kind == "order")
        & among(AuditEntry.subject_id, order_ids)
        & (AuditEntry.deed == deed)
    )
    session.execute(update(AuditEntry).where(of_customer | of_orders).values(changes={}))


def orders_of_customer(session: Session, customer_id: int, limit: int = 200) -> list[Order]:
    """Returns the orders of a customer, the newest first."""
    wanted = select(Order).where(Order.customer_id == customer_id)
    return list(session.scalars(wanted.order_by(Order.id.desc()).limit(limit)))


def doubles_of(session: Session, customer: Customer, limit: int = 5) -> list[Customer]:
    """Returns customers who may be the same person: by name or telephone number."""
    same = [Customer.name == customer.name]
    if customer.phone:
        same.append(Customer.phone == customer.phone)
    wanted = select(Customer).where(Customer.id != customer.id, ALIVE, or_(*same))
    wanted = wanted.where(Customer.forgotten_at.is_(None))
    return list(session.scalars(wanted.order_by(Customer.id).limit(limit)))


def estimate_by_number(session: Session, number: str) -> Estimate:
    """Returns an estimate by its number."""
    row = session.scalar(select(Estimate).where(Estimate.number == number))
    if row is None:
        raise not_found("estimate", number)
    return row


def estimate_by_id(session: Session, estimate_id: int) -> Estimate:
    """Returns an estimate by its id."""
    row = session.get(Estimate, estimate_id)
    if row is None:
        raise not_found("estimate", estimate_id)
    return row


def estimate_by_secret(session: Session, secret: str) -> Estimate:
    """Returns the estimate that a link opens."""
    row = session.scalar(select(Estimate).where(Estimate.secret == secret, Estimate.secret != ""))
    if row is None:
        raise not_found("estimate", secret[:12])
    return row


def estimate_rows(
    session: Session, state: str = "", limit: int = 200
) -> list[tuple[Estimate, str]]:
    """Returns estimates with the names of their customers, the newest first."""
    wanted = select(Estimate, Customer.name).join(Customer, Customer.id == Estimate.customer_id)
    if state:
        wanted = wanted.where(Estimate.state == state)
    rows = session.execute(wanted.order_by(Estimate.id.desc()).limit(limit))
    return [(row, name) for row, name in rows]


def order_of_estimate(session: Session, estimate_id: int) -> str | None:
    """Returns the number of the order that an estimate became, or None."""
    return session.scalar(select(Order.number).where(Order.estimate_id == estimate_id))


def address_of_order(session: Session, order: Order) -> str:
    """Returns the mail address of an order, or that of its customer."""
    told = Address.read(order.ship_to).mail.strip()
    if told or order.customer_id is None:
        return told
    return customer_by_id(session, order.customer_id).mail
