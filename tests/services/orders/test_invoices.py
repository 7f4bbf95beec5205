"""Tests issuing invoices and credit notes: numbers without holes, parts, and what never changes."""

import io
import threading

import pypdfium2
import pytest
from lxml import etree
from pypdf import PdfReader

from relvan.core.orders.invoicing import sums_of
from relvan.core.refusal import NotAllowed, NotFound, Refused
from relvan.documents.invoice import InvoiceStyle, invoice_pdf
from relvan.documents.ubl import ubl_of
from relvan.services.orders.cancel import cancel_orders
from relvan.services.orders.invoices import credit_invoice, invoice_lines, invoice_orders
from relvan.services.orders.papers import invoice_paper
from relvan.services.orders.payments import (
    NewPayment,
    add_payment,
    owed_by,
    release_payments,
    void_payment,
)
from relvan.services.setup.firm import change_firm, change_series
from relvan.store.invoices import invoices_of_order, lines_of_invoice
from relvan.store.orders import lines_of, order_by_number
from tests.house import add_pot, assert_sound, orders
from tests.steps.books import FIRM
from tests.steps.catalogue import kit
from tests.steps.en16931 import faults_of
from tests.steps.orders import one, take

STYLE = InvoiceStyle("en_IE", "", {"NL": "Netherlands"})


@pytest.fixture
def books(desk, owner):
    """Describes the firm, so that it may issue invoices."""
    change_firm(desk, owner, FIRM)
    return desk


def issued(workplace, number):
    with workplace.database.reading() as session:
        order = order_by_number(session, number)
        return [(row.number, row.kind, row.payable) for row in invoices_of_order(session, order.id)]


def line_ids(workplace, number):
    with workplace.database.reading() as session:
        order = order_by_number(session, number)
        return [line.id for line in lines_of(session, [order.id])[order.id]]


def test_an_order_is_invoiced_once_and_closed_when_it_is_shipped_too(books, owner):
    number = take(books, owner, ("PT-14", 2), ("PT-18", 1))
    for _ in range(2):
        (verdict,) = invoice_orders(books, owner, [number])
        assert verdict.ok
    assert issued(books, number) == [("I-1001", "invoice", 5070)]
    assert one(books, number).words == "3 of 3 to pick, invoiced, paid"
    paper = invoice_paper(books, "I-1001")
    assert (paper.prepaid, paper.due, paper.seller["vat_number"]) == (5070, 0, "IE6433435F")
    assert faults_of(ubl_of(paper)) == []
    assert_sound(books)


def test_numbers_follow_one_another_whatever_is_refused_between(books, owner):
    numbers = [take(books, owner, ("PT-14", 1)) for _ in range(3)]
    cancel_orders(books, owner, numbers[1:2])
    verdicts = invoice_orders(books, owner, [*numbers, "O-9"])
    assert [(verdict.ok, verdict.code) for verdict in verdicts] == [
        (True, ""),
        (False, "cancelled"),
        (True, ""),
        (False, "not-found"),
    ]
    assert [verdict.message for verdict in verdicts if verdict.ok] == ["I-1001", "I-1002"]
    assert_sound(books)


