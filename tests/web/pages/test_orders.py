"""Tests the pages of orders: deeds that do what they say, all that match, the flow, and the
tracking a channel was told."""

from lxml import html

from relvan.core.orders.intake import IncomingLine, IncomingOrder
from relvan.services.orders.release import release_orders
from relvan.services.orders.take import take_channel_orders
from relvan.services.packing.parcels import add_parcel
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.services.shipping.labels import buy_labels, find_services
from relvan.store.dispatch import pick_rows
from relvan.store.orders import shipment_rows
from tests.house import assert_sound, deliver, orders, read
from tests.steps.orders import ADA, take
from tests.steps.sale import pick_all_waiting
from tests.visitor import post, undo


def text_of(page, selector="body"):
    return " ".join(" ".join(found.text_content() for found in page.cssselect(selector)).split())


def send_off(workplace, owner, number):
    """Releases, picks, packs, labels and dispatches an order of one shipment; returns its tracking
    number."""
    release_orders(workplace, owner, [number])
    with workplace.database.reading() as session:
        (shipment,) = shipment_rows(session, states=["to pick"])
    pick_list = make_pick_list(workplace, owner, [shipment.id])
    with workplace.database.reading() as session:
        picks = pick_rows(session, pick_list)
    for pick in picks:
        record_pick(workplace, owner, pick_list, pick.id, pick.quantity)
    add_parcel(workplace, owner, shipment.id, [], 900)
    (tracking,) = buy_labels(
        workplace, owner, shipment.id, find_services(workplace, shipment.id)[0].service
    )
    dispatch_shipments(workplace, owner, [shipment.id])
    deliver(workplace)
    return tracking


def test_a_deed_that_there_is_not_is_refused_and_changes_nothing(shop, web):
    for path in ("/orders/do/reserved", "/orders/foresee/reserved"):
        assert post(web, path, pick="O-1001").status_code == 404
    assert orders(shop)[0].words == "1 of 1 to pick, not invoiced, paid"


def test_an_order_in_the_warehouses_tray_that_is_not_released_offers_its_release(shop, web):
    post(web, "/orders/do/move", pick="O-1001", tray="floor", back="/orders")
    page = html.fromstring(web.get("/orders/O-1001").text)
    assert "/orders/do/release" in [form.get("action") for form in page.cssselect(".deeds form")]
    assert "Released: 1." in post(web, "/orders/do/release", pick="O-1001", back="/orders").text


def test_what_cannot_be_done_says_why(shop, web, world):
    world.buy("hagglet", "PT-14", paid=False)
    read(shop)
    page = html.fromstring(web.get("/orders/O-1002").text)
    assert "/orders/do/release" not in [
        form.get("action") for form in page.cssselect(".deeds form")
    ]
    assert "Release: “O-1002” is not paid." in text_of(page, ".why-not")
    answer = post(web, "/orders/foresee/release", pick=["O-1001", "O-1002"])
    assert "1 would go to the warehouse" in answer.text
    assert "1 stay: not paid" in answer.text
    assert "Release 1" in text_of(html.fromstring(answer.text), "button")


def test_a_deed_on_all_that_match_takes_just_these(shop, web, world):
    for channel in ("hagglet", "ownshop", "ownshop"):
        world.buy(channel, "PT-14")
    read(shop)
    query = "channel=ownshop"
    foreseen = post(web, "/orders/foresee/release", all="yes", query=query)
    assert "Of 2 orders:" in foreseen.text
    assert (
        "Released: 2."
        in post(web, "/orders/do/release", all="yes", query=query, back="/orders").text
    )
    assert sorted(order.channel_key for order in orders(shop, tray="floor")) == [
        "ownshop",
        "ownshop",
    ]


def test_orders_are_found_by_progress_crossed_with_trays(shop, web, owner, world):
    world.buy("ownshop", "PT-14")
    read(shop)
    send_off(shop, owner, "O-1001")

    def found(query):
        page = html.fromstring(web.get(f"/orders?{query}").text)
        return [link.text_content() for link in page.cssselect("#rows td.sku a")]

    assert found("shipped=all") == ["O-1001"]
    assert found("shipped=open&paid=all") == ["O-1002"]
    assert found("tray=inbox&shipped=all") == []
    assert found("fact=not+shipped") == ["O-1002"]  # a view that was kept under the older name


def test_the_tracking_that_the_channel_was_told_stands_on_the_order(shop, web, owner):
    tracking = send_off(shop, owner, "O-1001")
    page = html.fromstring(web.get("/orders/O-1001").text)
    assert tracking in text_of(page, "td .code")
    told = text_of(page, "section.panel ul.flat")
    assert f"tracking number {tracking} accepted" in told
    assert "that the order is taken accepted" in told


