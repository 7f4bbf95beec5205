"""Tests files longer than what is looked at together: what belongs together may lie far apart."""

import random

import pytest

from relvan.core.orders.intake import Address, IncomingLine
from relvan.core.people.roles import Role
from relvan.core.refusal import Refused
from relvan.services.bulk.work import work_next
from relvan.services.imports.receive import NewFile, receive_file
from relvan.services.jobs.life import move_job
from relvan.services.listings.availability import availability
from relvan.services.orders.take import take_manual_order
from relvan.services.workplace import Actor
from relvan.store.blocks import add_block
from relvan.store.job_rows import add_rows, job_verdicts
from relvan.store.jobs import job_rows
from tests.house import add_pot, assert_sound, count, orders, work
from tests.steps.imports import carry, facts, rehearse, rows, state, verdicts


@pytest.fixture(autouse=True)
def small_chunks(monkeypatch):
    """Gives the code chunks that a test can fill."""
    monkeypatch.setattr("relvan.services.imports.rehearse.CHUNK", 7)
    monkeypatch.setattr("relvan.services.imports.rehearse.READ", 7)
    monkeypatch.setattr("relvan.services.imports.rehearse.WRITTEN", 11)
    monkeypatch.setattr("relvan.services.bulk.work.CHUNK", 5)
    monkeypatch.setattr("relvan.services.bulk.work.PLAIN", 5)


def shuffled(head, lines, seed):
    lines = list(lines)
    random.Random(seed).shuffle(lines)
    return "\n".join([head, *lines]) + "\n"


@pytest.mark.parametrize("seed", range(2))
def test_a_family_and_its_variants_may_come_in_a_file_of_products_in_any_order(
    workplace, owner, seed
):
    lines = ["F,family,The family,,"] + [
        f"V-{n},variant,Variant {n},F,Glaze {n}" for n in range(30)
    ]
    job, found = rehearse(
        workplace, owner, "products", shuffled("sku,kind,title,family,trait: Glaze", lines, seed)
    )
    assert verdicts(found) == ["new"] * 31
    carry(workplace, owner, job)
    assert facts(workplace, "F")["title"] == "The family"
    assert len(facts(workplace, "F")["axes"][0][1]) == 30
    assert_sound(workplace)


@pytest.mark.parametrize("seed", range(2))
def test_variants_of_a_family_that_is_refused_are_refused_with_it_wherever_they_lie(
    workplace, owner, seed
):
    lines = ["F,family,,,"] + [f"V-{n},variant,Variant {n},F,Glaze {n}" for n in range(30)]
    lines[0] = f"F,family,{'long ' * 100},,"
    _, found = rehearse(
        workplace, owner, "products", shuffled("sku,kind,title,family,trait: Glaze", lines, seed)
    )
    assert verdicts(found) == ["refused"] * 31
    reasons = {row[1]: row[3] for row in found}
    assert "“Title”" in reasons["F"]
    row = next(row[0] for row in found if row[1] == "F")
    assert all(
        f"together with “F” in row {row}" in reason for sku, reason in reasons.items() if sku != "F"
    )


@pytest.mark.parametrize("seed", range(4))
def test_variants_in_a_file_of_families_may_lie_anywhere(workplace, owner, seed):
    lines = [f"F{n % 3},V-{n},Glaze {n},{n % 5} cm" for n in range(40)]
    text = shuffled("Family SKU,Variant SKU,trait: Glaze,trait: Size", lines, seed)
    job, found = rehearse(workplace, owner, "families", text)
    assert verdicts(found) == ["new"] * 40
    assert verdicts(carry(workplace, owner, job)) == ["done"] * 40
    assert {facts(workplace, f"V-{n}")["family"] for n in range(40)} == {"F0", "F1", "F2"}
    assert len(facts(workplace, "F0")["axes"][0][1]) == 14
    assert verdicts(carry(workplace, owner, job, "undo")) == ["taken back"] * 40
    assert facts(workplace, "V-7")["archived"] is True
    assert_sound(workplace)


