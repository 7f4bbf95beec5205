"""Tests channels over HTTP: connected and set up."""

from tests.caller import put_in


def test_a_channel_is_connected_and_set_up(api, world):
    wish = {
        "rulebook": "ownshop",
        "address": world.seller_api("ownshop"),
        "token": world.token("ownshop"),
    }
    made = api.post("/api/v1/channels", json=wish)
    assert made.status_code == 201
    assert made.json()["health"] == {"state": "healthy", "lag_p95_s": None, "waiting": 0}
    change = {
        "supply_list": ["yard"],
        "stock_policy": {"cap": 3},
        "price_steps": [{"kind": "percent", "percent": "5"}],
    }
    changed = api.patch("/api/v1/channels/ownshop", json=change).json()
    assert changed["supply_list"] == ["yard"]
    assert changed["stock_policy"]["cap"] == 3
    put_in(api)
    price = api.get("/api/v1/prices/PT-14", params={"channel": "ownshop"}).json()
    assert price["price"] == {"amount": 1775, "currency": "EUR"}
    assert [step["label"] for step in price["why"]] == ["Retail", "Percent", "Price"]
