"""Tests moving in from end to end: what channels list becomes a catalogue, nothing there changes
before it is kept in step, and all of it can be undone.
"""

import pytest

from relvan.core.jobs.life import JobState
from relvan.core.refusal import NotAllowed, Refused
from relvan.services.bulk.work import work_next
from relvan.services.jobs.life import find_job, move_job
from relvan.services.listings import findings
from relvan.services.move_in.in_step import keep_channel_in_step, preview_steps
from relvan.services.move_in.open import decide, start_move
from relvan.store.channels import channel_by_key, channel_settings
from relvan.store.move_in import count_proposed, proposed_rows
from relvan.store.product_list import ProductFilter, all_skus
from tests.house import assert_sound, connect, deliver
from tests.snapshots import built_once
from tests.steps.move_in import (
    connect_made,
    found_rows,
    links_made,
    load_made,
    move_in_all,
    work_all,
)

CHANNELS = ("hagglet", "loomstead", "corvello")


def job_of(workplace, job_id):
    with workplace.database.reading() as session:
        return find_job(session, job_id)


def rows_of(workplace, job_id, only=""):
    with workplace.database.reading() as session:
        return proposed_rows(session, job_id, only=only, limit=1_000)


def everything_shown(world):
    return {key: world.listings(key) for key in CHANNELS}


def skus(workplace):
    with workplace.database.reading() as session:
        return all_skus(session, ProductFilter(), 10_000)


@built_once
def moved(workplace, owner, world):
    made = load_made(world, 5)
    connect_made(workplace, owner, world)
    return made, move_in_all(workplace, owner)


def test_a_move_from_reading_to_in_step(workplace, owner, world, moved):
    made, job_id = moved
    before = everything_shown(world)
    job = job_of(workplace, job_id)
    assert job.state == JobState.REHEARSED
    assert job.counts["listings"] == len(made.truth) + len(made.families)
    assert skus(workplace) == []  # nothing is made by proposing

    move_job(workplace, owner, job_id, "apply")
    work_all(workplace)
    job = job_of(workplace, job_id)
    assert (job.state, job.refused) == (JobState.ENDED, 0), job.trouble
    assert found_rows(workplace, linked=False) == []
    links, right = links_made(workplace, made)
    assert right == links >= 0.95 * made.true_links()
    deliver(workplace)
    assert everything_shown(world) == before  # and nothing there changes by applying

    with workplace.database.reading() as session:
        previews = {one.channel.key: one for one in preview_steps(session, shown=5)}
    assert previews["hagglet"].waiting.quantities == 0  # its stock was taken
    assert previews["hagglet"].waiting.prices == 0
    keep_channel_in_step(workplace, owner, "hagglet")
    work_all(workplace)
    deliver(workplace)
    assert world.listings("hagglet") == before["hagglet"]  # as the preview said
    keep_channel_in_step(workplace, owner, "corvello")
    work_all(workplace)
    deliver(workplace)
    changed = [
        sku
        for sku, row in world.listings("corvello").items()
        if row["quantity"] != before["corvello"][sku]["quantity"]
    ]
    assert len(changed) == previews["corvello"].waiting.quantities
    with workplace.database.reading() as session:
        assert {one.channel.key for one in preview_steps(session)} == {"loomstead"}
    assert_sound(workplace)


def test_undone_it_leaves_the_catalogue_and_the_channels_as_they_were(
    workplace, owner, world, moved
):
    _, job_id = moved
    before = everything_shown(world)
    with workplace.database.reading() as session:
        settings = channel_settings(session)
        held = {key: settings[channel_by_key(session, key).id].price_list.key for key in CHANNELS}
    move_job(workplace, owner, job_id, "apply")
    work_all(workplace)
    assert skus(workplace)
    move_job(workplace, owner, job_id, "undo")
    work_all(workplace)
    deliver(workplace)
    job = job_of(workplace, job_id)
    assert (job.state, job.refused) == (JobState.UNDONE, 0)
    assert skus(workplace) == []
    assert found_rows(workplace, linked=True) == []
    assert everything_shown(world) == before
    with workplace.database.reading() as session:
        settings = channel_settings(session)
        now = {key: settings[channel_by_key(session, key).id].price_list.key for key in CHANNELS}
    assert now == held
    assert_sound(workplace)

    again = move_in_all(workplace, owner)  # and it can be moved in anew
    move_job(workplace, owner, again, "apply")
    work_all(workplace)
    assert job_of(workplace, again).refused == 0
    assert found_rows(workplace, linked=False) == []


