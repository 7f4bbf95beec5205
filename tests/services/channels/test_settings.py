"""Tests channels, prices and people as they are set up; rights, backups and invariants."""

from dataclasses import replace

import pytest
from sqlalchemy import select, text

from relvan.core.people.roles import Role
from relvan.core.refusal import NotAllowed, Refused
from relvan.services.catalogue.save import (
    create_product,
)
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.channels.settings import change_channel
from relvan.services.check import INVARIANTS, check
from relvan.services.people.repeated import RepeatedAnswer, begin_call, end_call
from relvan.services.people.sign_in import add_person, find_visit, sign_in, sign_out
from relvan.services.people.tokens import find_token, make_token
from relvan.services.workplace import SYSTEM, Actor
from relvan.store.tables import Channel
from tests.house import add_pot, connect, list_everywhere, pot, receive


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"rulebook": "bazaar"}, ""),
        ({"address": "ftp://example.com"}, "address"),
        ({"address": "not an address"}, "address"),
        ({"address": "http://user:pw@127.0.0.1/x"}, "address"),
        ({"address": "http://127.0.0.1:9/none"}, "address"),
        ({"token": ""}, "token"),
        ({"token": "wrong"}, "address"),
    ],
)
def test_a_channel_that_does_not_answer_is_not_connected(workplace, owner, world, change, field):
    wish = ConnectChannel("hagglet", world.seller_api("hagglet"), world.token("hagglet"))
    with pytest.raises(Refused) as refused:
        connect_channel(workplace, owner, replace(wish, **change))
    assert refused.value.first.field == field
    with workplace.database.reading() as session:
        assert session.scalars(select(Channel)).all() == []


def test_private_addresses_are_called_only_where_a_setting_allows_it(workplace, owner, world):
    workplace.settings.private_addresses = False
    for address in (
        world.seller_api("hagglet"),
        "http://localhost:8101/x",
        "http://169.254.169.254/latest",
    ):
        with pytest.raises(Refused) as refused:
            connect_channel(workplace, owner, ConnectChannel("hagglet", address, "token"))
        assert "private network" in refused.value.first.message


def test_secrets_lie_encrypted_in_the_database(workplace, owner, world):
    connect(workplace, owner, world)
    content = b"".join(path.read_bytes() for path in workplace.settings.data_dir.glob("relvan.db*"))
    assert world.token("hagglet").encode() not in content
    assert world.token("ostrel").encode() not in content


@pytest.mark.parametrize(
    "wish",
    [
        {"colour": "red"},
        {"stock_policy": {"share": 500}},
        {"price_steps": [{"kind": "x"}]},
        {"price_list": "none"},
        {"supply_list": ["moon"]},
        {"supply_list": ["yard", "yard"]},
        {"supply_list": "yard"},
    ],
)
def test_settings_that_cannot_be_are_refused_and_nothing_changes(workplace, owner, world, wish):
    connect(workplace, owner, world, "hagglet")
    with pytest.raises(Refused):
        change_channel(workplace, owner, "hagglet", {"paused": True, **wish})
    with workplace.database.reading() as session:
        assert not session.scalar(select(Channel.paused))


def test_signing_in_opens_a_visit_and_signing_out_ends_it(workplace):
    visit = sign_in(workplace, " Owner ", "a good password", "1.2.3.4")
    assert find_visit(workplace, visit.cookie).actor.name == "Owner"
    assert find_visit(workplace, visit.cookie + "x") is None
    workplace.now.move(days=15)
    assert find_visit(workplace, visit.cookie) is None
    workplace.now.move(days=-15)
    sign_out(workplace, visit.cookie)
    assert find_visit(workplace, visit.cookie) is None


def test_five_wrong_guesses_close_the_door_for_a_quarter_of_an_hour(workplace):
    for _ in range(5):
        with pytest.raises(Refused) as refused:
            sign_in(workplace, "owner", "wrong password", "1.2.3.4")
        assert refused.value.first.code == "sign-in"
    with pytest.raises(Refused) as refused:
        sign_in(workplace, "owner", "a good password", "5.6.7.8")
    assert refused.value.first.code == "too-many-guesses"
    workplace.now.move(minutes=16)
    assert sign_in(workplace, "owner", "a good password", "1.2.3.4").cookie


