"""Holds what tests of the store share."""

import pytest


@pytest.fixture
def session(workplace):
    with workplace.database.writing() as session:
        yield session
