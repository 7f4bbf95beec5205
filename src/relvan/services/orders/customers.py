"""Customers: creating and changing them, merging doubles, and forgetting a person while the books
stay.
"""

from collections.abc import Mapping
from typing import Any

from relvan.core.orders.draft import OrderDraft
from relvan.core.orders.intake import Address
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, refuse, refuse_if_any
from relvan.core.setup.numbering import Series
from relvan.services import audit
from relvan.services.counters import next_number
from relvan.services.orders.addresses import (
    check_written_address,
    with_written_phone,
    written_phone,
)
from relvan.services.orders.readdress import ADDRESS_CHANGED, keep_told_address
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.customers import (
    add_missing_addresses,
    customer_by_mail,
    customer_by_number,
    delete_details,
    empty_entries_about,
    give_orders,
    orders_of_customer,
    prices_of_customer,
)
from relvan.store.prices import price_list_by_key
from relvan.store.session import Session
from relvan.store.tables import Customer, CustomerAddress, CustomerPrice

TEXTS = {"name": 200, "mail": 200, "phone": 40, "tax_number": 40, "notes": 4_000}
FORGOTTEN = "Forgotten"


def save_customer(
    workplace: Workplace, actor: Actor, wish: Mapping[str, Any], number: str = ""
) -> str:
    """Creates a customer, or changes what a wish names of one; returns the number.

    Raises:
        Refused: if a mail address is taken, or something is wrong.
    """
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        row = customer_by_number(session, number) if number else None
        refuse_if_any(_check(session, wish, row))
        fresh = row is None
        if row is None:
            row = Customer(
                number=next_number(session, Series.CUSTOMER, workplace.local_now()),
                name="",
                made_at=workplace.now(),
            )
            session.add(row)
        changes = _apply(session, row, wish)
        session.flush()
        if fresh or changes:
            subject = audit.Subject("customer", row.id)
            deed = "created" if fresh else "changed"
            audit.record(session, actor, workplace.now(), subject, deed, changes)
        return row.number


def _check(session: Session, wish: Mapping[str, Any], row: Customer | None) -> list[Refusal]:
    found = []
    if row is not None and row.forgotten_at is not None:
        message = f"“{row.number}” was forgotten."
        raise refuse("forgotten", message, "Create a new customer.")
    if (row is None or "name" in wish) and not str(wish.get("name", "")).strip():
        found.append(Refusal("missing", "“Name” must not be empty.", "Type a name.", "name"))
    for name, most in TEXTS.items():
        if len(str(wish.get(name, ""))) > most:
            message = f"“{name.capitalize()}” must have at most {most} characters."
            found.append(Refusal("too-long", message, "Shorten it.", name))
    mail = str(wish.get("mail", "")).strip()
    if mail:
        if "@" not in mail.strip("@"):
            message = f"“{mail[:40]}” is no mail address."
            found.append(Refusal("form", message, "Type it like ada@example.com.", "mail"))
        other = customer_by_mail(session, mail)
        if other is not None and (row is None or other.id != row.id):
            message = f"“{mail}” belongs to {other.name}, {other.number}."
            found.append(Refusal("taken", message, "Change that customer, or merge both.", "mail"))
    return found


def _apply(session: Session, row: Customer, wish: Mapping[str, Any]) -> dict[str, tuple[Any, Any]]:
    bill_to = Address.read(wish["bill_to"]) if wish.get("bill_to") else None
    told = {name: str(wish[name]).strip() for name in TEXTS if name in wish}
    if told.get("phone"):
        country = bill_to.country if bill_to else Address.read(row.bill_to or {}).country
        told["phone"] = written_phone(told["phone"], country)
    changes: dict[str, tuple[Any, Any]] = {}
    for name, value in told.items():
        if getattr(row, name) != value:
            changes[name] = (getattr(row, name), value)
            setattr(row, name, value)
    if bill_to is not None:
        row.bill_to = bill_to.as_dict()
    if "price_list" in wish:
        key = str(wish["price_list"] or "")
        row.price_list_id = price_list_by_key(session, key).id if key else None
    return changes


def customer_for(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    known: Customer | None,
    draft: OrderDraft,
) -> Customer | None:
    """Returns the customer of a draft: the one who is known, else a new one if there is a mail
    address. The delivery address belongs to the order; it is remembered beside those before and
    changes nothing else of the customer."""
    mail = draft.mail or draft.ship_to.mail
    row = known or (customer_by_mail(session, mail) if mail else None)
    if row is None:
        if not mail:
            return None
        row = Customer(
            number=next_number(session, Series.CUSTOMER, workplace.local_now()),
            name=draft.ship_to.name,
            mail=mail,
            phone=draft.ship_to.phone,
            made_at=workplace.now(),
        )
        session.add(row)
        session.flush()
        subject = audit.Subject("customer", row.id)
        audit.record(session, actor, workplace.now(), subject, "created", {})
    address = CustomerAddress(customer_id=row.id, address=draft.ship_to.as_dict())
    add_missing_addresses(session, [address])
    return row


