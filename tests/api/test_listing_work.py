"""Tests listing on many channels over HTTP: layers, families, pages, findings, coverage, gaps."""

from relvan.services.listings.pages import look_for_pages
from tests.caller import problem
from tests.house import add_pot, channel_ids, connect, deliver, work
from tests.snapshots import built_once
from tests.steps.corvello import gtin, put_pages
from tests.steps.families_on_channels import make_family
from tests.steps.findings import place_by_hand

V1 = "/api/v1"


@built_once
def shop(workplace, owner, world):
    connect(workplace, owner, world, "hagglet", "corvello")
    for number in range(3):
        add_pot(
            workplace,
            owner,
            f"PT-{number}",
            title=f"Aubrey pot {number} in oat",
            brand="Quillmoss",
            gtin=gtin(number),
        )
    return workplace


def draft(api, channel, *skus):
    answer = api.post(f"{V1}/listings", json={"channel": channel, "skus": list(skus)})
    assert answer.status_code == 201, answer.text
    return [item["id"] for item in answer.json()["items"] if item["ok"]]


def test_a_layer_is_made_used_looked_at_changed_and_taken_back(api, shop):
    body = {
        "channel": "hagglet",
        "topic": "delivery",
        "name": "Slow",
        "values": {"dispatch_days": "9"},
    }
    made = api.post(f"{V1}/layers", json=body)
    assert made.status_code == 201, made.text
    layer = made.json()["id"]
    ids = draft(api, "hagglet", "PT-0", "PT-1")
    assert api.post(
        f"{V1}/layers/use", json={"ids": ids, "layers": {"delivery": layer}}
    ).json() == {"listings": 2}
    told = api.get(f"{V1}/listings/{ids[0]}").json()["fields"]["dispatch_days"]
    assert told == {"value": "9", "source": "layer", "layer": "Slow"}
    assert api.get(f"{V1}/layers/{layer}/impact").json()["listings"] == 2
    wanted = {"values": {"dispatch_days": "12"}}
    found = api.post(f"{V1}/layers/{layer}/impact", json=wanted).json()
    assert (found["changed"], found["samples"][0]["old"], found["samples"][0]["new"]) == (
        2,
        "9",
        "12",
    )
    assert api.patch(f"{V1}/layers/{layer}", json=wanted).json()["values"] == {
        "dispatch_days": "12"
    }
    assert api.post(f"{V1}/layers/{layer}/undo").json()["values"] == {"dispatch_days": "9"}
    assert [
        line["used_by"] for line in api.get(f"{V1}/layers?channel=hagglet").json()["items"]
    ] == [2]
    problem(api.post(f"{V1}/layers", json=body), 409)
    assert (
        problem(api.patch(f"{V1}/layers/{layer}", json={"values": {"heading": "x"}}), 422)["code"]
        == "unknown"
    )
    problem(api.get(f"{V1}/layers/999"), 404)
    kept = api.post(
        f"{V1}/layer-sets",
        json={"channel": "hagglet", "name": "All", "layers": {"delivery": layer}},
    )
    assert (
        api.post(f"{V1}/layers/use", json={"ids": ids, "set": kept.json()["id"]}).status_code == 200
    )
    assert api.get(f"{V1}/layer-sets").json()["items"][0]["name"] == "All"


def test_wording_is_previewed_with_its_length(api, shop):
    body = {"channel": "hagglet", "field": "heading", "text": "{{ product.title }}!", "q": "PT-1"}
    (one,) = api.post(f"{V1}/wording/preview", json=body).json()["items"]
    assert (one["text"], one["length"], one["fits"]) == ("Aubrey pot 1 in oat!", 20, True)
    bad = api.post(f"{V1}/wording/preview", json={**body, "text": "{{ product.__class__ }}"})
    assert problem(bad, 422)["code"] == "wording"


def test_a_family_is_published_as_one(api, shop, owner, world):
    make_family(shop, owner)
    ids = draft(api, "hagglet", "PT")
    head = api.get(f"{V1}/listings/{ids[0]}").json()
    assert sorted(head["members"]) == sorted(ids[1:])
    api.patch(f"{V1}/listings/{ids[0]}", json={"fields": {"shelf": "hg-planters"}})
    member = api.get(f"{V1}/listings/{ids[1]}").json()
    assert member["head"] == ids[0]
    assert member["traits"]["Glaze"]["there"] == "Glaze"
    assert member["fees"]["amount"] > 0
    assert member["why_left"][-1]["label"] == "Margin"
    assert (
        api.post(f"{V1}/listings/require", json={"ids": ids[1:2], "must": True}).status_code == 200
    )
    assert (
        api.post(f"{V1}/listings/publish", json={"ids": ids[:1], "leave_out": True}).json()["total"]
        == 5
    )
    deliver(shop)
    assert len(world.listings("hagglet")["PT"]["variants"]) == 4
    (row,) = [row for row in api.get(f"{V1}/coverage").json()["items"] if row["sku"] == "PT"]
    assert (row["variants"], row["channels"]["hagglet"]["states"]) == (4, {"live": 4})


