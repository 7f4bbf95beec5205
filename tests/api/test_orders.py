"""Tests orders over HTTP: a whole sale by the API alone, and an order taken by hand."""

from relvan.store.orders import lines_of, order_by_number, reservations_of
from relvan.store.stock import warehouses
from tests.caller import problem, put_in
from tests.house import (
    add_pot,
    assert_sound,
    connect,
    deliver,
    list_everywhere,
    read,
    receive,
)
from tests.steps.sale import pick_all_waiting


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
    assert api.get(f"/api/v1/orders/{row['number']}").json()["tray"] == "floor"
    assert_sound(workplace)


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


def test_an_order_is_sent_to_another_address(api):
    put_in(api, units=1)
    to = {"name": "Ada", "street": "1 Row", "town": "Tarnhollow", "country": "NL"}
    wish = {"lines": [{"sku": "PT-14", "quantity": 1}], "ship_to": to}
    path = f"/api/v1/orders/{api.post('/api/v1/orders', json=wish).json()['number']}/address"
    changed = api.post(path, json={**to, "street": "2 Row", "postcode": "4821 AB"}).json()
    assert (changed["ship_to"]["street"], changed["warnings"]) == ("2 Row", [])
    assert api.post(path, json=to).json()["warnings"] == ["“Postcode” must not be empty."]
    refused = problem(api.post(path, json={**to, "name": ""}), 422)
    assert [error["field"] for error in refused["errors"]] == ["name"]
    refused = problem(api.post(path, json={**to, "country": "DE"}), 422)
    assert [error["field"] for error in refused["errors"]] == ["country"]


def test_orders_are_found_by_what_is_noted_of_them(api):
    put_in(api, units=1)
    to = {"name": "Ada", "street": "1 Row", "town": "Tarnhollow", "country": "NL"}
    wish = {"lines": [{"sku": "PT-14", "quantity": 1}], "ship_to": to, "promised": "2026-12-24"}
    number = api.post("/api/v1/orders", json=wish).json()["number"]

    def found(query):
        return [row["number"] for row in api.get(f"/api/v1/orders?{query}").json()["items"]]

    assert found("promised_by=2026-12-23") == found("unknown_line=true") == []
    assert found("promised_by=2026-12-24&unknown_line=false&noticed=false") == [number]
    assert found("noticed=true") == []
    problem(api.get("/api/v1/orders?promised_by=soon"), 422)


def test_a_change_that_came_too_late_is_chosen_over_the_api(api, workplace, owner, world):
    connect(workplace, owner, world)
    put_in(api)
    list_everywhere(workplace, owner, "PT-14")
    sale = world.buy("hagglet", "PT-14", 2)
    (number,) = read(workplace)
    here = f"/api/v1/orders/{number}"
    assert api.get(here).json()["to_choose"] == []
    api.post("/api/v1/orders/release", json={"numbers": [number]})
    pick_all_waiting(workplace, owner)
    world.client.post(f"/world/hagglet/orders/{sale}/take-off", json={"lines": {"1": 1}})
    read(workplace)
    (told,) = api.get(here).json()["to_choose"]
    assert (told["kind"], told["line"], told["units"]) == ("taken-off", 1, 1)
    assert told["choices"] == ["take-off", "let-go"]
    problem(api.post(f"{here}/notices/{told['id']}", json={"choice": "recall"}), 422)
    problem(api.post(f"{here}/notices/{told['id'] + 1}", json={"choice": "let-go"}), 404)
    for _ in range(2):
        done = api.post(f"{here}/notices/{told['id']}", json={"choice": "take-off"}).json()
        assert (done["lines"][0]["quantity"], done["lines"][0]["picked"]) == (1, 1)
        assert (done["to_choose"], done["notices"]) == ([], [])
    assert_sound(workplace)


def test_the_order_says_why_it_leaves_from_where_it_does_and_has_a_link(floor, api):
    (number, *_) = [row["number"] for row in api.get("/api/v1/orders").json()["items"]]
    why = api.get(f"/api/v1/orders/{number}/why").json()["why"]
    assert why
    link = api.post(f"/api/v1/orders/{number}/customer-link").json()["link"]
    assert api.post(f"/api/v1/orders/{number}/customer-link").json()["link"] == link
    assert link.startswith("/o/")
    problem(api.get("/api/v1/orders/O-0/why"), 404)


def test_a_line_leaves_from_another_warehouse_by_its_position(api, workplace, owner):
    for sku, places in (("PT-14", ("millrace", "yard")), ("CORD", ("millrace", "yard"))):
        add_pot(workplace, owner, sku, units=0)
        for place in places:
            receive(workplace, owner, sku, 4, place)
    parts = [{"sku": sku, "quantity": 1} for sku in ("PT-14", "CORD")]
    price = {"retail": {"amount": 2400, "currency": "EUR"}}
    kit = {"sku": "SET", "kind": "kit", "title": "Set", "parts": parts, "prices": price}
    assert api.post("/api/v1/products", json=kit).status_code == 201
    to = {"name": "Ada", "street": "1 Row", "town": "Tarnhollow", "country": "NL"}
    lines = [{"sku": "PT-14", "quantity": 2}, {"sku": "SET", "quantity": 1}]
    number = api.post("/api/v1/orders", json={"lines": lines, "ship_to": to}).json()["number"]
    here = f"/api/v1/orders/{number}/lines"
    moved = api.post(f"{here}/1/warehouse", json={"warehouse": "yard"})
    assert moved.status_code == 200, moved.text
    told = problem(api.post(f"{here}/2/warehouse", json={"warehouse": "yard"}), 422)
    assert told["errors"][0]["field"] == "part"
    wish = {"warehouse": "yard", "part": "cord"}
    assert api.post(f"{here}/2/warehouse", json=wish).status_code == 200
    problem(api.post(f"{here}/2/warehouse", json={**wish, "part": "NONE"}), 404)
    problem(api.post(f"{here}/9/warehouse", json=wish), 404)
    with workplace.database.reading() as session:
        order = order_by_number(session, number)
        names = {one.id: one.key for one in warehouses(session)}
        skus = {line.id: line.sku for line in lines_of(session, [order.id])[order.id]}
        held = [
            (skus[line], names[one.warehouse_id], one.quantity)
            for line, some in reservations_of(session, [order.id]).items()
            for one in some
        ]
    assert sorted(held) == [("CORD", "yard", 1), ("PT-14", "millrace", 1), ("PT-14", "yard", 2)]
    assert_sound(workplace)
