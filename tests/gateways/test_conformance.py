"""Every gateway keeps the same promises, in calm weather and in bad."""

from dataclasses import replace

import pytest

from relvan.core.money import Money
from relvan.core.orders.intake import Address
from relvan.gateways.calling import OutsideCaller, OutsideRefusal, OutsideTrouble
from relvan.gateways.channels.port import ContentRefused, Dispatched, Offer, PictureFile, PriceRow
from relvan.gateways.channels.registry import open_gateway, rulebook, rulebooks
from relvan.gateways.scale import read_scale
from tests.house import png
from tests.steps.conformance import FIELDS

TITLE = {"corvello": "title", "hagglet": "heading", "loomstead": "title", "ownshop": "name"}
BUYER = Address("Ada", "1 Row", "Tarnhollow", "4821", "NL", "")
SENDER = Address("Quillmoss", "3 Yard", "Tarnhollow", "T12", "IE", "")


@pytest.fixture(params=sorted(rulebooks()))
def channel(request, world):
    key = request.param
    gateway = open_gateway(
        rulebook(key), world.seller_api(key), world.token(key), private_allowed=True
    )
    yield key, gateway
    gateway.close()


@pytest.fixture
def offer(channel, tmp_path):
    import hashlib

    (tmp_path / "pot.png").write_bytes(png())
    sha = hashlib.sha256(png()).hexdigest()
    picture = PictureFile(sha, "image/png", tmp_path / "pot.png")
    return Offer(
        "PT/14", FIELDS[channel[0]], Money(1690, rulebook(channel[0]).currency), 7, (picture,)
    )


def shown(world, channel, sku="PT/14"):
    return world.listings(channel[0])[sku]


def test_it_says_whose_account_it_is(channel):
    assert "Quillmoss" in channel[1].test()


def test_a_wrong_token_is_trouble_and_not_a_refusal(channel, world):
    gateway = open_gateway(
        rulebook(channel[0]), world.seller_api(channel[0]), "wrong", private_allowed=True
    )
    with pytest.raises(OutsideTrouble, match="token"):
        gateway.test()
    gateway.close()


def test_what_is_published_is_shown_and_can_be_changed(channel, offer, world):
    placed = channel[1].publish(offer, "key-1")
    row = shown(world, channel)
    title = offer.fields[TITLE[channel[0]]]
    assert (row["title"], row["price"], row["quantity"], len(row["pictures"])) == (
        title,
        1690,
        7,
        1,
    )
    assert world.client.get(placed.page).status_code == 200
    channel[1].send_content(
        placed.ref,
        Offer(**{**vars(offer), "fields": {**offer.fields, TITLE[channel[0]]: "A jug, glazed"}}),
    )
    assert channel[1].set_quantities([(placed.ref, 3)])[0].ok
    assert channel[1].set_prices([PriceRow(placed.ref, Money(1999, offer.price.currency))])[0].ok
    row = shown(world, channel)
    owned = (
        TITLE[channel[0]] in rulebook(channel[0]).owned
    )  # then the page decides, whatever a seller says
    assert (row["title"], row["price"], row["quantity"]) == (
        title if owned else "A jug, glazed",
        1999,
        3,
    )
    channel[1].set_shown(placed.ref, False)
    assert shown(world, channel)["state"] != "live"
    channel[1].set_shown(placed.ref, True)
    assert shown(world, channel)["state"] == "live"
    (read,) = channel[1].listings_after("", 50)
    assert (read.ref, read.sku, read.price, read.quantity, read.live) == (
        placed.ref,
        "PT/14",
        1999,
        3,
        True,
    )


def test_publishing_twice_under_one_key_places_one_listing(channel, offer, world):
    first = channel[1].publish(offer, "key-1")
    assert channel[1].publish(offer, "key-1") == first
    assert len(world.listings(channel[0])) == 1