def test_an_unknown_name_is_refused_in_the_same_words(workplace):
    messages = set()
    for login in ("owner", "nobody"):
        with pytest.raises(Refused) as refused:
            sign_in(workplace, login, "wrong password", "9.9.9.9")
        messages.add(refused.value.first.message)
    assert len(messages) == 1


def test_passwords_and_tokens_are_not_kept_readable(workplace):
    token = make_token(workplace, "test", "owner")
    visit = sign_in(workplace, "owner", "a good password", "1.2.3.4")
    assert find_token(workplace, token)[1].name == "Owner"
    assert find_token(workplace, "x" + token) is None
    content = b"".join(path.read_bytes() for path in workplace.settings.data_dir.glob("relvan.db*"))
    assert all(
        secret.encode() not in content for secret in (token, visit.cookie, "a good password")
    )


@pytest.mark.parametrize(
    ("login", "password", "field"),
    [
        ("owner", "a good password", "login"),
        ("new", "short", "password"),
        ("a b", "a good password", "login"),
    ],
)
def test_people_are_added_once_with_a_good_password(workplace, login, password, field):
    with pytest.raises(Refused) as refused:
        add_person(workplace, SYSTEM, login, "Name", Role.OWNER, password)
    assert refused.value.first.field == field


def test_a_role_may_not_do_what_is_not_its_own(workplace):
    lister = Actor(3, "Lister", Role.CATALOGUE, "hand")
    with pytest.raises(NotAllowed):
        receive(workplace, lister, "A", 1)
    with pytest.raises(NotAllowed):
        connect_channel(workplace, lister, ConnectChannel("hagglet", "http://x", "t"))
    with pytest.raises(NotAllowed):
        create_product(workplace, Actor(2, "Picker", Role.WAREHOUSE, "hand"), pot("A"))


def test_a_call_with_a_key_is_answered_the_same_again(workplace):
    make_token(workplace, "test", "owner")
    assert begin_call(workplace, 1, "k", "abc") is None
    with pytest.raises(Refused) as refused:
        begin_call(workplace, 1, "k", "abc")
    assert refused.value.first.code == "still-running"
    end_call(workplace, 1, "k", 201, "{}")
    assert begin_call(workplace, 1, "k", "abc") == RepeatedAnswer(201, "{}")
    with pytest.raises(Refused) as refused:
        begin_call(workplace, 1, "k", "other")
    assert refused.value.first.code == "idempotency-key"
    workplace.now.move(days=2)
    assert begin_call(workplace, 1, "k", "other") is None


@pytest.mark.parametrize(
    ("damage", "invariant"),
    [
        ("UPDATE balance SET on_hand = on_hand + 1", "what is on hand and blocked is the sum"),
        ("UPDATE balance SET reserved = 3", "what is reserved is the sum"),
        ("UPDATE bin_balance SET on_hand = 0", "what lies in bins is the sum"),
        ("DELETE FROM movement", "no balance is without a ledger"),
        ("DELETE FROM sku_name", "every SKU leads to its product"),
        ("DELETE FROM product_search", "every product can be found"),
        ("UPDATE listing SET quantity = 99", "a listing whose quantity or price"),
        ("UPDATE order_line SET shipped = 1, picked = 1", "what an order line says was shipped"),
        ("UPDATE reservation SET quantity = 50", "no line is promised more"),
        ("UPDATE customer_order SET cancelled_at = placed_at", "a cancelled order holds no stock"),
    ],
)
def test_check_finds_what_must_not_be(workplace, owner, world, damage, invariant):
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    list_everywhere(workplace, owner, "PT-14")
    world.buy("hagglet", "PT-14")
    from tests.house import deliver, read

    read(workplace)
    deliver(workplace)
    assert check(workplace.database) == []
    with workplace.database.writing() as session:
        session.execute(text(damage))
    assert any(breach.invariant.startswith(invariant) for breach in check(workplace.database))


def test_every_invariant_runs_on_an_empty_database(workplace):
    assert check(workplace.database) == []
    assert len(INVARIANTS) >= 12
