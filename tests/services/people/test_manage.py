"""Roles, passwords and the end of access."""

import pytest
from sqlalchemy import select

from relvan.core.people.roles import Role
from relvan.core.refusal import NotAllowed, NotFound, Refused
from relvan.services.people.manage import PersonChange, change_person
from relvan.services.people.sign_in import find_visit, sign_in
from relvan.services.people.tokens import find_token, make_token
from relvan.store.people import everybody
from relvan.store.tables import AuditEntry


def test_the_end_of_access_ends_every_sign_in_and_token_at_once(workplace, owner):
    visits = [sign_in(workplace, "picker", "a good password", "1.2.3.4") for _ in range(2)]
    token = make_token(workplace, "phone", "picker")
    change_person(workplace, owner, "picker", PersonChange(active=False))
    assert [find_visit(workplace, visit.cookie) for visit in visits] == [None, None]
    assert find_token(workplace, token) is None
    with pytest.raises(Refused):
        sign_in(workplace, "picker", "a good password", "1.2.3.4")
    change_person(workplace, owner, "picker", PersonChange(active=True))
    assert sign_in(workplace, "picker", "a good password", "1.2.3.4").cookie
    assert find_token(workplace, token) is None


def test_a_new_password_signs_out_everywhere(workplace, owner):
    visit = sign_in(workplace, "picker", "a good password", "1.2.3.4")
    change_person(workplace, owner, "picker", PersonChange(password="another password"))
    assert find_visit(workplace, visit.cookie) is None
    with pytest.raises(Refused):
        sign_in(workplace, "picker", "a good password", "1.2.3.4")
    assert sign_in(workplace, "picker", "another password", "1.2.3.4").cookie
    with pytest.raises(Refused):
        change_person(workplace, owner, "picker", PersonChange(password="short"))


def test_a_role_holds_from_the_next_page_on(workplace, owner):
    visit = sign_in(workplace, "picker", "a good password", "1.2.3.4")
    change_person(workplace, owner, "picker", PersonChange(role=Role.CATALOGUE))
    assert find_visit(workplace, visit.cookie).actor.role == Role.CATALOGUE


@pytest.mark.parametrize("change", [PersonChange(active=False), PersonChange(role=Role.ORDERS)])
def test_there_is_always_an_owner(workplace, owner, change):
    with pytest.raises(Refused) as refused:
        change_person(workplace, owner, "owner", change)
    assert refused.value.first.code == "last-owner"
    change_person(workplace, owner, "picker", PersonChange(role=Role.OWNER))
    change_person(workplace, owner, "owner", change)


def test_nobody_below_owner_changes_people(workplace, picker, owner):
    with pytest.raises(NotAllowed):
        change_person(workplace, picker, "picker", PersonChange(role=Role.OWNER))
    with pytest.raises(NotFound):
        change_person(workplace, owner, "nobody", PersonChange(active=False))
    with workplace.database.reading() as session:
        assert {person.role for person in everybody(session)} == {"owner", "warehouse", "catalogue"}


def test_what_changed_stands_in_the_audit_trail_without_the_password(workplace, owner):
    change = PersonChange(role=Role.ORDERS, password="another password")
    change_person(workplace, owner, "picker", change)
    with workplace.database.reading() as session:
        entry = session.scalars(select(AuditEntry).order_by(AuditEntry.id.desc())).first()
    assert (entry.subject_kind, entry.subject_id, entry.person_id) == ("person", 2, 1)
    assert entry.changes == {"role": ["warehouse", "orders"], "password": ["", "changed"]}
