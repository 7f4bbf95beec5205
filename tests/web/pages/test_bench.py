"""Tests the pack bench and the cartons as forms, and over HTTP."""

import pytest
from lxml import html

from relvan.services.catalogue.save import change_facts
from relvan.store.dispatch import parcels_of
from tests.steps.sale import pick_all_waiting
from tests.visitor import post
from tests.web.pages.test_dispatch import ids

CARTON = {
    "code": "BX-S",
    "name": "Small",
    "length_mm": "400",
    "width_mm": "300",
    "height_mm": "250",
    "weight_g": "100",
    "max_weight_g": "20000",
    "cost": "4.55",
    "used": "yes",
}


def picked(workplace, owner):
    """Picks everything; returns the number of the list and the shipments that are to be packed."""
    return "L-1001", pick_all_waiting(workplace, owner)


def scan(web, code="", **more):
    return post(web, "/dispatch/bench", code=code, **more)


def rows_of(answer):
    page = html.fromstring(answer.text)
    return [
        [cell.text_content().strip() for cell in row.cssselect("td")]
        for row in page.cssselect("table.rows tbody tr")
    ]


def test_a_list_is_packed_by_scanning_until_nothing_is_left(released, owner, web):
    number, waiting = picked(released, owner)
    post(web, "/setup/cartons", **CARTON)
    answer, scans = scan(web, number), 1
    while ids(released, "to pack"):
        on = html.fromstring(answer.text).cssselect("[name=shipment]")[0].get("value")
        open_rows = [
            row for row in rows_of(answer) if row[3].isdigit() and int(row[3]) < int(row[2])
        ]
        code = open_rows[0][0] if open_rows else "BX-S"
        answer, scans = scan(web, code, shipment=on, weight_g="700"), scans + 1
        if answer.status_code == 422:
            answer = scan(web, code, shipment=on, weight_g="700", anyway="yes")
        assert scans < 30
    assert sorted(ids(released, "to ship")) == sorted(waiting)
    page = html.fromstring(answer.text)
    (link,) = page.cssselect("[data-print]")
    label = web.get(link.get("href"))
    assert label.headers["content-type"] == "application/pdf"
    assert "frame-ancestors 'self'" in label.headers["content-security-policy"]


def test_a_wrong_scan_is_a_stop_sign_and_keeps_what_lies_there(released, owner, web):
    number, _ = picked(released, owner)
    on = html.fromstring(scan(web, number).text).cssselect("[name=shipment]")[0].get("value")
    wrong = scan(web, "NONSENSE", shipment=on)
    assert wrong.status_code == 422
    page = html.fromstring(wrong.text)
    assert page.cssselect("[data-wrong]")
    assert page.cssselect("[name=shipment]")[0].get("value") == on
    early = scan(web, close="yes", shipment=on)
    assert "Not scanned yet" in early.text
    assert html.fromstring(early.text).cssselect("[name=part]")


def test_the_proposed_carton_is_drawn_with_its_goods(released, owner, web):
    number, _ = picked(released, owner)
    post(web, "/setup/cartons", **CARTON)
    facts = {"weight_g": 600, "length_mm": 150, "width_mm": 150, "height_mm": 130}
    (verdict,) = change_facts(released, owner, [("PT-14", facts)])
    assert verdict.ok
    page = html.fromstring(scan(web, number).text)
    units = sum(int(row[2]) for row in rows_of(scan(web, number)))
    assert (
        len(page.cssselect("svg.carton .box")) == len(page.cssselect("svg.carton + ol li")) == units
    )
    assert "Small" in page.cssselect(".walk h2")[1].text_content()


def test_a_carton_keeps_what_was_typed_when_it_is_refused(workplace, web):
    wrong = post(web, "/setup/cartons", **{**CARTON, "height_mm": "tall"})
    assert wrong.status_code == 422
    assert html.fromstring(wrong.text).cssselect("[name=height_mm]")[0].get("value") == "tall"
    saved = post(web, "/setup/cartons", **CARTON)
    assert rows_of(saved)[0][:3] == ["BX-S", "Small", "400 x 300 x 250"]
    post(web, "/setup/cartons", **{**CARTON, "name": "Smaller", "used": ""})
    assert rows_of(web.get("/setup/cartons"))[0][1::5] == ["Smaller", "not used"]


