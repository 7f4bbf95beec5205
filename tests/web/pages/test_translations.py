"""Tests the page of translations: proposed, kept and left out."""

from lxml import html

from relvan.services.catalogue.save import change_facts
from relvan.services.listings.draft import change_listings, draft_listings
from tests.steps.listing_pages import find, text_of
from tests.visitor import post


def test_translations_are_proposed_kept_and_left_out(web, aubrey_pots, owner):
    change_facts(aubrey_pots, owner, [("PT-1", {"attribute material": "Stone-ware"})])
    (listing,) = draft_listings(aubrey_pots, owner, "corvello", ["PT-1"]).listing_ids
    change_listings(aubrey_pots, owner, [listing], {"page": "new", "aisle": "cv-201"})
    page = web.get("/listings/translations?channel=corvello")
    chosen = find(page, "select[name=theirs] option[selected]")
    assert [option.text_content() for option in chosen] == ["stoneware"]
    kept = post(
        web,
        "/listings/translations/corvello",
        kind="value",
        field="material",
        ours="Stone-ware",
        theirs="stoneware",
        category="",
    )
    assert "Every listing there says what the channel understands" in text_of(kept)
    bad = post(
        web,
        "/listings/translations/corvello",
        kind="value",
        field="material",
        ours="x",
        theirs="y",
        category="",
    )
    assert bad.status_code == 422
    gone = post(
        web,
        "/listings/translations/corvello",
        kind="value",
        field="material",
        ours="Stone-ware",
        theirs="",
        category="",
        drop="yes",
    )
    assert len(find(gone, "select[name=theirs]")) == 1


def test_a_column_of_text_offers_no_forms_of_numbers_and_dates(seven_pots, web):
    text = "SKU,Title,Weight (kg),Remarks\nX-1,Pot,0.7,none\n"
    files = {"file": ("a.csv", text.encode(), "text/csv")}
    answer = web.post("/imports", data={"csrf": web.csrf, "kind": "products"}, files=files)
    rows = html.fromstring(answer.text).cssselect("table.mapping tbody tr")
    offered = [
        sorted({box.get("name") for box in row.cssselect("td:nth-child(4) select")}) for row in rows
    ]
    assert offered == [[], [], ["decimal", "unit"], []]