@pytest.mark.parametrize("seed", range(4))
def test_kits_within_kits_may_lie_anywhere(workplace, owner, seed):
    products = "sku,title\n" + "\n".join(f"P-{n},Part {n}" for n in range(12)) + "\n"
    job, _ = rehearse(workplace, owner, "products", products)
    carry(workplace, owner, job)
    lines = [f"K-{n},P-{n},2" for n in range(12)] + [f"K-{n},K-{n - 1},1" for n in range(1, 5)]
    job, found = rehearse(workplace, owner, "kits", shuffled("kit,part,quantity", lines, seed))
    assert verdicts(found) == ["new"] * 16
    carry(workplace, owner, job)
    assert sorted(facts(workplace, "K-4")["parts"]) == [["K-3", 1], ["P-4", 2]]
    assert_sound(workplace)


def test_a_code_given_twice_far_apart_is_refused_the_second_time(workplace, owner):
    lines = [f"S-{n:02d},Thing {n}," for n in range(30)]
    lines[3], lines[28] = "S-03,Thing 3,4006381333931", "S-28,Thing 28,04006381333931"
    lines.append("s-05,Once more,")
    _, found = rehearse(workplace, owner, "products", "\n".join(["sku,title,gtin", *lines]) + "\n")
    wrong = {row[1]: row[3] for row in found if row[2] == "refused"}
    assert set(wrong) == {"S-28", "s-05"}
    assert "S-03" in wrong["S-28"]
    assert "row 7 already" in wrong["s-05"]


def test_two_that_swap_their_codes_far_apart_say_so(workplace, owner):
    text = "sku,title,gtin\nA,First,4006381333931\nB,Second,036000291452\n"
    job, _ = rehearse(workplace, owner, "products", text)
    carry(workplace, owner, job)
    lines = ["A,036000291452", *(f"A-{n}," for n in range(12)), "B,4006381333931"]
    _, found = rehearse(workplace, owner, "products", "\n".join(["sku,gtin", *lines]) + "\n")
    wrong = {row[1]: row[3] for row in found if row[2] == "refused"}
    assert set(wrong) == {"A", "B"}, "each number is the other's until it is given up"
    assert "GTIN of B" in wrong["A"]


def test_what_names_a_row_that_is_refused_is_refused_with_it_however_far(workplace, owner):
    lines = [
        "K,kit,A set,",
        *(f"S-{n},single,Thing {n}," for n in range(25)),
        "BAD,single,Thing,12",
    ]
    job, found = rehearse(
        workplace, owner, "products", "\n".join(["sku,kind,title,gtin", *lines]) + "\n"
    )
    assert verdicts(found).count("refused") == 1
    carry(workplace, owner, job)
    kits = "kit,part,quantity\n" + "".join(
        f"K-{n},{'BAD' if n == 9 else f'S-{n}'},1\n" for n in range(10)
    )
    kits += "OUTER,K-9,1\nOUTER,K-1,1\n"
    _, found = rehearse(workplace, owner, "kits", kits)
    wrong = {row[1] for row in found if row[2] == "refused"}
    assert wrong == {"K-9", "OUTER"}


def test_a_job_stopped_after_any_chunk_ends_the_same(workplace, owner):
    lines = "\n".join(f"S-{n:02d},Thing {n},{n + 1}.50" for n in range(23))
    job, _ = rehearse(workplace, owner, "products", f"sku,title,cost\n{lines}\n")
    move_job(workplace, owner, job, "apply")
    for allowed in range(1, 9):
        chunks = iter([False] * allowed + [True])
        work_next(workplace, stopped=lambda chunks=chunks: next(chunks, True))
        with workplace.database.reading() as session:
            done = job_rows(session, job_id=job)[0].done
        assert done == sum(row[2] == "done" for row in rows(workplace, job))
        if state(workplace, job) == "ended":
            break
    assert verdicts(rows(workplace, job)) == ["done"] * 23
    assert facts(workplace, "S-22")["cost"] == 2350
    assert_sound(workplace)


@pytest.mark.parametrize(
    ("module", "column", "keeps", "kept"),
    [("rehearse", "kind", "add_rows", add_rows), ("plain", "title", "add_block", add_block)],
)
def test_a_rehearsal_begun_anew_leaves_no_rows_behind(
    workplace, owner, monkeypatch, module, column, keeps, kept
):
    text = f"sku,{column}\n" + "".join(f"S-{n:02d},single\n" for n in range(40))
    job = receive_file(workplace, owner, NewFile("products", "goods.csv", text.encode()))
    calls = []

    def breaks_once(*told):
        calls.append(told)
        if len(calls) == 3:
            raise KeyboardInterrupt  # the worker is killed while it writes its verdicts down
        kept(*told)

    monkeypatch.setattr(f"relvan.services.imports.{module}.{keeps}", breaks_once)
    with pytest.raises(KeyboardInterrupt):
        work_next(workplace)
    assert state(workplace, job) == "reading"
    assert 0 < len(rows(workplace, job)) < 40
    work(workplace)
    assert verdicts(rows(workplace, job)) == ["new"] * 40


