"""One's own account: the password, and where one is signed in."""

from concurrent.futures import ThreadPoolExecutor

import pytest

from relvan.core.refusal import NotFound, Refused
from relvan.services.people.account import (
    NewPassword,
    browser_of,
    change_own_password,
    end_visit,
    open_visits,
)
from relvan.services.people.sign_in import find_visit, person_with, sign_in

OLD, NEW = "a good password", "another password"


def visit(workplace, login="picker", password=OLD, agent=""):
    return sign_in(workplace, login, password, "1.2.3.4", agent)


def test_a_new_password_ends_every_other_sign_in(workplace):
    here, there = visit(workplace), visit(workplace)
    owner = visit(workplace, "owner")
    new = change_own_password(workplace, here, NewPassword(OLD, NEW, NEW), "1.2.3.4")
    assert [find_visit(workplace, one.cookie) for one in (here, there)] == [None, None]
    assert find_visit(workplace, new.cookie).login == "picker"
    assert find_visit(workplace, owner.cookie).login == "owner"
    with pytest.raises(Refused):
        visit(workplace)
    assert visit(workplace, password=NEW).cookie


@pytest.mark.parametrize(
    ("wish", "field"),
    [
        (NewPassword("wrong password", NEW, NEW), "present"),
        (NewPassword(OLD, NEW, NEW + "!"), "again"),
        (NewPassword(OLD, "short", "short"), "new"),
        (NewPassword("", NEW, NEW), "present"),
    ],
)
def test_a_refused_change_keeps_password_and_sign_ins(workplace, wish, field):
    here = visit(workplace)
    with pytest.raises(Refused) as refused:
        change_own_password(workplace, here, wish, "1.2.3.4")
    assert refused.value.first.field == field
    assert find_visit(workplace, here.cookie)
    assert visit(workplace).cookie


def test_guessing_the_present_password_is_slowed(workplace):
    here = visit(workplace)
    codes = []
    for _ in range(6):
        with pytest.raises(Refused) as refused:
            change_own_password(workplace, here, NewPassword("wrong", NEW, NEW), "1.2.3.4")
        codes.append(refused.value.first.code)
    assert codes == [*["sign-in"] * 5, "too-many-guesses"]


def test_one_sees_and_ends_ones_own_sign_ins_and_nobody_elses(workplace):
    phone = visit(workplace, agent="Tool/5.0 (Phone; Mobile) Engine/1 Viewer/9.1")
    workplace.now.move(minutes=5)
    here, owner = visit(workplace), visit(workplace, "owner")
    seen = open_visits(workplace, here.actor, here.cookie)
    assert [(one.is_this, one.where, one.address) for one in seen] == [
        (True, "unknown", "1.2.3.4"),
        (False, "a phone", "1.2.3.4"),
    ]
    (others,) = open_visits(workplace, owner.actor, owner.cookie)
    with pytest.raises(NotFound):
        end_visit(workplace, here.actor, others.key)
    end_visit(workplace, here.actor, seen[1].key)
    assert find_visit(workplace, phone.cookie) is None
    assert find_visit(workplace, here.cookie)
    with pytest.raises(NotFound):
        end_visit(workplace, here.actor, seen[1].key)


@pytest.mark.parametrize(
    ("agent", "words"),
    [
        ("", "unknown"),
        ("Tool/5.0 (X11; System) Engine/2010 Viewer/140.0", "a computer"),
        ("Tool/5.0 (Handset; Mobile; rv:1) Engine/1 Viewer/2", "a phone"),
        ("<script>alert(1)</script>", "a computer"),
    ],
)
def test_a_browser_is_said_in_words(agent, words):
    assert browser_of(agent) == words


def test_of_many_guesses_at_once_only_five_are_looked_at(workplace):
    def guess(number):
        with pytest.raises(Refused) as refused:
            sign_in(workplace, "picker", f"no password {number}", f"198.51.100.{number}")
        return refused.value.first.code

    with ThreadPoolExecutor(12) as pool:
        codes = list(pool.map(guess, range(24)))
    assert codes.count("sign-in") == 5
    assert codes.count("too-many-guesses") == 19


def test_right_passwords_never_count_as_guesses(workplace):
    for _ in range(8):  # nobody is signed in by that yet: the second step would follow
        assert person_with(workplace, "picker", OLD, "198.51.100.7").login == "picker"
