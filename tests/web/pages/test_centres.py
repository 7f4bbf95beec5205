"""Tests the pages of what a marketplace's centre sends: its warehouse, the stages, and its shipments."""

import pytest
from lxml import html

from relvan.services.orders.reserve import reserve_anywhere
from relvan.services.shipping.centres import mind_centres
from relvan.store.orders import shipment_rows
from relvan.store.stock import warehouse_by_key
from tests.applications import client_of
from tests.house import add_pot, connect, receive
from tests.steps.orders import take
from tests.visitor import post, sign_in, wrong_beside

ARDEN = {"name": "Corvello Arden", "kind": "centre", "channel": "corvello", "centre": "arden"}
FORM = {**ARDEN, "key": "arden", "takes": "whole", "hand_over": "by-hand", "safety": "0"}


@pytest.fixture
def visitor(workplace, owner, world):
    connect(workplace, owner, world, "corvello")
    found = sign_in(client_of(workplace), "owner")
    assert post(found, "/setup/warehouses", **FORM).status_code == 200
    add_pot(workplace, owner, "PT-14", units=2)
    receive(workplace, owner, "PT-14", 6, "arden")
    stock = {"stock": {"PT-14": 6}}
    world.client.put("/world/corvello/centres/arden/stock", json=stock).raise_for_status()
    return found


def text(answer):
    return " ".join(html.fromstring(answer.text).text_content().split())


def the_shipment(workplace):
    with workplace.database.reading() as session:
        (row,) = shipment_rows(session)
        return row.id


def test_a_warehouse_says_which_centre_it_is(visitor, workplace):
    with workplace.database.reading() as session:
        row = warehouse_by_key(session, "arden")
        assert (row.channel, row.centre, row.takes, row.hand_over) == (
            "corvello",
            "arden",
            "whole",
            "by-hand",
        )
    answer = post(visitor, "/setup/warehouses/arden", **{**FORM, "centre": ""})
    assert answer.status_code == 422
    assert "names both" in wrong_beside(answer, "centre")


def test_from_the_list_to_the_centre_and_back(visitor, workplace, owner):
    number = take(workplace, owner, ("PT-14", 3))
    seen = text(visitor.get("/dispatch"))
    assert "To hand over" in seen
    assert "With a centre" in seen
    foreseen = post(visitor, "/orders/foresee/send-to-centre", pick=number)
    assert "would be handed over as far as the centre has the goods" in text(foreseen)
    assert "Corvello Arden" in text(foreseen)
    post(visitor, "/orders/do/send-to-centre", pick=number, warehouse="arden")
    mind_centres(workplace)
    shipment = the_shipment(workplace)
    assert number in text(visitor.get("/dispatch?stage=handed+over"))
    page = visitor.get(f"/dispatch/shipments/{shipment}")
    assert "It can be recalled until the centre packs it." in text(page)
    assert "Packing slip" not in text(page)
    post(visitor, f"/dispatch/shipments/{shipment}/recall")
    assert "It is recalled" in text(visitor.get(f"/dispatch/shipments/{shipment}"))
    mind_centres(workplace)
    assert "It was recalled." in text(visitor.get(f"/dispatch/shipments/{shipment}"))


def test_what_waits_is_handed_over_from_its_stage(visitor, workplace, owner):
    number = take(workplace, owner, ("PT-14", 3))
    post(visitor, "/orders/do/unreserve", pick=number)
    reserve_anywhere(workplace, owner, [number])
    post(visitor, "/orders/do/release", pick=number)
    assert number in text(visitor.get("/dispatch?stage=to+hand+over"))
    assert "1 shipment to hand over to a centre" in text(visitor.get("/"))
    done = post(visitor, "/dispatch/hand-over", pick=str(the_shipment(workplace)))
    assert done.status_code == 200
    with workplace.database.reading() as session:
        assert [row.state for row in shipment_rows(session)] == ["being handed over"]


def test_without_a_centre_there_are_no_such_stages(workplace):
    found = sign_in(client_of(workplace), "owner")
    assert "To hand over" not in text(found.get("/dispatch"))
    assert "Shipments to pick" in text(found.get("/dispatch?stage=handed+over"))
