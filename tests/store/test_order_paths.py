"""A very long list of orders is read by other ways than a short one, and shows the same."""

import random
from datetime import UTC, date, datetime, timedelta
from itertools import product

import pytest
from sqlalchemy import insert

from relvan.store import order_paths
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import count_orders, order_numbers, order_page, worth_of_orders
from relvan.store.order_paths import IN_ORDER, SORTING, path_of
from relvan.store.tables import Channel, Order, OrderTag, Person, PriceList

BEGAN = datetime(2026, 1, 1, tzinfo=UTC)
EXTENTS = ("none", "part", "all")
FILTERS = {
    "all": OrderFilter(),
    "a tray": OrderFilter(tray=("inbox",)),
    "a tray with a dash": OrderFilter(tray=("ask-the-customer", "closed")),
    "a tray that nothing lies in": OrderFilter(tray=("nowhere",)),
    "two progresses": OrderFilter(shipped=("all",), invoiced=("open",)),
    "progress and tray": OrderFilter(tray=("inbox", "short"), paid=("all", "part")),
    "a channel": OrderFilter(channel=("hagglet",)),
    "no channel": OrderFilter(channel=("none", "ownshop")),
    "a channel that is not there": OrderFilter(channel=("gone",)),
    "a country": OrderFilter(country=("NL", "CH"), channel=("ownshop", "hagglet")),
    "a country that nothing goes to": OrderFilter(country=("IS",)),
    "a tag": OrderFilter(tag=("gift",)),
    "a tag and progress": OrderFilter(tag=("gift", "late"), picked=("none",)),
    "words": OrderFilter(words="Cleo"),
    "words and tray": OrderFilter(words="cleo", tray=("closed",)),
    "a number": OrderFilter(words="B-17"),
    "assigned": OrderFilter(assigned=1),
    "assigned to nobody": OrderFilter(assigned=0, tray=("inbox",)),
    "since": OrderFilter(since=BEGAN + timedelta(hours=90)),
    "promised": OrderFilter(promised_by=date(2026, 1, 8)),
    "set aside": OrderFilter(aside="yes"),
    "not set aside": OrderFilter(aside="no", country=("NL",)),
}


@pytest.fixture
def orders(workplace):
    """Builds 70 orders that stand in any way, with many that are alike in what they are sorted by."""
    dice = random.Random(3)
    with workplace.database.writing() as session:
        _channels(session)
        session.execute(insert(Order), [_order(number, dice) for number in range(1, 71)])
        tags = [{"order_id": n, "tag": ("gift", "late")[n % 2]} for n in range(4, 71, 5)]
        session.execute(insert(OrderTag), tags)
        assert session.get(Person, 1) is not None
    return workplace


def _channels(session):
    session.add(PriceList(id=90, key="other", name="Other", currency="EUR", tax_inside=True))
    session.flush()
    for place, key in enumerate(("hagglet", "ownshop"), 1):
        session.add(
            Channel(
                id=place,
                key=key,
                name=key,
                rulebook=key,
                currency="EUR",
                address="",
                token="",
                hook_secret="",
                price_list_id=90,
            )
        )
    session.flush()


