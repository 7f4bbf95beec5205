"""Tests all calls together: every wrong one is told in one grammar, by whom it may be made, and
what is safe to repeat."""

import base64
import hashlib
import re
from pathlib import Path

import pytest

from relvan.services.people.tokens import make_token
from tests.caller import GOOD, MOVE, problem

GUIDE = Path(__file__).parent.parent.parent / "docs/guide/api.md"
SHIP_TO = {"name": "Ada", "street": "1 Row", "town": "Tarnhollow", "country": "NL"}


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "code"),
    [
        ("GET", "/products/NONE", None, 404, "not-found"),
        ("PATCH", "/products/NONE", {"title": "x"}, 404, "not-found"),
        ("DELETE", "/products/NONE", None, 404, "not-found"),
        ("GET", "/products?limit=0", None, 422, "invalid"),
        ("GET", "/products?limit=9999", None, 422, "invalid"),
        ("GET", "/stock/NONE/availability", None, 404, "not-found"),
        ("GET", "/prices/NONE", None, 404, "not-found"),
        ("POST", "/stock/movements", {**MOVE}, 422, "movement"),
        ("POST", "/stock/movements", {**MOVE, "warehouse": "moon", "change": 1}, 404, "not-found"),
        ("POST", "/stock/movements", {**MOVE, "change": -1}, 422, "movement"),
        (
            "POST",
            "/stock/movements",
            {**MOVE, "counted": -1, "reason": "count"},
            422,
            "out-of-range",
        ),
        ("POST", "/listings", {"channel": "moon", "skus": ["PT-14"]}, 404, "not-found"),
        ("POST", "/listings", {"channel": "moon", "skus": []}, 422, "invalid"),
        ("GET", "/listings/99", None, 404, "not-found"),
        ("POST", "/listings/publish", {"ids": [99]}, 422, "not-found"),
        ("GET", "/orders/O-1", None, 404, "not-found"),
        ("POST", "/orders", {"lines": [], "ship_to": {}}, 422, "missing"),
        (
            "POST",
            "/orders",
            {"lines": [{"sku": "NONE", "quantity": 1}], "ship_to": SHIP_TO},
            422,
            "not-found",
        ),
        ("POST", "/pick-lists", {"shipments": [99]}, 404, "not-found"),
        ("GET", "/pick-lists/99", None, 404, "not-found"),
        ("POST", "/pick-lists/99/picks", {"pick": 1, "quantity": 1}, 404, "not-found"),
        ("GET", "/shipments/99", None, 404, "not-found"),
        ("POST", "/shipments/99/parcels", {"weight_g": 100}, 404, "not-found"),
        ("POST", "/shipments/99/labels", {"service": "x"}, 422, "not-allowed"),
        ("POST", "/shipments/99/dispatch", None, 404, "not-found"),
        ("GET", "/bulk-jobs/99", None, 404, "not-found"),
        ("PATCH", "/channels/moon", {"paused": True}, 404, "not-found"),
        ("GET", "/listings/99999999999999999999", None, 422, "form"),
        ("GET", "/orders?after=99999999999999999999", None, 422, "form"),
        ("GET", "/nothing/here", None, 404, "http"),
        ("PUT", "/products", {}, 405, "http"),
    ],
)
def test_every_wrong_call_is_told_in_one_grammar(api, method, path, body, status, code):
    api.post("/api/v1/products", json=GOOD)
    assert problem(api.request(method, f"/api/v1{path}", json=body), status)["code"] == code


def test_text_that_cannot_be_written_down_is_refused(api):
    body = b'{"sku": "X", "title": "half \\ud800 a pair"}'
    answer = api.post(
        "/api/v1/products", content=body, headers={"content-type": "application/json"}
    )
    assert problem(answer, 422)["code"] == "invalid"


def test_json_that_is_none_is_refused(api):
    answer = api.post(
        "/api/v1/products", content=b"{not json", headers={"content-type": "application/json"}
    )
    assert problem(answer, 422)["code"] == "invalid"


@pytest.mark.parametrize(
    "header", [{}, {"Authorization": "Bearer wrong"}, {"Authorization": "Basic " + "t" * 20}]
)
def test_without_a_good_token_nothing_is_told(api, header):
    del api.headers["Authorization"]
    for path in ("/products", "/orders", "/channels"):
        assert problem(api.get(f"/api/v1{path}", headers=header), 401)["code"] == "unauthorized"
    assert (
        api.post(
            "/api/v1/products", json=GOOD, headers={**header, "Idempotency-Key": "k"}
        ).status_code
        == 401
    )


