"""The firm, its warehouses and bins, and its people over HTTP."""

from datetime import timedelta

import pytest
from sqlalchemy import select

from relvan.store.tables import AuditEntry
from tests.house import png

V1 = "/api/v1"


def test_the_firm_is_changed_by_what_a_call_names(api):
    assert api.get(f"{V1}/firm").json()["currency"] == "EUR"
    body = {"name": "Quillmoss", "address": {"town": "Port Ellery"}}
    body["number_series"] = {"order": {"pattern": "Q-{number:06}", "next": 2000}}
    firm = api.patch(f"{V1}/firm", json=body).json()
    assert (firm["name"], firm["address"]["town"]) == ("Quillmoss", "Port Ellery")
    assert firm["number_series"]["order"]["preview"] == "Q-002000"
    firm = api.patch(f"{V1}/firm", json={"address": {"country": "IE"}}).json()
    assert (firm["name"], firm["address"]["town"]) == ("Quillmoss", "Port Ellery")
    assert api.get(f"{V1}/firm").json() == firm


@pytest.mark.parametrize(
    "body",
    [
        {"currency": "XYZ"},
        {"vat_number": "DE123456789"},
        {"time_zone": "Mars/Olympus"},
        {"number_series": {"order": {"pattern": "none"}}},
        {"number_series": {"wish list": {"pattern": "W-{number}"}}},
        {"number_series": {"order": {"pattern": "O-{number}", "next": 1}}},
        {"vat_number": "DE1", "number_series": {"order": {"pattern": "Q-{number}"}}},
        {"colour": "green"},
    ],
)
def test_what_cannot_be_of_a_firm_is_refused_whole(api, body):
    before = api.get(f"{V1}/firm").json()
    answer = api.patch(f"{V1}/firm", json={"name": "Other", **body})
    assert answer.status_code == 422, answer.text
    assert api.get(f"{V1}/firm").json() == before


def test_a_warehouse_with_480_bins_is_made_by_two_calls(api):
    body = {"name": "North Hall", "pick_up": {"days": [0, 1], "cut_off": "16:00"}}
    made = api.post(f"{V1}/warehouses", json=body)
    assert made.status_code == 201
    assert made.json()["warehouse"] == "north-hall"
    path = f"{V1}/warehouses/north-hall"
    bins = api.post(f"{path}/bins", json={"pattern": "{aisle:A-L}-{bay:01-40}"}).json()
    assert len(bins["new"]) == 480
    page = api.get(f"{path}/bins?limit=500").json()
    assert (len(page["items"]), page["next"]) == (481, None)
    first = api.get(f"{path}/bins?limit=100").json()
    second = api.get(f"{path}/bins?limit=100&after={first['next']}").json()
    walks = [one["walk"] for one in [*first["items"], *second["items"]]]
    assert walks == list(range(1, 201))


def test_bins_are_renamed_merged_and_closed(api):
    path = f"{V1}/warehouses/yard/bins"
    assert api.patch(f"{path}/Y-01", json={"code": "Z-01"}).json() == {"bin": "Z-01"}
    assert api.patch(f"{path}/Z-01", json={"merge_into": "Y-02"}).status_code == 200
    assert api.patch(f"{path}/Z-01", json={"closed": False}).status_code == 200
    assert api.patch(f"{path}/Z-01", json={"closed": True}).status_code == 200
    assert api.patch(f"{path}/Y-02", json={"closed": True}).json()["code"] == "last"
    assert api.patch(f"{path}/Y-02", json={"closed": True, "code": "A-1"}).status_code == 422
    assert api.patch(f"{path}/NONE", json={"closed": True}).status_code == 404
    assert api.post(path, json={}).status_code == 422
    assert api.post(path, json={"bins": ["a b"]}).status_code == 422


def test_a_warehouse_is_removed_only_while_nothing_moved_there(api):
    body = {"sku": "PT-14", "title": "Pot"}
    assert api.post(f"{V1}/products", json=body).status_code == 201
    move = {"sku": "PT-14", "warehouse": "millrace", "change": 2, "reason": "receipt"}
    assert api.post(f"{V1}/stock/movements", json=move).status_code == 201
    assert api.delete(f"{V1}/warehouses/millrace").json()["code"] == "in-use"
    assert api.delete(f"{V1}/warehouses/yard").json() == {"warehouse": "yard"}
    assert api.get(f"{V1}/warehouses/yard").status_code == 404


