"""Settings that a process keeps are read again once they have changed, and not before."""

import pytest
from sqlalchemy import delete, event, select, update

from relvan.store import centres, channels, mail, policies, trays, webhooks
from relvan.store.bulk import insert_rows
from relvan.store.channels import replace_supply, supply_lists_of, taking_channels
from relvan.store.database import Database
from relvan.store.kept import READERS, WATCHED
from relvan.store.tables import Channel, NearerPolicy, OrderRule, Warehouse
from relvan.store.trays import rules_of

HOLDERS = (centres, channels, mail, policies, trays, webhooks)
RULE = {"name": "Gifts first", "when": "taken", "then": [{"deed": "tag", "value": "gift"}]}


class Watched:
    """A database with its statements counted."""

    def __init__(self, database):
        self.database = database
        self.seen = []
        event.listen(database.engine, "before_cursor_execute", self._note)

    def _note(self, _connection, _cursor, statement, *_):
        self.seen.append(statement)

    def reads(self, table, ask):
        """Returns what `ask` returns in a transaction of its own, and how many queries read a table."""
        before = len(self.seen)
        with self.database.reading() as session:
            found = ask(session)
        return found, sum(f"FROM {table}" in one for one in self.seen[before:])


@pytest.fixture
def watched(workplace, hagglet):
    return Watched(workplace.database)


def start_trays(session):
    return [channel.start_tray for channel in taking_channels(session).values()]


def fail_after_a_change(database):
    with database.writing() as session:
        session.execute(update(Channel).values(start_tray="new"))
        assert start_trays(session) == ["new"]
        raise RuntimeError("on purpose")


def test_settings_are_read_once(watched):
    assert watched.reads("channel", start_trays) == ([""], 1)
    assert watched.reads("channel", start_trays) == ([""], 0)


def test_a_changed_object_is_seen_in_its_transaction_and_after_it(watched):
    watched.reads("channel", start_trays)
    with watched.database.writing() as session:
        session.scalars(select(Channel)).one().start_tray = "new"
        assert start_trays(session) == ["new"]
    assert watched.reads("channel", start_trays)[0] == ["new"]
    assert watched.reads("channel", start_trays) == (["new"], 0)


def test_a_change_that_is_taken_back_leaves_what_was(watched):
    watched.reads("channel", start_trays)
    with pytest.raises(RuntimeError, match="on purpose"):
        fail_after_a_change(watched.database)
    assert watched.reads("channel", start_trays)[0] == [""]
    with watched.database.writing() as session:
        session.execute(update(Channel).values(start_tray="newer"))
    assert watched.reads("channel", start_trays)[0] == ["newer"]


def test_a_change_that_is_taken_back_to_a_savepoint_leaves_what_was(watched):
    with watched.database.writing() as session:
        assert start_trays(session) == [""]
        inner = session.begin_nested()
        session.execute(update(Channel).values(start_tray="new"))
        assert start_trays(session) == ["new"]
        inner.rollback()
        assert start_trays(session) == [""]
    assert watched.reads("channel", start_trays)[0] == [""]


def test_how_a_channel_goes_is_no_setting(watched):
    watched.reads("channel", start_trays)
    with watched.database.writing() as session:
        session.scalars(select(Channel)).one().failures = 3
    with watched.database.writing() as session:
        session.execute(update(Channel).values(failures=4, last_error="gone"))
    assert watched.reads("channel", start_trays) == ([""], 0)


def test_another_process_sees_the_change(watched):
    other = Watched(Database(watched.database.url))
    try:
        assert other.reads("order_rule", rules_of) == ([], 1)
        with watched.database.writing() as session:
            session.add(OrderRule(position=1, rule=RULE))
        found, queries = other.reads("order_rule", rules_of)
        assert [rule.name for rule in found] == ["Gifts first"]
        assert queries == 1
        with watched.database.writing() as session:
            session.execute(delete(OrderRule))
        assert other.reads("order_rule", rules_of) == ([], 1)
    finally:
        other.database.close()


def test_supply_lists_are_those_that_were_saved_last(watched):
    def of_the_channel(session):
        return supply_lists_of(session, {1})[1]

    with watched.database.reading() as session:
        places = list(session.scalars(select(Warehouse.id).order_by(Warehouse.id)))
    wanted = places[::-1]
    assert watched.reads("supply_warehouse", of_the_channel) == ([], 1)
    with watched.database.writing() as session:
        replace_supply(session, 1, wanted)
        assert of_the_channel(session) == wanted
    assert watched.reads("supply_warehouse", of_the_channel)[0] == wanted
    with watched.database.writing() as session:
        barn = Warehouse(key="barn", name="Barn")
        session.add(barn)
    with watched.database.reading() as session:
        everywhere = supply_lists_of(session, {1, None}, anywhere=True)
    assert everywhere == {1: [*wanted, barn.id], None: [*places, barn.id]}
    assert watched.reads("supply_warehouse", of_the_channel)[0] == wanted


def test_rows_that_only_the_driver_writes_count(watched):
    def places(session):
        return policies.policy_places(session).categories

    assert watched.reads("nearer_policy", places)[0] == {}
    with watched.database.writing() as session:
        insert_rows(
            session,
            NearerPolicy,
            ("channel_id", "category", "policy"),
            [(1, "pots", {"hold_back": 2})],
        )
    assert list(watched.reads("nearer_policy", places)[0]) == [1]


@pytest.mark.parametrize("read", READERS, ids=lambda read: read.__name__)
def test_whatever_is_read_is_watched(watched, read):
    columns = set()

    def note(_connection, statement, *_):
        columns.update((column.table.name, column.name) for column in statement.selected_columns)

    with watched.database.reading() as session:
        event.listen(watched.database.engine, "before_execute", note)
        try:
            read(session)
        finally:
            event.remove(watched.database.engine, "before_execute", note)
    columns.discard(("settings_mark", "mark"))
    assert columns
    for table, column in columns:
        assert table in WATCHED
        assert WATCHED[table] is None or column in {"id", *WATCHED[table]}
