"""Accounts at carriers over HTTP."""

from tests.caller import problem

PATH = "/api/v1/carriers"


def test_a_carrier_is_connected_changed_and_tested(api, world):
    assert api.get(PATH).json()["items"] == []
    body = {
        "carrier": "ostrel",
        "address": world.seller_api("ostrel"),
        "token": world.token("ostrel"),
    }
    wrong = {**body, "token": "wrong"}
    assert problem(api.post(PATH, json=wrong), 422)["code"] == "unreachable"
    assert problem(api.post(PATH, json={**body, "carrier": "nobody"}), 422)
    made = api.post(PATH, json=body)
    assert made.status_code == 201, made.text
    assert made.json()["account"] == "Quillmoss"
    assert "token" not in made.json()
    changed = api.patch(f"{PATH}/ostrel", json={"name": "The post"}).json()
    assert changed["name"] == "The post"
    assert api.get(f"{PATH}/ostrel").json()["name"] == "The post"
    assert api.post(f"{PATH}/ostrel/test").json() == {"account": "Quillmoss"}
    assert problem(api.get(f"{PATH}/nobody"), 404)


def test_another_account_of_a_marketplace_is_connected(api, workplace, owner, world):
    body = {
        "rulebook": "hagglet",
        "address": world.seller_api("hagglet"),
        "token": world.token("hagglet"),
    }
    for more, key in (({}, "hagglet"), ({"another": True, "name": "Outlet"}, "hagglet-2")):
        assert api.post("/api/v1/channels", json={**body, **more}).json()["channel"] == key
    renamed = api.patch("/api/v1/channels/hagglet-2", json={"name": "Seconds"})
    assert renamed.json()["name"] == "Seconds"
