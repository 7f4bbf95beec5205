"""The whole sale by the API alone; and every wrong input gets a clear refusal."""

import base64
import hashlib
import re

import pytest

from relvan.services.people.sign_in import make_token
from tests.caller import GOOD, MOVE, problem, put_in
from tests.house import assert_sound, connect, deliver, png, read


def test_one_sale_by_the_api_alone(api, workplace, owner, world):
    connect(workplace, owner, world)
    put_in(api)
    for channel in ("hagglet", "ownshop"):
        drafted = api.post("/api/v1/listings", json={"channel": channel, "skus": ["PT-14"]}).json()[
            "items"
        ][0]
        listing = api.get(f"/api/v1/listings/{drafted['id']}").json()
        if channel == "hagglet":
            (gap,) = listing["gaps"]
            assert (gap["field"], gap["kind"], gap["mend"]) == ("shelf", "no category", "listing")
            mended = api.patch(
                f"/api/v1/listings/{drafted['id']}", json={"fields": {"shelf": "hg-planters"}}
            ).json()
            assert (mended["gaps"], mended["state"]) == ([], "ready")
            assert mended["fields"]["shelf"] == {"value": "hg-planters", "source": "listing"}
            assert mended["fields"]["heading"] == {"value": "Aubrey pot", "source": "product"}
        job = api.post("/api/v1/listings/publish", json={"ids": [drafted["id"]]})
        assert job.status_code == 202
        deliver(workplace)
        done = api.get(f"/api/v1/bulk-jobs/{job.json()['id']}").json()
        assert (done["state"], done["done"], done["refused"]) == ("ended", 1, 0)
        assert api.get(f"/api/v1/listings/{drafted['id']}").json()["state"] == "live"

    bought = world.buy("hagglet", "PT-14", 2)
    read(workplace)
    deliver(workplace)
    assert world.listings("ownshop")["PT-14"]["quantity"] == 8
    found = api.get("/api/v1/stock/PT-14/availability", params={"channel": "ownshop"}).json()
    assert (found["free"], found["shown"]) == (8, 8)
    assert found["why"][0]["detail"] == "10 on hand - 2 reserved"

    (row,) = api.get("/api/v1/orders", params={"tray": "inbox"}).json()["items"]
    assert (row["channel"], row["channel_number"]) == ("hagglet", bought)
    released = api.post("/api/v1/orders/release", json={"numbers": [row["number"]]}).json()[
        "items"
    ][0]
    assert released["ok"]
    order = api.get(f"/api/v1/orders/{row['number']}").json()
    assert order["facts"] == {
        "reserved": "all",
        "picked": "none",
        "shipped": "none",
        "invoiced": "none",
        "paid": "all",
    }
    shipment = order["shipments"][0]["id"]

    walk = api.post("/api/v1/pick-lists", json={"shipments": [shipment]}).json()
    (pick,) = walk["picks"]
    assert (pick["sku"], pick["bin"], pick["quantity"]) == ("PT-14", "A-01", 2)
    picks = f"/api/v1/pick-lists/{walk['id']}/picks"
    assert (
        problem(api.post(picks, json={"pick": pick["id"], "quantity": 2, "code": "X"}), 422)["code"]
        == "wrong-scan"
    )
    assert (
        api.post(picks, json={"pick": pick["id"], "quantity": 2, "code": "PT-14"}).json()["state"]
        == "done"
    )

    parcel = {"lines": [{"sku": "PT-14", "quantity": 2}], "carton": "M2", "weight_g": 1600}
    assert (
        api.post(f"/api/v1/shipments/{shipment}/parcels", json=parcel).json()["state"] == "to ship"
    )
    services = api.get(f"/api/v1/shipments/{shipment}/services").json()["items"]
    assert {"service", "carrier", "name", "price", "arrives"} == services[0].keys()
    labelled = api.post(
        f"/api/v1/shipments/{shipment}/labels", json={"service": services[0]["service"]}
    ).json()
    tracking = labelled["parcels"][0]["tracking_number"]
    assert api.get(labelled["parcels"][0]["label"]).content.startswith(b"%PDF")
    assert api.post(f"/api/v1/shipments/{shipment}/dispatch").json()["state"] == "dispatched"
    assert api.post(f"/api/v1/shipments/{shipment}/dispatch").json()["state"] == "dispatched"
    deliver(workplace)
    seen = world.order("hagglet", bought)
    assert (seen["state"], seen["tracking"][0]["code"]) == ("sent", tracking)
    assert api.get(f"/api/v1/orders/{row['number']}").json()["tray"] == "closed"
    assert_sound(workplace)


