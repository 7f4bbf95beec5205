"""Tests other rulebooks than the shipped ones: loaded into a stand-in it keeps them, and Relvan
lists by them."""

import hashlib
from dataclasses import replace

import pytest
import yaml

from relvan.core.money import Money
from relvan.gateways.channels.port import ContentRefused, Offer, PictureFile
from relvan.gateways.channels.registry import RULEBOOKS, open_gateway, rulebook
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.publish import publish_listings
from relvan.services.open import open_workplace
from relvan.store.listings import listings_of
from standins.memory import Memory
from standins.rules import load_folder, rule_problems
from tests.house import add_pot, deliver, png
from tests.steps.conformance import FIELDS


@pytest.fixture
def stricter():
    """Returns Hagglet's edition 2: longer headings are wanted, another shelf is there, and every
    notice names its season."""
    book = yaml.safe_load((RULEBOOKS / "hagglet.yaml").read_text())
    book["edition"] = 2
    book["categories"].append({"key": "hg-moss", "name": "Home and garden / Moss"})
    fields = {rule["name"]: rule for rule in book["fields"]}
    fields["heading"]["least"] = 12
    book["fields"].append(
        {
            "name": "season",
            "label": "Season",
            "kind": "choice",
            "required": True,
            "choices": ["spring", "autumn"],
            "origin": "attributes.season",
        }
    )
    return book


def test_a_stand_in_and_relvan_go_by_another_rulebook(
    settings, clock, owner, world, stricter, tmp_path
):
    folder = settings.data_dir / "rulebooks"
    folder.mkdir(parents=True)
    (folder / "hagglet.yaml").write_text(yaml.safe_dump(stricter))
    world.client.put("/world/hagglet/rulebook", json=stricter).raise_for_status()
    workplace = open_workplace(settings, clock=clock)
    wish = ConnectChannel("hagglet", world.seller_api("hagglet"), world.token("hagglet"))
    connect_channel(workplace, owner, wish)
    add_pot(workplace, owner, "PT-1", title="Short")
    ids = draft_listings(workplace, owner, "hagglet", ["PT-1"]).listing_ids

    def listing():
        with workplace.database.reading() as session:
            return listings_of(session, listing_ids=ids)[0]

    assert {gap["field"] for gap in listing().gaps} == {"heading", "shelf", "season"}
    change_listings(
        workplace,
        owner,
        ids,
        {"heading": "A pot with moss", "shelf": "hg-moss", "season": "spring"},
    )
    publish_listings(workplace, owner, ids)
    deliver(workplace)
    assert listing().state == "live"
    workplace.close()
    world.client.delete("/world/hagglet/rulebook").raise_for_status()


def test_the_stand_in_refuses_by_the_rulebook_that_was_loaded(world, stricter):
    world.client.put("/world/hagglet/rulebook", json=stricter).raise_for_status()
    head = {"Authorization": f"Token {world.token('hagglet')}", "Request-Id": "r1"}
    body = {
        "own_code": "A",
        "heading": "Short",
        "text": "x" * 30,
        "shelf": "hg-none",
        "condition": "new",
        "asking": 1000,
        "units": 1,
        "details": {"season": "winter"},
        "photos": [],
    }
    answer = world.client.post("/hagglet/seller/notices", json=body, headers=head)
    assert answer.status_code == 422
    assert {p["field"] for p in answer.json()["problems"]} >= {
        "heading",
        "shelf",
        "season",
        "pictures",
    }
    assert world.client.put("/world/hagglet/rulebook", json={"key": "x"}).status_code == 422


@pytest.mark.parametrize("key", sorted(FIELDS))
def test_a_stand_in_takes_what_the_shipped_rulebook_allows_and_nothing_less(world, tmp_path, key):
    book = yaml.safe_load((RULEBOOKS / f"{key}.yaml").read_text())
    world.client.put(f"/world/{key}/rulebook", json=book).raise_for_status()
    gateway = open_gateway(
        rulebook(key), world.seller_api(key), world.token(key), private_allowed=True
    )
    (tmp_path / "pot.png").write_bytes(png())
    picture = PictureFile(hashlib.sha256(png()).hexdigest(), "image/png", tmp_path / "pot.png")
    offer = Offer("PT-14", FIELDS[key], Money(1690, book["currency"]), 7, (picture,))
    assert gateway.publish(offer, "key").ref
    for rule in book["fields"]:
        if (
            rule.get("required")
            and rule["name"] not in ("page", "no_gtin_because")
            and rule.get("kind") != "number"
        ):
            with pytest.raises(ContentRefused) as refused:
                gateway.publish(
                    replace(offer, sku="PT-15", fields={**offer.fields, rule["name"]: ""}),
                    rule["name"],
                )
            assert rule["name"] in dict(refused.value.problems)
    gateway.close()


def test_a_folder_of_rulebooks_is_loaded_at_the_start(tmp_path, stricter):
    (tmp_path / "rules").mkdir()
    (tmp_path / "rules" / "hagglet.yaml").write_text(yaml.safe_dump(stricter))
    memory = Memory(tmp_path / "world.db")
    assert load_folder(memory, tmp_path / "rules") == ["hagglet"]
    memory.close()
    memory = Memory(tmp_path / "world.db")
    assert memory.rulebook("hagglet")["edition"] == 2, "it is remembered across a restart"
    memory.close()


@pytest.mark.parametrize(
    ("rule", "value", "right"),
    [
        ({"kind": "text", "most": 5}, "12345", True),
        ({"kind": "text", "most": 5}, "123456", False),
        ({"kind": "text", "required": True}, "", False),
        ({"kind": "choice", "choices": ["a"]}, "b", False),
        ({"kind": "number", "least": 1, "most": 9}, "10", False),
        ({"kind": "number", "least": 1}, "7", True),
        ({"kind": "gtin"}, "4006381333931", True),
        ({"kind": "gtin"}, "4006381333932", False),
        ({"kind": "words", "most": 2, "most_each": 4}, "ab, cd", True),
        ({"kind": "words", "most": 1}, "a, b", False),
        ({"kind": "text", "html": ["p"]}, "<p>x</p>", True),
        ({"kind": "text", "html": ["p"]}, "<b>x</b>", False),
        ({"kind": "category"}, "c1", True),
        ({"kind": "category"}, "c2", False),
        ({"kind": "text", "required": True, "without": "other"}, "", True),
    ],
)
def test_every_kind_of_field_is_checked_by_what_the_rulebook_says(tmp_path, rule, value, right):
    memory = Memory(tmp_path / "world.db")
    other = {"name": "other", "kind": "text"}
    book = {
        "key": "hagglet",
        "categories": [{"key": "c1"}],
        "fields": [{"name": "f", **rule}, other],
    }
    memory.keep_rulebook("hagglet", book)
    assert (rule_problems(memory, "hagglet", {"f": value, "other": "said"}) == []) == right
    memory.close()
