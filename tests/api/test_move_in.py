"""Moving in over HTTP: from the first call to what is kept in step."""

import pytest

from tests.steps.move_in import connect_made, links_made, load_made, work_all

V1 = "/api/v1"


@pytest.fixture
def made(workplace, owner, world):
    made = load_made(world, 8)
    connect_made(workplace, owner, world)
    return made


def begun(api, workplace, **wish):
    answer = api.post(f"{V1}/move-in", json=wish)
    assert answer.status_code == 202, answer.text
    work_all(workplace)
    return answer.json()["id"]


def every_item(api, move, **query):
    found, after = [], 0
    while after is not None:
        answer = api.get(f"{V1}/move-in/{move}", params={"limit": 20, "after": after, **query})
        assert answer.status_code == 200, answer.text
        found += answer.json()["items"]
        after = answer.json()["next"]
    return found


def test_a_whole_move(api, workplace, made):
    move = begun(api, workplace, stock_from="loomstead", warehouse="yard")
    told = api.get(f"{V1}/move-in/{move}").json()
    assert (told["state"], told["channels"]) == ("rehearsed", ["hagglet", "loomstead", "corvello"])
    assert told["decided"]["stock_from"] == "loomstead"
    items = every_item(api, move)
    assert len(items) == told["proposed"]["all"] == told["total"]
    refs = [(one["channel"], one["ref"]) for item in items for one in item["listings"]]
    assert len(refs) == len(set(refs)) == told["counts"]["listings"]
    assert all(item["product"]["title"] for item in items)
    sum_of_bases = sum(price["base"] for price in told["prices"].values())
    assert sum_of_bases == 1

    assert api.post(f"{V1}/move-in/{move}/apply").status_code == 202
    work_all(workplace)
    assert api.get(f"{V1}/move-in/{move}").json()["state"] == "ended"
    links, right = links_made(workplace, made)
    assert right == links == made.true_links()
    one = next(item for item in items if item["stock"] and item["stock"]["quantity"] > 1)
    rows = api.get(f"{V1}/stock", params={"sku": one["sku"]}).json()["items"]
    on_hand = {row["warehouse"]: row["on_hand"] for row in rows}
    assert on_hand["yard"] == one["stock"]["quantity"]

    steps = {row["channel"]: row for row in api.get(f"{V1}/move-in/in-step").json()["items"]}
    assert set(steps) == {"hagglet", "loomstead", "corvello"}
    assert steps["loomstead"]["quantities"] == 0
    kept = api.post(f"{V1}/move-in/in-step", json={"channels": ["loomstead"]})
    assert kept.status_code == 202
    work_all(workplace)
    left = [row["channel"] for row in api.get(f"{V1}/move-in/in-step").json()["items"]]
    assert left == ["hagglet", "corvello"]
    assert api.post(f"{V1}/move-in/in-step", json={}).json()["items"]
    work_all(workplace)
    assert api.get(f"{V1}/move-in/in-step").json() == {"items": []}


def test_decisions_are_taken_and_refused(api, workplace, made):
    move = begun(api, workplace)
    item = next(item for item in every_item(api, move) if item["kind"] == "single")
    changes = {"left_out": [item["name"]], "details": {"title": "longest"}, "mark": 90}
    assert api.patch(f"{V1}/move-in/{move}", json=changes).status_code == 202
    work_all(workplace)
    told = api.get(f"{V1}/move-in/{move}", params={"only": "left out"}).json()
    assert [one["name"] for one in told["items"]] == [item["name"]]
    assert (told["decided"]["mark"], told["proposed"]["left out"]) == (90, 1)
    for wrong in ({"mark": 3}, {"details": {"taste": "newest"}}, {"own": {"0": {}}}, {"x": 1}):
        answer = api.patch(f"{V1}/move-in/{move}", json=wrong)
        assert answer.status_code == 422, wrong
        assert answer.headers["content-type"] == "application/problem+json"
    assert api.get(f"{V1}/move-in/{move}").json()["state"] == "rehearsed"


def test_what_is_no_move_is_not_found_or_refused(api, workplace, made):
    assert api.get(f"{V1}/move-in/77").status_code == 404
    assert api.post(f"{V1}/move-in", json={"channels": ["nowhere"]}).status_code == 422
    read = api.post(f"{V1}/channels/hagglet/findings/read").json()["id"]
    work_all(workplace)
    assert api.get(f"{V1}/move-in/{read}").status_code == 422
    assert api.post(f"{V1}/move-in/{read}/apply").status_code == 422
    move = begun(api, workplace)
    assert api.get(f"{V1}/move-in/{move}", params={"only": "odd"}).status_code == 422
    assert api.post(f"{V1}/move-in/{move}/undo").status_code == 409  # nothing was made yet
    assert api.post(f"{V1}/move-in/{move}/drop").json()["state"] == "dropped"


def test_the_same_call_twice_moves_once(api, workplace, made):
    key = {"Idempotency-Key": "one-move"}
    first, second = (api.post(f"{V1}/move-in", json={}, headers=key).json() for _ in range(2))
    assert first["id"] == second["id"]
