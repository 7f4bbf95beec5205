"""Tests that every carrier does what the port says: quotes, labels, manifests, tracking and charges."""

import io
from dataclasses import replace

import pytest
from PIL import Image
from pypdfium2 import PdfDocument

from relvan.core.orders.intake import Address
from relvan.core.shipping.accounts import LabelFormat, LabelSize
from relvan.core.shipping.carriage import Extras
from relvan.core.shipping.customs import CustomsLine
from relvan.core.shipping.tracking import ParcelStage
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.carriers.dialects import CARRIERS, open_carrier
from relvan.gateways.carriers.port import CarriageAsk, LabelWish

SENDER = Address("Millrace", "1 Mill Lane", "Tarnhollow", "4821", "IE")
BUYER = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL")
ASK = CarriageAsk(SENDER, BUYER, 900)


def wish(key, service, to=BUYER, **more):
    """Returns a label that is to be bought."""
    return LabelWish(key, service, replace(ASK, to=to), "O-1", **more)


# key -> a service to the Netherlands, and one that does not go there
ROUTES = {"ostrel": ("tracked", "slim"), "merrowline": ("door", "before-ten")}


@pytest.fixture(params=sorted(CARRIERS))
def carrier(request, world):
    key = request.param
    found = open_carrier(
        key, CARRIERS[key], world.seller_api(key), world.token(key), private_allowed=True
    )
    found.key = key
    yield found
    found.close()


@pytest.mark.parametrize(
    ("key", "country", "grams", "services"),
    [
        ("ostrel", "IE", 500, ["slim", "tracked", "morning", "bulky"]),
        ("ostrel", "NL", 500, ["tracked", "bulky"]),
        ("ostrel", "NL", 25_000, ["bulky"]),
        ("ostrel", "IE", 40_000, []),
        ("merrowline", "IE", 500, ["saver", "door", "before-ten"]),
        ("merrowline", "NL", 12_000, ["door"]),
        ("merrowline", "IE", 25_001, []),
    ],
)
def test_a_carrier_offers_what_takes_the_parcel_there(world, key, country, grams, services):
    carrier = open_carrier(
        key, CARRIERS[key], world.seller_api(key), world.token(key), private_allowed=True
    )
    to = Address("Ada", "1 Row", "T", "1", country, "")
    quotes = carrier.quotes(CarriageAsk(SENDER, to, grams))
    carrier.close()
    assert [quote.service for quote in quotes] == services
    assert all(quote.price > 0 and quote.currency == "EUR" for quote in quotes)


def test_an_account_names_its_holder_and_its_services(world):
    for key, service, name in (
        ("ostrel", "tracked", "Tracked parcel"),
        ("merrowline", "door", None),
    ):
        carrier = open_carrier(
            key, key, world.seller_api(key), world.token(key), private_allowed=True
        )
        account = carrier.account()
        carrier.close()
        assert account.holder == "Quillmoss"
        assert service in account.services
        assert name in (None, account.services[service])


def test_an_account_that_the_carrier_does_not_know_is_refused(world):
    for key in CARRIERS:
        carrier = open_carrier(key, key, world.seller_api(key), "wrong", private_allowed=True)
        with pytest.raises(OutsideTrouble, match="token"):
            carrier.account()
        carrier.close()


def test_a_label_is_bought_once_under_its_key(carrier, world):
    there, not_there = ROUTES[carrier.key]
    assert carrier.find_label("k/1") is None
    first = carrier.buy_label(wish("k/1", there))
    again = carrier.buy_label(wish("k/1", there))
    assert again == carrier.find_label("k/1") == first
    assert carrier.label_file(first.tracking_number).startswith(b"%PDF")
    assert len(world.labels()) == 1
    with pytest.raises(OutsideRefusal) as refused:
        carrier.buy_label(wish("k2", not_there))
    assert "does not take that parcel there" in refused.value.words


def test_a_label_is_voided_until_it_stands_on_a_manifest(carrier):
    there, _ = ROUTES[carrier.key]
    first, second = (carrier.buy_label(wish(key, there)).tracking_number for key in "ab")
    carrier.void_label(first)
    carrier.void_label(first)
    with pytest.raises(OutsideRefusal):
        carrier.close_manifest("m1", [first, second])
    number = carrier.close_manifest("m2", [second])
    assert carrier.close_manifest("m2", [second]) == number
    for wrong, words in ((second, "it stands on"), ("unknown", "No such")):
        with pytest.raises(OutsideRefusal) as refused:
            carrier.void_label(wrong)
        assert words in refused.value.words


