"""Tests signing in by two steps, and invitations by link."""

import pyotp
import pytest

from relvan.core.people.roles import Role
from relvan.core.refusal import NotAllowed, NotFound, Refused
from relvan.services.people.invite import invite_again, invite_person, take_invitation
from relvan.services.people.manage import PersonChange, change_person
from relvan.services.people.sign_in import find_visit, person_with, sign_in
from relvan.services.people.two_step import (
    begin_two_step,
    begun_two_step,
    confirm_two_step,
    end_two_step,
    give_ticket,
    sign_in_with_code,
)
from relvan.store.tables import Person

HERE = "10.0.0.1"
PASSWORD = "a good password"


def code_of(workplace, secret, later=0):
    return pyotp.TOTP(secret).at(workplace.now().timestamp() + later)


@pytest.fixture
def visit(workplace):
    return sign_in(workplace, "owner", PASSWORD, HERE)


@pytest.fixture
def added(workplace, visit):
    """Adds the second step to the owner's phone; returns (secret, recovery codes)."""
    begun = begin_two_step(workplace, visit)
    return begun.secret, confirm_two_step(workplace, visit, code_of(workplace, begun.secret))


def ticket(workplace):
    return give_ticket(workplace, person_with(workplace, "owner", PASSWORD, HERE))


def test_the_second_step_counts_once_a_code_was_typed(workplace, visit):
    begun = begin_two_step(workplace, visit)
    assert begun.picture.startswith("<svg")
    assert begun_two_step(workplace, visit).secret == begun.secret
    with pytest.raises(Refused):
        confirm_two_step(workplace, visit, "000000")
    sign_in(workplace, "owner", PASSWORD, HERE)  # until then the password is enough
    codes = confirm_two_step(workplace, visit, code_of(workplace, begun.secret))
    assert len(set(codes)) == 10
    with pytest.raises(Refused) as refused:
        sign_in(workplace, "owner", PASSWORD, HERE)
    assert refused.value.first.code == "code"
    with workplace.database.reading() as session:
        kept = session.get_one(Person, 1)
        assert begun.secret not in kept.totp
        assert not set(codes) & set(kept.recovery)


def test_a_code_counts_once_and_for_a_minute_around(workplace, added):
    secret, _ = added
    workplace.now.move(seconds=120)
    for later in (-90, 90):
        with pytest.raises(Refused):
            sign_in_with_code(workplace, ticket(workplace), code_of(workplace, secret, later), HERE)
    code = code_of(workplace, secret)
    visit = sign_in_with_code(workplace, ticket(workplace), f"{code[:3]} {code[3:]}", HERE)
    assert find_visit(workplace, visit.cookie).two_step
    with pytest.raises(Refused):
        sign_in_with_code(workplace, ticket(workplace), code, HERE)
    workplace.now.move(seconds=30)
    assert sign_in_with_code(workplace, ticket(workplace), code_of(workplace, secret), HERE)


def test_a_recovery_code_signs_in_once(workplace, added):
    _, codes = added
    visit = sign_in_with_code(workplace, ticket(workplace), codes[0].lower(), HERE)
    assert visit.actor.role == Role.OWNER
    with pytest.raises(Refused):
        sign_in_with_code(workplace, ticket(workplace), codes[0], HERE)
    assert sign_in_with_code(workplace, ticket(workplace), codes[1].replace("-", ""), HERE)


def test_guessing_codes_is_slowed(workplace, added):
    secret, _ = added
    workplace.now.move(seconds=60)
    for _ in range(5):
        with pytest.raises(Refused):
            sign_in_with_code(workplace, ticket(workplace), "123123", HERE)
    given = give_ticket(workplace, _owner(workplace))
    with pytest.raises(Refused) as refused:
        sign_in_with_code(workplace, given, code_of(workplace, secret), HERE)
    assert refused.value.first.code == "too-many-guesses"


def _owner(workplace):
    with workplace.database.reading() as session:
        return session.get_one(Person, 1)