def test_a_product_comes_back_as_it_went_in(api):
    made = api.post("/api/v1/products", json=GOOD).json()
    assert {name: made[name] for name in GOOD} == GOOD
    assert api.get("/api/v1/products/old-1").json() == made
    changed = api.patch("/api/v1/products/PT-14", json={"title": "New", "weight_g": None}).json()
    assert (changed["title"], changed["weight_g"], changed["cost"]) == ("New", None, GOOD["cost"])
    assert api.delete("/api/v1/products/PT-14").json()["archived"]
    assert api.get("/api/v1/products").json()["items"] == []


def test_what_was_read_can_be_sent_back_unchanged(api):
    api.post("/api/v1/products", json=GOOD)
    api.post("/api/v1/products/PT-14/pictures", files={"file": ("pot.png", png())})
    read = api.get("/api/v1/products/PT-14").json()
    assert api.patch("/api/v1/products/PT-14", json=read).json() == read
    sha = read["pictures"][0]["sha"]
    assert api.delete(f"/api/v1/products/PT-14/pictures/{sha}").json()["pictures"] == []
    refused = api.patch("/api/v1/products/PT-14", json={"family": "POTS"})
    assert problem(refused, 422)["code"] == "no-family"


def test_pictures_may_come_with_the_product(api):
    picture = {"content": base64.b64encode(png()).decode()}
    made = api.post("/api/v1/products", json={**GOOD, "pictures": [picture]}).json()
    assert [(p["width"], p["height"]) for p in made["pictures"]] == [(400, 400)]
    answer = api.post(
        "/api/v1/products", json={**GOOD, "sku": "B", "gtin": None, "pictures": [{"content": "%%"}]}
    )
    assert problem(answer, 422)["errors"][0]["field"] == "pictures"
    assert api.get("/api/v1/products/B").status_code == 404


def test_empty_query_values_are_no_values(api):
    api.post("/api/v1/products", json=GOOD)
    path = "/api/v1/products?q=&not_on=&on=&category=&in_stock=&kind=&limit=&after="
    assert [item["sku"] for item in api.get(path).json()["items"]] == ["PT-14"]
    assert api.get("/api/v1/orders?limit=&after=").json() == {"items": [], "next": None}


def test_a_sku_with_a_slash_has_an_address(api):
    assert api.post("/api/v1/products", json={"sku": "A/B 1", "title": "x"}).status_code == 201
    assert api.get("/api/v1/products/A%2FB%201").json()["sku"] == "A/B 1"


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"sku": ""}, "sku"),
        ({"sku": "x" * 65}, "sku"),
        ({"sku": None}, "sku"),
        ({"title": ""}, "title"),
        ({"title": "x" * 5000}, "title"),
        ({"title": 7}, "title"),
        ({"gtin": "4006381333932"}, "gtin"),
        ({"weight_g": -1}, "weight_g"),
        ({"weight_g": "heavy"}, "weight_g"),
        ({"weight_g": 1.5}, "weight_g"),
        ({"weight_g": 10**12}, "weight_g"),
        ({"size_mm": {"l": 1, "w": 1}}, "size_mm.h"),
        ({"size_mm": {"l": -1, "w": 1, "h": 1}}, "size"),
        ({"cost": {"amount": -1, "currency": "EUR"}}, "cost"),
        ({"cost": {"amount": 1, "currency": "XYZ"}}, "cost"),
        ({"cost": 5}, "cost"),
        ({"kind": "family"}, "axes"),
        ({"kind": "thing"}, "kind"),
        ({"prices": {"none": {"amount": 1, "currency": "EUR"}}}, "price"),
        ({"tax_code": "x"}, "tax_code"),
        ({"aliases": ["PT-14"]}, "aliases"),
        ({"colour": "red"}, "colour"),
        ({"attributes": {"a": "x" * 500}}, "attributes"),
    ],
)
def test_a_product_with_a_fault_is_refused_beside_its_field_and_not_half_made(api, change, field):
    answer = api.post("/api/v1/products", json={**GOOD, **change})
    body = problem(answer, 422)
    assert field in {error["field"] for error in body["errors"]}
    assert api.get("/api/v1/products").json()["items"] == []