def test_a_carrier_says_what_has_happened_to_parcels_and_what_they_cost(carrier, world):
    to = Address("Ada", "1 Row", "T", "1", "IE", "")
    service = ROUTES[carrier.key][0]
    numbers = [
        carrier.buy_label(wish(f"way-{place}", service, to)).tracking_number for place in range(60)
    ]
    first = carrier.track([*numbers, "NOBODY-1"])
    assert set(first) == set(numbers)
    assert {events[0].stage for events in first.values()} == {ParcelStage.ANNOUNCED}
    sheet = carrier.close_manifest("way", numbers[:3])
    assert carrier.charges(sheet) is None
    habits = {"reweighed_percent": 100}
    world.client.put(f"/world/{carrier.key}/habits", json=habits).raise_for_status()
    world.client.post("/world/clock", json={"advance_minutes": 5 * 24 * 60}).raise_for_status()
    later = carrier.track(numbers)
    assert {events[-1].stage for events in later.values()} == {ParcelStage.DELIVERED}
    for events in later.values():
        assert [event.at for event in events] == sorted(event.at for event in events)
    charged = carrier.charges(sheet)
    assert [one.tracking_number for one in charged] == numbers[:3]
    price = next(
        q.price for q in carrier.quotes(CarriageAsk(SENDER, to, 900)) if q.service == service
    )
    assert all(one.price > price and one.reason for one in charged)


def test_the_day_of_arrival_that_was_quoted_stands_on_the_label(carrier):
    to = Address("Ada", "1 Row", "T", "1", "NL", "")
    service = ROUTES[carrier.key][0]
    (quote,) = (
        one for one in carrier.quotes(CarriageAsk(SENDER, to, 900)) if one.service == service
    )
    label = carrier.buy_label(wish("day", service, to))
    assert label.arrives == quote.arrives
    assert carrier.find_label("day") == label


@pytest.mark.parametrize(
    ("key", "change", "gone"),
    [
        ("ostrel", {"value": 15_001}, "slim"),
        ("ostrel", {"size_mm": (400, 100, 100)}, "slim"),
        ("ostrel", {"size_mm": (1_100, 500, 500)}, "tracked"),
        ("ostrel", {"extras": Extras(signature=True)}, "slim"),
        ("ostrel", {"extras": Extras(insured=True)}, "slim"),
        ("ostrel", {"to": replace(BUYER, country="IE", postcode="f26 a1")}, "morning"),
        ("merrowline", {"value": 50_001}, "saver"),
        ("merrowline", {"size_mm": (1_000, 300, 300)}, "saver"),
        ("merrowline", {"extras": Extras(signature=True)}, "saver"),
        ("merrowline", {"to": replace(BUYER, country="IE", postcode="V91 X")}, "before-ten"),
    ],
)
def test_a_service_is_offered_only_where_it_serves(world, key, change, gone):
    carrier = open_carrier(key, key, world.seller_api(key), world.token(key), private_allowed=True)
    ask = replace(ASK, to=replace(BUYER, country="IE"), size_mm=(200, 150, 100))
    before = {one.service for one in carrier.quotes(ask)}
    after = {one.service for one in carrier.quotes(replace(ask, **change))}
    carrier.close()
    assert gone in before
    assert gone not in after
    assert after, "others still serve"


def test_a_signature_and_insurance_have_their_price(carrier):
    ask = replace(ASK, to=replace(BUYER, country="IE"), value=50_000)
    service = ROUTES[carrier.key][0]

    def price(extras):
        quotes = carrier.quotes(replace(ask, extras=extras))
        return next(one.price for one in quotes if one.service == service)

    plain = price(Extras())
    assert plain < price(Extras(signature=True)) < price(Extras(signature=True, insured=True))


def test_a_parcel_that_is_collected_later_arrives_later(carrier):
    service = ROUTES[carrier.key][0]

    def day(**more):
        quotes = carrier.quotes(replace(ASK, **more))
        return next(one.arrives for one in quotes if one.service == service)

    assert day(collected_on="2099-01-05") > day()
    assert day(collected_on="2000-01-05") == day() == day(collected_on="nonsense")


@pytest.mark.parametrize(
    ("size", "dots"), [(LabelSize.A6, (1240, 1748)), (LabelSize.ROLL, (1181, 1772))]
)
@pytest.mark.parametrize("form", LabelFormat)
def test_a_label_comes_in_the_file_and_size_that_was_asked_for(carrier, form, size, dots):
    bought = carrier.buy_label(wish("f", ROUTES[carrier.key][0], form=form, size=size))
    file = carrier.label_file(bought.tracking_number)
    if form == LabelFormat.PNG:
        assert Image.open(io.BytesIO(file)).size == dots
        return
    width, height = PdfDocument(file)[0].get_size()
    assert (round(width * 300 / 72), round(height * 300 / 72)) == dots


def test_abroad_a_label_needs_customs_data(carrier):
    service = ROUTES[carrier.key][0]
    abroad = replace(BUYER, country="CH")
    with pytest.raises(OutsideRefusal):
        carrier.buy_label(wish("c", service, abroad))
    line = CustomsLine("PT-14", "Aubrey pot", "691200", "IE", 2, 3_380, "EUR", 1_400)
    with pytest.raises(OutsideRefusal):
        carrier.buy_label(wish("c", service, abroad, customs=(replace(line, origin=""),)))
    assert carrier.buy_label(wish("c", service, abroad, customs=(line,), eori="IE1")).price
