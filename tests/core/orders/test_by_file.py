"""Orders read out of the rows of a file: what belongs together, what is refused, what it comes to."""

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.imports.blocks import Row
from relvan.core.orders.by_file import FileCase, read_filed_order
from relvan.core.orders.filed_prices import (
    KnownGoods,
    code_of_rate,
    filed_data,
    filed_from,
    notes_of,
    price_filed_order,
)

CASE = FileCase(date(2026, 11, 28), "IE", "EUR")
ADA = {"name": "Ada Fennimore", "street": "12 Larkspur Row", "town": "Tarnhollow", "country": "NL"}
POT = {"sku": "PT-14", "quantity": 2, "price": 1690}
RATES = {"standard": Decimal(20), "reduced": Decimal(10), "zero": Decimal(0)}


def rows(*values):
    return [Row(place, dict(said)) for place, said in enumerate(values, 2)]


def read(*values, case=CASE):
    found = rows(*values)
    order = read_filed_order("F-1", found, case)
    return order, [refusal for row in found for refusal in row.refusals]


def priced(*values, goods=None, rates=RATES):
    found = rows(*values)
    order = read_filed_order("F-1", found, CASE)
    known = goods or [KnownGoods(7, "single")] * len(found)
    made = price_filed_order(order, known, rates, {row.position: row for row in found})
    return made, [refusal for row in found for refusal in row.refusals]


def test_what_one_row_says_of_the_order_counts_for_all():
    order, refusals = read({**ADA, **POT, "placed": "2026-11-07"}, {**POT, "mail": "a@b.example"})
    assert refusals == []
    assert (order.placed, order.ship_to.mail, len(order.lines)) == (
        date(2026, 11, 7),
        "a@b.example",
        2,
    )
    assert order.with_tax


@pytest.mark.parametrize(
    ("rows", "field"),
    [
        ([{**ADA, **POT}, {**POT, "name": "Bo Tarn"}], "name"),
        ([{**ADA, **POT, "quantity": 0}], "quantity"),
        ([{**ADA, **POT, "quantity": -2}], "quantity"),
        ([{**ADA, **POT, "quantity": 100_001}], "quantity"),
        ([{**ADA, "quantity": 1, "price": 1690}], "sku"),
        ([{**ADA, **POT, "placed": "2026-11-29"}], "placed"),
        ([{**ADA, **POT, "placed": "1889-11-29"}], "placed"),
        ([{**ADA, **POT, "mail": "ada"}], "mail"),
        ([{**ADA, **POT, "mail": "ada@@example.com"}], "mail"),
        ([{**ADA, **POT, "currency": "XYZ"}], "currency"),
        ([{**ADA, **POT, "discount": 4000}], "discount"),
        ([{**ADA, **POT, "paid": "maybe"}], "paid"),
        ([{**ADA, **POT, "street": ""}], "street"),
        ([{**ADA, **POT, "name": "", "mail": "ada@example.com"}], "name"),
        ([{**ADA, **POT, "town": " "}], "town"),
        ([{**ADA, **POT}, {"sku": "PT-20", "quantity": 1, "net_price": 1000}], "price"),
        ([{**ADA, **POT, "currency": "JPY", "price": 1690}], "price"),
        ([{**ADA, **POT, "street": "x" * 201}], "street"),
        ([{**ADA, **POT}] * 501, "reference"),
    ],
)
def test_what_cannot_be_is_refused_at_its_cell(rows, field):
    assert field in {refusal.field for refusal in read(*rows)[1]}


def test_a_file_without_addresses_brings_goods_that_were_handed_over():
    case = FileCase(CASE.today, "IE", "EUR", addressed=False)
    order, refusals = read({**POT, "customer_number": "17850"}, case=case)
    assert refusals == []
    assert (order.ship_to.name, order.ship_to.country, order.placed) == ("17850", "IE", CASE.today)


