"""Tests the mail server over HTTP."""

import pytest

from tests.caller import problem

PATH = "/api/v1/mail-server"


@pytest.fixture
def mailroom(world, worlds):
    worlds[0].present.open_mailroom()
    return world.client.get("/world").json()["mailroom"]


def test_a_mail_server_is_saved_tested_and_taken_away(api, mailroom):
    assert api.get(PATH).json()["host"] == ""
    body = {
        "host": mailroom["host"],
        "port": mailroom["port"],
        "security": "none",
        "login": mailroom["login"],
        "password": mailroom["token"],
        "sender": "orders@quillmoss.example",
    }
    assert problem(api.put(PATH, json={**body, "sender": "me"}), 422)["code"] == "form"
    saved = api.put(PATH, json=body).json()
    assert saved["has_password"] is True
    assert "password" not in saved
    answer = api.post(f"{PATH}/test", json={"to": "ada@quillmoss.example"})
    assert answer.json() == {"answer": "250 kept as 1"}
    assert api.get(PATH).json()["works"] is True
    problem(api.post(f"{PATH}/test", json={"to": "nobody@quillmoss.example"}), 422)
    wish = {"login": "iris", "name": "Iris", "role": "warehouse", "mail": "iris@quillmoss.example"}
    assert api.post("/api/v1/people", json=wish).json()["mailed"] == "250 kept as 2"
    assert api.put(PATH, json={"host": ""}).json()["has_password"] is False


def test_a_channel_is_disconnected_and_what_it_touches_is_said(api, workplace, owner, world):
    connected = {
        "rulebook": "hagglet",
        "address": world.seller_api("hagglet"),
        "token": world.token("hagglet"),
    }
    api.post("/api/v1/channels", json=connected)
    path = "/api/v1/channels/hagglet/disconnect"
    assert api.get(path).json()["listings"] == 0
    problem(api.post(path, json={"listings": "leave"}), 422)
    assert problem(api.delete(path), 422)["code"] == "not-ending"
    answer = api.post(path, json={"listings": "leave", "orders": "keep"})
    assert answer.json() == {"connection": "clearing"}
    assert api.get("/api/v1/channels").json()["items"] == []
    problem(api.get(path), 404)
