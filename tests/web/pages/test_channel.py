"""Tests a channel's set-up as pages: what would change is seen first, and nothing is off in
silence."""

from lxml import html

from tests.house import deliver, read
from tests.steps.channel_pages import words
from tests.visitor import post, wrong_beside

PAGE = "/setup/channels/hagglet"


def test_other_quantities_are_seen_before_they_are_saved(signed_in, world, on_two_channels):
    told = words(
        post(
            signed_in,
            f"{PAGE}/shown/try",
            share="50",
            cap="4",
            supply_asked="yes",
            supply=["millrace", "yard"],
        )
    )
    assert "1 of 1 quantity would be another , 1 lower." in told
    assert "PT-14 live Pot PT-14 20 20 4" in told
    assert "1 would show none any more" in words(
        post(signed_in, f"{PAGE}/shown/try", supply_asked="yes", supply=["yard"])
    )
    assert "between 0 and 100" in words(post(signed_in, f"{PAGE}/shown/try", share="150"))
    deliver(on_two_channels)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 20
    assert "In step by itself: quantity and price of 1 listing" in words(
        post(signed_in, f"{PAGE}/shown", cap="4")
    )
    deliver(on_two_channels)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 4


def test_other_fees_and_a_rate_are_tried_without_being_saved(signed_in):
    steps = {
        "price_list": "retail",
        "step_kind": "cover fees",
        "step_value": "",
        "step_direction": "",
    }
    told = words(post(signed_in, f"{PAGE}/prices/try", **steps, try_fixed="5.00", try_referral="0"))
    assert "1 of 1 price would be another , 1 higher" in told
    assert "must be from 0 to less than 100" in words(
        post(signed_in, f"{PAGE}/prices/try", **steps, try_referral="100")
    )
    post(signed_in, f"{PAGE}/prices", **steps, try_fixed="5.00")
    assert "None of 1 price would be another" in words(
        post(signed_in, f"{PAGE}/prices/try", **steps)
    )
    told = words(post(signed_in, "/prices/rates/try", source="EUR", target="CHF", rate="0.9"))
    assert (
        told
        == "No channel converts its prices or sells in another currency: a rate would change none."
    )
    assert "must be a number" in words(
        post(signed_in, "/prices/rates/try", source="EUR", target="CHF", rate="much")
    )


def test_a_nearer_policy_is_set_and_taken_away(signed_in, world, on_two_channels):
    answer = words(post(signed_in, f"{PAGE}/nearer", kind="category", of="Pots / Small", cap="3"))
    assert "category Pots / Small 100 % of what is free, at most 3; stays up at zero" in answer
    deliver(on_two_channels)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 3
    refused = post(signed_in, f"{PAGE}/nearer", kind="product", of="NOPE", cap="3")
    assert (refused.status_code, "There is no product “NOPE”" in words(refused)) == (422, True)
    post(signed_in, f"{PAGE}/nearer", kind="category", of="Pots / Small", deed="take away")
    deliver(on_two_channels)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 20


def test_a_connection_is_tested_paused_and_renewed(released, boss, world):
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


def test_settings_reach_the_listings_and_are_shown_as_saved(released, boss, world):
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
    deliver(released)
    row = world.listings("hagglet")["PT-14"]
    assert (row["price"], row["quantity"]) == (1899, 0)
    assert "No warehouse feeds this channel" in post(boss, f"{page}/shown", supply_asked="yes").text
    assert boss.post(f"{page}/nonsense", data={"csrf": boss.csrf}).status_code == 404


