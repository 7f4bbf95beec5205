"""Tests pick, pack, label and dispatch over HTTP: every wrong step is refused, said, and changes
nothing."""

import pytest

from relvan.services.people.tokens import make_token
from tests.caller import pick_all, problem, walk
from tests.house import assert_sound, every_row, read

V1 = "/api/v1"


def refused(api, method, path, body, status, code):
    workplace = api.app.state.workplace
    before = every_row(workplace)
    found = problem(api.request(method, f"{V1}{path}", json=body), status)
    assert found["code"] == code, found
    assert every_row(workplace) == before, "what is refused changes nothing"
    return found


@pytest.mark.parametrize(
    ("wanted", "status", "code"),
    [
        ([], 422, "invalid"),
        ([0], 404, "not-found"),
        ([-1], 404, "not-found"),
        ([99], 404, "not-found"),
        (["one"], 422, "invalid"),
        ([2**70], 422, "form"),
        (list(range(61)), 422, "invalid"),
        (None, 422, "invalid"),
    ],
)
def test_a_walk_is_for_shipments_that_are_there(api, floor, wanted, status, code):
    refused(api, "POST", "/pick-lists", {"shipments": wanted}, status, code)


def test_a_shipment_is_on_one_walk_only(api, floor):
    walk(api, floor[1])
    refused(api, "POST", "/pick-lists", {"shipments": [floor[1]]}, 409, "wrong-state")
    refused(api, "POST", "/pick-lists", {"shipments": [floor[3], floor[1]]}, 409, "wrong-state")
    assert walk(api, floor[3])["picks"][0]["quantity"] == 3


def test_the_same_shipment_named_twice_is_picked_once(api, floor):
    found = walk(api, floor[1], floor[1])
    assert [pick["quantity"] for pick in found["picks"]] == [1]


@pytest.mark.parametrize(
    ("said", "status", "code"),
    [
        ({"quantity": 4}, 422, "out-of-range"),
        ({"quantity": -1}, 422, "out-of-range"),
        ({"quantity": 3, "code": "PT-15"}, 422, "wrong-scan"),
        ({"quantity": 3, "code": ""}, 422, "wrong-scan"),
        ({"quantity": 3, "code": "x" * 201}, 422, "invalid"),
        ({"quantity": "three"}, 422, "invalid"),
        ({"quantity": 2**70}, 422, "invalid"),
        ({"quantity": 3, "pick": 99}, 404, "not-found"),
        ({}, 422, "invalid"),
        ({"quantity": 3, "bin": "A-01"}, 422, "invalid"),
    ],
)
def test_a_wrong_pick_is_refused(api, floor, said, status, code):
    found = walk(api, floor[3])
    body = {"pick": found["picks"][0]["id"], **said}
    refused(api, "POST", f"/pick-lists/{found['id']}/picks", body, status, code)


@pytest.mark.parametrize("code", ["PT-14", "pt-14", "4006381333931", "OLD-14", None])
def test_a_right_pick_is_taken_by_any_code_or_none(api, floor, code):
    found = walk(api, floor[3])
    body = {"pick": found["picks"][0]["id"], "quantity": 3, "code": code}
    told = api.post(f"{V1}/pick-lists/{found['id']}/picks", json=body).json()
    assert (told["state"], told["short"], told["picks"][0]["picked"]) == ("done", False, 3)


def test_a_pick_of_another_walk_is_not_on_this_one(api, floor):
    first, second = walk(api, floor[1]), walk(api, floor[3])
    body = {"pick": second["picks"][0]["id"], "quantity": 3}
    refused(api, "POST", f"/pick-lists/{first['id']}/picks", body, 404, "not-found")


def test_a_pick_that_is_done_is_not_done_again(api, floor, workplace):
    found = walk(api, floor[3])
    pick_all(api, found)
    body = {"pick": found["picks"][0]["id"], "quantity": 2}
    refused(api, "POST", f"/pick-lists/{found['id']}/picks", body, 409, "picked")
    assert_sound(workplace)


def test_a_short_pick_says_so_and_ships_what_there_is(api, floor, workplace):
    found = walk(api, floor[3])
    body = {"pick": found["picks"][0]["id"], "quantity": 2, "code": "PT-14"}
    assert api.post(f"{V1}/pick-lists/{found['id']}/picks", json=body).json()["short"] is True
    (line,) = api.get(f"{V1}/shipments/{floor[3]}").json()["lines"]
    assert (line["quantity"], line["picked"]) == (2, 2), "what was not there goes back to the order"
    refused(
        api,
        "POST",
        f"/shipments/{floor[3]}/parcels",
        {"weight_g": 900, "lines": [{"sku": "PT-14", "quantity": 3}]},
        422,
        "not-enough",
    )
    packed = api.post(f"{V1}/shipments/{floor[3]}/parcels", json={"weight_g": 900}).json()
    assert packed["parcels"][0]["lines"] == [{"sku": "PT-14", "quantity": 2}]
    assert_sound(workplace)


