"""Tests Hagglet's shelves as the seller reads them, and as the rulebook keeps them."""

import pytest

from relvan.gateways.channels.registry import rulebook
from tests.steps.world import place


@pytest.fixture
def told(world):
    head = {"Authorization": f"Token {world.token('hagglet')}"}
    return world.client.get("/hagglet/seller/shelves", headers=head).json()


def test_the_rulebook_says_what_the_marketplace_says(told):
    book = rulebook("hagglet")
    assert [(c.key, c.name) for c in book.categories] == [
        (s["shelf"], s["name"]) for s in told["shelves"]
    ]
    assert len(book.categories) >= 30
    asked = {name for shelf in told["shelves"] for name in shelf["needs"]}
    for name in asked:
        rule = book.field(name)
        assert list(rule.required_in) == [
            s["shelf"] for s in told["shelves"] if name in s["needs"]
        ], name
        assert all(rule.is_asked_in(key) for key in rule.required_in)
        assert list(rule.choices) == told["details"].get(name, [])


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"shelf": "hg-herbs"}, "details.sowing"),
        ({"shelf": "hg-herbs", "details": {"sowing": "on the moon"}}, "details.sowing"),
        ({"shelf": "hg-lamps", "details": {"power": ""}}, "details.power"),
        ({"shelf": "hg-saucers", "details": None}, "details.material"),
        ({"shelf": "hg-nowhere"}, "shelf"),
    ],
)
def test_a_shelf_asks_for_its_details(world, change, field):
    answer = place(world, **change)
    assert answer.status_code == 422
    assert [problem["field"] for problem in answer.json()["problems"]] == [field]


def test_a_notice_with_its_details_is_placed(world):
    answer = place(world, shelf="hg-herbs", details={"sowing": "either", "anything": "else"})
    assert answer.status_code == 201
    assert "Herbs" in world.client.get(answer.json()["page"]).text
