"""Tests what Corvello's centres are told and tell, and that they take one reference once."""

import pytest

from relvan.core.orders.intake import Address
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.channels.port import CentreNews, HandedOver
from relvan.gateways.channels.registry import (
    DIALECTS,
    WITH_CENTRES,
    open_gateway,
    rulebook,
    rulebooks,
)

TO = Address("Ada", "1 Row", "Tarnhollow", "4821", "NL", "")
WITH = sorted(key for key, book in rulebooks().items() if book.dialect in WITH_CENTRES)


@pytest.fixture(params=WITH)
def gateway(request, world):
    key = request.param
    found = open_gateway(
        rulebook(key), world.seller_api(key), world.token(key), private_allowed=True
    )
    stock = {"stock": {"PT/14": 5}}
    world.client.put(f"/world/{key}/centres/arden/stock", json=stock).raise_for_status()
    yield found
    found.close()


def goods(ref="S-1", units=2, centre="arden"):
    return HandedOver(ref, centre, (("PT/14", units),), TO)


def later(world, minutes):
    world.client.post("/world/clock", json={"advance_minutes": minutes}).raise_for_status()


def held(world):
    rows = world.client.get("/world/corvello/centres").json()
    return {row["centre"]: row["stock"] for row in rows}


def test_dialects_with_centres_have_what_it_takes():
    for dialect, (adapter, _) in DIALECTS.items():
        assert hasattr(adapter, "hand_over") == (dialect in WITH_CENTRES)


def test_one_reference_is_taken_once_and_told_until_it_is_gone(gateway, world):
    gateway.hand_over(goods())
    gateway.hand_over(goods())
    assert held(world)["arden"] == {"PT/14": 3}
    (taken,) = gateway.centre_news(0, 10)
    assert (taken.ref, taken.state, taken.tracking_number) == ("S-1", "taken", "")
    later(world, 21)
    (packing,) = gateway.centre_news(taken.mark, 10)
    assert packing.state == "packing"
    later(world, 70)
    (gone,) = gateway.centre_news(packing.mark, 10)
    assert gone == CentreNews(
        "S-1", gone.mark, "gone", "Corvello Rounds", gone.tracking_number, 1000, 410
    )
    assert gone.tracking_number.startswith("CV")
    assert gateway.centre_news(gone.mark, 10) == []


def test_news_come_by_pages_the_oldest_first(gateway):
    for ref in ("S-1", "S-2", "S-3"):
        gateway.hand_over(goods(ref, 1))
    first = gateway.centre_news(0, 2)
    assert [one.ref for one in first] == ["S-1", "S-2"]
    assert [one.ref for one in gateway.centre_news(first[-1].mark, 2)] == ["S-3"]


def test_a_recall_is_in_time_until_it_is_packed(gateway, world):
    gateway.hand_over(goods())
    assert gateway.recall("S-1")
    assert gateway.recall("S-1"), "repeated, it changes nothing"
    assert held(world)["arden"] == {"PT/14": 5}
    gateway.hand_over(goods("S-2"))
    later(world, 30)
    assert not gateway.recall("S-2")
    assert held(world)["arden"] == {"PT/14": 3}


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        (goods(units=6), "does not hold 6 of PT/14"),
        (goods(centre="nowhere"), "no such centre"),
    ],
)
def test_what_it_does_not_take_is_a_refusal_in_its_words(gateway, world, wrong, said):
    with pytest.raises(OutsideRefusal, match=said):
        gateway.hand_over(wrong)
    assert held(world)["arden"] == {"PT/14": 5}
    assert gateway.centre_news(0, 10) == []


def test_what_it_never_got_cannot_be_recalled(gateway):
    with pytest.raises(OutsideRefusal, match="Nothing was handed over"):
        gateway.recall("S-404")


def test_while_it_is_down_that_is_trouble(gateway, world):
    world.weather("corvello", "down")
    for call in (lambda: gateway.hand_over(goods()), lambda: gateway.recall("S-1")):
        with pytest.raises(OutsideTrouble):
            call()


def test_lost_answers_take_it_once(gateway, world):
    world.weather("corvello", "lost answers")
    lost = []
    for _ in range(6):
        try:
            gateway.hand_over(goods())
        except OutsideTrouble as trouble:
            lost.append(trouble.unclear)
    assert lost
    assert all(lost)
    assert held(world)["arden"] == {"PT/14": 3}