def test_two_people_who_invoice_the_same_orders_issue_each_once(books, owner):
    numbers = [take(books, owner, ("PT-14", 1)) for _ in range(4)]
    told = []

    def run():
        told.extend(invoice_orders(books, owner, numbers))

    threads = [threading.Thread(target=run) for _ in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert all(verdict.ok for verdict in told)
    assert sorted(found for number in numbers for found, *_ in issued(books, number)) == [
        "I-1001",
        "I-1002",
        "I-1003",
        "I-1004",
    ]
    assert_sound(books)


def test_parts_of_an_order_are_invoiced_and_add_up(books, owner):
    number = take(books, owner, ("PT-14", 3), ("PT-18", 1))
    pots, others = line_ids(books, number)
    assert invoice_lines(books, owner, number, {pots: 1}) == "I-1001"
    assert one(books, number).words.endswith("part invoiced, paid")
    invoice_lines(books, owner, number, {pots: 2, others: 1})
    assert [payable for _, _, payable in issued(books, number)] == [1690, 5070]
    assert one(books, number).words.endswith("invoiced, paid")
    assert_sound(books)


@pytest.mark.parametrize("units", [{"first": 4}, {"first": -1}, {"nobody": 1}, {}])
def test_more_than_is_open_and_nothing_at_all_are_refused(books, owner, units):
    number = take(books, owner, ("PT-14", 3))
    (first,) = line_ids(books, number)
    wanted = {first if name == "first" else 999: count for name, count in units.items()}
    with pytest.raises(Refused):
        invoice_lines(books, owner, number, wanted)
    assert issued(books, number) == []


def test_only_what_was_shipped_is_invoiced_when_that_is_wanted(books, owner):
    number = take(books, owner, ("PT-14", 2))
    (verdict,) = invoice_orders(books, owner, [number], shipped_only=True)
    assert (verdict.ok, verdict.code) == (False, "nothing")


def test_a_kit_stands_on_the_invoice_and_its_parts_do_not(books, owner):
    kit(books, owner, "KT", ("PT-14", 1), ("PT-18", 1))
    number = take(books, owner, ("KT", 1))
    invoice_orders(books, owner, [number])
    with books.database.reading() as session:
        order = order_by_number(session, number)
        (row,) = invoices_of_order(session, order.id)
        assert [line.sku for line in lines_of_invoice(session, row.id)] == ["KT"]
    assert one(books, number).words.endswith("invoiced, paid")
    assert_sound(books)


def test_without_a_firm_or_its_tax_number_nothing_is_issued(desk, owner):
    number = take(desk, owner, ("PT-14", 1))
    (verdict,) = invoice_orders(desk, owner, [number])
    assert (verdict.ok, verdict.code, "Setup" in verdict.fix) == (False, "firm", True)
    change_firm(desk, owner, {**FIRM, "vat_number": ""})
    (verdict,) = invoice_orders(desk, owner, [number])
    assert (verdict.code, "VAT number" in verdict.message) == ("firm", True)
    assert issued(desk, number) == []


def test_an_issued_invoice_says_what_it_said_whatever_changes_afterwards(books, owner):
    number = take(books, owner, ("PT-14", 1))
    invoice_orders(books, owner, [number])
    before = ubl_of(invoice_paper(books, "I-1001"))
    change_firm(books, owner, {"name": "Another name", "vat_number": "IE8473625E"})
    add_payment(books, owner, NewPayment(number, -500))
    assert ubl_of(invoice_paper(books, "I-1001")) == before


def test_a_credit_note_gives_back_what_stood_there_and_no_more(books, owner):
    number = take(books, owner, ("PT-14", 3))
    invoice_orders(books, owner, [number])
    assert credit_invoice(books, owner, "I-1001", "One was broken", {1: 1}) == "C-1001"
    assert one(books, number).words.endswith("invoiced, paid")
    with pytest.raises(Refused) as refused:
        credit_invoice(books, owner, "I-1001", "Again", {1: 3})
    assert "2 of line 1" in refused.value.first.message
    credit_invoice(books, owner, "I-1001", "The rest")
    with pytest.raises(Refused) as refused:
        credit_invoice(books, owner, "I-1001", "More")
    assert refused.value.first.code == "nothing"
    assert [payable for _, _, payable in issued(books, number)] == [5070, 1690, 3380]
    paper = invoice_paper(books, "C-1001")
    assert (paper.corrects, paper.reason) == ("I-1001", "One was broken")
    assert faults_of(ubl_of(paper)) == []
    assert_sound(books)


def test_what_is_credited_after_a_mistake_can_be_invoiced_again(books, owner):
    number = take(books, owner, ("PT-14", 3))
    invoice_orders(books, owner, [number])
    credit_invoice(books, owner, "I-1001", "Wrong address", again=True)
    assert "not invoiced" in one(books, number).words
    invoice_orders(books, owner, [number])
    kinds = [(name, kind) for name, kind, _ in issued(books, number)]
    assert kinds == [("I-1001", "invoice"), ("C-1001", "credit"), ("I-1002", "invoice")]
    assert_sound(books)


@pytest.mark.parametrize(
    ("number", "reason", "code"),
    [("I-9", "why", "not-found"), ("I-1001", " ", "form"), ("C-1001", "why", "not-allowed")],
)
def test_a_credit_note_needs_an_invoice_and_a_reason(books, owner, number, reason, code):
    invoice_orders(books, owner, [take(books, owner, ("PT-14", 2))])
    credit_invoice(books, owner, "I-1001", "Broken", {1: 1})
    with pytest.raises((Refused, NotFound)) as refused:
        credit_invoice(books, owner, number, reason)
    assert refused.value.first.code == code


def test_the_series_of_invoices_begins_where_one_likes_and_then_has_no_holes(books, owner):
    change_series(books, owner, {"invoice": ("R-{year}-{number:05}", 2001)})
    invoice_orders(books, owner, [take(books, owner, ("PT-14", 1))])
    with pytest.raises(Refused) as refused:
        change_series(books, owner, {"invoice": ("R-{number}", 3000)})
    assert refused.value.first.code == "holes"
    change_series(books, owner, {"invoice": ("R-{number}", None)})
    number = take(books, owner, ("PT-14", 1))
    invoice_orders(books, owner, [number])
    assert issued(books, number)[0][0] == "R-2002"
    assert_sound(books)


def test_the_paper_can_be_read_and_the_hybrid_has_the_xml_inside(books, owner):
    invoice_orders(books, owner, [take(books, owner, ("PT-14", 2))])
    paper = invoice_paper(books, "I-1001")
    text = pypdfium2.PdfDocument(invoice_pdf(paper, STYLE))[0].get_textpage().get_text_bounded()
    for words in ("Invoice I-1001", "IE6433435F", "Netherlands", "PT-14", "€33.80"):
        assert words in text
    hybrid = invoice_pdf(paper, STYLE, hybrid=True)
    told = PdfReader(io.BytesIO(hybrid)).trailer["/Root"]["/Metadata"].get_data()
    assert b"pdfaid:part>3<" in told.replace(b'="3"', b">3<")
    document = pypdfium2.PdfDocument(hybrid)
    assert document.count_attachments() == 1
    inside = document.get_attachment(0)
    assert inside.get_name() == "I-1001.xml"
    assert etree.fromstring(bytes(inside.get_data())).findtext("{*}ID") == "I-1001"


def test_who_may_not_change_orders_issues_nothing(books, owner, picker):
    number = take(books, owner, ("PT-14", 1))
    with pytest.raises(NotAllowed):
        invoice_orders(books, picker, [number])
    with pytest.raises(NotAllowed):
        add_payment(books, picker, NewPayment(number, 100))


def paid(workplace, number):
    with workplace.database.reading() as session:
        order = order_by_number(session, number)
        return order.paid, order.fact_paid, owed_by(order)


def test_a_payment_counts_at_once_or_when_it_is_released(books, owner):
    number = take(books, owner, ("PT-14", 1), paid=False)
    assert paid(books, number) == (0, "none", 1690)
    add_payment(books, owner, NewPayment(number, 690))
    waiting = add_payment(books, owner, NewPayment(number, 1000, "card", "provisional"))
    assert paid(books, number) == (690, "part", 1000)
    for _ in range(2):
        assert release_payments(books, owner, [waiting])[0].ok
    assert paid(books, number) == (1690, "all", 0)
    assert_sound(books)


def test_a_provisional_payment_that_never_came_is_void(books, owner):
    number = take(books, owner, ("PT-14", 1), paid=False)
    waiting = add_payment(books, owner, NewPayment(number, 1690, state="provisional"))
    void_payment(books, owner, waiting)
    void_payment(books, owner, waiting)
    assert release_payments(books, owner, [waiting])[0].code == "void"
    firm = add_payment(books, owner, NewPayment(number, 1690))
    with pytest.raises(Refused):
        void_payment(books, owner, firm)
    assert paid(books, number) == (1690, "all", 0)
    assert_sound(books)


def test_a_payment_with_a_key_is_noted_once(books, owner):
    number = take(books, owner, ("PT-14", 1), paid=False)
    told = NewPayment(number, 1690, key="bank-77")
    assert add_payment(books, owner, told) == add_payment(books, owner, told)
    assert paid(books, number)[0] == 1690


def test_a_refund_after_a_credit_note_leaves_nothing_owed(books, owner):
    number = take(books, owner, ("PT-14", 2))
    invoice_orders(books, owner, [number])
    credit_invoice(books, owner, "I-1001", "Broken", {1: 1})
    assert paid(books, number) == (3380, "all", -1690)
    add_payment(books, owner, NewPayment(number, -1690))
    assert paid(books, number) == (1690, "all", 0)
    assert_sound(books)


@pytest.mark.parametrize(
    ("wish", "field"),
    [
        ({"amount": 0}, "amount"),
        ({"amount": 10**12}, "amount"),
        ({"amount": -1}, "amount"),
        ({"amount": 5, "method": "shells"}, "method"),
        ({"amount": 5, "state": "maybe"}, "state"),
        ({"amount": 5, "note": "n" * 201}, "note"),
    ],
)
def test_a_payment_that_cannot_be_is_refused_beside_its_field(books, owner, wish, field):
    number = take(books, owner, ("PT-14", 1), paid=False)
    with pytest.raises(Refused) as refused:
        add_payment(books, owner, NewPayment(number, **wish))
    assert refused.value.first.field == field
    assert paid(books, number) == (0, "none", 1690)


def test_an_invoice_of_nothing_adds_up_to_nothing():
    empty = sums_of([], with_tax=True)
    assert (empty.net, empty.tax, empty.payable, empty.rounding) == (0, 0, 0, 0)


def test_invoicing_many_costs_each_the_same(books, owner, count_queries):
    add_pot(books, owner, "PT-99", units=50)
    numbers = [take(books, owner, ("PT-99", 1)) for _ in range(6)]
    counts = []
    for some in (numbers[:1], numbers[1:]):
        with count_queries(books.database) as counted:
            invoice_orders(books, owner, some)
        counts.append(len(counted) / len(some))
    assert counts[1] <= counts[0]
    assert len(orders(books, invoiced="all")) == 6
