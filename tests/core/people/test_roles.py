"""Tests who may do what, and how long a password must be."""

import pytest

from relvan.core.people.roles import RIGHTS, Right, Role, check_password, check_right
from relvan.core.refusal import NotAllowed, Refused


def test_roles_hold_their_rights_and_no_others():
    check_right(Role.WAREHOUSE, Right.DISPATCH)
    with pytest.raises(NotAllowed):
        check_right(Role.WAREHOUSE, Right.PRICES)
    assert RIGHTS[Role.OWNER] == frozenset(Right)
    assert all(Right.SETUP not in rights for role, rights in RIGHTS.items() if role != Role.OWNER)


@pytest.mark.parametrize(
    ("password", "good"), [("x" * 9, False), ("x" * 10, True), ("x" * 201, False)]
)
def test_a_password_is_long_enough(password, good):
    if good:
        check_password(password)
    else:
        with pytest.raises(Refused):
            check_password(password)
