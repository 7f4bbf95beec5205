"""Tests dispatch as forms: what a picker and a packer see, also when something is wrong."""

import pytest
from lxml import html

from relvan.services.orders.release import release_orders
from relvan.services.setup.firm import change_firm
from relvan.services.workplace import SYSTEM
from relvan.store.orders import shipment_rows
from tests.applications import client_of
from tests.house import add_pot, deliver, list_everywhere, orders, read
from tests.visitor import post, sign_in, wrong_beside


@pytest.fixture
def picker(released):
    return sign_in_picker(released)


def sign_in_picker(workplace):
    return sign_in(client_of(workplace), "picker")


def ids(workplace, *states):
    with workplace.database.reading() as session:
        return [row.id for row in shipment_rows(session, states=states)]


def three_pots(workplace):
    """Returns the shipment of three PT-14."""
    with workplace.database.reading() as session:
        return next(row.id for row in shipment_rows(session, states=["to pack"]) if row.units == 3)


def current(answer):
    """Returns the stop that the walk's page asks for as (pick, bin, units, SKU), or None when the
    walk is over."""
    page = html.fromstring(answer.text)
    if not page.cssselect(".place"):
        return None
    form = page.cssselect("#scan-form")[0]
    return (
        form.cssselect("[name=pick]")[0].get("value"),
        page.cssselect(".place")[0].text_content(),
        page.cssselect(".take b")[0].text_content(),
        page.cssselect(".walk .code")[0].text_content(),
    )


def walk_of(picker, workplace):
    answer = post(picker, "/dispatch/pick-lists", pick=[str(i) for i in ids(workplace, "to pick")])
    assert answer.status_code == 200
    return answer, str(answer.url).partition("?")[0].removeprefix("http://testserver")


def pick_everything(picker, workplace):
    answer, path = walk_of(picker, workplace)
    while stop := current(answer):
        answer = post(picker, f"{path}/picks", pick=stop[0], quantity=stop[2], code=stop[3])
    return answer


def test_a_walk_asks_for_one_stop_after_the_other(released, picker):
    answer, path = walk_of(picker, released)
    first = current(answer)
    assert first[1:3] == ("A-01", "3")
    answer = post(picker, f"{path}/picks", pick=first[0], quantity="3", code="old-14")
    assert current(answer)[3] == "PT-18"
    answer = post(picker, f"{path}/picks", pick=current(answer)[0], quantity="1", code="PT-18")
    assert "All is picked." in answer.text
    assert len(ids(released, "to pack")) == 2


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"quantity": "3", "code": "PT-18"}, "“PT-18” is not PT-14."),
        ({"quantity": "3", "code": ""}, "Nothing was scanned."),
        ({"quantity": "4", "code": "PT-14"}, "“Quantity” must be 0 to 3; it got 4."),
        ({"quantity": "-1", "code": "PT-14"}, "“Quantity” must be 0 to 3; it got -1."),
        ({"quantity": "lots", "code": "PT-14"}, "“Quantity” must be a whole number"),
        ({"quantity": "", "code": "PT-14"}, "“Quantity” must not be empty."),
    ],
)
def test_a_wrong_scan_is_a_clear_sign_and_the_stop_stays(released, picker, fields, words):
    answer, path = walk_of(picker, released)
    stop = current(answer)
    refused = post(picker, f"{path}/picks", pick=stop[0], **fields)
    assert refused.status_code == 422
    assert words in html.fromstring(refused.text).cssselect(".stop-sign")[0].text_content()
    assert current(refused) == stop


def test_nothing_here_is_a_short_pick_and_the_walk_goes_on(released, picker):
    answer, path = walk_of(picker, released)
    answer = post(picker, f"{path}/picks", pick=current(answer)[0], quantity="0")
    assert "Short pick: what is missing is blocked" in answer.text
    assert current(answer)[3] == "PT-18"
    assert "3 blocked" in picker.get("/why/free?sku=PT-14").text


def test_shipments_of_two_warehouses_become_a_pick_list_each(released, picker, owner, world):
    add_pot(released, owner, "PT-24", warehouse="yard")
    list_everywhere(released, owner, "PT-24")
    world.buy("hagglet", "PT-24")
    read(released)
    release_orders(released, owner, [row.number for row in orders(released, tray="inbox")])
    answer = post(picker, "/dispatch/pick-lists", pick=[str(i) for i in ids(released, "to pick")])
    assert answer.status_code == 200
    assert "L-1001 in Millrace and L-1002 in Yard: created." in answer.text
    assert len(ids(released, "picking")) == 3


