"""Rulebooks as data: those that ship are of one piece; the seller's own are taken beside them, or
told why not."""

import re
import shutil

import pytest
import yaml
from pydantic import ValidationError

from relvan.core.listings.rulebook import Rulebook
from relvan.core.refusal import NotFound
from relvan.gateways.channels.registry import (
    DIALECTS,
    RULEBOOKS,
    read_rulebooks,
    rulebook,
    rulebooks,
)
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.channels.editions import take_up_editions
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.publish import publish_listings
from relvan.services.open import open_workplace
from relvan.store.listing_list import ListingFilter, listing_page
from tests.applications import client_of
from tests.house import add_pot, assert_sound, count, deliver
from tests.visitor import sign_in

LEAST = {
    "key": "fernwick",
    "name": "Fernwick",
    "dialect": "notices",
    "edition": 3,
    "currency": "EUR",
    "token_label": "Token",
    "calls": {"per_second": 5, "burst": 5},
    "rows_at_once": {"quantity": 5, "price": 5},
    "orders": {"poll_every_s": 1, "page": 10, "overlap": 1},
    "categories": [{"key": "a", "name": "A"}, {"key": "b", "name": "B"}],
    "fields": [
        {"name": "heading", "label": "Heading", "required": True, "origin": "title"},
        {"name": "shelf", "label": "Shelf", "kind": "category"},
    ],
}


def with_field(**field):
    return {**LEAST, "fields": [*LEAST["fields"], {"name": "more", "label": "More", **field}]}


@pytest.fixture
def folder(tmp_path):
    found = tmp_path / "rulebooks"
    found.mkdir()
    return found


@pytest.mark.parametrize("key", sorted(rulebooks()))
def test_what_ships_is_of_one_piece_and_says_where_it_comes_from(key):
    book = rulebook(key)
    first = (RULEBOOKS / f"{key}.yaml").read_text().splitlines()[0]
    assert re.match(rf"# What .+ demands and allows, edition {book.edition}\. Origin: .+", first)
    assert book.dialect in DIALECTS
    for rule in book.fields:
        if rule.kind == "choice" and rule.default:
            assert rule.default in rule.choices
        if rule.least is not None and rule.most is not None:
            assert rule.least <= rule.most


def test_without_a_folder_there_are_those_that_ship(tmp_path):
    assert read_rulebooks(tmp_path / "nowhere").by_key.keys() == rulebooks().keys()


def test_the_sellers_own_are_taken_beside_those_that_ship(folder):
    (folder / "fernwick.yaml").write_text(yaml.safe_dump(LEAST))
    found = read_rulebooks(folder)
    assert found.by_key.keys() == {*rulebooks(), "fernwick"}
    assert found.of("fernwick").edition == 3
    assert found.troubles == {}
    with pytest.raises(NotFound):
        found.of("nobody")


def test_another_edition_of_one_that_ships_counts(folder):
    shutil.copy(RULEBOOKS / "hagglet.yaml", folder / "ours.yml")
    text = (
        (folder / "ours.yml")
        .read_text()
        .replace("edition: 1\n", "edition: 2\n")
        .replace("placing_fee: 20", "placing_fee: 35")
    )
    (folder / "ours.yml").write_text(text)
    book = read_rulebooks(folder).of("hagglet")
    assert (book.edition, book.placing_fee) == (2, 35)
    assert rulebook("hagglet").edition == 1


@pytest.mark.parametrize(
    ("content", "told"),
    [
        (b"key: [", "It cannot be read"),
        (b"\xff\xfe\x00", "It cannot be read"),
        (b"", "the whole: "),
        (b"- a\n- b\n", "the whole: "),
        (b"!!python/object/apply:os.system ['true']", "It cannot be read"),
        (yaml.safe_dump({**LEAST, "colour": "red"}).encode(), "colour: "),
        (
            yaml.safe_dump({name: v for name, v in LEAST.items() if name != "currency"}).encode(),
            "currency: ",
        ),
        (
            yaml.safe_dump({**LEAST, "dialect": "klingon"}).encode(),
            "dialect: there is no dialect “klingon”",
        ),
        (
            yaml.safe_dump({**LEAST, "calls": {"per_second": 0, "burst": 1}}).encode(),
            "calls.per_second: ",
        ),
        (yaml.safe_dump(with_field(kind="colour")).encode(), "fields.2.kind: "),
    ],
)
def test_a_file_that_is_none_is_left_out_and_told(folder, content, told):
    (folder / "broken.yaml").write_bytes(content)
    (folder / "fernwick.yaml").write_text(yaml.safe_dump(LEAST))
    found = read_rulebooks(folder)
    assert found.troubles["broken.yaml"].startswith(told), found.troubles
    assert "fernwick" in found.by_key, "one that is broken stops no other"


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (with_field(name="heading"), "“heading” is there twice"),
        ({**LEAST, "categories": LEAST["categories"] * 2}, "“a” is there twice"),
        (with_field(required_in=["c"]), "“more” names the category “c”, which is not there"),
        (with_field(only_in=["a", "z"]), "“more” names the category “z”, which is not there"),
        (with_field(kind="choice"), "“more” is a choice of nothing"),
        (with_field(kind="category"), "only one field can be the category"),
    ],
)
def test_a_rulebook_that_is_not_of_one_piece_is_refused(data, told):
    with pytest.raises(ValidationError, match=told):
        Rulebook.model_validate(data)


