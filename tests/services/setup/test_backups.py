"""Backups by night, opened and checked, kept and downloaded; by service, page and API."""

from datetime import timedelta
from pathlib import Path

import pytest
from sqlalchemy import update

from relvan.core.refusal import NotAllowed, NotFound, Refused
from relvan.services.backup import restore
from relvan.services.setup.backups import (
    back_up_when_due,
    backup_file,
    change_backup_plan,
    make_backup,
    try_backup,
)
from relvan.store.backups import backup_runs, kept_backups, plan_of
from relvan.store.product_list import ProductFilter, product_page
from relvan.store.tables import Person
from tests.applications import client_of
from tests.house import add_pot
from tests.visitor import page, post, sign_in, words, wrong_beside


def runs(workplace):
    with workplace.database.reading() as session:
        return backup_runs(session)


def skus(workplace):
    with workplace.database.reading() as session:
        return [row.sku for row in product_page(session, ProductFilter(), limit=9)]


@pytest.fixture
def old_firm(workplace):
    """Says that people work here for a week already."""
    with workplace.database.writing() as session:
        session.execute(update(Person).values(created_at=workplace.now() - timedelta(days=7)))
    return workplace


def test_every_night_has_one_backup_and_one_a_week_is_tried(old_firm, owner):
    add_pot(old_firm, owner, "PT-14")
    assert [back_up_when_due(old_firm), back_up_when_due(old_firm)] == [True, False]
    (run,) = runs(old_firm)
    assert (run.trouble, run.found, run.tried_at) == ("", "", old_firm.now())
    assert Path(run.file).stat().st_size == run.bytes > 1000
    for _ in range(3):
        old_firm.now.move(days=1)
        assert back_up_when_due(old_firm)
        assert not back_up_when_due(old_firm)
    assert [bool(one.tried_at) for one in runs(old_firm)] == [False, False, False, True]
    old_firm.now.move(days=5)
    assert back_up_when_due(old_firm)
    assert runs(old_firm)[0].tried_at


def test_the_demo_and_a_plan_that_is_off_make_none(old_firm, owner):
    old_firm.settings.demo = True
    assert not back_up_when_due(old_firm)
    old_firm.settings.demo = False
    change_backup_plan(old_firm, owner, {"on": False})
    assert not back_up_when_due(old_firm)
    assert runs(old_firm) == []


def test_as_many_are_kept_as_the_plan_says(workplace, owner, tmp_path):
    folder = tmp_path / "elsewhere"
    change_backup_plan(workplace, owner, {"keep": 2, "folder": str(folder)})
    for _ in range(4):
        make_backup(workplace)
        workplace.now.move(days=1)
    assert [one.gone for one in runs(workplace)] == [False, False, True, True]
    kept = {Path(one.file) for one in runs(workplace) if not one.gone}
    assert set(folder.glob("*.tar.gz")) == kept


def test_what_keeps_a_backup_from_being_made_is_noted_and_drops_no_other(
    workplace, owner, tmp_path
):
    change_backup_plan(workplace, owner, {"keep": 1, "folder": str(tmp_path / "elsewhere")})
    make_backup(workplace)
    (tmp_path / "elsewhere").rename(tmp_path / "away")
    (tmp_path / "elsewhere").write_text("a file in the place of the folder")
    assert make_backup(workplace).trouble
    with workplace.database.reading() as session:
        assert [one.id for one in kept_backups(session)] == [1]
    assert list((tmp_path / "away").glob("*.tar.gz"))


def test_a_broken_backup_is_found_out_and_nothing_here_changes(workplace, owner):
    add_pot(workplace, owner, "PT-14")
    run = make_backup(workplace)
    assert try_backup(workplace, run.id) == ""
    content = Path(run.file).read_bytes()
    Path(run.file).write_bytes(content[: len(content) // 2])
    assert "no sound backup" in try_backup(workplace, run.id)
    assert "no sound backup" in runs(workplace)[0].found
    Path(run.file).unlink()
    assert "no sound backup" in try_backup(workplace, run.id)
    with pytest.raises(NotFound):
        try_backup(workplace, 99)
    assert skus(workplace) == ["PT-14"]


def test_a_backup_in_which_something_does_not_hold_is_found_out(workplace, owner):
    add_pot(workplace, owner, "PT-14")
    with workplace.database.writing() as session:
        session.connection().exec_driver_sql("UPDATE balance SET on_hand = 99")
    assert "PT-14" in try_backup(workplace, make_backup(workplace).id)


def test_a_backup_of_the_night_can_be_restored(workplace, owner):
    add_pot(workplace, owner, "PT-14")
    run = make_backup(workplace)
    add_pot(workplace, owner, "PT-18")
    restore(workplace.settings, Path(run.file))
    assert skus(workplace) == ["PT-14"]


@pytest.mark.parametrize(
    ("wish", "field"),
    [({"hour": 30}, "hour"), ({"keep": 0}, "keep"), ({"folder": "/proc/nowhere"}, "folder")],
)
def test_a_plan_that_cannot_be_is_refused_and_nothing_changes(workplace, owner, wish, field):
    with pytest.raises(Refused) as refused:
        change_backup_plan(workplace, owner, {"on": False, **wish})
    assert refused.value.first.field == field
    with workplace.database.reading() as session:
        assert plan_of(session).on


def test_nobody_below_owner_gets_a_backup(workplace, picker):
    run = make_backup(workplace)
    with pytest.raises(NotAllowed):
        backup_file(workplace, picker, run.id)
    with pytest.raises(NotAllowed):
        change_backup_plan(workplace, picker, {"on": False})


def test_the_page_makes_tries_and_hands_out_a_backup(workplace):
    boss = sign_in(client_of(workplace))
    assert "None yet" in words(boss.get("/setup/backups"))
    assert "was made" in words(post(boss, "/setup/backups/now"))
    shown = boss.get("/setup/backups")
    link = page(shown).xpath("//a[contains(@href, '/file')]/@href")[0]
    assert boss.get(link).content[:2] == b"\x1f\x8b"
    assert "all in it is sound" in words(post(boss, link.replace("/file", "/try")))
    fields = {"on": "yes", "hour": "three", "keep": "7", "folder": ""}
    answer = post(boss, "/setup/backups", **fields)
    assert "whole number" in wrong_beside(answer, "hour")
    assert "The plan is saved" in words(post(boss, "/setup/backups", **{**fields, "hour": "3"}))
    assert boss.get("/setup/backups/99/file").status_code == 404


def test_the_api_does_the_same(api):
    plan = api.patch("/api/v1/backups", json={"keep": 3}).json()["plan"]
    assert (plan["keep"], plan["hour"], plan["on"]) == (3, 2, True)
    made = api.post("/api/v1/backups")
    assert made.status_code == 201
    assert api.post(f"/api/v1/backups/{made.json()['id']}/try").json()["found"] == ""
    (item,) = api.get("/api/v1/backups").json()["items"]
    assert (item["kept"], item["file"][:7]) == (True, "relvan-")
    assert item["tried_at"]
