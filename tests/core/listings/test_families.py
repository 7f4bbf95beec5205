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
    assert {*plan.going, *plan.kept} == {member.id for member in told}
    assert not ({*plan.going} & {*plan.kept})
    if plan.head_goes:
        assert not head_gaps
        assert plan.going
        assert all(not member.gaps for member in told if member.id in plan.going)
        assert leave_out or not plan.kept
        assert all(not member.must for member in told if member.id in plan.kept)
    else:
        assert plan.reason
        assert not plan.going
