"""A family is published as one: its head with the members that have no gaps."""

from hypothesis import given
from hypothesis import strategies as st

from relvan.core.listings.families import FamilyMember, plan_family


@given(
    st.lists(st.tuples(st.integers(0, 3), st.booleans()), max_size=6),
    st.integers(0, 2),
    st.booleans(),
)
def test_a_family_goes_as_one(members, head_gaps, leave_out):
    told = [
        FamilyMember(number, f"V{number}", gaps, must)
        for number, (gaps, must) in enumerate(members)
    ]
    plan = plan_family(head_gaps, "no shelf", told, leave_out=leave_out)
    ready = {member.id for member in told if not member.gaps}
    waiting = [member for member in told if member.gaps]
    goes = not head_gaps and bool(ready) and not any(member.must for member in waiting)
    goes = goes and (leave_out or not waiting)
    assert plan.head_goes is goes
    assert {*plan.going} == (ready if goes else set())
    assert plan.kept.keys() == {member.id for member in told} - {*plan.going}
    assert bool(plan.reason) is not goes
