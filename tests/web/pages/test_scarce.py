"""Tests the page on which a person chooses who gets scarce goods."""

from tests.house import receive
from tests.steps.orders import take
from tests.visitor import post


def test_the_page_and_the_api_tell_the_same(desk, owner, web, api):
    for _ in range(2):
        take(desk, owner, ("PT-14", 9))
    page = web.get("/orders/scarce")
    assert "2 orders wait for goods" in " ".join(page.text.split())
    assert "Most orders whole" in page.text
    shown = api.get("/api/v1/scarce").json()
    assert [(row["by"], row["whole"], row["proof"]) for row in shown["alternatives"]] == [
        ("age", [], "exact"),
        ("most", [], "exact"),
        ("money", [], "exact"),
    ]
    assert api.post("/api/v1/scarce", json={"by": "most"}).json() == {"items": []}
    assert api.post("/api/v1/scarce", json={"by": "luck"}).status_code == 422
    receive(desk, owner, "PT-18", 1, "yard")
    done = post(web, "/orders/scarce", by="age", first="", keep="yes")
    assert "Reserved: 0." in done.text