@pytest.fixture
def family(channel, offer):
    """Builds the head of a family and two members, on a channel that shows families."""
    if not rulebook(channel[0]).takes_families:
        pytest.skip("it shows no families")
    traits = {"loomstead": ("width", "colour")}.get(channel[0], ("Size", "Glaze"))
    of = {rule.name: rule.of for rule in rulebook(channel[0]).fields}
    said = {name: value for name, value in offer.fields.items() if of[name] != "member"}
    own = {name: value for name, value in offer.fields.items() if of[name] != "head"}
    head = replace(
        offer, sku="PT", fields=said, part="head", quantity=0, traits=dict.fromkeys(traits, "")
    )

    def member(sku, ref, *values):
        worded = dict(zip(traits, values, strict=True))
        return replace(offer, sku=sku, fields=own, part="member", head=ref, traits=worded)

    return head, member


def test_a_family_stands_on_one_page(channel, family, world):
    head, member = family
    placed = channel[1].publish(head, "head")
    first = channel[1].publish(member("PT-9", placed.ref, "9 cm", "oat"), "one")
    second = channel[1].publish(member("PT-14", placed.ref, "14 cm", "oat"), "two")
    assert first.page == second.page == placed.page
    assert len({placed.ref, first.ref, second.ref}) == 3
    (row,) = [
        row
        for row in world.client.get(f"/world/{channel[0]}/listings").json()
        if row["ref"] == placed.ref
    ]
    assert [(v["sku"], v["price"], v["quantity"]) for v in row["variants"]] == [
        ("PT-9", 1690, 7),
        ("PT-14", 1690, 7),
    ]
    assert channel[1].set_quantities([(first.ref, 2)])[0].ok
    assert shown(world, channel, "PT-9")["quantity"] == 2
    channel[1].send_content(second.ref, member("PT-14", placed.ref, "14 cm", "ink"))
    assert set(shown(world, channel, "PT-14")["traits"].values()) == {"14 cm", "ink"}
    assert {(s.sku, s.head) for s in channel[1].listings_after("", 50)} == {
        ("PT", ""),
        ("PT-9", placed.ref),
        ("PT-14", placed.ref),
    }
    channel[1].set_shown(placed.ref, False)
    answer = world.client.post(f"/world/{channel[0]}/purchases", json={"sku": "PT-14"})
    assert answer.status_code == 409, "what stands on a page that is down cannot be bought"


def test_two_variants_of_a_family_cannot_be_alike_and_each_is_told_by_itself(
    channel, family, world
):
    head, member = family
    placed = channel[1].publish(head, "head")
    channel[1].publish(member("PT-9", placed.ref, "9 cm", "oat"), "one")
    with pytest.raises(ContentRefused):
        channel[1].publish(member("PT-10", placed.ref, "9 cm", "oat"), "two")
    with pytest.raises(ContentRefused):
        channel[1].publish(replace(member("PT-11", placed.ref, "11 cm", "oat"), traits={}), "three")
    assert "PT-10" not in world.listings(channel[0])


def test_content_that_the_channel_refuses_names_the_field(channel, offer):
    bad = Offer(**{**vars(offer), "fields": {**offer.fields, TITLE[channel[0]]: ""}})
    with pytest.raises(ContentRefused) as refused:
        channel[1].publish(bad, "key-1")
    assert TITLE[channel[0]] in dict(refused.value.problems)


def test_an_unknown_listing_is_refused_row_by_row(channel):
    verdicts = channel[1].set_quantities([("nowhere", 1)])
    assert [(verdict.ok, bool(verdict.says)) for verdict in verdicts] == [(False, True)]