def test_nothing_is_blocked_before_a_question_and_it_can_be_undone(released, picker):
    answer, path = walk_of(picker, released)
    stop = current(answer)
    question = html.fromstring(answer.text).cssselect("details.question")[0]
    assert "3 units are blocked until somebody counts the bin" in " ".join(
        question.text_content().split()
    )
    short = post(picker, f"{path}/picks", pick=stop[0], quantity="0")
    undo = html.fromstring(short.text).cssselect(".toast-note form")[0].get("action")
    assert "3 blocked" in picker.get("/why/free?sku=PT-14").text
    assert current(post(picker, undo)) == stop
    assert "3 blocked" not in picker.get("/why/free?sku=PT-14").text


def test_papers_are_pdfs(released, picker):
    _, path = walk_of(picker, released)
    shipment = ids(released, "picking")[0]
    for address in (f"{path}/sheet.pdf", f"/dispatch/shipments/{shipment}/packing-slip.pdf"):
        answer = picker.get(address)
        assert (answer.headers["content-type"], answer.content[:4]) == ("application/pdf", b"%PDF")
    assert picker.get("/dispatch/parcels/99/label.pdf").status_code == 404


@pytest.mark.parametrize(
    ("fields", "field"),
    [
        ({"units_PT-14": "3", "weight_g": ""}, "weight_g"),
        ({"units_PT-14": "3", "weight_g": "0"}, "weight_g"),
        ({"units_PT-14": "3", "weight_g": "99999"}, "weight_g"),
        ({"units_PT-14": "4", "weight_g": "900"}, "lines"),
        ({"units_PT-14": "3", "weight_g": "900", "carton": "x" * 61}, "carton"),
    ],
)
def test_a_parcel_with_a_fault_is_refused_beside_its_field_and_kept(
    released, picker, fields, field
):
    pick_everything(picker, released)
    shipment = three_pots(released)
    answer = post(picker, f"/dispatch/shipments/{shipment}/parcels", **fields)
    assert answer.status_code == 422
    assert wrong_beside(answer, field)
    kept = html.fromstring(answer.text).cssselect("[name='units_PT-14']")[0].get("value")
    assert kept == fields["units_PT-14"]


def test_packing_labels_and_dispatch_by_forms(released, picker, world):
    pick_everything(picker, released)
    shipment = three_pots(released)
    page = f"/dispatch/shipments/{shipment}"
    assert "No scale is connected." in post(picker, f"{page}/weigh").text
    change_firm(released, SYSTEM, {"scale": f"{world.url}/devices/scale"})
    world.client.put("/devices/scale", json={"grams": 2350}).raise_for_status()
    weighed = html.fromstring(post(picker, f"{page}/weigh").text)
    assert weighed.cssselect("[name=weight_g]")[0].get("value") == "2350"
    first = post(
        picker, f"{page}/parcels", **{"units_PT-14": "1", "weight_g": "900", "carton": "S"}
    )
    assert "Parcel 1" in first.text
    unpack = html.fromstring(first.text).cssselect("form[action$='/remove']")[0].get("action")
    assert "None yet" in post(picker, unpack).text
    assert (
        "Choose a service"
        in post(picker, f"{page}/parcels", **{"units_PT-14": "3", "weight_g": "2350"}).text
    )
    assert post(picker, f"{page}/labels", service="nobody:x").status_code == 422
    bought = post(picker, f"{page}/labels", service="ostrel:tracked")
    assert "Every parcel has its label" in bought.text
    left = post(picker, "/dispatch/do/dispatch", pick=str(shipment), back=page)
    assert "Dispatched: 1." in left.text
    deliver(released)
    number = orders(released, shipped="all")[0].channel_number
    assert world.order("hagglet", number)["state"] == "sent"
    assert "S-100" in picker.get("/dispatch?stage=dispatched").text


def test_a_carrier_that_is_down_is_told_on_the_page_and_nothing_is_lost(released, picker, world):
    pick_everything(picker, released)
    shipment = three_pots(released)
    world.weather("ostrel", "down")
    answer = post(
        picker, f"/dispatch/shipments/{shipment}/parcels", **{"units_PT-14": "3", "weight_g": "900"}
    )
    assert answer.status_code == 200
    assert "nobody is there" in answer.text
    refused = post(picker, f"/dispatch/shipments/{shipment}/labels", service="ostrel:tracked")
    assert refused.status_code == 422
    assert "no label is bought twice" in refused.text
    world.weather("ostrel", "calm")
    assert (
        "Label bought"
        in post(picker, f"/dispatch/shipments/{shipment}/labels", service="ostrel:tracked").text
    )
    assert len(world.labels()) == 1