def test_a_token_has_the_rights_of_its_person(api, workplace):
    make_token(workplace, "picker", "picker", "p" * 20)
    answer = api.post(
        "/api/v1/products", json=GOOD, headers={"Authorization": "Bearer " + "p" * 20}
    )
    assert problem(answer, 403)["code"] == "not-allowed"


def test_a_post_with_a_key_is_carried_out_once(api):
    api.post("/api/v1/products", json=GOOD)
    move = {"sku": "PT-14", "warehouse": "millrace", "change": 5, "reason": "receipt"}
    answers = [
        api.post("/api/v1/stock/movements", json=move, headers={"Idempotency-Key": "k1"})
        for _ in range(3)
    ]
    assert [answer.status_code for answer in answers] == [201] * 3
    assert answers[0].json() == answers[2].json()
    assert answers[2].headers["Idempotent-Replay"] == "true"
    assert api.get("/api/v1/stock", params={"sku": "PT-14"}).json()["items"][0]["on_hand"] == 5
    other = api.post(
        "/api/v1/stock/movements", json={**move, "change": 6}, headers={"Idempotency-Key": "k1"}
    )
    assert problem(other, 422)["code"] == "idempotency-key"


def test_a_refused_post_may_be_sent_again_under_its_key(api):
    move = {"sku": "PT-14", "warehouse": "millrace", "change": 5, "reason": "receipt"}
    head = {"Idempotency-Key": "k1"}
    assert api.post("/api/v1/stock/movements", json=move, headers=head).status_code == 404
    api.post("/api/v1/products", json=GOOD)
    assert api.post("/api/v1/stock/movements", json=move, headers=head).status_code == 201


def test_lists_come_in_pages(api):
    for number in range(7):
        api.post("/api/v1/products", json={"sku": f"S{number}", "title": "x"})
    seen, after = [], ""
    while after is not None:
        page = api.get("/api/v1/products", params={"limit": 3, "after": after}).json()
        seen += [item["sku"] for item in page["items"]]
        after = page["next"]
    assert seen == [f"S{number}" for number in range(7)]


def test_the_description_is_there_and_names_every_call(api):
    paths = api.get("/api/openapi.json").json()["paths"]
    assert {
        "/api/v1/products",
        "/api/v1/orders/release",
        "/api/v1/pick-lists/{pick_list_id}/picks",
    } <= paths.keys()
    page = api.get("/api/docs")
    assert page.status_code == 200
    scripts = re.findall(r'<script src="([^"]+)"', page.text)
    assert scripts == ["/static/vendor/calls/swagger-ui-bundle.js"]
    assert api.get(scripts[0]).status_code == 200
    assert "http://" not in page.text
    assert "https://" not in page.text
    inline = re.search(r"<script>(.*?)</script>", page.text, re.S)[1]
    digest = base64.b64encode(hashlib.sha256(inline.encode()).digest()).decode()
    assert f"script-src 'self' 'sha256-{digest}';" in page.headers["Content-Security-Policy"]


def test_a_bug_is_told_with_a_reference_and_nothing_of_its_inside(api, monkeypatch):
    def broken(*_args, **_more):
        raise RuntimeError("secret inside")

    monkeypatch.setattr("relvan.api.orders.order_page", broken)
    body = problem(api.get("/api/v1/orders"), 500)
    assert "Reference" in body["title"]
    assert "secret" not in str(body)


def spread(path):
    """Returns the paths that one with alternatives such as `{apply, undo}` stands for, with a value in
    place of every name."""
    if several := re.search(r"\{([^{}]*,[^{}]*)\}", path):
        before, after = path[: several.start()], path[several.end() :]
        return [
            one
            for part in several[1].split(",")
            for one in spread(f"{before}{part.strip()}{after}")
        ]
    return [re.sub(r"\{[^{}]*\}|(?<=/)[A-Z]+", "1", path)]


def test_every_call_that_the_guide_tells_is_there(api):
    guide = GUIDE.read_text()
    verbs = r"(?:GET|POST|PUT|PATCH|DELETE)(?:, (?:GET|POST|PUT|PATCH|DELETE))*"
    there = [
        (method.upper(), re.compile(re.sub(r"\{[^{}]*\}", "[^/]+", path)))
        for path, methods in api.get("/api/openapi.json").json()["paths"].items()
        for method in methods
    ]
    told = [
        (method, one)
        for methods, path in re.findall(rf"`({verbs}) (/(?:[^`? {{]|\{{[^{{}}]*\}})*)", guide)
        for method in methods.split(", ")
        for one in spread(path)
    ]
    wrong = [
        f"{method} {path}"
        for method, path in told
        if not any(method == one and real.fullmatch(f"/api/v1{path}") for one, real in there)
    ]
    assert len(told) > 200
    assert wrong == []