def test_orders_are_told_in_our_words_and_in_order(channel, offer, world):
    channel[1].publish(offer, "key-1")
    numbers = [world.buy(channel[0], "PT/14") for _ in range(3)]
    found = channel[1].orders_after(0, 50)
    assert [order.number for order in found] == numbers
    assert [order.changed for order in found] == sorted(order.changed for order in found)
    first = found[0]
    told = (first.currency, first.paid, first.lines[0].sku, first.lines[0].unit_price)
    assert told == (offer.price.currency, True, "PT/14", 1690)
    assert first.ship_to.street
    assert [order.number for order in channel[1].orders_after(found[1].changed, 50)] == numbers[2:]
    assert len(channel[1].orders_after(0, 2)) == 2


def test_tracking_reaches_the_buyer_and_saying_it_again_changes_nothing(channel, offer, world):
    channel[1].publish(offer, "key-1")
    number = world.buy(channel[0], "PT/14")
    channel[1].acknowledge(number)
    for _ in range(2):
        channel[1].tell_dispatched(number, Dispatched("Ostrel Post", "OP1"))
    seen = world.order(channel[0], number)
    assert (seen["state"], seen["tracking"]) == (
        "sent",
        [{"carrier": "Ostrel Post", "code": "OP1"}],
    )
    with pytest.raises(OutsideRefusal):
        channel[1].acknowledge("NONE")


def test_what_is_not_sent_and_what_is_given_back_reaches_the_buyer_once(channel, offer, world):
    channel[1].publish(offer, "key-1")
    number = world.buy(channel[0], "PT/14", 3)
    (told,) = channel[1].orders_after(0, 9)
    line = told.lines[0].channel_line
    for _ in range(2):
        channel[1].tell_taken_off(number, {line: 2})
        channel[1].tell_refunded(number, {"R-1": 500, "R-2": 250})
    seen = world.order(channel[0], number)
    assert [one["quantity"] for one in seen["lines"]] == [1]
    assert sorted(one["amount"] for one in seen["refunds"]) == [250, 500]
    (again,) = channel[1].orders_after(told.changed, 9)
    assert again.lines[0].quantity == 1
    channel[1].tell_taken_off(number, {line: 3})
    (gone,) = channel[1].orders_after(again.changed, 9)
    assert gone.cancelled
    with pytest.raises(OutsideRefusal):
        channel[1].tell_taken_off("NONE", {line: 1})


@pytest.mark.parametrize(
    ("kind", "unclear"),
    [("down", False), ("lost answers", True), ("flaky", None), ("throttled", None)],
)
def test_bad_weather_is_trouble_that_says_what_may_have_happened(channel, world, kind, unclear):
    world.weather(channel[0], kind, seed=2)
    troubles, calls = [], 0
    while len(troubles) < 6 and calls < 40:
        calls += 1
        try:
            channel[1].test()
        except OutsideTrouble as trouble:
            troubles.append(trouble)
    assert troubles
    if unclear is not None:
        assert {trouble.unclear for trouble in troubles} == {unclear}
    if kind == "throttled":
        assert all(trouble.retry_after >= 1 and not trouble.unclear for trouble in troubles)


def test_nobody_at_the_address_is_trouble_that_changed_nothing():
    caller = OutsideCaller("http://127.0.0.1:9", {}, name="Nobody", private_allowed=True)
    with pytest.raises(OutsideTrouble) as trouble:
        caller.call("GET", "x")
    assert not trouble.value.unclear


def test_the_scale_is_read(world):
    world.client.put("/devices/scale", json={"grams": 1234}).raise_for_status()
    assert read_scale(f"{world.url}/devices/scale", private_allowed=True) == 1234


@pytest.mark.parametrize("book", rulebooks().values(), ids=lambda book: book.key)
def test_a_rulebook_is_whole(book):
    names = [rule.name for rule in book.fields]
    assert len(names) == len(set(names))
    assert sum(rule.kind == "category" for rule in book.fields) == 1
    keys = {category.key for category in book.categories}
    assert all(set(rule.required_in) <= keys for rule in book.fields)
    assert all(
        rule.default in rule.choices
        for rule in book.fields
        if rule.kind == "choice" and rule.default
    )
