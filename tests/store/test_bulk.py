"""Bare statements for many rows write what the tables say; lists of values as one parameter find
what `IN` would."""

from datetime import UTC, datetime

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import event, select
from sqlalchemy.exc import IntegrityError

from relvan.store.among import among
from relvan.store.bulk import delete_rows, insert_rows, update_rows
from relvan.store.listings import open_updates
from relvan.store.tables import KitPart, ListPrice, PriceList, Product, SkuName

NOW = datetime(2026, 11, 2, 9, 30, 15, 250_000, tzinfo=UTC)
BEGINS = ("BEGIN", "SELECT pg_advisory_xact_lock")  # of a transaction that writes
LEAST = ("sku", "sku_key", "kind", "title", "created_at", "changed_at")


def add(session, *skus, names=LEAST, **more):
    rows = [(sku, sku.casefold(), "single", f"Pot {sku}", NOW, NOW, *more.values()) for sku in skus]
    insert_rows(session, Product, (*names, *more), rows)
    return dict(session.execute(select(Product.sku, Product.id)).all())


@pytest.fixture
def session(workplace):
    with workplace.database.writing() as session:
        yield session


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


texts = st.text(
    st.characters(codec="utf-8", exclude_categories=["Cs"], exclude_characters="\x00"), min_size=1
)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(kept=st.lists(texts, unique_by=str.casefold, max_size=8), asked=st.lists(texts, max_size=8))
def test_a_list_of_values_finds_what_it_names_and_nothing_else(workplace, kept, asked):
    with workplace.database.writing() as session:
        delete = SkuName.__table__.delete()
        session.execute(delete)
        session.execute(Product.__table__.delete())
        owner = add(session, "OWNER")["OWNER"]
        rows = [(key, key, True, owner, "", "", {}) for key in kept]
        insert_rows(
            session,
            SkuName,
            ("key", "sku", "alias", "product_id", "title", "picture", "prices"),
            rows,
        )
        found = session.scalars(select(SkuName.key).where(among(SkuName.key, asked))).all()
    assert set(found) == set(kept) & set(asked)


def test_a_list_of_values_may_be_long_and_is_one_parameter(session):
    ids = add(session, *(f"P{n}" for n in range(50)))
    wanted = [*ids.values(), *range(1_000_000, 1_040_000)]
    assert len(session.scalars(select(Product.id).where(among(Product.id, wanted))).all()) == 50
    assert session.scalars(select(Product.id).where(among(Product.id, []))).all() == []


def test_what_is_pending_of_many_listings_is_found_without_reading_all_that_waits(
    session, in_the_box
):
    asked = []
    event.listen(
        session.connection(), "before_cursor_execute", lambda *given: asked.append(given[2:4])
    )
    for listing_ids in ([1, 2, 3], list(range(1, 400, 2))):
        open_updates(session, listing_ids)
        statement, values = asked[-1]
        plan = session.connection().exec_driver_sql(f"EXPLAIN QUERY PLAN {statement}", values).all()
        assert (
            plan[0][-1] == "SEARCH outbox_entry USING INDEX ix_outbox_entry_open (listing_id=?)"
        ), plan


def test_a_list_of_values_is_looked_up_by_the_index(session, in_the_box):
    statement = select(Product.id).where(among(Product.sku_key, [f"a{n}" for n in range(200)]))
    text = str(statement.compile(session.connection(), compile_kwargs={"literal_binds": True}))
    plan = session.connection().exec_driver_sql(f"EXPLAIN QUERY PLAN {text}").all()
    assert any("SEARCH product USING" in row[-1] and "sku_key=?" in row[-1] for row in plan), plan
