"""Tests bulk jobs and their results over HTTP."""

from tests.caller import put_in
from tests.house import connect


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
