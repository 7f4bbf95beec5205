"""Tests Loomstead as a seller meets it: corners with their facts, patches of single fields, a
hundred days."""

import json
from itertools import count

import pytest

from relvan.core.listings.rulebook import parted
from relvan.gateways.channels.registry import rulebook
from standins.loomstead import PATCH
from tests.house import png

PIECE = {
    "code": "A",
    "title": "A pot",
    "story": "A stoneware pot, thrown by hand and glazed.",
    "corner": "pots-small",
    "keywords": ["clay"],
    "facts": {"made of": "stoneware"},
    "rappen": 1690,
    "at_hand": 3,
}
wishes = count()


@pytest.fixture
def desk(world):
    """Asks at the seller's desk."""
    head = {"Authorization": f"Key {world.token('loomstead')}"}

    def ask(method, path, **more):
        headers = {**head, **more.pop("headers", {})}
        return world.client.request(method, f"/loomstead/desk/{path}", headers=headers, **more)

    return ask


@pytest.fixture
def picture(desk):
    return desk("POST", "pictures", content=png()).json()["picture"]


@pytest.fixture
def place(desk, picture):
    def put(**changes):
        return desk(
            "POST",
            "pieces",
            json={**PIECE, "pictures": [picture], **changes},
            headers={"Wish": f"wish-{next(wishes)}"},
        )

    return put


@pytest.fixture
def piece(place):
    return place().json()["piece"]


def patch(desk, ref, *operations, kind=PATCH):
    return desk(
        "PATCH", f"pieces/{ref}", content=json.dumps(operations), headers={"Content-Type": kind}
    )


def test_the_rulebook_says_what_the_desk_says(desk):
    told = desk("GET", "corners").json()
    book = rulebook("loomstead")
    assert [(c.key, c.name) for c in book.categories] == [
        (c["corner"], c["name"]) for c in told["corners"]
    ]
    assert len(book.categories) >= 30
    for rule in book.fields[4:]:
        fact = rule.name.replace("_", " ")
        assert list(rule.choices) == told["facts"][fact]
        needs = [c["corner"] for c in told["corners"] if fact in c["needs"]]
        takes = [c["corner"] for c in told["corners"] if fact in c["needs"] + c["takes"]]
        assert (list(rule.required_in), list(rule.only_in)) == (needs, takes), fact


@pytest.mark.parametrize(
    ("changes", "at"),
    [
        ({"title": "Pot"}, "/title"),
        ({"title": "x" * 141}, "/title"),
        ({"title": 7}, "/title"),
        ({"story": "Short."}, "/story"),
        ({"corner": "attic"}, "/corner"),
        ({"facts": {}}, "/facts/made of"),
        ({"facts": {"made of": "cheese"}}, "/facts/made of"),
        ({"facts": {"made of": "stoneware", "litres": "5"}}, "/facts/litres"),
        ({"keywords": [str(n) for n in range(10)]}, "/keywords"),
        ({"keywords": ["x" * 21]}, "/keywords"),
        ({"keywords": ["clay", "Clay"]}, "/keywords"),
        ({"pictures": []}, "/pictures"),
        ({"pictures": ["nobody"] * 2}, "/pictures"),
        ({"rappen": 49}, "/rappen"),
        ({"rappen": "16.90"}, "/rappen"),
        ({"at_hand": -1}, "/at_hand"),
        ({"at_hand": True}, "/at_hand"),
        ({"colour": "red"}, "/"),
    ],
)
def test_what_is_wrong_with_a_piece_is_told_by_its_place(place, world, changes, at):
    answer = place(**changes)
    assert answer.status_code == 422
    assert [told["at"] for told in answer.json()["refusals"]] == [at]
    assert world.listings("loomstead") == {}


def test_more_pictures_than_eight_are_refused(place, picture):
    assert place(pictures=[picture] * 8).status_code == 201
    assert place(pictures=[picture] * 9).json()["refusals"][0]["at"] == "/pictures"


def test_a_patch_changes_single_fields_all_or_none(desk, piece, world):
    answer = patch(
        desk,
        piece,
        {"op": "test", "path": "/rappen", "value": 1690},
        {"op": "replace", "path": "/rappen", "value": 1790},
        {"op": "add", "path": "/keywords/-", "value": "pot"},
    )
    assert answer.status_code == 200
    assert (answer.json()["rappen"], answer.json()["keywords"]) == (1790, ["clay", "pot"])
    refused = patch(
        desk,
        piece,
        {"op": "replace", "path": "/rappen", "value": 1890},
        {"op": "replace", "path": "/title", "value": ""},
    )
    assert refused.status_code == 422
    assert world.listings("loomstead")["A"]["price"] == 1790, "none of it was done"


