"""Holds steps of tests about orders."""

from relvan.core.orders.intake import Address, IncomingLine
from relvan.services.orders.take import take_manual_order
from tests.house import (
    orders,
)

ADA = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL", "ada@example.com")


def take(workplace, owner, *lines, paid=True):
    found = tuple(IncomingLine("", sku, sku, units, 1690) for sku, units in lines)
    return take_manual_order(workplace, owner, found, ADA, paid=paid)


def one(workplace, number):
    return next(row for row in orders(workplace) if row.number == number)