def _order(number, dice):
    moment = BEGAN + timedelta(hours=number // 3)
    extents = {f"fact_{name}": dice.choice(EXTENTS) for name in ("reserved", "picked", "paid")}
    return {
        "id": number,
        "number": f"B-{number}",
        "channel_id": dice.choice((None, 1, 2)),
        "channel_number": f"C-{number}",
        "tray": dice.choice(("inbox", "short", "closed", "closed", "ask-the-customer")),
        "tray_since": dice.choice((None, moment)),
        "customer": dice.choice(("Cleo Varga", "Ada Fennimore", "bram Oldacre")),
        "ship_to": {},
        "country": dice.choice(("NL", "CH", "IE")),
        "currency": dice.choice(("EUR", "GBP")),
        "total": dice.choice((500, 500, 900)),
        "paid": 0,
        "units": dice.randint(1, 3),
        "placed_at": moment,
        "taken_at": moment,
        "fact_shipped": dice.choice(EXTENTS),
        "fact_invoiced": dice.choice(EXTENTS),
        "words": dice.choice(("shipped", "2 of 2 to pick")),
        "assigned_id": dice.choice((None, None, 1)),
        "promised_on": dice.choice((None, "2026-01-07", "2026-02-01")),
        "aside_until": dice.choice((None, None, "2026-03-01")),
        **extents,
    }


SORTS = ["", *(dash + sort for sort, dash in product(sorted(SORTING.names()), ("", "-")))]
IN_EVERY_ORDER = ("all", "progress and tray", "words and tray", "no channel")


def some_sorts():
    """Yields (filter, sort): every sort for some filters, and a few in turn for all others."""
    for place, name in enumerate(FILTERS):
        chosen = SORTS if name in IN_EVERY_ORDER else SORTS[place % 5 :: 5]
        yield from ((name, sort) for sort in chosen)


def read(session, wanted, sort):
    """Returns all that a list shows of a filter, page by page, with its counts."""
    found, after = [], 0
    while page := order_page(session, wanted, after=after, limit=40, sort=sort):
        found += page
        after = page[-1].id
    counts = (count_orders(session, wanted), worth_of_orders(session, wanted))
    return found, counts, order_numbers(session, wanted, 500)


def read_all(workplace):
    """Returns what the list shows of every filter, sorted in several ways."""
    with workplace.database.reading() as session:
        return {one: read(session, FILTERS[one[0]], one[1]) for one in some_sorts()}


@pytest.mark.parametrize("few", [0, 15])
def test_a_long_list_shows_the_same_orders_in_the_same_order(orders, monkeypatch, few):
    if few == 0 and not orders.database.is_sqlite:
        pytest.skip("on a server the other case is enough")
    short = read_all(orders)
    assert {sort for _, sort in short} == set(SORTS)
    monkeypatch.setattr(order_paths, "FEW", few)
    for one, shown in read_all(orders).items():
        assert shown == short[one], one


@pytest.mark.parametrize(
    ("wanted", "few", "index"),
    [
        (OrderFilter(tray=("inbox",)), 40, "ix_customer_order_standing"),
        (OrderFilter(tray=("inbox",)), 2, "ix_customer_order_total"),
        (OrderFilter(tray=("closed",), tag=("gift",)), 10, "ix_order_tag_tag"),
        (OrderFilter(channel=("hagglet",), country=("NL",)), 40, "ix_customer_order_standing"),
    ],
)
def test_few_orders_are_found_by_what_they_share_and_many_are_read_in_order(
    orders, monkeypatch, wanted, few, index
):
    monkeypatch.setattr(order_paths, "FEW", few)
    if not orders.database.is_sqlite:
        pytest.skip("a server chooses by itself")
    with orders.database.reading() as session:
        page = path_of(session, wanted).in_order(
            order_paths.select(Order.id).order_by(Order.total).limit(5), "total"
        )
        text = page.compile(session.get_bind(), compile_kwargs={"literal_binds": True})
        plan = session.connection().exec_driver_sql(f"EXPLAIN QUERY PLAN {text}").all()
    assert any(index in str(row) for row in plan), plan


def test_every_column_of_the_list_has_an_index_in_its_order(orders):
    assert set(IN_ORDER) == {"", *SORTING.names()}
    if not orders.database.is_sqlite:
        pytest.skip("a server chooses by itself")
    with orders.database.reading() as session:
        for sort in SORTING.names():
            column = SORTING.columns[sort]
            page = order_paths.select(Order.id).order_by(column.desc(), Order.id.desc()).limit(5)
            page = page.with_hint(Order, IN_ORDER[sort], "sqlite")
            plan = session.connection().exec_driver_sql(
                f"EXPLAIN QUERY PLAN {page.compile(session.get_bind(), compile_kwargs={'literal_binds': True})}"
            )
            steps = " ".join(str(row) for row in plan.all())
            assert "TEMP B-TREE" not in steps, (sort, steps)


def test_a_session_that_writes_chooses_anew(orders, monkeypatch):
    monkeypatch.setattr(order_paths, "FEW", 3)
    with orders.database.writing() as session:
        before = count_orders(session, OrderFilter(tray=("nowhere",)))
        session.get_one(Order, 5).tray = "nowhere"
        assert (before.number, count_orders(session, OrderFilter(tray=("nowhere",))).number) == (
            0,
            1,
        )
