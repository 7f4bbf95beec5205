"""Dispatch and setup as forms: what a picker, a packer and an owner see, also when something is
wrong."""

import pytest
from lxml import html

from relvan.services.orders.release import release_orders
from relvan.store.orders import shipment_rows
from tests.applications import client_of
from tests.house import add_pot, connect, deliver, list_everywhere, orders, read
from tests.snapshots import built_once
from tests.visitor import apply_job, post, shown, sign_in, wrong_beside


@built_once
def floor(workplace, owner, world):
    """Two released orders: three PT-14 and one PT-18."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14", aliases=("OLD-14",))
    add_pot(workplace, owner, "PT-18")
    list_everywhere(workplace, owner, "PT-14", "PT-18")
    world.buy("hagglet", "PT-14", 3)
    world.buy("ownshop", "PT-18")
    read(workplace)
    release_orders(workplace, owner, [row.number for row in orders(workplace)])
    return workplace


@pytest.fixture
def picker(floor):
    return sign_in_picker(floor)


def sign_in_picker(workplace):
    return sign_in(client_of(workplace), "picker")


def ids(workplace, *states):
    with workplace.database.reading() as session:
        return [row.id for row in shipment_rows(session, states=states)]


def three_pots(workplace):
    """The shipment of three PT-14."""
    with workplace.database.reading() as session:
        return next(row.id for row in shipment_rows(session, states=["to pack"]) if row.units == 3)


def current(answer):
    """The stop that the walk's page asks for: (pick, bin, units, SKU); none when the walk is
    over."""
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


def test_a_walk_asks_for_one_stop_after_the_other(floor, picker):
    answer, path = walk_of(picker, floor)
    first = current(answer)
    assert first[1:3] == ("A-01", "3")
    answer = post(picker, f"{path}/picks", pick=first[0], quantity="3", code="old-14")
    assert current(answer)[3] == "PT-18"
    answer = post(picker, f"{path}/picks", pick=current(answer)[0], quantity="1", code="PT-18")
    assert "All is picked." in answer.text
    assert len(ids(floor, "to pack")) == 2


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
def test_a_wrong_scan_is_a_clear_sign_and_the_stop_stays(floor, picker, fields, words):
    answer, path = walk_of(picker, floor)
    stop = current(answer)
    refused = post(picker, f"{path}/picks", pick=stop[0], **fields)
    assert refused.status_code == 422
    assert words in html.fromstring(refused.text).cssselect(".stop-sign")[0].text_content()
    assert current(refused) == stop


def test_nothing_here_is_a_short_pick_and_the_walk_goes_on(floor, picker):
    answer, path = walk_of(picker, floor)
    answer = post(picker, f"{path}/picks", pick=current(answer)[0], quantity="0")
    assert "Short pick: what is missing is blocked" in answer.text
    assert current(answer)[3] == "PT-18"
    assert "3 blocked" in picker.get("/why/free?sku=PT-14").text


def test_shipments_of_two_warehouses_become_a_pick_list_each(floor, picker, owner, world):
    add_pot(floor, owner, "PT-24", warehouse="yard")
    list_everywhere(floor, owner, "PT-24")
    world.buy("hagglet", "PT-24")
    read(floor)
    release_orders(floor, owner, [row.number for row in orders(floor, tray="inbox")])
    answer = post(picker, "/dispatch/pick-lists", pick=[str(i) for i in ids(floor, "to pick")])
    assert answer.status_code == 200
    assert "L-1001 in Millrace and L-1002 in Yard: created." in answer.text
    assert len(ids(floor, "picking")) == 3


def test_nothing_is_blocked_before_a_question_and_it_can_be_undone(floor, picker):
    answer, path = walk_of(picker, floor)
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


def test_papers_are_pdfs(floor, picker):
    _, path = walk_of(picker, floor)
    shipment = ids(floor, "picking")[0]
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
def test_a_parcel_with_a_fault_is_refused_beside_its_field_and_kept(floor, picker, fields, field):
    pick_everything(picker, floor)
    shipment = three_pots(floor)
    answer = post(picker, f"/dispatch/shipments/{shipment}/parcels", **fields)
    assert answer.status_code == 422
    assert wrong_beside(answer, field)
    kept = html.fromstring(answer.text).cssselect("[name='units_PT-14']")[0].get("value")
    assert kept == fields["units_PT-14"]


def test_packing_labels_and_dispatch_by_forms(floor, picker, world):
    pick_everything(picker, floor)
    shipment = three_pots(floor)
    page = f"/dispatch/shipments/{shipment}"
    assert "No scale is connected." in post(picker, f"{page}/weigh").text
    floor.settings.scale_url = f"{world.url}/devices/scale"
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
    deliver(floor)
    number = orders(floor, tray="closed")[0].channel_number
    assert world.order("hagglet", number)["state"] == "sent"
    assert "S-100" in picker.get("/dispatch?stage=dispatched").text


def test_a_carrier_that_is_down_is_told_on_the_page_and_nothing_is_lost(floor, picker, world):
    pick_everything(picker, floor)
    shipment = three_pots(floor)
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


@pytest.fixture
def boss(floor):
    return sign_in(client_of(floor))


def test_a_connection_is_tested_paused_and_renewed(floor, boss, world):
    page = "/setup/channels/hagglet"
    assert "It answers: Quillmoss on Hagglet." in post(boss, f"{page}/test").text
    assert "Paused:" in post(boss, f"{page}/pause", paused="yes").text
    assert "In step by itself:" in post(boss, f"{page}/pause", paused="no").text
    world.weather("hagglet", "down")
    assert "nobody is there" in post(boss, f"{page}/test").text
    world.weather("hagglet", "calm")
    wish = {
        "rulebook": "hagglet",
        "address": world.seller_api("hagglet"),
        "token": world.token("hagglet"),
    }
    assert "the channel knows us" in post(boss, "/setup/channels", **wish).text
    carrier = {"carrier_address": world.seller_api("ostrel"), "carrier_token": "wrong"}
    assert "does not accept our token" in wrong_beside(
        post(boss, "/setup/carriers", **carrier), "carrier_address"
    )
    carrier["carrier_token"] = world.token("ostrel")
    assert "the carrier knows us" in post(boss, "/setup/carriers", **carrier).text


def test_settings_reach_the_listings_and_are_shown_as_saved(floor, boss, world):
    page = "/setup/channels/hagglet"
    steps = {
        "step_kind": ["percent", "ending", ""],
        "step_value": ["10", "99", ""],
        "step_direction": ["nearest", "up", "nearest"],
        "price_list": "retail",
    }
    shown = html.fromstring(post(boss, f"{page}/prices", **steps).text)
    assert [field.get("value") for field in shown.cssselect("[name=step_value]")] == [
        "10",
        "99",
        "",
    ]
    post(boss, f"{page}/shown", supply_asked="yes", supply=["yard"])
    deliver(floor)
    row = world.listings("hagglet")["PT-14"]
    assert (row["price"], row["quantity"]) == (1899, 0)
    assert "No warehouse feeds this channel" in post(boss, f"{page}/shown", supply_asked="yes").text
    assert boss.post(f"{page}/nonsense", data={"csrf": boss.csrf}).status_code == 404


def test_one_value_mends_the_same_gap_on_many(floor, boss, owner):
    for sku in ("PX-1", "PX-2"):
        add_pot(floor, owner, sku)
    made = post(boss, "/listings/draft", pick=["PX-1", "PX-2"], channel=["hagglet"])
    picks = [box.get("value") for box in html.fromstring(made.text).cssselect("[name=pick]")]
    mend = boss.post("/listings/gaps/of", data={"pick": picks}, headers={"X-CSRF-Token": boss.csrf})
    (group,) = html.fromstring(mend.text).cssselect(".mend")
    assert "2 on Hagglet: Shelf is not chosen" in " ".join(group.text_content().split())
    ticked = [field.get("value") for field in group.cssselect("[name=pick]")]
    rehearsed = post(
        boss,
        "/listings/gaps/set",
        channel="hagglet",
        pick=ticked,
        field="shelf",
        value="Home and garden / Planters and pots",
    )
    apply_job(boss, floor, rehearsed)
    ready = html.fromstring(boss.get("/listings?state=ready").text).cssselect("td.sku")
    assert sorted(shown(cell) for cell in ready) == ["PX-1", "PX-2"]


def test_the_command_box_finds_stations_products_and_orders(floor, boss):
    found = boss.get("/find?q=pt-14").text
    assert "/products/PT-14" in found
    assert "/orders/O-1001" in boss.get("/find?q=O-1001").text
    assert "/dispatch" in boss.get("/find?q=disp").text
    assert "Nothing is called" in boss.get("/find?q=zzzz").text
