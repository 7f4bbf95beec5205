"""Tests the page of coverage: families folded, drafting on several channels."""

from relvan.services.listings.draft import draft_listings
from tests.steps.families_on_channels import make_family
from tests.steps.listing_pages import find, text_of
from tests.visitor import post


def test_coverage_folds_families_and_drafts_on_several_channels(web, aubrey_pots, owner):
    make_family(aubrey_pots, owner)
    page = web.get("/listings/coverage")
    rows = [cell.text_content().strip() for cell in find(page, "td.sku")]
    assert rows == ["PT", "PT-0", "PT-1", "PT-2"]
    family = find(page, "button.unfold")[0].get("hx-get")
    assert len(find(web.get(family), "tr.within")) == 4
    made = post(
        web,
        "/listings/draft",
        pick=["PT-1", "NOPE"],
        channel=["hagglet", "corvello"],
        back="coverage",
    )
    assert "2 drafts made. 2 not" in text_of(made)
    draft_listings(aubrey_pots, owner, "hagglet", ["PT"])
    shown = web.get("/listings/coverage?at_hagglet=draft")
    assert [cell.text_content().strip() for cell in find(shown, "td.sku")] == ["PT", "PT-1"]
    assert "0 of 4 sell" in text_of(shown)
    narrow = web.get("/listings/coverage?at_corvello=not&stock=yes&q=oat")
    assert [cell.text_content().strip() for cell in find(narrow, "td.sku")] == [
        "PT",
        "PT-0",
        "PT-2",
    ]