def test_what_is_scanned_is_said_for_each_warehouse(workplace, web):
    page = post(web, "/setup/cartons/bench", warehouse="millrace", scan="some")
    chosen = html.fromstring(page.text).cssselect("#scan-millrace [selected]")
    assert [one.get("value") for one in chosen] == ["some"]
    assert post(web, "/setup/cartons/bench", warehouse="millrace", scan="twice").status_code == 422


def test_labels_of_many_are_bought_dispatched_and_handed_over_by_pages(released, owner, web):
    number, waiting = picked(released, owner)
    answer = scan(web, number)
    for shipment in waiting:
        post(web, f"/dispatch/shipments/{shipment}/parcels", weight_g="900")
    ticked = [str(one) for one in waiting]
    assert "Labelled: 2." in post(web, "/dispatch/do/labels", pick=ticked).text
    page = html.fromstring(web.get(f"/dispatch/shipments/{waiting[0]}").text)
    (void,) = page.cssselect("form[action$='/void']")
    assert "is void." in post(web, void.get("action")).text
    assert post(web, "/dispatch/do/slips", pick=ticked).content.startswith(b"%PDF")
    post(web, "/dispatch/do/dispatch", pick=ticked)
    sent = web.get("/dispatch?stage=dispatched")
    assert "1 parcel of" in " ".join(html.fromstring(sent.text).text_content().split())
    made = post(web, "/dispatch/manifests", carrier="ostrel", warehouse="millrace")
    assert "Manifest M-1001 is made" in made.text
    (link,) = html.fromstring(made.text).cssselect("a[href^='/dispatch/manifests/']")
    assert web.get(link.get("href")).content.startswith(b"%PDF")
    assert answer.status_code == 200


def test_every_number_on_a_paper_is_found(released, owner, web):
    number, (first, *_) = picked(released, owner)
    post(web, f"/dispatch/shipments/{first}/parcels", weight_g="900")
    post(web, "/dispatch/do/labels", pick=str(first))
    with released.database.reading() as session:
        (parcel,) = parcels_of(session, first)
    for code, kind in (
        (number.lower(), "pick list"),
        ("S-1001", "shipment"),
        (parcel.tracking_number, "parcel"),
    ):
        found = html.fromstring(web.get("/find", params={"q": code}).text)
        kinds = [one.text_content() for one in found.cssselect(".kind")]
        assert kind in kinds
    assert "Pack bench" in web.get("/find", params={"q": "bench"}).text


def test_another_carton_is_taken_instead_of_the_cheapest(released, owner, web):
    number, _ = picked(released, owner)
    for code, cost in (("BX-S", "4.55"), ("BX-L", "9.00")):
        post(web, "/setup/cartons", **{**CARTON, "code": code, "name": code, "cost": cost})
    change_facts(
        released,
        owner,
        [("PT-14", {"length_mm": 100, "width_mm": 100, "height_mm": 100})],
    )
    on = html.fromstring(scan(web, number).text).cssselect("[name=shipment]")[0].get("value")
    cheapest = web.get("/dispatch/bench", params={"shipment": on}).text
    other = web.get("/dispatch/bench", params={"shipment": on, "carton": "BX-L"})
    page = html.fromstring(other.text)
    assert page.cssselect("#scan-form [name=carton]")[0].get("value") == "BX-L"
    headings = [one.text_content().split()[0] for one in page.cssselect("h2")]
    assert ("BX-L" in headings) >= ("BX-S" in cheapest)
    assert web.get("/dispatch/bench", params={"shipment": on, "carton": "NO"}).status_code == 404