def test_a_script_tag_is_kept_as_text_and_shown_escaped(api, workplace):
    title = "<script>alert(1)</script>"
    assert api.post("/api/v1/products", json={**GOOD, "title": title}).json()["title"] == title


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
            {"lines": [{"sku": "NONE", "quantity": 1}], "ship_to": {}},
            404,
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


@pytest.mark.parametrize(
    ("content", "status"),
    [(b"a text file called .png", 422), (b"", 422), (png() + b"\0" * 30_000_000, 422)],
)
def test_a_file_that_is_no_picture_is_refused(api, content, status):
    api.post("/api/v1/products", json=GOOD)
    answer = api.post("/api/v1/products/PT-14/pictures", files={"file": ("a.png", content)})
    problem(answer, status)
    assert api.get("/api/v1/products/PT-14").json()["pictures"] == []


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


def test_many_products_at_once(api):
    items = [
        {"sku": "A", "title": "a"},
        {"sku": "B"},
        {"sku": "C", "title": "c", "colour": "x"},
        {"title": "no sku"},
    ]
    verdicts = api.post("/api/v1/products/bulk", json={"items": items}).json()["items"]
    assert [verdict["ok"] for verdict in verdicts] == [True, False, False, False]
    again = api.post("/api/v1/products/bulk", json={"items": [{"sku": "A", "brand": "b"}]}).json()[
        "items"
    ]
    assert again[0]["ok"]
    assert api.get("/api/v1/products/A").json()["title"] == "a"


def test_many_products_are_read_at_once_to_be_changed(api, workplace, count_queries):
    items = [{"sku": f"S{number}", "title": "a"} for number in range(60)]
    api.post("/api/v1/products/bulk", json={"items": items})
    asked = []
    for some in (3, 60):
        changes = [{"sku": item["sku"], "brand": f"{some}"} for item in items[:some]]
        with count_queries(workplace.database) as queries:
            verdicts = api.post("/api/v1/products/bulk", json={"items": changes}).json()["items"]
        assert all(verdict["ok"] for verdict in verdicts)
        asked.append(len([query for query in queries if query.startswith("SELECT")]))
    assert asked[1] == asked[0]


def test_an_order_taken_by_hand(api):
    put_in(api, units=1)
    to = {"name": "Ada", "street": "1 Row", "town": "Tarnhollow", "country": "NL"}
    order = api.post(
        "/api/v1/orders", json={"lines": [{"sku": "PT-14", "quantity": 2}], "ship_to": to}
    ).json()
    assert (order["tray"], order["totals"]["total"]["amount"]) == ("short", 3380)
    verdicts = api.post(
        "/api/v1/orders/reserve", json={"numbers": [order["number"], "O-9"]}
    ).json()["items"]
    assert [(v["ok"], v["code"]) for v in verdicts] == [(False, "short"), (False, "not-found")]
    moved = api.patch(f"/api/v1/orders/{order['number']}", json={"tray": "inbox"}).json()
    assert moved["tray"] == "inbox"
    assert api.post("/api/v1/orders/cancel", json={"numbers": [order["number"]]}).json()["items"][
        0
    ]["ok"]


def test_a_channel_is_connected_and_set_up(api, world):
    wish = {
        "rulebook": "ownshop",
        "address": world.seller_api("ownshop"),
        "token": world.token("ownshop"),
    }
    made = api.post("/api/v1/channels", json=wish)
    assert made.status_code == 201
    assert made.json()["health"] == {"state": "calm", "lag_p95_s": None, "waiting": 0}
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


def test_a_job_result_holds_no_formula(api, workplace, owner, world):
    connect(workplace, owner, world, "ownshop")
    put_in(api, sku="=1+1", units=0)
    listing = api.post("/api/v1/listings", json={"channel": "ownshop", "skus": ["=1+1"]}).json()[
        "items"
    ][0]["id"]
    job = api.post("/api/v1/listings/publish", json={"ids": [listing]}).json()["id"]
    text = api.get(f"/api/v1/bulk-jobs/{job}/result.csv").text
    assert "'=1+1 on Own shop" in text
    rows = api.get(f"/api/v1/bulk-jobs/{job}/rows").json()["items"]
    assert (rows[0]["verdict"], rows[0]["reason"].split(":")[0]) == (
        "refused",
        "1 gap keeps it from going live",
    )


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
