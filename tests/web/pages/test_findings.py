"""Tests the page of findings: read, linked and taken back."""

from tests.house import work
from tests.steps.findings import place_by_hand
from tests.steps.listing_pages import find, text_of
from tests.visitor import post


def test_findings_are_read_linked_and_taken_back(web, aubrey_pots, owner, world):
    place_by_hand(world, "LOST", "Aubrey pot 2 in oat \u202eאגרטל \U0001f331")
    post(web, "/listings/findings/read", channel="hagglet")
    work(aubrey_pots)
    page = web.get("/listings/findings")
    (box,) = find(page, "input[name=pick]")
    assert "\U0001f331" in page.text
    assert find(page, f"input[name=sku_{box.get('value')}]")[0].get("value") == "PT-2"
    linked = post(
        web, "/listings/findings/link", pick=box.get("value"), **{f"sku_{box.get('value')}": "PT-2"}
    )
    assert "Linked: 1." in text_of(linked)
    assert "PT-2" in text_of(web.get("/listings/findings?linked=yes"))
    post(web, "/listings/findings/unlink", pick=box.get("value"))
    assert len(find(web.get("/listings/findings"), "input[name=pick]")) == 1
    assert post(web, "/listings/findings/link", pick=box.get("value")).status_code == 422
    assert "PT-1" in web.get("/listings/skus?sku_1=PT-1").text