def test_rows_that_follow_get_the_verdict_of_the_one_that_leads(workplace, owner):
    lines = ["sku,title", *(f"P-{n},Part" for n in range(9))]
    job, _ = rehearse(workplace, owner, "products", "\n".join(lines) + "\n")
    carry(workplace, owner, job)
    job, _ = rehearse(
        workplace,
        owner,
        "kits",
        "kit,part,quantity\n" + "".join(f"KIT,P-{n},1\n" for n in range(9)),
    )
    with workplace.database.reading() as session:
        kept = job_verdicts(session, job, limit=100)
        assert [row.leader for row in kept] == [None] + [2] * 8
        assert [row.change is not None for row in kept] == [True] + [False] * 8
    assert verdicts(carry(workplace, owner, job)) == ["done"] * 9
    with workplace.database.reading() as session:
        assert job_rows(session, job_id=job)[0].done == 9


def test_counts_are_written_some_at_a_time_and_one_refused_stops_no_other(
    workplace, owner, monkeypatch
):
    monkeypatch.setattr("relvan.services.bulk.work.COUNTED", 4)
    for n in range(10):
        add_pot(workplace, owner, f"PT-{n}", units=5)
    text = "sku,warehouse,counted\n" + "".join(f"PT-{n},millrace,{n}\n" for n in range(10))
    job, found = rehearse(workplace, owner, "stock-counts", text)
    assert verdicts(found) == ["changes"] * 5 + ["same"] + ["changes"] * 4
    count(workplace, owner, "PT-2", 1)  # somebody counts in between
    move_job(workplace, owner, job, "apply")
    chunks = iter([False, True])
    work_next(workplace, stopped=lambda: next(chunks, True))
    assert verdicts(rows(workplace, job))[:4] == ["done", "done", "refused", "done"], (
        "the first chunk is whole"
    )
    assert verdicts(rows(workplace, job))[6] == "changes", "the worker was stopped after it"
    work(workplace)
    after = rows(workplace, job)
    assert verdicts(after) == [
        "done",
        "done",
        "refused",
        "done",
        "done",
        "same",
        "done",
        "done",
        "done",
        "done",
    ]
    assert "counted is now “1”" in after[2][3]
    assert [availability(workplace, f"PT-{n}").free for n in range(10)] == [
        0,
        1,
        1,
        3,
        4,
        5,
        6,
        7,
        8,
        9,
    ]
    with workplace.database.reading() as session:
        assert job_rows(session, job_id=job)[0].done == 8
    assert verdicts(carry(workplace, owner, job, "undo")).count("taken back") == 8
    assert availability(workplace, "PT-9").free == 5
    assert_sound(workplace)


def test_an_order_that_waited_is_served_by_a_file_of_counts(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=1)
    to = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL", "ada@example.com")
    number = take_manual_order(
        workplace, owner, (IncomingLine("", "PT-14", "Pot", 3, 1690),), to, paid=True
    )
    assert [(row.number, row.tray) for row in orders(workplace)] == [(number, "short")]
    job, _ = rehearse(workplace, owner, "stock-counts", "sku,warehouse,counted\nPT-14,millrace,4\n")
    assert verdicts(carry(workplace, owner, job)) == ["done"]
    assert [(row.number, row.tray) for row in orders(workplace)] == [(number, "inbox")]
    assert availability(workplace, "PT-14").free == 1
    assert_sound(workplace)


def test_a_file_of_counts_needs_the_right_of_the_stock(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=1)
    lister = Actor(3, "Lister", Role.CATALOGUE, "hand")
    with pytest.raises(Refused) as refused:
        receive_file(
            workplace,
            lister,
            NewFile("stock-counts", "a.csv", b"sku,warehouse,counted\nPT-14,millrace,4\n"),
        )
    assert refused.value.first.code == "not-allowed"
