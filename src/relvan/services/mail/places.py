"""Gathers what texts of mails can name of orders and estimates, written in the language of a text."""

from collections.abc import Mapping, Sequence
from datetime import date, datetime
from typing import Any

from babel import Locale, UnknownLocaleError
from babel.dates import format_date, get_timezone
from babel.numbers import format_currency

from relvan.core.money import as_decimal
from relvan.core.orders.draft import read_draft
from relvan.core.orders.intake import Address
from relvan.core.setup.countries import country_names
from relvan.services.orders.aside import customer_secret
from relvan.services.orders.work_out import owed_by
from relvan.services.workplace import Workplace
from relvan.store.customers import customer_by_id
from relvan.store.dispatch import parcels_by_order
from relvan.store.invoices import invoice_by_number
from relvan.store.orders import lines_of
from relvan.store.session import Session
from relvan.store.tables import Estimate, Order, OrderLine


class MailPen:
    """Writes amounts, days and countries in a language, in the seller's zone."""

    def __init__(self, workplace: Workplace, language: str) -> None:
        own = workplace.firm.locale
        try:
            Locale.parse(language or own)
            self.locale = own if own.startswith(f"{language}_") or not language else language
        except (UnknownLocaleError, ValueError):
            self.locale = own
        self._zone = get_timezone(workplace.firm.time_zone)

    def money(self, amount: int, currency: str) -> str:
        """Returns an amount in minor units as it is written with its currency."""
        return str(format_currency(as_decimal(amount, currency), currency, locale=self.locale))

    def day(self, day: date | datetime | str | None) -> str:
        """Returns a day in words, or nothing when there is none."""
        if not day:
            return ""
        found = date.fromisoformat(day) if isinstance(day, str) else day
        if isinstance(found, datetime):
            found = found.astimezone(self._zone)
        return str(format_date(found, "long", locale=self.locale))

    def country(self, code: str) -> str:
        """Returns the name of a country."""
        return country_names(self.locale).get(code, code)


def places_of_orders(
    session: Session,
    workplace: Workplace,
    orders: Sequence[Order],
    language: str = "",
    *,
    link: bool = False,
    shipment: int = 0,
) -> dict[int, dict[str, Any]]:
    """Returns what texts can name of orders, by their ids. With `link`, an order without a link for
    the customer gets one, inside a transaction; with `shipment`, parcels are only those of one."""
    pen = MailPen(workplace, language)
    ids = [order.id for order in orders]
    lines, parcels = lines_of(session, ids), parcels_by_order(session, ids)
    return {
        order.id: {
            "firm": _firm(workplace),
            "customer": {"name": order.customer, "mail": Address.read(order.ship_to).mail},
            "order": _order(workplace, pen, order, link=link),
            "address": _address(pen, order.ship_to),
            "lines": [
                _line(pen, line, order.currency) for line in lines[order.id] if not line.part_of
            ],
            "parcels": [
                {"carrier": carrier, "tracking_number": number}
                for of, carrier, number in parcels.get(order.id, ())
                if shipment in (0, of)
            ],
            "invoice": {},
            "estimate": {},
        }
        for order in orders
    }


def _firm(workplace: Workplace) -> dict[str, str]:
    firm = workplace.firm
    return {"name": firm.name, "mail": firm.address.mail}


def _order(workplace: Workplace, pen: MailPen, order: Order, *, link: bool) -> dict[str, str]:
    secret = customer_secret(workplace, order) if link else order.secret
    base = workplace.settings.base_url.rstrip("/")
    owed = owed_by(order)
    return {
        "number": order.number,
        "channel_number": order.channel_number or "",
        "reference": order.reference,
        "placed": pen.day(order.placed_at),
        "promised": pen.day(order.promised_on),
        "total": pen.money(order.total, order.currency),
        "owed": pen.money(owed, order.currency) if owed > 0 else "",
        "link": f"{base}/o/{secret}" if secret else f"{base}/o/…" if not link else "",
    }


def _address(pen: MailPen, ship_to: Mapping[str, Any]) -> dict[str, str]:
    told = Address.read(ship_to).as_dict()
    told.pop("mail")
    return {**told, "country": pen.country(told["country"])}


def _line(pen: MailPen, line: OrderLine, currency: str) -> dict[str, str]:
    amount = line.unit_price * line.quantity - line.discount
    return {
        "sku": line.sku,
        "title": line.title,
        "quantity": str(line.quantity),
        "price": pen.money(line.unit_price, currency),
        "total": pen.money(amount, currency),
    }


def places_of_invoice(
    session: Session, workplace: Workplace, number: str, language: str
) -> dict[str, str]:
    """Returns what texts can name of an invoice or credit note."""
    pen, row = MailPen(workplace, language), invoice_by_number(session, number)
    return {
        "number": row.number,
        "total": pen.money(row.payable, row.currency),
        "due_on": pen.day(row.due_on),
    }


def places_of_estimate(
    session: Session, workplace: Workplace, row: Estimate, language: str
) -> dict[str, Any]:
    """Returns what texts can name of an estimate."""
    pen, draft = MailPen(workplace, language), read_draft(row.draft)
    customer = customer_by_id(session, row.customer_id)
    base = workplace.settings.base_url.rstrip("/")
    lines = [
        {
            "sku": line.sku,
            "title": line.title or line.sku,
            "quantity": str(line.quantity),
            "price": pen.money(line.unit_price or 0, row.currency),
            "total": pen.money(
                (line.unit_price or 0) * line.quantity - line.discount, row.currency
            ),
        }
        for line in draft.lines
    ]
    return {
        "firm": _firm(workplace),
        "customer": {"name": customer.name, "mail": customer.mail},
        "order": {},
        "address": _address(pen, draft.ship_to.as_dict()),
        "lines": lines,
        "parcels": [],
        "invoice": {},
        "estimate": {
            "number": row.number,
            "total": pen.money(row.total, row.currency),
            "last_day": pen.day(row.last_day),
            "link": f"{base}/e/{row.secret}",
        },
    }
