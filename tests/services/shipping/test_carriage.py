"""Tests that the seller's rules choose services, and that labels are as the accounts say."""

from dataclasses import replace

import pytest
import zxingcpp
from pypdfium2 import PdfDocument

from relvan.core.refusal import NotFound, Refused
from relvan.core.shipping.carriage import CarriageRule, Extras, RuleTake
from relvan.services.catalogue.save import change_facts
from relvan.services.channels.carriers import connect_carrier, use_account
from relvan.services.packing.parcels import add_parcel
from relvan.services.setup.firm import change_firm
from relvan.services.shipping.asking import ask_about
from relvan.services.shipping.carriage import (
    carriage_rule,
    chosen_service,
    delete_carriage_rule,
    label_shipment,
    offered_services,
    order_carriage_rules,
    save_carriage_rule,
    try_carriage,
)
from relvan.services.shipping.customs import commercial_invoice
from relvan.services.shipping.labels import buy_labels, label_as_picture, label_pdf
from relvan.store.carriage import carriage_rules
from relvan.store.dispatch import parcels_of, shipment_by_id
from relvan.store.tables import Order
from tests.house import assert_sound, read
from tests.snapshots import built_once
from tests.steps.books import FIRM
from tests.steps.sale import pick_all_waiting, release_all

FAST = CarriageRule("Fast", RuleTake.FASTEST)
IE = {"name": "Ada", "street": "1 Row", "town": "Port Ellery", "postcode": "D04", "country": "IE"}


@built_once
def shop(two_pots, owner, world):
    """Connects both carriers, and packs two shipments of one parcel each to Ireland."""
    key = "merrowline"
    connect_carrier(two_pots, owner, key, "Merrowline", world.seller_api(key), world.token(key))
    for _ in range(2):
        world.buy("hagglet", "PT-14", 1, buyer=IE)
    read(two_pots)
    release_all(two_pots, owner)
    for shipment in pick_all_waiting(two_pots, owner):
        add_parcel(two_pots, owner, shipment, [], 900)
    return two_pots


def parcel(shop, shipment=1):
    with shop.database.reading() as session:
        (found,) = parcels_of(session, shipment)
        return found


def send_to(shop, country):
    with shop.database.writing() as session:
        for shipment_id in (1, 2):
            order = session.get_one(Order, shipment_by_id(session, shipment_id).order_id)
            order.ship_to = {**order.ship_to, "country": country}


def test_rules_choose_in_their_order(shop, owner):
    assert chosen_service(shop, 1).offer.service == "ostrel:slim"
    named = CarriageRule("Door", RuleTake.NAMED, ("merrowline:door",), countries=("IE",))
    first = save_carriage_rule(shop, owner, FAST)
    second = save_carriage_rule(shop, owner, named)
    assert chosen_service(shop, 1).rule.name == "Fast"
    order_carriage_rules(shop, owner, [second, first])
    chosen = chosen_service(shop, 1)
    assert (chosen.offer.service, chosen.rule.name) == ("merrowline:door", "Door")
    save_carriage_rule(shop, owner, replace(named, id=second, active=False))
    assert chosen_service(shop, 1).rule.name == "Fast"
    delete_carriage_rule(shop, owner, first)
    assert chosen_service(shop, 1).rule is None
    with pytest.raises(NotFound):
        delete_carriage_rule(shop, owner, first)
    with pytest.raises(NotFound):
        carriage_rule(shop, first)
    with pytest.raises(Refused, match="every rule once"):
        order_carriage_rules(shop, owner, [second, second])


def test_what_a_rule_wants_besides_is_bought(shop, owner):
    wanted = CarriageRule(
        "Dear", RuleTake.CHEAPEST, least_value=1_000, signature=True, insured=True
    )
    save_carriage_rule(shop, owner, wanted)
    offered = offered_services(shop, 1)
    assert offered.extras == Extras(True, True)
    assert "ostrel:slim" not in {one.service for one in offered.services}
    labelled = label_shipment(shop, owner, 1)
    assert "by the rule “Dear”" in labelled.words
    bought = parcel(shop)
    assert (bought.signature, bought.insured) == (True, True)
    assert bought.price == offered.chosen.offer.price
    plain = offered_services(shop, 2, Extras())
    assert "ostrel:slim" in {one.service for one in plain.services}


def test_a_rule_that_names_nothing_there_is_refused(shop, owner):
    for wrong in ({"countries": ("XX",)}, {"services": ("haulwell:x",)}, {"name": ""}):
        with pytest.raises(Refused):
            save_carriage_rule(shop, owner, replace(FAST, **wrong))
    with shop.database.reading() as session:
        assert carriage_rules(session) == []


