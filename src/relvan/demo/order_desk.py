"""Lays out the order desk of the demo: trays of the firm's own, rules, and orders in every state that
the desk knows.
"""

from datetime import timedelta

from relvan.core.orders.intake import Address, IncomingLine
from relvan.core.orders.returns import ReturnTo
from relvan.core.orders.rules import Rule, RuleDeed, RuleEvent, RuleIf, RuleThen
from relvan.core.orders.trays import TrayForm
from relvan.services.orders.aside import assign_orders, set_aside, tag_orders
from relvan.services.orders.cancel import move_orders
from relvan.services.orders.invoices import credit_invoice, invoice_orders
from relvan.services.orders.payments import NewPayment, add_payment
from relvan.services.orders.returns import (
    ArrivedGoods,
    expect_return,
    receive_return,
    refund_return,
)
from relvan.services.orders.rule_book import save_rule
from relvan.services.orders.take import take_manual_order
from relvan.services.orders.trays import change_tray, create_tray
from relvan.services.workplace import Actor, Workplace
from relvan.store.invoices import InvoiceFilter, invoice_by_number, invoice_page
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import order_page

WHOLESALE = "wholesale"
ASK = TrayForm(
    "Ask the customer", "rose", 3, "We have a question about your order and have written to you."
)
TRAYS = (ASK, TrayForm("Wholesale", "straw"))
RULES = (
    Rule(
        "Wholesale has a tray of its own",
        RuleEvent.TAKEN,
        (RuleThen(RuleDeed.MOVE, WHOLESALE), RuleThen(RuleDeed.TAG, WHOLESALE)),
        RuleIf(channels=("none",), at_least=500_00),
    ),
    Rule(
        "Dear parcels are looked at",
        RuleEvent.RESERVED,
        (RuleThen(RuleDeed.TAG, "check-address"),),
        RuleIf(at_least=80_00),
    ),
    Rule(
        "Invoice what has left",
        RuleEvent.SHIPPED,
        (RuleThen(RuleDeed.INVOICE),),
        active=False,
    ),
)
TEA_ROOMS = Address(
    "Larkspur Tea Rooms", "1 Quay Street", "Tarnhollow", "T12 K4P1", "IE", "tea@example.com"
)


def lay_out_desk(workplace: Workplace, owner: Actor) -> None:
    """Creates the trays of the firm's own and its rules, before orders come in."""
    for form in TRAYS:
        create_tray(workplace, owner, form)
    change_tray(workplace, owner, "inbox", TrayForm("Inbox", "lake", 2, "We have your order."))
    for rule in RULES:
        save_rule(workplace, owner, rule)


def sell_on_account(workplace: Workplace, owner: Actor) -> None:
    """Takes an order by telephone that is paid later."""
    lines = (IncomingLine("", "PT-14-OCH", "Glazed pot", 4, 1690),)
    take_manual_order(workplace, owner, lines, TEA_ROOMS, paid=False)


def order_for_a_gift(workplace: Workplace, owner: Actor) -> str:
    """Takes an order of several goods by telephone, which fills a carton; returns its number."""
    goods = (("PT-14-CEL", 2), ("PT-09-CEL", 2), ("TL-TROWEL", 1), ("TL-DIBBER", 1))
    lines = tuple(IncomingLine("", sku, "Gift", units, 1490) for sku, units in goods)
    return take_manual_order(workplace, owner, lines, TEA_ROOMS, paid=True)


def keep_books(workplace: Workplace, owner: Actor) -> None:
    """Invoices what has been shipped and is open."""
    with workplace.database.reading() as session:
        rows = order_page(session, OrderFilter(shipped=("all",), invoiced=("open",)), limit=500)
    invoice_orders(workplace, owner, [row.number for row in reversed(rows)])


def leave_every_state(workplace: Workplace, owner: Actor) -> None:
    """Leaves orders set aside, tagged, assigned and asked about; a credit note with its refund; and a
    payment that waits to be released."""
    with workplace.database.reading() as session:
        inbox = order_page(session, OrderFilter(tray=("inbox",)), limit=8)
        billed = invoice_page(session, InvoiceFilter(kind="invoice", owed="paid"), limit=9)
        owed = invoice_page(session, InvoiceFilter(owed="owed"), limit=1)
    numbers = [row.number for row in inbox]
    today = workplace.local_now().date()
    set_aside(workplace, owner, numbers[:1], "waits for the new glaze", today + timedelta(days=4))
    move_orders(workplace, owner, numbers[1:3], "ask-the-customer")
    tag_orders(workplace, owner, numbers[3:5], "gift")
    assign_orders(workplace, owner, numbers[1:2], "noor")
    given_back = billed[-1]
    note = credit_invoice(workplace, owner, given_back.number, "A pot arrived broken", {1: 1})
    with workplace.database.reading() as session:
        refunded = invoice_by_number(session, note).payable
    add_payment(workplace, owner, NewPayment(given_back.order, -refunded, "transfer"))
    _expect_returns(workplace, owner)
    for row in owed:
        add_payment(
            workplace,
            owner,
            NewPayment(row.order, row.owed // 2, "cheque", "provisional", note="cheque 4411"),
        )


def _expect_returns(workplace: Workplace, owner: Actor) -> None:
    """Leaves a return that is expected, one that was received, and one that was refunded."""
    sent = OrderFilter(shipped=("all",), invoiced=("all",))
    with workplace.database.reading() as session:
        rows = order_page(session, sent, limit=6)
    reasons = ("Does not fit the shelf", "A chip in the rim", "Ordered twice")
    for place, (row, reason) in enumerate(zip(rows[3:], reasons, strict=True)):
        number = expect_return(workplace, owner, row.number, {1: 1}, reason)
        if place:
            to = ReturnTo.BLOCKED if place == 1 else ReturnTo.STOCK
            receive_return(workplace, owner, number, [ArrivedGoods(1, 1, to)], "millrace")
        if place == len(reasons) - 1:
            refund_return(workplace, owner, number)
