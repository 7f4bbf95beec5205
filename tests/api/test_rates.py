"""Tests rates and the settings that use them, over the API."""

from tests.caller import problem
from tests.house import add_pot, connect, list_everywhere

V1 = "/api/v1"

RATE = {"source": "EUR", "target": "CHF", "rate": "0.95", "since": "2026-11-01"}


def test_rates_are_kept_listed_and_dropped(api):
    assert api.post(
        f"{V1}/rates", json={"items": [RATE, {**RATE, "since": None, "rate": "0.9"}]}
    ).json() == {"changed": 2}
    assert api.post(f"{V1}/rates", json={"items": [RATE]}).json() == {"changed": 0}
    items = api.get(f"{V1}/rates").json()["items"]
    assert [(one["rate"], one["since"], one["holds"]) for one in items] == [
        ("0.9", "2026-11-02", True),
        ("0.95", "2026-11-01", False),
    ]
    assert api.delete(f"{V1}/rates/{items[0]['id']}").status_code == 200
    problem(api.delete(f"{V1}/rates/{items[0]['id']}"), 404)
    assert [one["holds"] for one in api.get(f"{V1}/rates").json()["items"]] == [True]


def test_wrong_rates_are_refused_and_nothing_is_kept(api):
    for wrong in (
        {"rate": "-1"},
        {"target": "EUR"},
        {"source": "QQQ"},
        {"since": "2099-01-01"},
        {"since": "x"},
    ):
        problem(api.post(f"{V1}/rates", json={"items": [RATE, {**RATE, **wrong}]}), 422)
    assert api.get(f"{V1}/rates").json()["items"] == []


def test_a_channels_margin_and_delivery_are_set_and_shown(api, workplace, owner, world):
    connect(workplace, owner, world, "hagglet")
    change = {
        "least_margin": "12.5",
        "delivery_cost": {"amount": 380, "currency": "EUR"},
        "price_steps": [{"kind": "cover fees"}],
    }
    shown = api.patch(f"{V1}/channels/hagglet", json=change).json()
    assert {name: shown[name] for name in change} == change
    problem(
        api.patch(
            f"{V1}/channels/hagglet", json={"delivery_cost": {"amount": 1, "currency": "CHF"}}
        ),
        422,
    )
    problem(api.patch(f"{V1}/channels/hagglet", json={"least_margin": "100"}), 422)
    assert (
        api.patch(f"{V1}/channels/hagglet", json={"least_margin": None}).json()["least_margin"]
        is None
    )


def test_prices_are_foreseen_over_the_api(api, workplace, owner, world):
    connect(workplace, owner, world, "hagglet")
    add_pot(workplace, owner, "PT-14")
    list_everywhere(workplace, owner, "PT-14")
    found = api.post(
        f"{V1}/channels/hagglet/foresee", json={"price_steps": [{"kind": "cover fees"}]}
    ).json()
    assert (found["listings"], found["up"], found["samples"][0]["new"]) == (1, 1, "19.86 EUR")
    problem(api.post(f"{V1}/channels/hagglet/foresee", json={"paused": True}), 422)
    trial = {"price_steps": [{"kind": "cover fees"}], "fees": {"fixed": 530}}
    dearer = api.post(f"{V1}/channels/hagglet/foresee", json=trial).json()
    assert (dearer["up"], dearer["samples"][0]["new"]) == (1, "25.64 EUR")
    problem(api.post(f"{V1}/channels/hagglet/foresee", json={"fees": {"fixed": -1}}), 422)
    rate = {"source": "EUR", "target": "CHF", "rate": "0.9"}
    assert api.post(f"{V1}/rates/foresee", json=rate).json() == {"items": []}
    problem(api.post(f"{V1}/rates/foresee", json={**rate, "rate": "0"}), 422)
    problem(api.post(f"{V1}/channels/moon/foresee", json={}), 404)