def test_figures_tell_who_picked_and_what_carriage_cost(released, owner, web):
    assert "Nothing was picked" in web.get("/dispatch/figures").text
    number, waiting = picked(released, owner)
    scan(web, number)
    for shipment in waiting:
        post(web, f"/dispatch/shipments/{shipment}/parcels", weight_g="900")
    ticked = [str(one) for one in waiting]
    post(web, "/dispatch/do/labels", pick=ticked)
    post(web, "/dispatch/do/dispatch", pick=ticked)
    rows = rows_of(web.get("/dispatch/figures"))
    assert [row[:3] for row in rows[:1]] == [["Owner", "1", str(len(waiting))]]
    assert rows[1][:3] == ["Ostrel Post", str(len(waiting)), str(len(waiting))]
    paid, charged, left = rows[1][4:7]
    assert paid.startswith("€")
    assert charged.startswith("€")
    assert "€" in left


def on_bench(released, owner, web):
    """Puts a shipment on the bench whose carton is known; returns it and its page."""
    post(web, "/setup/cartons", **CARTON)
    facts = {"weight_g": 600, "length_mm": 100, "width_mm": 100, "height_mm": 100}
    change_facts(released, owner, [("PT-14", facts)])
    number, _ = picked(released, owner)
    page = html.fromstring(scan(web, number).text)
    return page.cssselect("#scan-form [name=shipment]")[0].get("value"), page


def arrange(web, page, **deed):
    """Arranges the carton of the bench as its script does; returns the answer."""
    fields = {one.get("name"): one.get("value") for one in page.cssselect("#arrange-form input")}
    fields["arrangement"] = page.cssselect("#arrangement")[0].get("value")
    answer = web.post(
        "/dispatch/bench/arrange",
        data={**fields, "which": "1", "number": "1", **deed},
        headers={"X-CSRF-Token": page.cssselect("#scan-form [name=csrf]")[0].get("value")},
    )
    assert answer.status_code == 200, answer.text
    return html.fromstring(f"<div>{answer.text}</div>")


def corners(page):
    return [(one.get("data-x"), one.get("data-y")) for one in page.cssselect(".above .unit")]


def test_the_goods_of_a_carton_are_arranged_and_stay_so_through_a_scan(released, owner, web):
    on, page = on_bench(released, owner, web)
    assert corners(page)[0] == ("0.0", "0.0")
    moved = arrange(web, page, deed="right")
    kept = moved.cssselect("#arrangement")[0].get("value")
    assert corners(moved) != corners(page)
    assert moved.cssselect(".above .unit[data-moved]")
    sku = page.cssselect("table.rows td.sku")[0].text_content()
    scanned = post(web, "/dispatch/bench", shipment=on, code=sku, arrangement=kept)
    assert corners(html.fromstring(scanned.text)) == corners(moved)
    broken = post(web, "/dispatch/bench", shipment=on, code="NOBODY", arrangement="[[")
    assert corners(html.fromstring(broken.text)) == corners(page), (
        "what cannot be read is no arrangement"
    )


@pytest.mark.parametrize(
    ("deed", "words"),
    [
        ({"deed": "put", "x": "9000", "y": "0"}, "sticks out of the carton"),
        ({"deed": "put", "x": "nan", "y": "0"}, "sticks out of the carton"),
        ({"deed": "turn", "number": "99"}, "There is no unit 99"),
        ({"deed": "turn", "which": "7"}, "There is no carton 7"),
        ({"deed": "jump"}, "Nothing is called “jump” here."),
    ],
)
def test_what_cannot_be_arranged_is_said_and_changes_nothing(released, owner, web, deed, words):
    on, page = on_bench(released, owner, web)
    told = arrange(web, page, **deed)
    assert words in told.text_content()
    assert corners(told) == corners(page)


def test_the_gs1_code_of_a_case_is_found_by_search_and_scanned_at_the_bench(released, owner, web):
    (verdict,) = change_facts(released, owner, [("PT-14", {"gtin": "4006381333931"})])
    assert verdict.ok
    for code in ("010400638133393117270331", "]C10104006381333931", "(01)04006381333931"):
        assert "PT-14" in web.get("/find", params={"q": code}).text
    assert "PT-14" not in web.get("/find", params={"q": "0104006381333948"}).text
    number, _ = picked(released, owner)
    on = html.fromstring(scan(web, number).text).cssselect("[name=shipment]")[0].get("value")
    scanned = scan(web, "010400638133393117270331", shipment=on)
    assert scanned.status_code == 200
