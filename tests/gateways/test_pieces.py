"""Tests the gateway of pieces: it sends single fields, only those that differ, and tells refusals
by our names."""

import hashlib
import json

import pytest

from relvan.core.money import Money
from relvan.gateways.calling import OutsideCaller
from relvan.gateways.channels.pieces import PiecesGateway
from relvan.gateways.channels.port import ContentRefused, Offer, PictureFile
from tests.house import png

FIELDS = {
    "title": "A pot",
    "story": "A stoneware pot, thrown by hand and glazed.",
    "corner": "pots-small",
    "keywords": "clay, handmade",
    "made_of": "stoneware",
    "finish": "",
    "width": "14 cm",
}


class Heard(OutsideCaller):
    """A caller that remembers what it said."""

    def __init__(self, *args, **more):
        super().__init__(*args, **more)
        self.said = []

    def call(self, method, path, **more):
        self.said.append((method, path.partition("/")[0], more.get("content")))
        return super().call(method, path, **more)


@pytest.fixture
def caller(world):
    head = {"Authorization": f"Key {world.token('loomstead')}"}
    found = Heard(world.seller_api("loomstead"), head, name="Loomstead", private_allowed=True)
    yield found
    found.close()


@pytest.fixture
def gateway(caller):
    return PiecesGateway(caller)


@pytest.fixture
def offer(tmp_path):
    (tmp_path / "pot.png").write_bytes(png())
    picture = PictureFile(hashlib.sha256(png()).hexdigest(), "image/png", tmp_path / "pot.png")
    return Offer("PT/14", FIELDS, Money(1690, "CHF"), 7, (picture,))


def changed(offer, **fields):
    return Offer(offer.sku, {**offer.fields, **fields}, offer.price, offer.quantity, offer.pictures)


def test_facts_go_under_their_own_names_and_empty_ones_not_at_all(gateway, offer, caller):
    ref = gateway.publish(offer, "k").ref
    shown = caller.json("GET", f"pieces/{ref}")
    assert shown["facts"] == {"made of": "stoneware", "width": "14 cm"}
    assert shown["keywords"] == ["clay", "handmade"]


def test_only_what_differs_is_sent(gateway, offer, caller):
    ref = gateway.publish(offer, "k").ref
    caller.said.clear()
    gateway.send_content(ref, changed(offer, title="A jug, glazed", finish="matt"))
    (patch,) = [content for method, _, content in caller.said if method == "PATCH"]
    assert sorted(operation["path"] for operation in json.loads(patch)) == ["/facts", "/title"]
    caller.said.clear()
    gateway.send_content(ref, changed(offer, title="A jug, glazed", finish="matt"))
    assert [method for method, _, _ in caller.said] == ["GET"], (
        "said twice, there is nothing left to change"
    )


def test_a_picture_is_sent_once(gateway, offer, caller):
    ref = gateway.publish(offer, "k").ref
    gateway.send_content(ref, offer)
    assert [path for method, path, _ in caller.said if method == "POST"].count("pictures") == 1


@pytest.mark.parametrize(
    ("fields", "field"),
    [
        ({"title": ""}, "title"),
        ({"made_of": "cheese"}, "made_of"),
        ({"corner": "attic"}, "corner"),
        ({"keywords": ",".join("abcdefghijk")}, "keywords"),
        ({"sows_in": "spring"}, "sows_in"),
    ],
)
def test_refusals_are_told_by_our_names(gateway, offer, fields, field):
    with pytest.raises(ContentRefused) as refused:
        gateway.publish(changed(offer, **fields), "k")
    assert [name for name, _ in refused.value.problems] == [field]
    placed = gateway.publish(offer, "k")
    with pytest.raises(ContentRefused) as refused:
        gateway.send_content(placed.ref, changed(offer, **fields))
    assert [name for name, _ in refused.value.problems] == [field]


def test_each_row_has_its_own_verdict(gateway, offer):
    ref = gateway.publish(offer, "k").ref
    verdicts = gateway.set_quantities([(ref, 3), ("lm-999999", 3), (ref, 10_000)])
    assert [verdict.ok for verdict in verdicts] == [True, False, False]
    assert "no such piece" in verdicts[1].says
    assert "9,999" in verdicts[2].says


def test_what_has_lapsed_is_not_live_and_is_put_back_by_renewing(gateway, offer, world):
    ref = gateway.publish(offer, "k").ref
    world.client.post("/world/clock", json={"advance_minutes": 101 * 24 * 60}).raise_for_status()
    assert [row.live for row in gateway.listings_after("", 10)] == [False]
    gateway.set_shown(ref, True)
    assert [row.live for row in gateway.listings_after("", 10)] == [True]
