"""The pages of moving in: reading, deciding, making it, and keeping it in step."""

import pytest

from relvan.store.jobs import job_rows
from relvan.store.move_in import proposed_rows
from tests.applications import client_of
from tests.snapshots import built_once
from tests.steps.move_in import WORDS, connect_made, load_made, work_all
from tests.visitor import page, post, shown, sign_in, words

BASE = "/setup/move-in"
CHOICES = {"mark": "72", "stock_from": "hagglet", "warehouse": "yard"}


@built_once
def move(workplace, owner, world):
    load_made(world, 9, WORDS)
    connect_made(workplace, owner, world)
    answer = post(
        sign_in(client_of(workplace)), BASE, channel=["hagglet", "loomstead", "corvello"], **CHOICES
    )
    assert answer.status_code == 200, answer.text
    work_all(workplace)
    return answer.url.path


def rows_of(workplace):
    with workplace.database.reading() as session:
        job = job_rows(session, kind="move in")[0]
        return job, proposed_rows(session, job.id, limit=1_000)


def test_before_there_is_a_channel_the_page_says_what_is_first(web, workplace):
    assert "First a channel" in words(web.get(BASE))


def test_a_move_by_page(workplace, move, web):
    said = words(web.get(move))
    job, rows = rows_of(workplace)
    assert f"{job.counts['listings']} listings would become" in said
    assert "Nothing has been changed yet" in said
    lines = [shown(page(web.get(path)).cssselect(".line")[0]) for path in (move, "/setup/tax")]
    assert lines[0] == lines[1]  # what waits at each station is told here too
    assert "equal GTIN" in said
    assert "ending in 99" in said  # how Hagglet's prices follow

    post(web, f"{move}/rows", pick=[rows[-1].more["name"]], deed="leave out")
    work_all(workplace)
    left = words(web.get(f"{move}?only=left out"))
    assert rows[-1].subject in left
    assert "left out by you" in left
    post(web, f"{move}/rows", pick=[rows[-1].more["name"]], deed="take in")
    work_all(workplace)
    assert "products made" in words(post(web, f"{move}/apply"))  # while the worker is at it
    work_all(workplace)
    said = words(web.get(move))
    assert f"{len(rows)} products made and linked" in said
    assert "is not kept in step yet" in said
    assert "Keep" in words(post(web, f"{BASE}/in-step", channel="hagglet"))
    work_all(workplace)
    assert "Hagglet is not kept in step yet" not in words(web.get(BASE))
    post(web, f"{move}/undo")
    work_all(workplace)
    assert "products taken back" in words(web.get(move))


def test_questions_are_answered_for_many_at_once(workplace, move, web):
    post(web, f"{move}/decide", **{**CHOICES, "mark": "97"})
    work_all(workplace)
    job, before = rows_of(workplace)
    pairs = [f"{one}-{other}" for one, other, *_ in job.spec["questions"]]
    assert pairs
    assert post(web, f"{move}/questions", pair=pairs, answer="same").status_code == 200
    work_all(workplace)
    _, after = rows_of(workplace)
    assert len(after) < len(before)
    together = [{member[0] for member in row.more["listings"]} for row in after]
    for pair in pairs:
        assert any(set(map(int, pair.split("-"))) <= members for members in together)
    assert post(web, f"{move}/questions", pair=["1-x"], answer="same").status_code == 422


def test_a_product_is_taken_apart_and_its_family_refused(workplace, move, web):
    _, rows = rows_of(workplace)
    one = next(
        row for row in rows if len(row.more["listings"]) > 1 and row.more["kind"] == "single"
    )
    post(web, f"{move}/rows", pick=[one.more["name"]], deed="apart")
    work_all(workplace)
    _, after = rows_of(workplace)
    members = {member[0] for member in one.more["listings"]}
    alone = [row for row in after if {m[0] for m in row.more["listings"]} & members]
    assert len(alone) == len(members)
    head = next(row for row in rows if row.more["kind"] == "family")
    families = f"{head.more['name']}:{head.more['family']}"
    post(web, f"{move}/rows", pick=[head.more["name"]], deed="no family", families=families)
    work_all(workplace)
    _, after = rows_of(workplace)
    assert head.more["name"] not in {row.more["name"] for row in after}


@pytest.mark.parametrize(
    ("path", "fields", "status"),
    [
        ("", {**CHOICES}, 422),  # no channel is ticked
        ("", {**CHOICES, "channel": "hagglet", "mark": "many"}, 422),
        ("/1/decide", {**CHOICES, "mark": "3"}, 422),
        ("/1/rows", {"deed": "leave out"}, 422),
        ("/1/rows", {"pick": "1", "deed": "burn"}, 404),
        ("/1/burn", {}, 404),
        ("/99/apply", {}, 404),
        ("/in-step", {"channel": "nowhere"}, 404),
    ],
)
def test_what_cannot_be_done_is_said(workplace, move, web, path, fields, status):
    assert post(web, BASE + path, **fields).status_code == status


def test_the_page_of_the_job_leads_to_the_move(workplace, move, web):
    job, _ = rows_of(workplace)
    assert web.get(f"/jobs/{job.id}").url.path == move