@pytest.mark.parametrize("spoilt", ["", "nonsense", "old", "other password"])
def test_a_code_without_a_fresh_right_password_is_worth_nothing(workplace, owner, added, spoilt):
    secret, _ = added
    given = ticket(workplace) if spoilt in ("old", "other password") else spoilt
    if spoilt == "old":
        workplace.now.move(seconds=301)
    if spoilt == "other password":
        change_person(workplace, owner, "owner", PersonChange(password="another password"))
    workplace.now.move(seconds=60)
    with pytest.raises(Refused) as refused:
        sign_in_with_code(workplace, given, code_of(workplace, secret), HERE)
    assert refused.value.first.code == "too-late"


def test_it_is_taken_away_by_oneself_or_by_an_owner(workplace, owner, picker, added, visit):
    with pytest.raises(Refused):
        end_two_step(workplace, visit, "a wrong password", HERE)
    with pytest.raises(NotAllowed):
        change_person(workplace, picker, "owner", PersonChange(second_step_gone=True))
    end_two_step(workplace, visit, PASSWORD, HERE)
    assert sign_in(workplace, "owner", PASSWORD, HERE)
    begun = begin_two_step(workplace, visit)
    confirm_two_step(workplace, visit, code_of(workplace, begun.secret))
    change_person(workplace, owner, "owner", PersonChange(second_step_gone=True))
    assert sign_in(workplace, "owner", PASSWORD, HERE)


def token_of(path):
    return path.rsplit("/", 1)[1]


def test_an_invitation_is_good_once(workplace, owner, picker):
    token = token_of(invite_person(workplace, owner, "ben", "Ben", Role.ORDERS))
    with pytest.raises(Refused):
        take_invitation(workplace, token, "short", HERE)
    assert take_invitation(workplace, token, "a password of mine", HERE) == "ben"
    assert sign_in(workplace, "ben", "a password of mine", HERE).actor.role == Role.ORDERS
    with pytest.raises(NotFound):
        take_invitation(workplace, token, "another password", HERE)
    with pytest.raises(NotAllowed):
        invite_person(workplace, picker, "eve", "Eve", Role.OWNER)


def test_a_password_chosen_by_link_ends_every_sign_in(workplace, owner, visit):
    token = token_of(invite_again(workplace, owner, "owner"))
    assert find_visit(workplace, visit.cookie), "the link alone ends nothing"
    take_invitation(workplace, token, "a password of mine", HERE)
    assert find_visit(workplace, visit.cookie) is None


def test_an_invitation_ends_by_time_by_a_newer_one_and_with_the_access(workplace, owner):
    first = token_of(invite_person(workplace, owner, "ben", "Ben", Role.ORDERS))
    second = token_of(invite_again(workplace, owner, "ben"))
    with pytest.raises(NotFound):
        take_invitation(workplace, first, "a password of mine", HERE)
    change_person(workplace, owner, "ben", PersonChange(active=False))
    with pytest.raises(NotFound):
        take_invitation(workplace, second, "a password of mine", HERE)
    with pytest.raises(Refused):
        invite_again(workplace, owner, "ben")
    change_person(workplace, owner, "ben", PersonChange(active=True))
    workplace.now.move(seconds=8 * 86_400)
    with pytest.raises(NotFound):
        take_invitation(workplace, second, "a password of mine", HERE)


def test_guessing_invitations_is_slowed(workplace):
    for _ in range(5):
        with pytest.raises(NotFound):
            take_invitation(workplace, "guess", "a password of mine", HERE)
    with pytest.raises(Refused) as refused:
        take_invitation(workplace, "guess", "a password of mine", HERE)
    assert refused.value.first.code == "too-many-guesses"
    elsewhere = "203.0.113.9"
    with pytest.raises(NotFound):  # and a stranger's guesses keep nobody else out
        take_invitation(workplace, "guess", "a password of mine", elsewhere)
