"""Tests the pages of parcels that have left."""

from tests.steps.sale import pick_all_waiting
from tests.visitor import post


def test_parcels_under_way_are_followed_and_claimed_by_page(released, owner, web, world):
    waiting = pick_all_waiting(released, owner)
    for shipment in waiting:
        post(web, f"/dispatch/shipments/{shipment}/parcels", weight_g="900")
    ticked = [str(one) for one in waiting]
    post(web, "/dispatch/do/labels", pick=ticked)
    post(web, "/dispatch/do/dispatch", pick=ticked)
    page = web.get("/dispatch/parcels").text
    assert page.count("/dispatch/parcels/") >= len(waiting)
    assert "no claim" not in page
    said = post(web, "/dispatch/parcels/follow").text
    assert f"Asked about {len(waiting)} parcels" in said
    assert "None." in web.get("/dispatch/parcels", params={"show": "lost"}).text
    assert web.get("/dispatch/parcels", params={"show": "nowhere"}).status_code == 404
    one = web.get("/dispatch/parcels/1").text
    assert "Label made" in one
    assert "not charged yet" in one
    refused = post(web, "/dispatch/parcels/1/claim", state="paid", amount="", note="kept")
    assert refused.status_code == 422
    assert "was not made yet" in refused.text
    assert "kept" in refused.text
    assert post(web, "/dispatch/parcels/1/claim", state="eaten").status_code == 404
    post(web, "/dispatch/parcels/1/claim", state="made", note="by letter")
    noted = post(web, "/dispatch/parcels/1/claim", state="paid", amount="12.50", note="by letter")
    assert "€12.50" in noted.text
    assert "paid by the carrier" in web.get("/dispatch/parcels", params={"show": "claims"}).text
    file = web.get("/dispatch/parcels.csv", params={"show": "claims"}).text
    assert file.splitlines()[1].endswith("paid,12.50")