@pytest.mark.parametrize(
    ("said", "status", "code"),
    [
        ({"weight_g": 0}, 422, "out-of-range"),
        ({"weight_g": -5}, 422, "out-of-range"),
        ({"weight_g": 31_501}, 422, "out-of-range"),
        ({"weight_g": "heavy"}, 422, "invalid"),
        ({"weight_g": 2**70}, 422, "invalid"),
        ({}, 422, "invalid"),
        ({"weight_g": 900, "carton": "x" * 61}, 422, "too-long"),
        ({"weight_g": 900, "lines": [{"sku": "PT-99", "quantity": 1}]}, 422, "not-enough"),
        ({"weight_g": 900, "lines": [{"sku": "PT-14", "quantity": 4}]}, 422, "not-enough"),
        ({"weight_g": 900, "lines": [{"sku": "PT-14", "quantity": 0}]}, 422, "missing"),
        ({"weight_g": 900, "lines": [{"sku": "PT-14", "quantity": -1}]}, 422, "not-enough"),
        (
            {
                "weight_g": 900,
                "lines": [{"sku": "PT-14", "quantity": 5}, {"sku": "PT-14", "quantity": -2}],
            },
            422,
            "not-enough",
        ),
        ({"weight_g": 900, "lines": [{"sku": "PT-14"}]}, 422, "invalid"),
    ],
)
def test_a_wrong_parcel_is_refused(api, floor, said, status, code):
    pick_all(api, walk(api, floor[3]))
    refused(api, "POST", f"/shipments/{floor[3]}/parcels", said, status, code)


def test_each_step_waits_for_the_one_before_it(api, floor):
    here = f"/shipments/{floor[3]}"
    refused(api, "POST", f"{here}/parcels", {"weight_g": 900}, 409, "wrong-state")
    assert problem(api.get(f"{V1}{here}/services"), 409)["code"] == "not-packed"
    refused(api, "POST", f"{here}/labels", {"service": "ostrel:tracked"}, 409, "wrong-state")
    refused(api, "POST", f"{here}/dispatch", None, 409, "wrong-state")
    pick_all(api, walk(api, floor[3]))
    refused(api, "POST", f"{here}/labels", {"service": "ostrel:tracked"}, 409, "wrong-state")
    assert api.post(f"{V1}{here}/parcels", json={"weight_g": 900}).status_code == 201
    refused(api, "POST", f"{here}/parcels", {"weight_g": 900}, 409, "wrong-state")
    refused(api, "POST", f"{here}/dispatch", None, 409, "no-label")
    refused(api, "POST", f"{here}/labels", {"service": "nobody:tracked"}, 422, "not-allowed")


def test_a_shipment_leaves_once_with_papers_and_numbers(api, floor, workplace, world):
    here = f"{V1}/shipments/{floor[3]}"
    found = walk(api, floor[3])
    sheet = api.get(f"{V1}/pick-lists/{found['id']}/sheet.pdf")
    assert (sheet.headers["content-type"], sheet.content[:5]) == ("application/pdf", b"%PDF-")
    pick_all(api, found)
    assert api.get(f"{here}/packing-slip.pdf").content.startswith(b"%PDF-")
    for units in (1, 2):
        lines = [{"sku": "PT-14", "quantity": units}]
        assert (
            api.post(f"{here}/parcels", json={"weight_g": 400 * units, "lines": lines}).status_code
            == 201
        )
    services = api.get(f"{here}/services").json()["items"]
    assert [item["price"]["amount"] for item in services] == sorted(
        item["price"]["amount"] for item in services
    )
    assert problem(api.get(f"{V1}/parcels/1/label.pdf"), 404)["code"] == "not-found"
    bought = [
        api.post(f"{here}/labels", json={"service": services[0]["service"]}).json()
        for _ in range(2)
    ]
    assert bought[0] == bought[1], "asked twice, bought once"
    assert len(world.labels()) == 2
    for parcel in bought[0]["parcels"]:
        assert api.get(parcel["label"]).content.startswith(b"%PDF-")
        assert parcel["price"]["currency"] == "EUR"
    gone = [api.post(f"{here}/dispatch").json() for _ in range(3)]
    assert [told["state"] for told in gone] == ["dispatched"] * 3
    stock = api.get(f"{V1}/stock", params={"sku": "PT-14"}).json()["items"]
    assert sum(row["on_hand"] for row in stock) == 7, "it left once"
    assert_sound(workplace)


