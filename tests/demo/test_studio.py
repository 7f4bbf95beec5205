"""The pictures of the demo are drawn in a process of their own."""

import io

import pytest
from PIL import Image

from relvan.demo.drawing import ELSEWHERE_SIDE
from relvan.demo.drawings import draw
from relvan.demo.studio import Studio
from relvan.services.catalogue.pictures import picture_roles
from tests.house import add_pot


@pytest.fixture
def studio(workplace):
    """A drawing process, which ends with the test."""
    studio = Studio(workplace)
    yield studio
    studio.close()


def test_a_product_gets_the_picture_that_was_asked_for_once_it_is_wanted(workplace, owner, studio):
    for sku in ("A", "B"):
        add_pot(workplace, owner, sku, units=0)
    before = {sku: len(picture_roles(workplace, sku)) for sku in ("A", "B")}
    studio.order("A", "pot", "#C9973F", "Ochre pot")
    studio.order("B", "tin", "#9DBFA5", "Tin")
    studio.deliver(owner, lambda sku: sku == "A")
    assert len(picture_roles(workplace, "A")) == before["A"] + 1
    assert len(picture_roles(workplace, "B")) == before["B"]
    studio.deliver(owner, lambda sku: True)
    sha, _ = picture_roles(workplace, "B")[-1]
    drawn = workplace.files.path(f"pictures/{sha[:2]}/{sha}.jpg").read_bytes()
    assert drawn == draw("tin", "#9DBFA5", "Tin")


def test_what_goes_wrong_with_a_picture_is_raised_when_it_is_delivered(workplace, owner, studio):
    add_pot(workplace, owner, "A", units=0)
    studio.order("A", "a shape that nobody can draw", "#C9973F", "Nothing")
    with pytest.raises(KeyError, match="nobody can draw"):
        studio.deliver(owner, lambda sku: True)


def test_a_picture_of_somebody_else_is_small_and_always_the_same(studio):
    studio.order_elsewhere(["PT-14"])
    first = studio.elsewhere("PT-14")
    assert first == studio.elsewhere("PT-14") != studio.elsewhere("PT-18")
    with Image.open(io.BytesIO(first)) as picture:
        assert (picture.format, picture.size) == ("JPEG", (ELSEWHERE_SIDE, ELSEWHERE_SIDE))


def test_when_the_process_is_gone_whoever_waits_for_a_picture_is_told(workplace, owner, studio):
    add_pot(workplace, owner, "A", units=0)
    studio.order("A", "pot", "#C9973F", "Ochre pot")
    studio.close()
    before = picture_roles(workplace, "A")
    with pytest.raises(RuntimeError, match="has ended"):
        studio.deliver(owner, lambda sku: True)
    assert picture_roles(workplace, "A") == before
