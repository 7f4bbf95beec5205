"""The agenda of the worker: the earliest time that was asked for counts, and nothing is forgotten
or done twice."""

from hypothesis import given
from hypothesis import strategies as st

from relvan.core.waking import SAFETY_S, Work
from relvan.worker.agenda import Agenda

TASKS = st.tuples(st.sampled_from(Work), st.integers(0, 3))


@given(
    asked=st.lists(st.tuples(TASKS, st.integers(0, 20)), max_size=30),
    looks=st.lists(st.integers(0, 25)),
)
def test_each_task_is_taken_once_at_the_earliest_time_asked_for(asked, looks):
    agenda, wanted = Agenda(), {}
    for task, at in asked:
        agenda.put(task, at)
        wanted[task] = min(at, wanted.get(task, at))
    taken = []
    for now in [*sorted(looks), 30]:
        following = agenda.next_at()
        assert following == min(
            (at for task, at in wanted.items() if task not in taken), default=None
        )
        found = agenda.take(now)
        assert all(wanted[task] <= now for task in found)
        taken += found
    assert sorted(taken) == sorted(wanted)
    assert agenda.next_at() is None


def test_what_was_taken_can_be_put_again():
    agenda = Agenda()
    agenda.put((Work.JOBS, 0), 1)
    assert agenda.take(1) == [(Work.JOBS, 0)]
    assert not agenda.knows((Work.JOBS, 0))
    agenda.put((Work.JOBS, 0), 2)
    assert (agenda.take(1), agenda.take(2)) == ([], [(Work.JOBS, 0)])


def test_whatever_a_signal_may_tell_is_also_found_by_looking():
    by_rulebook = {Work.READ, Work.LOOK}
    assert set(SAFETY_S) == set(Work) - by_rulebook
