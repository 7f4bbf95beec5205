"""Listeners by hand and over the API: made, tried, let rest, taken away."""

import time

import pytest

from relvan.worker.run import Worker
from tests.house import add_pot, receive
from tests.visitor import post
from tests.web.test_listing_pages import find, text_of

PATH = "/setup/listeners"


def test_a_listener_is_added_tried_let_rest_and_taken_away(web, tool):
    assert "None yet" in text_of(web.get(PATH))
    page = post(web, PATH, name="Books", address=tool.address, matter="stock")
    assert "whsec_" in text_of(page)
    assert "whsec_" not in text_of(web.get(PATH)), "it is shown once"
    cells = [cell.text_content().strip() for cell in find(web.get(PATH), "tbody tr td")]
    assert cells[:3] == ["Books", tool.address, "stock"]
    deed = find(web.get(PATH), "tbody form")[0].get("action").removesuffix("/try")
    assert "It answered 204" in text_of(post(web, f"{deed}/try"))
    assert "rests" in text_of(post(web, f"{deed}/rest"))
    assert "Let it rest" in text_of(post(web, f"{deed}/hear"))
    assert "None yet" in text_of(post(web, f"{deed}/take-away"))


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        ({"name": ""}, "must have 1 to 60"),
        ({"address": "nowhere"}, "must be an http"),
        ({"matter": ""}, "must be some"),
    ],
)
def test_a_wrong_listener_is_said_beside_what_was_typed(web, wrong, words):
    typed = {"name": "Books", "address": "https://example.com/hear", "matter": "stock", **wrong}
    page = post(web, PATH, **typed)
    assert page.status_code == 422
    assert words in text_of(page)
    assert [one.get("value") for one in find(page, "#f-name, #f-address")] == [typed["name"], typed["address"]]


def test_the_api_makes_and_tells_of_listeners_and_the_worker_tells_them(api, workplace, owner, tool):
    made = api.post("/api/v1/listeners", json={"name": "Books", "address": tool.address, "matters": ["stock"]}).json()
    assert made["secret"].startswith("whsec_")
    assert api.post(f"/api/v1/listeners/{made['id']}/try").json() == {"status": 204}
    tool.got.clear()
    add_pot(workplace, owner, "PT-14", units=0)
    receive(workplace, owner, "PT-14", 4)
    worker = Worker(workplace)
    worker.start()
    try:
        until = time.monotonic() + 10
        while not tool.got and time.monotonic() < until:
            time.sleep(0.05)
    finally:
        worker.stop()
    assert [data["free"] for _, data in tool.told()] == [4]
    (found,) = api.get("/api/v1/listeners").json()["items"]
    assert (found["waiting"], found["failures"], found["active"]) == (0, 0, True)
    assert api.patch(f"/api/v1/listeners/{made['id']}", json={"active": False}).json()["active"] is False
    assert api.patch(f"/api/v1/listeners/{made['id']}", json={"matters": ["x"]}).status_code == 422
    assert api.delete(f"/api/v1/listeners/{made['id']}").status_code == 200
    assert api.post(f"/api/v1/listeners/{made['id']}/try").status_code == 404
