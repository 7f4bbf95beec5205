"""Lists of values as one parameter find what `IN` would."""

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import event, select

from relvan.store.among import among
from relvan.store.bulk import insert_rows
from relvan.store.outbox import open_updates
from relvan.store.tables import Product, SkuName
from tests.steps.bare_rows import add

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