def test_decisions_change_the_proposal_and_nothing_else(workplace, owner, world, moved):
    _, job_id = moved
    several = next(row for row in rows_of(workplace, job_id) if len(row.more["listings"]) == 3)
    name, member = several.more["name"], several.more["listings"][-1][0]
    decide(
        workplace,
        owner,
        job_id,
        {"apart": [member], "left_out": [name], "details": {"title": "corvello"}},
    )
    work_all(workplace)
    rows = {row.more["name"]: row for row in rows_of(workplace, job_id)}
    assert len(rows[name].more["listings"]) == 2
    assert [one[0] for one in rows[member].more["listings"]] == [member]
    assert rows[name].verdict == "same"
    move_job(workplace, owner, job_id, "apply")
    work_all(workplace)
    assert rows[name].subject not in skus(workplace)
    assert len(found_rows(workplace, linked=False)) == 2


@pytest.mark.parametrize(
    ("changes", "code"),
    [
        ({"mark": 20}, "out-of-range"),
        ({"stock_from": "ownshop"}, "unknown"),
        ({"details": {"taste": "newest"}}, "unknown"),
        ({"details": {"title": "loudest"}}, "unknown"),
        ({"prices": {"hagglet": "guess"}}, "not-allowed"),
        ({"warehouse": "nowhere"}, "not-found"),
        ({"colour": "red"}, "unknown"),
    ],
)
def test_wrong_decisions_are_refused(workplace, owner, world, moved, changes, code):
    _, job_id = moved
    with pytest.raises(Refused) as refused:
        decide(workplace, owner, job_id, changes)
    assert refused.value.first.code == code
    assert job_of(workplace, job_id).state == JobState.REHEARSED


def test_only_owners_move_in(workplace, owner, picker, world):
    connect_made(workplace, owner, world, "hagglet")
    with pytest.raises(NotAllowed):
        start_move(workplace, picker)
    with pytest.raises(Refused):
        start_move(workplace, owner, ["nowhere"])


def test_what_is_in_the_catalogue_already_is_linked(workplace, owner, world, moved):
    _, job_id = moved
    move_job(workplace, owner, job_id, "apply")
    work_all(workplace)
    made = set(skus(workplace))
    known = rows_of(workplace, job_id)[-1].subject
    extra = {"sku": known, "title": "Again", "price": 900, "quantity": 2}
    other = {"sku": "NEW-1", "title": "Quite new", "price": 900, "quantity": 2}
    world.client.put("/world/ownshop/listings", json={"listings": [extra, other]})
    connect(workplace, owner, world, "ownshop")
    again = move_in_all(workplace, owner, ["ownshop"])
    with workplace.database.reading() as session:
        counts = count_proposed(session, again)
    assert (counts["existing"], counts["all"]) == (1, 2)
    move_job(workplace, owner, again, "apply")
    work_all(workplace)
    assert set(skus(workplace)) == made | {"NEW-1"}


@pytest.mark.parametrize("weather", ["flaky", "throttled"])
def test_reading_goes_on_in_bad_weather(workplace, owner, world, weather):
    made = load_made(world, 6)
    connect_made(workplace, owner, world)
    world.weather("loomstead", weather)
    job_id = move_in_all(workplace, owner)
    assert job_of(workplace, job_id).state == JobState.REHEARSED
    assert job_of(workplace, job_id).counts["listings"] == len(made.truth) + len(made.families)


def test_a_channel_that_is_down_ends_it_and_it_can_be_tried_again(
    workplace, owner, world, monkeypatch
):
    monkeypatch.setattr(findings, "TRIES", 1)  # it does not wait before it gives up
    load_made(world, 6)
    connect_made(workplace, owner, world)
    world.weather("corvello", "down")
    job_id = move_in_all(workplace, owner)
    job = job_of(workplace, job_id)
    assert job.state == JobState.FAILED
    assert "Corvello" in job.trouble
    world.weather("corvello", "calm")
    move_job(workplace, owner, job_id, "rehearse")
    work_all(workplace)
    assert job_of(workplace, job_id).state == JobState.REHEARSED


def test_an_interrupted_move_goes_on_where_it_stopped(workplace, owner, world, moved):
    _, job_id = moved
    move_job(workplace, owner, job_id, "apply")
    asked = iter([False, True, True, True])
    work_next(workplace, stopped=lambda: next(asked, True))
    assert job_of(workplace, job_id).state == JobState.APPLYING
    work_all(workplace)
    job = job_of(workplace, job_id)
    assert (job.state, job.refused) == (JobState.ENDED, 0)
    assert found_rows(workplace, linked=False) == []