def test_settings_with_a_fault_are_refused_and_kept(shop, web):
    answer = post(web, "/setup/channels/hagglet/shown", share="150", hold_back="1")
    assert answer.status_code == 422
    assert "between 0 and 100" in wrong_beside(answer, "share")
    assert html.fromstring(answer.text).cssselect("[name=share]")[0].get("value") == "150"
    answer = post(
        web,
        "/setup/channels/hagglet/prices",
        step_kind="percent",
        step_value="lots",
        step_direction="up",
        price_list="retail",
    )
    assert answer.status_code == 422
    answer = post(web, "/setup/channels", rulebook="hagglet", address="nonsense", token="x")
    assert "must be an http or https address" in wrong_beside(answer, "address")


def test_a_channel_is_disconnected_as_chosen(signed_in, on_two_channels):
    path = f"{PAGE}/disconnect"
    (place,) = html.fromstring(signed_in.get(PAGE).text).cssselect("#disconnect [hx-get]")
    assert place.get("hx-get") == path  # what it touches is read when the panel is opened
    told = words(signed_in.get(path))
    assert "1 of 1 listing can be bought there" in told
    assert "0 orders are not sent yet" in told
    answer = post(signed_in, path)
    assert answer.status_code == 422
    assert "Nobody has chosen" in wrong_beside(answer, "listings")
    answer = post(signed_in, path, listings="take-down")
    assert "Nobody has chosen" in wrong_beside(answer, "orders")
    checked = html.fromstring(answer.text).cssselect("#disconnect input:checked, input[checked]")
    assert "take-down" in [one.get("value") for one in checked]
    told = words(post(signed_in, path, listings="take-down", orders="keep"))
    assert "It is being disconnected: the channel has not answered 1 update yet" in told
    assert "Choose what happens" not in told
    told = words(post(signed_in, path, deed="stay"))
    assert "The channel stays connected." in told
    post(signed_in, path, listings="take-down", orders="keep")
    assert "The channel is disconnected" in words(post(signed_in, path, deed="at once"))
    assert signed_in.get(PAGE).status_code == 404


def test_an_order_says_that_its_channel_is_told_nothing_any_more(signed_in, on_two_channels, world):
    sale = world.buy("hagglet", "PT-14")
    (number,) = read(on_two_channels)
    deliver(on_two_channels)
    notice = f"type the tracking number of its order {sale} there yourself"
    assert notice not in words(signed_in.get(f"/orders/{number}"))
    world.buy("ownshop", "PT-14")
    (other,) = read(on_two_channels)
    post(signed_in, f"{PAGE}/disconnect", listings="leave", orders="keep")
    assert notice in words(signed_in.get(f"/orders/{number}"))
    listed = words(signed_in.get("/orders?channel=hagglet"))  # the orders stay, and are found
    assert number in listed
    assert other not in listed


def test_a_refusal_beside_one_form_does_not_call_the_others_unsaved(signed_in, on_two_channels):
    def unsaved(answer):
        forms = html.fromstring(answer.text).cssselect("form[data-keep=typed]")
        return [form.get("id") for form in forms]

    assert unsaved(post(signed_in, f"{PAGE}/disconnect")) == []
    assert unsaved(post(signed_in, f"{PAGE}/shown", share="much")) == ["shown"]


def test_how_orders_come_in_is_saved_and_what_is_wrong_stands_beside_it(shop, web):
    told = {"unpaid": "leave", "routing": "split", "serve_by": "money", "tray": "", "most": "3"}
    saved = post(web, "/setup/channels/hagglet/orders", prefer_near="yes", **told)
    assert "it counts for orders from now on" in saved.text
    page = html.fromstring(web.get("/setup/channels/hagglet").text)
    chosen = [one.get("value") for one in page.cssselect("#order-policy option[selected]")]
    assert chosen[:3] == ["leave", "split", "money"]
    wrong = post(web, "/setup/channels/hagglet/orders", **{**told, "most": "many"})
    assert wrong.status_code == 422
    assert "must be a whole number" in wrong.text


def test_an_order_says_why_it_leaves_from_where_it_does(shop, web):
    told = web.get("/orders/O-1001/why").text
    assert "has all of it" in told
    assert "/setup/channels/" in told
