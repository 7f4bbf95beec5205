"""Tests what a picture of a product is for."""

import pytest

from relvan.core.catalogue.pictures import PictureRole, check_role
from relvan.core.refusal import Refused


@pytest.mark.parametrize("role", PictureRole)
def test_a_picture_has_one_of_these_roles(role):
    assert check_role(role.value) is None


@pytest.mark.parametrize("role", ["", "Main", "cover"])
def test_another_role_is_refused_and_the_roles_are_named(role):
    with pytest.raises(Refused) as refused:
        check_role(role)
    assert (refused.value.first.code, refused.value.first.field) == ("not-allowed", "role")
    assert "main, further, description" in refused.value.first.message