def test_the_flow_says_in_figures_what_it_draws(shop, web, owner, world):
    world.buy("ownshop", "PT-14", 3)
    read(shop)
    release_orders(shop, owner, ["O-1002"])
    with shop.database.reading() as session:
        (shipment,) = shipment_rows(session, states=["to pick"])
    pick_list = make_pick_list(shop, owner, [shipment.id])
    with shop.database.reading() as session:
        (pick,) = pick_rows(session, pick_list)
    record_pick(shop, owner, pick_list, pick.id, 2)
    page = html.fromstring(web.get("/orders/O-1002").text)
    rows = [
        [cell.text_content() for cell in row.cssselect("td")]
        for row in page.cssselect("table.visually-hidden tr")
    ]
    assert [row[:2] for row in rows[1:5]] == [
        ["ordered", "3 units"],
        ["reserved", "2 units"],
        ["picked", "2 units"],
        ["shipped", "0 units"],
    ]
    assert len(page.cssselect("svg.flow path")) == 2
    assert not page.cssselect(".facts-bar")


def test_what_a_deed_would_do_is_shown_before_it_is_done(shop, web):
    answer = web.post(
        "/listings/foresee/take-down", data={"pick": ["1", "2"]}, headers={"X-CSRF-Token": web.csrf}
    )
    assert "2 would be taken down" in answer.text
    answer = web.post(
        "/orders/foresee/release", data={"pick": ["O-1001"]}, headers={"X-CSRF-Token": web.csrf}
    )
    assert "1 would go to the warehouse" in answer.text
    assert orders(shop)[0].tray == "inbox"


def test_a_movement_a_price_and_a_move_can_be_undone(shop, owner, web):
    answer = post(web, "/stock/PT-14", warehouse="millrace", reason="receipt", units="5", key="a")
    assert "Taken back: 10 of PT-14 on hand" in undo(web, answer).text
    assert "Taken back: 10 of PT-14 on hand" in undo(web, answer).text
    answer = post(web, "/prices", sku="PT-14", list="retail", amount="30", q="")
    assert "PT-14 has a new list price." in answer.text
    undo(web, answer)
    assert (
        html.fromstring(web.get("/prices").text).cssselect("[name=amount]")[0].get("value")
        == "16.90"
    )
    undo(web, post(web, "/orders/do/move", pick="O-1001", tray="closed", back="/orders"))
    assert orders(shop)[0].tray == "inbox"
    assert_sound(shop)


def test_deeds_on_many_tell_what_was_done_and_offer_undo(shop, web):
    answer = post(web, "/orders/do/release", pick=["O-1001", "O-7777"], back="/orders")
    page = html.fromstring(answer.text)
    toast = page.cssselect(".toast-note")[0]
    assert "Released: 1 of 2. There is no order “O-7777”." in toast.text_content()
    form = toast.cssselect("form")[0]
    assert form.get("action") == "/orders/do/take-back"
    undone = post(
        web,
        form.get("action"),
        **{e.get("name"): e.get("value") for e in form.cssselect("input[name=pick]")},
    )
    assert "Release undone: 1" in undone.text
    assert orders(shop)[0].tray == "inbox"


def test_the_address_of_an_order_is_changed_on_a_page_of_its_own(desk, owner, web):
    number = take(desk, owner, ("PT-14", 1))
    shown = html.fromstring(web.get(f"/orders/{number}").text)
    (link,) = [a.get("href") for a in shown.cssselect("a") if a.text == "Change the address"]
    to = {"name": "Ada", "street": "3 Mill Lane", "town": "Tarnhollow", "postcode": "4821 AB"}
    wrong = web.get(link).text
    assert "12 Larkspur Row" in wrong
    refused = post(web, link, path=link, **{**to, "country": "DE"})
    assert refused.status_code == 422
    assert "3 Mill Lane" in refused.text, "what was typed is kept"
    done = post(web, link, path=link, **to, country="NL")
    assert "The order goes to the new address." in done.text
    assert "3 Mill Lane" in text_of(html.fromstring(done.text), "#customer")


def test_a_change_that_came_too_late_is_decided_by_a_button_of_the_order(
    on_two_channels, signed_in, owner
):
    shop, world_sale = on_two_channels, "HG-77"

    def tell(changed, **facts):
        line = IncomingLine("1", "PT-14", "Pot", 1, 1690)
        told = IncomingOrder(
            world_sale, shop.now(), "EUR", (line,), ADA, paid=True, changed=changed, **facts
        )
        take_channel_orders(shop, 1, [told])
        return next(row.number for row in orders(shop) if row.channel_number == world_sale)

    number = tell(1)
    post(signed_in, "/orders/do/release", pick=number, back="/orders")
    pick_all_waiting(shop, owner)
    tell(2, cancelled=True)
    page = html.fromstring(signed_in.get(f"/orders/{number}").text)
    (form,) = page.cssselect(".notice.look")
    assert "1 unit is picked" in form.text_content()
    (button,) = form.cssselect("button")
    assert (button.get("value"), button.text_content().strip()) == ("put-back", "They are put back")
    refused = post(signed_in, form.get("action"), choice="explode")
    assert "must be one of put-back" in refused.text
    done = post(signed_in, form.get("action"), choice="put-back")
    assert "What was picked lies in its bins again." in done.text
    assert html.fromstring(done.text).cssselect(".notice.look") == []