def test_shipments_and_walks_are_found_by_state_and_warehouse(api, floor):
    def ids(**wanted):
        return [row["id"] for row in api.get(f"{V1}/shipments", params=wanted).json()["items"]]

    assert ids() == [floor[1], floor[3]]
    assert ids(limit=1) == [floor[1]]
    assert ids(warehouse="yard") == []
    found = walk(api, floor[3])
    assert ids(state="to pick") == [floor[1]]
    assert ids(state="picking", warehouse="millrace") == [floor[3]]
    assert [row["id"] for row in api.get(f"{V1}/pick-lists").json()["items"]] == [found["id"]]
    pick_all(api, found)
    assert [
        row["state"]
        for row in api.get(f"{V1}/pick-lists", params={"state": "done"}).json()["items"]
    ] == ["done"]


def test_an_order_from_a_channel_goes_the_same_way(api, floor, workplace, owner, world):
    drafted = api.post(f"{V1}/listings", json={"channel": "hagglet", "skus": ["PT-14"]}).json()[
        "items"
    ][0]
    assert drafted["ok"]
    read(workplace)
    make_token(workplace, "picker", "picker", "p" * 20)
    told = api.get(f"{V1}/shipments", headers={"Authorization": "Bearer " + "p" * 20}).json()[
        "items"
    ]
    assert [row["id"] for row in told] == [floor[1], floor[3]], (
        "who picks sees what there is to pick"
    )


def test_a_draft_is_changed_confirmed_and_followed_over_http(api, floor):
    plan = {"aisles": 2, "bays": 5, "names": ["FLOOR", "B"], "bin_rule": "near"}
    kept = api.put(f"{V1}/warehouses/millrace/plan", json=plan).json()
    assert kept["plan"]["names"] == ["FLOOR", "B"]
    assert kept["bin_rule"] == "near"
    wish = {"shipments": list(floor.values()), "kind": "totes", "sort": "order", "draft": True}
    made = api.post(f"{V1}/pick-lists", json=wish).json()
    assert (made["state"], made["kind"], made["sort"]) == ("draft", "totes", "order")
    assert [pick["tote"] for pick in made["picks"]] == [1, 2]
    assert [pick["stop"] for pick in made["picks"]] == [1, 2], "each tote is a stop of its own"
    path = f"{V1}/pick-lists/{made['id']}"
    three = next(pick["id"] for pick in made["picks"] if pick["quantity"] == 3)
    body = {"name": "Noon", "units": {str(three): 2}}
    changed = api.patch(path, json=body).json()
    assert changed["name"] == "Noon"
    assert sorted(pick["quantity"] for pick in changed["picks"]) == [1, 2]
    assert api.post(f"{path}/confirm").json()["state"] == "open"
    route = api.get(f"{path}/route").json()
    assert len(route["order"]) + len(route["off_plan"]) == 2
    assert api.post(f"{path}/cancel").json()["state"] == "cancelled"
    problem(api.put(f"{V1}/warehouses/millrace/plan", json={"aisles": 0, "bays": 5}), 422)
    bins = f"{V1}/warehouses/millrace/bins"
    first = api.get(bins).json()["items"][0]
    assert (first["purpose"], first["capacity"]) == ("pick", None)
    api.patch(f"{bins}/{first['bin']}", json={"purpose": "reserve", "capacity": 40})
    after = api.get(bins).json()["items"][0]
    assert (after["purpose"], after["capacity"]) == ("reserve", 40)


def test_cartons_are_kept_proposed_and_scanned_over_http(api, floor):
    size = {"l": 400, "w": 300, "h": 250}
    wish = {
        "code": "BX-L",
        "name": "Large",
        "size_mm": size,
        "weight_g": 300,
        "max_weight_g": 20_000,
        "cost": {"amount": 790, "currency": "EUR"},
    }
    assert api.post(f"{V1}/cartons", json=wish | {"used": True}).status_code == 201
    changed = api.patch(f"{V1}/cartons/bx-l", json={"name": "Larger"}).json()
    assert (changed["name"], changed["size_mm"]) == ("Larger", size)
    assert [one["code"] for one in api.get(f"{V1}/cartons").json()["items"]] == ["BX-L"]
    pot = {"weight_g": 600, "size_mm": {"l": 150, "w": 150, "h": 130}}
    assert api.patch(f"{V1}/products/PT-14", json=pot).status_code == 200
    made = walk(api, floor[3])
    (pick,) = made["picks"]
    path = f"{V1}/pick-lists/{made['id']}/picks"
    api.post(path, json={"pick": pick["id"], "quantity": 3}).raise_for_status()
    proposed = api.get(f"{V1}/shipments/{floor[3]}/cartons").json()
    assert [len(one["items"]) for one in proposed["cartons"]] == [3]
    assert proposed["cost"]["amount"] == proposed["bound"]["amount"] == 790
    led = api.post(f"{V1}/bench/scan", json={"code": made["number"]}).json()
    assert led["shipment"] == floor[3]
    scan = {"code": "OLD-14", "shipment": floor[3]}
    for _ in range(3):
        answer = api.post(f"{V1}/bench/scan", json=scan).json()
    assert answer["lines"] == [{"sku": "PT-14", "to_pack": 3, "scanned": 3, "wanted": 3}]
    problem(api.post(f"{V1}/bench/scan", json=scan), 422)
    closed = api.post(f"{V1}/bench/scan", json={"code": "BX-L", "shipment": floor[3]}).json()
    assert len(closed["labels"]) == 1 or closed["trouble"]
    shipment = api.get(f"{V1}/shipments/{floor[3]}").json()
    assert [parcel["weight_g"] for parcel in shipment["parcels"]] == [2_100]


