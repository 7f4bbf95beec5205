"""Tests the outside world: what it remembers, how it sells, how badly it behaves."""

import httpx
import pytest

from standins.app import make_world_app
from standins.memory import Memory
from tests.outside import World
from tests.server import Served
from tests.steps.world import place


def test_it_tells_who_is_there_and_survives_a_restart(tmp_path):
    for expected in (0, 1):
        with Served(lambda url: make_world_app(tmp_path / "w.db", url)) as served:
            world = World(served.url)
            assert set(world.client.get("/world").json()["standins"]) == {
                "corvello",
                "hagglet",
                "loomstead",
                "ownshop",
                "merrowline",
                "ostrel",
            }
            assert len(world.listings("hagglet")) == expected
            place(world)
            world.weather("ostrel", "slow")
            world.client.close()
    assert Memory(tmp_path / "w.db").setting("weather.ostrel") == "slow"


def test_a_visitor_buys_in_the_public_pages_and_sees_the_order(world):
    ref = place(world).json()["notice"]
    assert "A pot" in world.client.get("/hagglet").text
    form = {
        "quantity": "2",
        "name": "Ada <b>",
        "street": "1 Row",
        "town": "T",
        "postcode": "1",
        "country": "NL",
        "mail": "",
    }
    page = world.client.post(f"/hagglet/buy/{ref}", data=form, follow_redirects=True)
    assert "Ada &lt;b&gt;" in page.text
    assert "Not sent yet" in page.text
    assert "Only 0" in world.client.post(f"/hagglet/buy/{ref}", data=form).text


def test_more_than_is_shown_cannot_be_bought(world):
    place(world)
    answer = world.client.post("/world/hagglet/purchases", json={"sku": "A", "quantity": 3})
    assert answer.status_code == 409
    assert world.listings("hagglet")["A"]["quantity"] == 2


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"heading": "x"}, "heading"),
        ({"text": "short"}, "text"),
        ({"shelf": "none"}, "shelf"),
        ({"asking": 5}, "asking"),
        ({"units": 1000}, "units"),
        ({"photos": []}, "photos"),
        ({"photos": ["x"]}, "photos"),
        ({"shelf": "hg-planters"}, "details.material"),
        ({"condition": "odd"}, "condition"),
    ],
)
def test_a_notice_with_a_problem_is_refused_in_hagglets_words(world, change, field):
    answer = place(world, **change)
    assert answer.status_code == 422
    assert [problem["field"] for problem in answer.json()["problems"]] == [field]


def test_the_clock_moves_a_parcel_on(world):
    head = {"Authorization": f"Account {world.token('ostrel')}"}
    to = {"name": "Ada", "street": "1", "town": "T", "country": "NL"}
    body = {"client_ref": "k", "product": "tracked", "to": to, "parcel": {"grams": 500}}
    code = world.client.post("/ostrel/api/labels", json=body, headers=head).json()["code"]
    assert "Collected" not in world.client.get(f"/ostrel/track/{code}").text
    world.client.post("/world/clock", json={"advance_minutes": 300}).raise_for_status()
    assert "Collected" in world.client.get(f"/ostrel/track/{code}").text


def outcomes(world, count=60):
    found = []
    for _ in range(count):
        try:
            head = {"Authorization": f"Token {world.token('hagglet')}"}
            found.append(world.client.get("/hagglet/seller/hello", headers=head).status_code)
        except httpx.HTTPError:
            found.append("cut")
    return found


@pytest.mark.parametrize(
    ("kind", "seen"),
    [
        ("calm", {200}),
        ("down", {503}),
        ("flaky", {200, 500, "cut"}),
        ("lost answers", {200, "cut"}),
        ("throttled", {200, 429}),
    ],
)
def test_each_weather_shows(world, kind, seen):
    world.weather("hagglet", kind)
    assert set(outcomes(world)) == seen


def test_the_same_seed_brings_the_same_weather(world):
    world.weather("hagglet", "flaky", seed=3)
    first = outcomes(world)
    world.weather("hagglet", "flaky", seed=3)
    assert outcomes(world) == first
    assert 2 <= sum(outcome != 200 for outcome in first) <= 24


def test_the_console_shows_and_changes_the_weather(world):
    world.client.post("/console", data={"name": "ownshop", "kind": "flaky"})
    page = world.client.get("/").text
    assert "<option selected>flaky</option>" in page
    assert world.client.put("/world/ownshop/weather", json={"kind": "hail"}).status_code == 422
