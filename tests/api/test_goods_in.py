"""Tests goods in and labels over HTTP."""

import pytest

from relvan.services.setup.bins import add_bins
from tests.caller import problem, put_in

V1 = "/api/v1"
KEY = "delivery-7"


@pytest.fixture
def bins(api, workplace, owner):
    put_in(api, sku="PT-14", units=0, gtin="4006381333931", aliases=[])
    add_bins(workplace, owner, "millrace", ["Q-01"])


def on_hand(api):
    rows = api.get(f"{V1}/stock", params={"sku": "PT-14"}).json()["items"]
    return sum(row["on_hand"] for row in rows)


def test_goods_are_scanned_and_received_once(api, bins):
    hand = {"warehouse": "millrace"}
    for code in ("4006381333931", "7"):
        answer = api.post(f"{V1}/goods-in/scan", json={**hand, "code": code}).json()
        hand = answer["hand"]
    assert (hand["sku"], hand["units"], answer["look"]) == ("PT-14", 7, True)
    assert answer["said"] == "None of it is expected here."
    assert answer["bins"][0]["units"] == 7
    for _ in range(2):
        done = api.post(f"{V1}/goods-in/scan", json={**hand, "code": "q-01"}).json()
    assert done["done"] == "7 of PT-14 lie in Q-01."
    body = {"sku": "PT-14", "warehouse": "millrace", "units": 2, "bin": "Q-01", "key": KEY}
    for _ in range(2):
        assert api.post(f"{V1}/goods-in", json=body).json() == {"still_expected": []}
    assert on_hand(api) == 9
    place = {"sku": "PT-14", "warehouse": "millrace", "units": 3}
    (one,) = api.get(f"{V1}/goods-in/bins", params=place).json()["items"]
    assert one == {"bin": "Q-01", "units": 3, "why": "it lies there already"}


@pytest.mark.parametrize(
    ("path", "body", "status"),
    [
        ("/goods-in/scan", {"warehouse": "millrace", "code": "NOBODY"}, 422),
        ("/goods-in/scan", {"warehouse": "moon", "code": "PT-14"}, 404),
        ("/goods-in", {"sku": "PT-14", "warehouse": "millrace", "units": 0}, 422),
        (
            "/goods-in",
            {"sku": "PT-14", "warehouse": "millrace", "units": 1, "bin": "Z-99", "key": KEY},
            422,
        ),
        (
            "/goods-in",
            {"sku": "NOBODY", "warehouse": "millrace", "units": 1, "bin": "Q-01", "key": KEY},
            404,
        ),
    ],
)
def test_what_makes_no_sense_is_refused(api, bins, path, body, status):
    problem(api.post(f"{V1}{path}", json=body), status)
    assert on_hand(api) == 0


def test_labels_are_pdfs(api, bins):
    for path in (
        "/warehouses/millrace/bin-labels.pdf?bin=Q-01&arrow=level",
        "/products/PT-14/labels.pdf?count=3&paper=A4",
    ):
        assert api.get(f"{V1}{path}").content.startswith(b"%PDF")
    problem(api.get(f"{V1}/warehouses/millrace/bin-labels.pdf?bin=Z-99"), 404)
    problem(api.get(f"{V1}/products/PT-14/labels.pdf?count=0"), 422)
