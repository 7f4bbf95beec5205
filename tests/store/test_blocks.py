"""Rows of a bulk job that are kept together are read, counted and settled as if each were by
itself."""

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from relvan.core.catalogue.plain import PlainRows
from relvan.store.blocks import add_block, next_block, settle_block
from relvan.store.job_rows import (
    NewRow,
    add_rows,
    count_verdicts,
    forget_rows,
    job_verdicts,
    subjects_of,
    verdicts_by_position,
)
from relvan.store.tables import BulkJob


@pytest.fixture
def job(workplace):
    with workplace.database.writing() as session:
        found = BulkJob(kind="import", title="Goods", state="rehearsed", created_at=workplace.now())
        session.add(found)
        session.flush()
        return found.id


def laid(positions, *, making=False):
    """Lays plain rows at these positions, each with a weight of ten times its position."""
    weights = [position * 10 for position in positions]
    old = {} if making else {"weight_g": [None] * len(positions)}
    return PlainRows(
        list(positions), [f"S-{position}" for position in positions], old, {"weight_g": weights}
    )


verdict = st.sampled_from(["new", "changes", "refused", "same"])


@settings(max_examples=40, suppress_health_check=list(HealthCheck))
@given(
    st.lists(st.lists(verdict, min_size=1, max_size=9), max_size=5),
    st.integers(1, 7),
    st.sampled_from(["", "new"]),
)
def test_pages_of_verdicts_do_not_tell_how_the_rows_are_kept(workplace, job, chunks, limit, only):
    said, first = {}, 2
    with workplace.database.writing() as session:
        forget_rows(session, job)
        for chunk in (
            chunks
        ):  # as a rehearsal keeps them: a block for each verdict, what is refused by itself
            numbered = dict(enumerate(chunk, first))
            for word in ("new", "changes", "same"):
                if places := [at for at, held in numbered.items() if held == word]:
                    add_block(session, job, word, laid(places, making=word == "new"))
            alone = [
                NewRow(at, f"S-{at}", "refused", "Why.")
                for at, held in numbered.items()
                if held == "refused"
            ]
            add_rows(session, job, alone)
            said |= numbered
            first += len(chunk)
    wanted = {at: word for at, word in said.items() if only in ("", word)}
    found, after = [], None
    with workplace.database.reading() as session:
        while page := job_verdicts(session, job, after=after, verdict=only, limit=limit):
            assert len(page) <= limit
            found += page
            after = page[-1].position
        assert [(row.position, row.verdict) for row in found] == sorted(wanted.items())
        assert all(
            row.change["weight_g"] == [None, row.position * 10]
            for row in found
            if row.verdict == "changes"
        )
        assert count_verdicts(session, job) == {
            word: list(said.values()).count(word) for word in said.values()
        }
        assert subjects_of(session, job) == [(at, f"S-{at}") for at in said]
        assert {at: word for at, (word, _) in verdicts_by_position(session, job).items()} == said


def test_a_row_with_a_verdict_of_its_own_leaves_its_block(workplace, job):
    with workplace.database.writing() as session:
        add_block(session, job, "changes", laid(range(2, 8)))
        block = next_block(session, job, ["new", "changes"])
        settle_block(session, block, "done", [0, 5])
        add_rows(
            session,
            job,
            [NewRow(at, f"S-{at}", "refused", "It has changed since.") for at in (2, 7)],
        )
    with workplace.database.reading() as session:
        assert next_block(session, job, ["new", "changes"]) is None
        found = [(row.position, row.verdict) for row in job_verdicts(session, job)]
        assert found == [
            (2, "refused"),
            (3, "done"),
            (4, "done"),
            (5, "done"),
            (6, "done"),
            (7, "refused"),
        ]
        assert [row.position for row in job_verdicts(session, job, after=5)] == [6, 7]


def test_a_block_that_nothing_is_left_of_is_gone_and_blocks_are_taken_back_from_the_last(
    workplace, job
):
    with workplace.database.writing() as session:
        for first in (2, 10, 20):
            add_block(session, job, "done", laid(range(first, first + 3)))
        last = next_block(session, job, ["done"], backwards=True)
        assert list(last.rows.positions) == [20, 21, 22]
        settle_block(session, last, "taken back", [0, 1, 2])
        assert list(next_block(session, job, ["done"], backwards=True).rows.positions) == [
            10,
            11,
            12,
        ]
        assert list(next_block(session, job, ["done"]).rows.positions) == [2, 3, 4]
    with workplace.database.reading() as session:
        assert count_verdicts(session, job) == {"done": 6}