def test_a_channel_of_a_known_dialect_needs_a_rulebook_and_an_address_only(settings, owner, world):
    """Another marketplace that speaks as Hagglet does, with a field less and a name of its own."""
    folder = settings.data_dir / "rulebooks"
    folder.mkdir()
    text = (RULEBOOKS / "hagglet.yaml").read_text()
    text = text.replace("key: hagglet", "key: fernwick").replace("name: Hagglet", "name: Fernwick")
    assert "least: 3, most: 80" in text
    (folder / "fernwick.yaml").write_text(text.replace("least: 3, most: 80", "least: 3, most: 60"))
    place = open_workplace(settings)
    wish = ConnectChannel("fernwick", world.seller_api("hagglet"), world.token("hagglet"))
    assert connect_channel(place, owner, wish) == "fernwick"
    add_pot(place, owner, "PT-14", title="x" * 70)
    ids = draft_listings(place, owner, "fernwick", ["PT-14"]).listing_ids
    change_listings(place, owner, ids, {"shelf": "hg-planters"})

    def gaps():
        with place.database.reading() as session:
            (row,) = listing_page(session, ListingFilter(channel="fernwick"))
        return row.gap_count

    assert gaps() == 1, "its heading is too long by the rulebook's own edition"
    change_listings(place, owner, ids, {"heading": "A pot"})
    assert gaps() == 0
    publish_listings(place, owner, ids)
    deliver(place)
    assert world.listings("hagglet")["PT-14"]["title"] == "A pot"
    assert_sound(place)
    place.close()


@pytest.fixture
def fernwick(settings, owner, world):
    """Builds a channel by a rulebook of the seller's own, with a listing on it; how to start with
    another edition."""
    folder = settings.data_dir / "rulebooks"
    folder.mkdir()
    text = (RULEBOOKS / "hagglet.yaml").read_text().replace("key: hagglet", "key: fernwick")

    def start(old="", new=""):
        (folder / "fernwick.yaml").write_text(text.replace(old, new))
        return open_workplace(settings)

    place = start()
    connect_channel(
        place,
        owner,
        ConnectChannel("fernwick", world.seller_api("hagglet"), world.token("hagglet")),
    )
    add_pot(place, owner, "PT-14", title="x" * 70)
    ids = draft_listings(place, owner, "fernwick", ["PT-14"]).listing_ids
    change_listings(place, owner, ids, {"shelf": "hg-planters"})
    place.close()
    return start


def listed(place):
    with place.database.reading() as session:
        (row,) = listing_page(session, ListingFilter(channel="fernwick"))
        return row.state


def test_another_edition_is_taken_up_at_the_start(fernwick):
    place = fernwick()
    assert take_up_editions(place) == []
    assert listed(place) == "ready"
    place.close()
    stricter = fernwick("least: 3, most: 80", "least: 3, most: 60")
    assert listed(stricter) == "ready", "as it was worked out before"
    assert take_up_editions(stricter) == ["Hagglet"]
    assert listed(stricter) == "draft"
    assert take_up_editions(stricter) == []
    stricter.close()


def test_without_its_rulebook_a_channel_goes_on_by_the_edition_from_before(
    fernwick, settings, owner
):
    broken = fernwick("dialect: notices", "dialect: [")
    assert "fernwick" not in broken.rulebooks.by_key
    assert take_up_editions(broken) == []
    count(broken, owner, "PT-14", 3)
    assert listed(broken) == "ready"
    page = sign_in(client_of(broken)).get("/setup").text
    assert "Without it Hagglet goes on by the edition from before." in page
    broken.close()


def test_setup_offers_it_and_tells_of_broken_ones(settings):
    folder = settings.data_dir / "rulebooks"
    folder.mkdir()
    (folder / "fernwick.yaml").write_text(yaml.safe_dump(LEAST))
    (folder / "bad.yaml").write_text("key: <script>")
    place = open_workplace(settings)
    page = sign_in(client_of(place)).get("/setup").text
    assert '<option value="fernwick">Fernwick</option>' in page
    assert "bad.yaml cannot be read as channel requirements." in page
    assert "<script>" not in page.partition("<main")[2].partition("</main")[0]
    place.close()
