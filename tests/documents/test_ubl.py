"""Tests invoices as UBL by the schema and the rules that their makers publish."""

from dataclasses import replace
from decimal import Decimal

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from lxml import etree

from relvan.core.orders.invoicing import Billable, delivery_lines, line_of, sums_of
from relvan.core.orders.tax_case import NOT_REGISTERED, TaxKind, case_of
from relvan.documents.ubl import BilledLine, InvoicePaper, PaperRate, ubl_of
from tests.steps.en16931 import faults_of

SELLER = {
    "name": "Quillmoss",
    "street": "3 Weir Lane",
    "town": "Fernhollow",
    "postcode": "D04 X1",
    "country": "IE",
    "mail": "books@quillmoss.example",
    "vat_number": "IE6433435F",
    "eori": "IE6433435F",
}
BUYER = {"name": "Ada", "street": "1 Row", "town": "Tarn", "postcode": "4821", "country": "NL"}
TWENTY, TEN, NONE = Decimal(20), Decimal(10), Decimal(0)


def paper(lines, delivery=0, kind="home", with_tax=True, **more):
    """Returns an invoice over (units, price, percent)."""
    goods = [
        line_of(Billable(at, f"PT-{at}", f"Pot {at}", units, 0, price, 0, percent, with_tax), units)
        for at, (units, price, percent) in enumerate(lines, 1)
    ]
    charges = delivery_lines(delivery, goods, "Delivery", with_tax=with_tax)
    sums = sums_of([*goods, *charges], with_tax=with_tax)
    case = case_of(kind)
    outside = more.pop("outside", False)

    def category(percent):
        return NOT_REGISTERED[0] if outside else case.category(percent)

    def written(found):
        return [
            BilledLine(
                at, line.sku, line.title, line.quantity, line.unit_price, line.discount, line.net,
                line.paid, line.percent, category(line.percent),
            )
            for at, line in enumerate(found, 1)
        ]  # fmt: skip

    told = {
        "kind": "invoice",
        "number": "I-1001",
        "issued_on": "2026-11-30",
        "due_on": "2026-12-14",
        "supplied_on": "2026-11-29",
        "currency": "EUR",
        "order": "O-1001",
        "corrects": "",
        "corrects_on": "",
        "reason": "",
        "seller": {**SELLER, "vat_number": "", "eori": ""} if outside else SELLER,
        "buyer": {**BUYER, "tax_number": "NL4495445B01" if kind == "business" else ""},
        "prepaid": 0,
        "exemption": NOT_REGISTERED[1] if outside else case.exemption,
        "words": NOT_REGISTERED[2] if outside else case.words,
        **more,
    }
    return InvoicePaper(
        lines=written(goods),
        charges=written(charges),
        rates=[PaperRate(r.percent, category(r.percent), r.net, r.tax) for r in sums.rates],
        net=sums.net,
        tax=sums.tax,
        total=sums.total,
        payable=sums.payable,
        with_tax=with_tax,
        **told,
    )


MIXED = [(3, 999, TWENTY), (1, 1100, TEN), (2, 500, NONE)]


@pytest.mark.parametrize(
    "invoice",
    [
        paper([(3, 999, TWENTY)]),
        paper(MIXED, delivery=490),
        paper(MIXED, delivery=490, prepaid=1000),
        paper(MIXED, delivery=490, with_tax=False),
        paper([(1, 2400, TWENTY)], prepaid=2400),
        paper([(1, 0, TWENTY)]),
        paper([(7, 333, Decimal("13.5"))], delivery=1),
        paper([(2, 999, NONE)], delivery=490, kind="business"),
        paper([(2, 999, NONE)], delivery=490, kind="export"),
        paper([(2, 999, TWENTY)], kind="own rate"),
        paper([(2, 999, TWENTY)], kind="destination"),
        paper([(2, 999, TWENTY)], kind="collected"),
        paper([(2, 999, NONE)], delivery=490, outside=True),
        paper([(2, 999, TWENTY)], currency="CHF"),
        replace(
            paper(MIXED, delivery=490),
            kind="credit",
            number="C-1001",
            corrects="I-1001",
            corrects_on="2026-11-01",
            reason="One pot was broken <&>",
        ),
    ],
    ids=lambda invoice: f"{invoice.kind} {invoice.exemption or ''} {invoice.payable}",
)
def test_an_invoice_meets_the_schema_and_every_rule(invoice):
    assert faults_of(ubl_of(invoice)) == []


rates = st.sampled_from([TWENTY, TEN, NONE, Decimal("13.5"), Decimal("5.5")])


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(
    st.lists(st.tuples(st.integers(1, 12), st.integers(0, 9_999), rates), min_size=1, max_size=6),
    st.integers(0, 900),
    st.booleans(),
    st.integers(0, 500),
)
def test_whatever_was_sold_the_rules_are_met(lines, delivery, with_tax, prepaid):
    invoice = paper(lines, delivery=delivery, with_tax=with_tax, prepaid=prepaid)
    assert faults_of(ubl_of(invoice)) == []


def test_a_wrong_sum_would_be_found():
    wrong = replace(paper(MIXED), total=paper(MIXED).total + 1)
    assert any("BR-CO-15" in fault for fault in faults_of(ubl_of(wrong)))
    assert faults_of(ubl_of(replace(paper(MIXED), issued_on="soon")))


def test_what_was_rounded_is_stated():
    tree = etree.fromstring(ubl_of(paper([(3, 999, TWENTY)])))
    (rounding,) = tree.iter("{*}PayableRoundingAmount")
    (payable,) = tree.iter("{*}PayableAmount")
    assert (rounding.text, payable.text) == ("-0.01", "29.97")


@pytest.mark.parametrize("kind", list(TaxKind))
def test_every_kind_of_sale_says_why_no_tax_is_on_it(kind):
    case = case_of(kind)
    assert case.taxed != bool(case.exemption)