def add_customer_address(workplace: Workplace, actor: Actor, number: str, address: Address) -> None:
    """Adds a delivery address, checked by the rules of its country."""
    actor.must(Right.ORDERS)
    refuse_if_any(check_written_address(address))
    address = with_written_phone(address)
    with workplace.database.writing() as session:
        row = customer_by_number(session, number)
        told = CustomerAddress(customer_id=row.id, address=address.as_dict())
        add_missing_addresses(session, [told])


def set_own_price(
    workplace: Workplace,
    actor: Actor,
    number: str,
    sku: str,
    price: tuple[int, str, bool] | None,
) -> None:
    """Sets a customer's own price of a product: (minor units, currency, with tax inside); with None
    it is deleted."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        row, product = customer_by_number(session, number), find_product(session, sku)
        before = [
            one for one in prices_of_customer(session, row.id) if one.product_id == product.id
        ]
        if price is None:
            for one in before:
                session.delete(one)
        else:
            amount, currency, with_tax = price
            if amount <= 0:
                raise refuse("out-of-range", "A price must be more than 0.", "Correct it.", "price")
            for one in before:
                if one.currency == currency:
                    session.delete(one)
            session.flush()
            session.add(
                CustomerPrice(
                    customer_id=row.id,
                    product_id=product.id,
                    currency=currency,
                    amount=amount,
                    with_tax=with_tax,
                )
            )
        subject = audit.Subject("customer", row.id)
        changes = {f"price of {product.sku}": (None, price[0] if price else None)}
        audit.record(session, actor, workplace.now(), subject, "changed", changes)


def merge_customers(workplace: Workplace, actor: Actor, number: str, other: str) -> int:
    """Merges a double into a customer: orders, addresses and prices go to the one who stays, and the
    other's number leads there. Returns how many orders went."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        stays, goes = customer_by_number(session, number), customer_by_number(session, other)
        if stays.id == goes.id:
            message = f"“{number}” and “{other}” are the same customer."
            raise refuse("not-allowed", message, "Choose another one.", "other")
        moved = give_orders(session, goes.id, stays.id)
        goes.merged_into_id = stays.id
        for name in ("mail", "phone", "tax_number"):
            if not getattr(stays, name):
                value = getattr(goes, name)
                setattr(goes, name, "")
                session.flush()
                setattr(stays, name, value)
        if goes.notes:
            stays.notes = f"{stays.notes}\n{goes.notes}".strip()
        subject = audit.Subject("customer", stays.id)
        changes = {"merged": ("", f"{goes.name}, {goes.number}")}
        audit.record(session, actor, workplace.now(), subject, "merged", changes)
        return moved


def forget_customer(workplace: Workplace, actor: Actor, number: str) -> int:
    """Deletes what is known of a person: name, addresses, mail, telephone number, notes and prices,
    also on their orders. Numbers, amounts and issued invoices stay, as the law wants it. Returns how
    many orders were changed.

    Raises:
        Refused: while an order of theirs is not shipped or not cancelled.
    """
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        row = customer_by_number(session, number)
        orders = orders_of_customer(session, row.id, limit=100_000)
        for order in orders:
            if order.cancelled_at is None and order.fact_shipped != "all":
                message = f"“{order.number}” is not shipped yet and needs the address."
                raise refuse("in-use", message, "Ship it or cancel it first.")
        for order in orders:
            keep_told_address(order)  # so that later news of the channel does not bring it back
            country = Address.read(order.ship_to).country
            order.customer = FORGOTTEN
            order.ship_to = Address(name=FORGOTTEN, country=country).as_dict()
            order.bill_to, order.reference, order.secret = None, "", ""
        delete_details(session, row.id)
        empty_entries_about(session, row.id, [order.id for order in orders], ADDRESS_CHANGED)
        row.name, row.mail, row.phone, row.tax_number, row.notes = FORGOTTEN, "", "", "", ""
        row.bill_to, row.price_list_id, row.forgotten_at = {}, None, workplace.now()
        subject = audit.Subject("customer", row.id)
        audit.record(session, actor, workplace.now(), subject, "forgotten", {})
        return len(orders)
