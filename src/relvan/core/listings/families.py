"""A family is published as one page: this module says which of its listings may be sent, and why
the others may not. See docs/rules.md, “Gaps and states”."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class FamilyMember:
    """One variant on a family's page: how many gaps it has, and whether the page needs it."""

    id: int
    sku: str
    gaps: int
    must: bool = False


@dataclass(frozen=True)
class FamilyPlan:
    """Whether the head is sent, which members are sent, and for all others why not."""

    head_goes: bool
    going: tuple[int, ...]
    kept: Mapping[int, str]
    reason: str = ""


def plan_family(
    head_gaps: int, first_gap: str, members: Sequence[FamilyMember], *, leave_out: bool
) -> FamilyPlan:
    """Returns which listings of a family are sent. A gap at the head, or at a variant that must be
    there, holds back all of them; gaps at other variants do so too, unless these are skipped by
    choice.

    >>> plan_family(0, "", [FamilyMember(1, "A", 0), FamilyMember(2, "B", 2)], leave_out=True).going
    (1,)
    """
    gapped = [member for member in members if member.gaps]
    must = [member for member in gapped if member.must]
    reason = ""
    if head_gaps:
        word = "gap keeps" if head_gaps == 1 else "gaps keep"
        reason = f"{head_gaps} {word} its page from going live: {first_gap}"
    elif must:
        reason = f"“{must[0].sku}” must be there and has {_gaps(must[0].gaps)}."
    elif len(gapped) == len(members):
        reason = "None of its variants is ready." if members else "No variant is listed under it."
    elif gapped and not leave_out:
        names = ", ".join(f"“{member.sku}”" for member in gapped[:3])
        more = f" and {len(gapped) - 3} more" if len(gapped) > 3 else ""
        reason = f"{names}{more} {'has' if len(gapped) == 1 else 'have'} gaps: mend them, or leave them out."
    if reason:
        return FamilyPlan(
            False, (), {member.id: f"Its family waits: {reason}" for member in members}, reason
        )
    kept = {member.id: f"Left out: {_gaps(member.gaps)}." for member in gapped}
    return FamilyPlan(True, tuple(member.id for member in members if not member.gaps), kept)


def _gaps(count: int) -> str:
    return f"{count} {'gap' if count == 1 else 'gaps'}"