@pytest.mark.parametrize(
    ("paid", "wanted"),
    [
        ("yes", True),
        ("no", False),
        ("", False),
        ("Ja", True),
        ("non", False),
        ("bezahlt", True),
        ("Open", False),
        ("20.00", 2000),
        ("20,5", 2050),
        ("€ 1,234.50", 123450),
    ],
)
def test_paid_is_yes_no_or_an_amount(paid, wanted):
    order, refusals = read({**ADA, **POT, "paid": paid})
    assert (order.paid, refusals) == (wanted, [])


def test_amounts_of_a_currency_without_decimals_are_read_in_it():
    order, refusals = read({**ADA, **POT, "currency": "JPY", "price": 150_000})
    assert (order.lines[0].price, refusals) == (1500, [])


@pytest.mark.parametrize(
    ("line", "total", "tax", "worked"),
    [
        ({"price": 2400, "quantity": 1}, 2400, 400, None),
        ({"price": 2400, "quantity": 1, "tax": 399}, 2400, 399, 400),
        ({"net_price": 2000, "quantity": 1}, 2400, 400, None),
        ({"net_price": 2000, "quantity": 1, "tax": 401}, 2401, 401, 400),
        ({"price": 999, "quantity": 3, "discount": 97}, 2900, 483, None),
        ({"price": 1100, "quantity": 1, "tax_code": "10 %"}, 1100, 100, None),
        ({"price": 1100, "quantity": 1, "tax_code": "zero"}, 1100, 0, None),
    ],
)
def test_the_price_of_the_file_wins_and_its_tax_is_kept_and_marked(line, total, tax, worked):
    made, refusals = priced({**ADA, "sku": "PT-14", **line})
    assert refusals == []
    assert (made.total, made.lines[0].tax, made.lines[0].tax_worked) == (total, tax, worked)
    assert bool([note for note in notes_of(made) if "is worked out" in note]) == (
        worked is not None
    )


def test_a_line_without_a_price_has_the_proposed_one_or_is_refused():
    line = {**ADA, "sku": "PT-14", "quantity": 1}
    made, refusals = priced(line, goods=[KnownGoods(7, "single", "standard", 1890)])
    assert (made.total, refusals) == (1890, [])
    _, refusals = priced(line)
    assert [refusal.code for refusal in refusals] == ["no-price"]


def test_what_is_no_product_is_taken_as_free_goods_and_said():
    made, _ = priced({**ADA, "sku": "OLD-9", "quantity": 1, "price": 500}, goods=[KnownGoods()])
    assert notes_of(made) == ["“OLD-9” is no product: taken as free goods."]


def test_more_cannot_be_paid_than_the_order_comes_to():
    _, refusals = priced({**ADA, **POT, "paid": "40"})
    assert [(refusal.field, "33.80" in refusal.message) for refusal in refusals] == [("paid", True)]


@pytest.mark.parametrize(
    ("told", "code"),
    [("standard", "standard"), ("20", "standard"), ("0.1", "reduced"), ("0,1", "reduced"), ("7", None), ("x", None)],
)  # fmt: skip
def test_a_tax_code_or_its_percentage(told, code):
    assert code_of_rate(told, RATES) == code


AMOUNT = st.integers(0, 200_000)


@given(
    lines=st.lists(
        st.fixed_dictionaries({"quantity": st.integers(1, 99), "price": AMOUNT}),
        min_size=1,
        max_size=6,
    ),
    delivery=AMOUNT,
)
def test_an_order_is_read_back_as_it_was_kept_and_comes_to_what_it_says(lines, delivery):
    head = {**ADA, "delivery": delivery, "promised": "2026-12-24", "tags": ["fair"]}
    made, refusals = priced(*({**head, "sku": "PT-14", **line} for line in lines))
    assert refusals == []
    again, known, total = filed_from(filed_data(made))
    assert (again, total) == (made.filed, made.total)
    assert known == [True] * len(lines)
    assert total == delivery + sum(line["quantity"] * line["price"] for line in lines)