def packed_and_labelled(api, floor, world):
    """Packs both shipments and connects both carriers; returns the ids of their parcels."""
    made = walk(api, *floor.values())
    for pick in made["picks"]:
        body = {"pick": pick["id"], "quantity": pick["quantity"]}
        api.post(f"{V1}/pick-lists/{made['id']}/picks", json=body).raise_for_status()
    for shipment in floor.values():
        api.post(f"{V1}/shipments/{shipment}/parcels", json={"lines": [], "weight_g": 900})
    key = "merrowline"
    body = {"carrier": key, "address": world.seller_api(key), "token": world.token(key)}
    api.post(f"{V1}/carriers", json=body).raise_for_status()
    shipments = list(floor.values())
    wish = {"shipments": shipments, "service": "merrowline:door"}
    answer = api.post(f"{V1}/labels", json=wish).json()
    assert [one["ok"] for one in answer["items"]] == [True, True]
    found = [api.get(f"{V1}/shipments/{one}").json()["parcels"] for one in shipments]
    return [parcels[0]["id"] for parcels in found]


def test_labels_are_bought_voided_reprinted_and_handed_over_on_a_manifest(api, floor, world):
    first, second = packed_and_labelled(api, floor, world)
    voided = api.post(f"{V1}/parcels/{first}/void").json()
    assert voided["voided"].startswith("MW")
    problem(api.post(f"{V1}/parcels/{first}/void"), 409)
    problem(api.post(f"{V1}/parcels/{first}/reprint"), 409)
    label = api.post(f"{V1}/parcels/{second}/reprint").json()["label"]
    assert api.get(label).content.startswith(b"%PDF")
    wish = {"carrier": "merrowline", "warehouse": "millrace"}
    problem(api.post(f"{V1}/manifests", json=wish), 409)
    api.post(f"{V1}/shipments/{floor[3]}/dispatch").raise_for_status()
    made = api.post(f"{V1}/manifests", json=wish)
    assert made.status_code == 201
    assert len(made.json()["parcels"]) == 1
    assert api.get(f"{V1}/manifests/{made.json()['id']}.pdf").content.startswith(b"%PDF")
    (row,) = api.get(f"{V1}/manifests").json()["items"]
    assert (row["parcels"], row["carrier"]) == (1, "Merrowline")


def test_layouts_are_kept_shown_and_printed_over_http(api, floor):
    wish = {"kind": "packing slip", "name": "Slip", "body": "<p>{{ order.number }}</p>"}
    layout = api.post(f"{V1}/layouts", json=wish).json()
    assert (layout["size"], layout["version"], layout["channel"]) == ("A4", 1, None)
    path = f"{V1}/layouts/{layout['id']}"
    changed = api.patch(path, json={"body": "<h1>{{ shipment.number }}</h1>", "size": "A6"}).json()
    assert changed["versions"] == [2, 1]
    shown = api.post(f"{path}/preview", json={"order": "S-1001"}).json()
    assert shown == {"html": "<h1>S-1001</h1>", "missing": []}
    other = api.post(f"{path}/preview", json={"order": "S-1001", "body": "{{ order.colour }}"})
    assert other.json()["missing"] == ["order.colour"]
    problem(api.post(f"{path}/preview", json={"order": "S-77"}), 404)
    problem(api.patch(path, json={"body": "{{ order.__class__ }}"}), 422)
    assert [one["name"] for one in api.get(f"{V1}/layouts").json()["items"]] == ["Slip"]
    slip = api.get(f"{V1}/shipments/{floor[1]}/packing-slip.pdf")
    assert slip.content.startswith(b"%PDF")