@pytest.mark.parametrize(
    ("operations", "status"),
    [
        ([{"op": "test", "path": "/rappen", "value": 1}], 409),
        ([{"op": "replace", "path": "/nothing", "value": 1}], 400),
        ([{"op": "remove", "path": "/facts/colour"}], 400),
        ([{"op": "dance", "path": "/title"}], 400),
        ([{"path": "/title"}], 400),
        ([7], 400),
        ([{"op": "add", "path": "/title", "value": "A jug"}] * 41, 400),
        ([{"op": "replace", "path": "/code", "value": "B"}], 422),
        ([{"op": "replace", "path": "", "value": []}], 422),
        ([{"op": "remove", "path": "/title"}], 422),
        ([{"op": "add", "path": "/until", "value": "2099-01-01"}], 422),
    ],
)
def test_a_patch_that_does_not_fit_changes_nothing(desk, piece, operations, status):
    before = desk("GET", f"pieces/{piece}").json()
    assert patch(desk, piece, *operations).status_code == status
    assert desk("GET", f"pieces/{piece}").json() == before


def test_changes_come_as_patches_only(desk, piece):
    dearer = {"op": "add", "path": "/rappen", "value": 500}
    assert patch(desk, piece, dearer, kind="application/json").status_code == 415
    assert (
        desk(
            "PATCH", f"pieces/{piece}", content=b"{no", headers={"Content-Type": PATCH}
        ).status_code
        == 400
    )
    assert patch(desk, "lm-999999", dearer).status_code == 404


def test_a_piece_lapses_after_a_hundred_days_and_can_be_renewed(desk, piece, world):
    days = 24 * 60
    world.client.post("/world/clock", json={"advance_minutes": 99 * days}).raise_for_status()
    assert desk("GET", f"pieces/{piece}").json()["standing"] == "live"
    world.client.post("/world/clock", json={"advance_minutes": days}).raise_for_status()
    assert desk("GET", f"pieces/{piece}").json()["standing"] == "lapsed"
    assert world.listings("loomstead")["A"]["state"] == "lapsed"
    bought = world.client.post("/world/loomstead/purchases", json={"sku": "A"})
    assert bought.status_code == 409, "nobody buys what is not shown"
    assert "A pot" not in world.client.get("/loomstead").text
    assert "no longer offered" in world.client.get(f"/loomstead/pieces/{piece}").text
    assert desk("POST", f"pieces/{piece}/renew").json()["standing"] == "live"
    assert world.buy("loomstead", "A").startswith("LM-")


def test_a_wish_is_granted_once(desk, picture, world):
    body = {**PIECE, "pictures": [picture]}
    first = desk("POST", "pieces", json=body, headers={"Wish": "one"})
    again = desk("POST", "pieces", json=body, headers={"Wish": "one"})
    assert (first.status_code, again.status_code) == (201, 409)
    found = desk("GET", "pieces", params={"wish": "one"}).json()["pieces"]
    assert [row["piece"] for row in found] == [first.json()["piece"]]
    assert desk("GET", "pieces", params={"wish": "two"}).json()["pieces"] == []


def test_a_visitor_buys_and_the_seller_reads_it_in_francs(desk, piece, world):
    assert "CHF" in world.client.get(f"/loomstead/pieces/{piece}").text
    number = world.buy("loomstead", "A", 2)
    (order,) = desk("GET", "orders").json()["orders"]
    assert (order["number"], order["money"], order["pieces"][0]["count"]) == (number, "CHF", 2)
    assert desk("GET", "orders", params={"beyond": order["turn"]}).json()["orders"] == []
    assert (
        desk("PUT", f"orders/{number}/parcels/OP1", json={"by": "Ostrel Post"}).status_code == 200
    )
    assert desk("PUT", "orders/LM-1/parcels/OP1", json={"by": ""}).status_code == 404


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("", []),
        (" , ,", []),
        ("clay", ["clay"]),
        ("clay, Pot ,clay,CLAY", ["clay", "Pot"]),
        ("a b\nc", ["a b", "c"]),
    ],
)
def test_words_are_parted_by_commas_and_lines_each_once(typed, words):
    assert parted(typed) == words