def test_an_account_serves_only_the_warehouses_from_which_it_collects(shop, owner):
    use_account(shop, owner, "ostrel", {"collects": ["yard"]})
    carriers = {one.service.partition(":")[0] for one in offered_services(shop, 1).services}
    assert carriers == {"merrowline"}
    with pytest.raises(Refused, match="does not collect"):
        buy_labels(shop, owner, 1, "ostrel:tracked")
    use_account(shop, owner, "merrowline", {"collects": ["yard"]})
    with pytest.raises(Refused, match="that collects from this warehouse"):
        chosen_service(shop, 1)
    with pytest.raises(Refused, match="no warehouse"):
        use_account(shop, owner, "ostrel", {"collects": ["moon"]})
    with pytest.raises(NotFound):
        use_account(shop, owner, "haulwell", {})


def test_labels_come_as_pictures_and_with_the_reference_that_was_chosen(shop, owner):
    use = {"label_format": "png", "label_size": "100x150", "reference": "channel"}
    use_account(shop, owner, "ostrel", use)
    (number,) = buy_labels(shop, owner, 1, "ostrel:tracked")
    picture = label_as_picture(shop, parcel(shop).id)
    assert picture.startswith(b"\x89PNG")
    page = PdfDocument(label_pdf(shop, parcel(shop).id))[0]
    assert [round(side / 72 * 25.4) for side in page.get_size()] == [100, 150]
    assert zxingcpp.read_barcode(page.render(scale=3).to_pil()).text == number
    buy_labels(shop, owner, 2, "merrowline:door")
    with pytest.raises(Refused, match="bought as PDF"):
        label_as_picture(shop, parcel(shop, 2).id)


def test_carriers_are_told_how_both_ends_are_reached(shop, owner):
    change_firm(shop, owner, {**FIRM, "address": {**FIRM["address"], "phone": "+353209110001"}})
    with shop.database.writing() as session:
        order = session.get_one(Order, shipment_by_id(session, 1).order_id)
        order.ship_to = {**order.ship_to, "mail": "ada@example.com", "phone": "+353209110042"}
    with shop.database.reading() as session:
        (ask,) = ask_about(session, shop, 1).parcels.values()
    assert (ask.to.mail, ask.to.phone) == ("ada@example.com", "+353209110042")
    assert ask.sender.phone == "+353209110001"


def test_a_shipment_is_dispatched_at_once_where_its_account_says_so(shop, owner):
    use_account(shop, owner, "ostrel", {"after_label": "dispatch"})
    assert label_shipment(shop, owner, 1, "ostrel:tracked").dispatched
    assert not label_shipment(shop, owner, 2, "merrowline:door").dispatched
    with shop.database.reading() as session:
        states = [shipment_by_id(session, one).state for one in (1, 2)]
    assert states == ["dispatched", "to ship"]
    assert label_shipment(shop, owner, 1, "ostrel:tracked").dispatched, "twice is once"
    assert_sound(shop)


def test_abroad_goods_are_declared_and_papers_name_them(shop, owner):
    with pytest.raises(Refused, match="passes no customs"):
        commercial_invoice(shop, 1)
    send_to(shop, "CH")
    for refused in (
        lambda: commercial_invoice(shop, 1),
        lambda: buy_labels(shop, owner, 1, "ostrel:tracked"),
    ):
        with pytest.raises(Refused, match="PT-14 has no tariff number and no country of origin"):
            refused()
    assert parcel(shop).label_key is None, "nothing is asked of the carrier"
    change_facts(shop, owner, [("PT-14", {"hs_code": "691200", "origin": "IE"})])
    text = PdfDocument(commercial_invoice(shop, 1))[0].get_textpage().get_text_range()
    for words in ("691200", "Ireland", "Switzerland", "€16.90", "sale of goods", "PT-14"):
        assert words in text, text
    assert label_shipment(shop, owner, 1, "ostrel:tracked").numbers


def test_rules_are_tried_on_what_was_sent_and_nothing_is_bought(shop, owner, world):
    for shipment in (1, 2):
        use_account(shop, owner, "ostrel", {"after_label": "dispatch"})
        label_shipment(shop, owner, shipment, "ostrel:tracked")
    before = len(world.labels())
    tried = try_carriage(shop)
    assert {(one.took, one.would_take) for one in tried.shipments} == {
        ("ostrel:tracked", "ostrel:slim")
    }
    assert (tried.cost, tried.would_cost, tried.changed) == (1_180, 840, 2)
    fast = try_carriage(shop, FAST)
    assert fast.by_rule == [("Fast", 2)]
    assert fast.would_cost > fast.cost
    assert len(world.labels()) == before
    with shop.database.reading() as session:
        assert carriage_rules(session) == []
    with pytest.raises(NotFound):
        try_carriage(shop, replace(FAST, id=99))
    world.weather("ostrel", "down")
    world.weather("merrowline", "down")
    assert try_carriage(shop).left_out == 2
