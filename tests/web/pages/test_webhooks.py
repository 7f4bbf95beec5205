"""Tests webhooks by hand and over the API: created, tried, paused, deleted."""

import time

import pytest

from relvan.worker.run import Worker
from tests.house import add_pot, receive
from tests.steps.listing_pages import find, text_of
from tests.visitor import post

PATH = "/setup/webhooks"


def test_a_webhook_is_created_tried_paused_and_deleted(web, tool):
    assert "no webhook yet" in text_of(web.get(PATH))
    page = post(web, PATH, name="Books", address=tool.address, matter="stock")
    assert "whsec_" in text_of(page)
    assert "whsec_" not in text_of(web.get(PATH)), "it is shown once"
    cells = [cell.text_content().strip() for cell in find(web.get(PATH), "tbody tr td")]
    assert cells[:3] == ["Books", tool.address, "stock"]
    deed = find(web.get(PATH), "tbody form")[0].get("action").removesuffix("/try")
    assert "It answered 204" in text_of(post(web, f"{deed}/try"))
    assert "paused" in text_of(post(web, f"{deed}/pause"))
    assert "Pause" in text_of(post(web, f"{deed}/resume"))
    assert post(web, f"{deed}/forget").status_code == 404
    assert "healthy" in text_of(web.get(PATH)), "an unknown deed does nothing"
    assert "no webhook yet" in text_of(post(web, f"{deed}/delete"))


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        ({"name": ""}, "must have 1 to 60"),
        ({"address": "nowhere"}, "must be an http"),
        ({"matter": ""}, "must be some"),
    ],
)
def test_a_wrong_webhook_is_said_beside_what_was_typed(web, wrong, words):
    typed = {"name": "Books", "address": "https://example.com/hear", "matter": "stock", **wrong}
    page = post(web, PATH, **typed)
    assert page.status_code == 422
    assert words in text_of(page)
    assert [one.get("value") for one in find(page, "#f-name, #f-address")] == [
        typed["name"],
        typed["address"],
    ]


def test_the_api_makes_and_tells_of_webhooks_and_the_worker_tells_them(api, workplace, owner, tool):
    made = api.post(
        "/api/v1/webhooks", json={"name": "Books", "address": tool.address, "matters": ["stock"]}
    ).json()
    assert made["secret"].startswith("whsec_")
    assert api.post(f"/api/v1/webhooks/{made['id']}/try").json() == {"status": 204}
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
    (found,) = api.get("/api/v1/webhooks").json()["items"]
    assert (found["waiting"], found["failures"], found["active"]) == (0, 0, True)
    assert (
        api.patch(f"/api/v1/webhooks/{made['id']}", json={"active": False}).json()["active"]
        is False
    )
    assert api.patch(f"/api/v1/webhooks/{made['id']}", json={"matters": ["x"]}).status_code == 422
    assert api.delete(f"/api/v1/webhooks/{made['id']}").status_code == 200
    assert api.post(f"/api/v1/webhooks/{made['id']}/try").status_code == 404
