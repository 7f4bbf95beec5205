"""Tests files of listing fields and layer values: rehearsed, applied, taken back, taken out and
brought in unchanged."""

import csv
import io

import pytest

from relvan.core.imports.columns import FileKind
from relvan.core.imports.kinds import KINDS
from relvan.services.bulk.take_out import take_out
from relvan.services.imports.receive import NewFile, receive_file
from relvan.services.jobs.life import move_job
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.layers import LayerWish, make_layer
from relvan.store.job_rows import job_verdicts
from relvan.store.jobs import job_rows
from relvan.store.layers import layer_line
from relvan.store.listings import listings_of
from tests.house import add_pot, connect, work
from tests.snapshots import built_once


@built_once
def shop(workplace, owner, world):
    connect(workplace, owner, world, "hagglet")
    for sku in ("PT-1", "PT-2"):
        add_pot(workplace, owner, sku)
    draft_listings(workplace, owner, "hagglet", ["PT-1", "PT-2"])
    return workplace


def bring_in(workplace, owner, kind, text):
    job = receive_file(workplace, owner, NewFile(kind, "file.csv", text.encode()))
    work(workplace)
    return job


def told(workplace, job):
    with workplace.database.reading() as session:
        return [(row.verdict, row.reason) for row in job_verdicts(session, job)]


def own(workplace):
    with workplace.database.reading() as session:
        return [listing.own for listing in listings_of(session, channel_id=1)]


FIELDS = "SKU,Channel,Field,Value\nPT-1,hagglet,Heading,A pot by hand\nPT-2,Hagglet,shelf,Home and garden / Watering\n"


def test_fields_of_listings_are_rehearsed_applied_and_taken_back(shop, owner):
    job = bring_in(shop, owner, "listing-fields", FIELDS)
    assert [verdict for verdict, _ in told(shop, job)] == ["changes", "changes"]
    assert own(shop) == [{}, {}], "a rehearsal changes nothing"
    move_job(shop, owner, job, "apply")
    work(shop)
    assert own(shop) == [{"heading": "A pot by hand"}, {"shelf": "hg-watering"}]
    move_job(shop, owner, job, "undo")
    work(shop)
    assert own(shop) == [{}, {}]


def test_each_wrong_row_has_its_reason_and_stops_no_other(shop, owner):
    text = (
        FIELDS
        + "PT-1,hagglet,heading,Twice\nPT-9,hagglet,heading,x\nPT-1,moon,heading,x\nPT-1,hagglet,weather,x\n"
    )
    job = bring_in(shop, owner, "listing-fields", text)
    reasons = [reason for verdict, reason in told(shop, job) if verdict == "refused"]
    assert [
        any(words in reason for reason in reasons)
        for words in ("is in row", "is not on Hagglet", "no channel “moon”", "no field “weather”")
    ] == [True] * 4
    with shop.database.reading() as session:
        assert job_rows(session, job_id=job)[0].counts == {"changes": 2, "refused": 4}


def test_what_was_changed_by_hand_meanwhile_is_not_overwritten(shop, owner):
    job = bring_in(shop, owner, "listing-fields", FIELDS)
    with shop.database.reading() as session:
        ids = [listing.id for listing in listings_of(session, channel_id=1)]
    change_listings(shop, owner, ids[:1], {"heading": "By hand"})
    move_job(shop, owner, job, "apply")
    work(shop)
    assert own(shop) == [{"heading": "By hand"}, {"shelf": "hg-watering"}]
    assert ("refused", "“heading” has been changed since. Look at it and decide by hand.") in told(
        shop, job
    )


def test_a_layer_is_changed_by_file(shop, owner):
    layer = make_layer(
        shop, owner, LayerWish("hagglet", "delivery", "Slow", {"dispatch_days": "9"})
    )
    text = "Layer,Channel,Topic,Field,Value\nslow,hagglet,delivery,dispatch_days,12\n"
    text += "Slow,hagglet,delivery,delivery,By barge\n"
    text += "Fast,hagglet,delivery,delivery,x\nSlow,hagglet,delivery,heading,x\n"
    job = bring_in(shop, owner, "layer-values", text)
    assert [verdict for verdict, _ in told(shop, job)] == [
        "changes",
        "changes",
        "refused",
        "refused",
    ]
    move_job(shop, owner, job, "apply")
    work(shop)
    with shop.database.reading() as session:
        assert layer_line(session, layer).values == {"dispatch_days": "12", "delivery": "By barge"}


@pytest.mark.parametrize("form", ["csv", "xlsx"])
@pytest.mark.parametrize("kind", [FileKind.LISTINGS, FileKind.LAYERS])
def test_what_is_taken_out_comes_back_unchanged(shop, owner, kind, form):
    make_layer(
        shop,
        owner,
        LayerWish("hagglet", "returns", "Kind, very", {"returns": "=SUM(1)\nsixty days"}),
    )
    with shop.database.reading() as session:
        ids = [listing.id for listing in listings_of(session, channel_id=1)]
    change_listings(
        shop,
        owner,
        ids,
        {"heading": 'Said; "here"', "text": "Two\nlines of text, both of them long."},
    )
    taken = take_out(shop, kind, form, skus=["PT-1", "PT-2"])
    content = b"".join(taken.content) if not isinstance(taken.content, bytes) else taken.content
    job = receive_file(shop, owner, NewFile(kind, f"back.{form}", content))
    work(shop)
    verdicts = told(shop, job)
    assert {verdict for verdict, _ in verdicts} == {"same"}, verdicts
    if form == "csv":
        rows = list(csv.reader(io.StringIO(content.decode("utf-8-sig"))))
        assert rows[0] == [column.heading for column in KINDS[kind].columns]
