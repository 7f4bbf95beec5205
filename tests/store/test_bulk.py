"""Bare statements for many rows write what the tables say."""

import pytest
from sqlalchemy import select
from sqlalchemy.exc import IntegrityError

from relvan.store.bulk import delete_rows, insert_rows, update_rows
from relvan.store.tables import KitPart, ListPrice, PriceList, Product
from tests.steps.bare_rows import LEAST, NOW, add

BEGINS = ("BEGIN", "SELECT pg_advisory_xact_lock")  # of a transaction that writes


def test_columns_that_are_not_named_get_their_defaults(session):
    ids = add(session, "A")
    product = session.get(Product, ids["A"])
    assert (product.brand, product.tax_code, product.asked, product.lacking) == (
        "",
        "standard",
        4,
        0,
    )
    assert (product.attributes, product.axes, product.fragile) == ({}, [], False)
    assert product.weight_g is None


def test_values_pass_through_the_types_of_their_columns(session):
    attributes = {"material": "stoneware", "glaze": "Größe “14”", "a": "'; DROP TABLE product; --"}
    ids = add(session, "A", "B", attributes=attributes, fragile=True)
    product = session.get(Product, ids["B"])
    assert product.attributes == attributes
    assert product.fragile is True
    assert product.created_at == NOW


def test_rows_are_changed_by_their_ids_each_with_its_own_values(session):
    ids = add(session, "A", "B", "C")
    update_rows(
        session,
        Product,
        ("weight_g", "title"),
        [(700, "First", ids["A"]), (None, "Second", ids["B"])],
    )
    found = dict(session.execute(select(Product.sku, Product.title)).all())
    assert found == {"A": "First", "B": "Second", "C": "Pot C"}
    weights = dict(session.execute(select(Product.sku, Product.weight_g)).all())
    assert weights == {"A": 700, "B": None, "C": None}


def test_rows_are_taken_away_by_several_columns(session):
    ids = add(session, "A", "B")
    prices = session.scalar(select(PriceList.id))
    columns = ("price_list_id", "product_id")
    insert_rows(
        session,
        ListPrice,
        (*columns, "amount"),
        [(prices, ids["A"], 1690), (prices, ids["B"], 1890)],
    )
    delete_rows(session, ListPrice, columns, [(prices, ids["A"]), (prices, 9_999)])
    assert session.execute(select(ListPrice.product_id, ListPrice.amount)).all() == [
        (ids["B"], 1890)
    ]


def test_no_rows_are_no_statement(workplace, count_queries):
    with count_queries(workplace.database) as seen, workplace.database.writing() as session:
        insert_rows(session, Product, LEAST, [])
        update_rows(session, Product, ("title",), [])
        delete_rows(session, ListPrice, ("product_id",), [])
    assert [statement for statement in seen if not statement.startswith(BEGINS)] == []


def test_a_thousand_rows_are_one_statement(workplace, count_queries):
    with count_queries(workplace.database) as seen, workplace.database.writing() as session:
        insert_rows(
            session,
            Product,
            LEAST,
            [(f"P{n}", f"p{n}", "single", "Pot", NOW, NOW) for n in range(1_000)],
        )
    assert sum(statement.startswith("INSERT") for statement in seen) == 1


def test_what_the_table_refuses_is_refused_whole(workplace):
    with pytest.raises(IntegrityError), workplace.database.writing() as session:
        add(session, "A", "B", "a")
    with workplace.database.reading() as session:
        assert session.scalars(select(Product.id)).all() == []


def test_a_row_of_the_wrong_width_is_a_fault_and_not_a_guess(session):
    with pytest.raises(ValueError, match="zip"):
        insert_rows(session, KitPart, ("kit_id", "part_id", "quantity"), [(1, 2, 3), (1, 2)])