def test_coverage_is_asked_by_how_products_stand(api, shop):
    draft(api, "hagglet", "PT-0")
    found = api.get(
        f"{V1}/coverage", params={"at": ["hagglet:draft", "corvello:not"], "in_stock": "true"}
    ).json()
    assert [row["sku"] for row in found["items"]] == ["PT-0"]
    assert [row["sku"] for row in api.get(f"{V1}/coverage?at=hagglet:not").json()["items"]] == [
        "PT-1",
        "PT-2",
    ]
    problem(api.get(f"{V1}/coverage?at=hagglet:sold"), 422)
    problem(api.get(f"{V1}/coverage?at=moon:not"), 404)
    first = api.get(f"{V1}/coverage?limit=2").json()
    assert [
        row["sku"]
        for row in api.get(f"{V1}/coverage?limit=2&after={first['next']}").json()["items"]
    ] == ["PT-2"]


def test_categories_of_a_channel_with_what_each_needs_and_what_fits(api, shop):
    (one,) = draft(api, "corvello", "PT-0")
    told = api.get(f"{V1}/channels/corvello/categories?listing={one}").json()
    assert len(told["items"]) >= 30
    pots = next(item for item in told["items"] if item["key"] == "cv-101")
    assert (pots["path"], "Diameter" in pots["needs"]) == ("Growing / Vessels / Pots", True)
    assert told["suggested"][0]["key"] == "cv-101"
    found = api.get(f"{V1}/channels/corvello/categories?q=sauc").json()
    assert ([item["key"] for item in found["items"]], found["suggested"]) == (["cv-102"], [])
    problem(api.get(f"{V1}/channels/moon/categories"), 404)
    problem(api.get(f"{V1}/channels/corvello/categories?listing=999"), 404)


def test_gaps_are_counted_by_what_mends_them_and_translated(api, shop):
    ids = draft(api, "corvello", "PT-0", "PT-1")
    assert [
        (one["kind"], one["count"])
        for one in api.get(f"{V1}/gaps?channel=corvello").json()["items"]
    ] == [("no page", 2)]
    chosen = {"items": [{"id": one, "page": "new"} for one in ids]}
    assert api.post(f"{V1}/catalogue-pages/choose", json=chosen).json() == {"chosen": 2}
    for one in ids:
        api.patch(f"{V1}/listings/{one}", json={"fields": {"aisle": "cv-201", "material": ""}})
    api.patch(f"{V1}/products/PT-0", json={"attributes": {"material": "beech"}})
    table = api.get(f"{V1}/channels/corvello/translations").json()
    assert [(one["field"], one["ours"], one["listings"]) for one in table["untranslated"]] == [
        ("material", "beech", 1)
    ]
    entry = {"kind": "value", "field": "material", "ours": "beech", "theirs": "wood"}
    answer = api.post(f"{V1}/channels/corvello/translations", json={"items": [entry]})
    assert answer.json()["untranslated"] == []
    bad = api.post(
        f"{V1}/channels/corvello/translations", json={"items": [{**entry, "theirs": "oak"}]}
    )
    assert problem(bad, 422)["code"] == "not-allowed"


def test_pages_are_offered_chosen_and_published(api, shop, world):
    (page,) = put_pages(world, ("Aubrey pot 1 in oat", gtin(1)))
    (listing,) = draft(api, "corvello", "PT-1")
    assert api.get(f"{V1}/catalogue-pages").json()["items"][0]["candidates"] is None
    look_for_pages(shop, channel_ids(shop)["corvello"])
    (row,) = api.get(f"{V1}/catalogue-pages?channel=corvello").json()["items"]
    assert (row["candidates"][0]["page"], row["candidates"][0]["sure"]) == (page, True)
    assert (
        api.post(f"{V1}/listings/{listing}/pages", json={"words": "aubrey"}).json()["items"][0][
            "page"
        ]
        == page
    )
    api.post(f"{V1}/catalogue-pages/choose", json={"items": [{"id": listing, "page": page}]})
    api.post(f"{V1}/listings/publish", json={"ids": [listing]})
    deliver(shop)
    told = api.get(f"{V1}/listings/{listing}").json()
    assert (told["state"], told["differences"]) == ("live", [])


def test_findings_are_read_linked_unlinked_and_made_into_products(api, shop, world):
    place_by_hand(world, "PT-0", "Aubrey pot")
    place_by_hand(world, "LOST", "Aubrey pot 2 in oat")
    place_by_hand(world, "NEW", "Bird feeder")
    assert api.post(f"{V1}/channels/hagglet/findings/read").status_code == 202
    work(shop)
    rows = {row["sku"]: row for row in api.get(f"{V1}/findings").json()["items"]}
    assert rows["PT-0"]["linked_by"] == "SKU"
    assert rows["LOST"]["product"]["sku"] == "PT-2"
    assert [row["sku"] for row in api.get(f"{V1}/findings?linked=false").json()["items"]] == [
        "LOST",
        "NEW",
    ]
    lost = rows["LOST"]["id"]
    listing = api.post(f"{V1}/findings/{lost}/link", json={"sku": "PT-2"}).json()["listing"]
    assert api.get(f"{V1}/listings/{listing}").json()["followed"] is True
    problem(api.post(f"{V1}/findings/{lost}/link", json={"sku": "PT-1"}), 409)
    assert api.post(f"{V1}/findings/{lost}/unlink").json() == {"listing": None}
    made = api.post(f"{V1}/findings/{rows['NEW']['id']}/create-product")
    assert made.status_code == 201
    assert api.get(f"{V1}/products/NEW").json()["title"] == "Bird feeder"
    problem(api.post(f"{V1}/findings/{rows['NEW']['id']}/create-product"), 409)
    problem(api.post(f"{V1}/channels/moon/findings/read"), 404)