def test_a_token_may_do_what_its_rights_say_until_its_last_day_or_its_end(api, workplace):
    today = workplace.local_now().date()
    body = {"name": "Till", "login": "owner", "rights": ["stock"]}
    body["last_day"] = (today + timedelta(days=1)).isoformat()
    made = api.post(f"{V1}/tokens", json=body).json()
    head = {"Authorization": f"Bearer {made['token']}"}
    assert api.get(f"{V1}/products", headers=head).status_code == 200
    refused = api.post(f"{V1}/products", json={"sku": "A", "title": "A"}, headers=head)
    assert (refused.status_code, refused.json()["code"]) == (403, "not-allowed")
    assert "token may not change catalogue" in refused.json()["detail"]
    assert api.get(f"{V1}/firm", headers=head).status_code == 403
    (shown, *_) = api.get(f"{V1}/tokens").json()["items"]
    assert (shown["name"], shown["rights"]) == ("Till", ["stock"])
    assert shown["used_at"]
    assert "token" not in shown
    with workplace.database.reading() as session:
        refusals = session.scalars(select(AuditEntry).where(AuditEntry.deed == "refused")).all()
    assert [entry.changes["call"][1] for entry in refusals] == [
        "POST /api/v1/products",
        "GET /api/v1/firm",
    ]
    workplace.now.move(days=2)
    assert api.get(f"{V1}/products", headers=head).status_code == 401
    workplace.now.move(days=-2)
    assert api.delete(f"{V1}/tokens/{made['id']}").json() == {"id": made["id"], "name": "Till"}
    assert api.get(f"{V1}/products", headers=head).status_code == 401
    assert api.delete(f"{V1}/tokens/{made['id']}").status_code == 404


@pytest.mark.parametrize(
    "wrong", [{"login": "nobody"}, {"name": " "}, {"last_day": "2020-01-01"}, {"rights": ["moon"]}]
)
def test_a_token_that_cannot_be_is_refused(api, wrong):
    body = {"name": "Till", "login": "owner", **wrong}
    assert api.post(f"{V1}/tokens", json=body).status_code == 422
    assert len(api.get(f"{V1}/tokens").json()["items"]) == 1


def test_people_are_added_and_their_access_ended(api):
    body = {"login": "noor", "name": "Noor", "role": "orders", "password": "a good password"}
    made = api.post(f"{V1}/people", json=body)
    shown = {"login": "noor", "name": "Noor", "role": "orders", "active": True}
    shown |= {"two_step": False, "invited": False}
    assert (made.status_code, made.json()) == (201, shown)
    ended = api.patch(f"{V1}/people/noor", json={"active": False}).json()
    assert ended == {**shown, "active": False}
    assert api.patch(f"{V1}/people/owner", json={"role": "orders"}).json()["code"] == "last-owner"
    assert api.patch(f"{V1}/people/nobody", json={"active": False}).status_code == 404
    assert "a good password" not in api.get(f"{V1}/people").text


def test_somebody_is_invited_over_the_api(api):
    wish = {"login": "ben", "name": "Ben", "role": "orders"}
    made = api.post(f"{V1}/people", json=wish).json()
    assert made["invited"]
    assert "/invitations/" in made["invitation"]
    again = api.patch(f"{V1}/people/ben", json={"invite": True}).json()
    assert again["invitation"] != made["invitation"]
    assert "invitation" not in api.get(f"{V1}/people").json()["items"][-1]
    gone = api.patch(f"{V1}/people/ben", json={"second_step_gone": True}).json()
    assert gone["two_step"] is False
    assert api.patch(f"{V1}/firm", json={"two_step": True}).json()["two_step"] is True


def test_the_logo_is_a_picture_only(api):
    for content in (b"", b"<svg onload='x'/>", b"GIF89a", png()[:60]):
        answer = api.put(f"{V1}/firm/logo", files={"logo": ("logo.png", content)})
        assert answer.status_code == 422, content[:9]
    kept = api.put(f"{V1}/firm/logo", files={"logo": ("logo.png", png(side=64))})
    assert (kept.status_code, kept.json()["logo"]) == (200, True)
    assert api.delete(f"{V1}/firm/logo").json()["logo"] is False


def test_a_scale_is_an_address(api):
    there = "http://127.0.0.1:9/scale"
    assert api.patch(f"{V1}/firm", json={"scale": there}).json()["scale"] == there
    assert api.patch(f"{V1}/firm", json={"scale": "file:///etc/passwd"}).status_code == 422
    assert api.patch(f"{V1}/firm", json={"scale": ""}).json()["scale"] == ""
