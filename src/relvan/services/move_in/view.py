"""What a page or the API shows of a move: its proposal with what each listing says, the questions,
and how prices come about.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from relvan.core.catalogue.product import ProductKind
from relvan.core.prices.steps import steps_from
from relvan.core.prices.told import told_steps
from relvan.services.move_in.decisions import STEPS, Decided
from relvan.store.channels import channels
from relvan.store.move_in import ProposedRow, findings_with_ids, proposed_rows
from relvan.store.session import Session
from relvan.store.tables import BulkJob, Channel, Finding


@dataclass(frozen=True)
class ShownMember:
    """One listing of a proposed product: what the channel shows, and by what it was joined."""

    found: Finding
    channel: Channel
    by: str
    percent: int


@dataclass(frozen=True)
class ShownProposal:
    """One proposed product with its listings; `conflicts` has, by detail, (value, channels)."""

    row: ProposedRow
    members: Sequence[ShownMember]
    conflicts: Mapping[str, Sequence[tuple[Any, Sequence[str]]]]
    fact: Mapping[str, Any]

    @property
    def is_family(self) -> bool:
        """Whether it is a family."""
        return bool(self.row.more["kind"] == ProductKind.FAMILY)


@dataclass(frozen=True)
class ShownQuestion:
    """Two listings that may be the same goods."""

    first: ShownMember
    second: ShownMember
    by: str
    percent: int

    @property
    def pair(self) -> str:
        """The pair as a form names it."""
        return f"{self.first.found.id}-{self.second.found.id}"


@dataclass(frozen=True)
class ShownPrices:
    """How the prices of one channel come about, in words; `right` of `of` prices follow exactly."""

    channel: Channel
    words: str
    how: str
    base: bool
    right: int
    of: int
    could: str


def proposals_shown(
    session: Session, job_id: int, *, only: str = "", after: int = 0, limit: int = 50
) -> list[ShownProposal]:
    """Returns proposed products with what their listings say, with a handful of queries."""
    rows = proposed_rows(session, job_id, only=only, after=after, limit=limit)
    ids = {member[0] for row in rows for member in row.more["listings"]}
    found, there = findings_with_ids(session, ids), _by_id(session)
    shown = []
    for row in rows:
        members = [
            ShownMember(found[member], there[found[member].channel_id], by, percent)
            for member, by, percent in row.more["listings"]
            if member in found
        ]
        fact = {name: pair[1] for name, pair in (row.change or {}).items()}
        shown.append(ShownProposal(row, members, row.more["conflicts"], fact))
    return shown


def listings_named(session: Session, job_id: int, names: Sequence[int]) -> list[int]:
    """Returns the listings of proposed products, which are named by the lowest id among them."""
    wanted, found, after = set(names), [], 0
    while rows := proposed_rows(session, job_id, after=after, limit=1_000):
        after = rows[-1].position
        for row in rows:
            if row.more["name"] in wanted:
                found += [member[0] for member in row.more["listings"]]
    return found


def questions_shown(session: Session, job: BulkJob, limit: int) -> list[ShownQuestion]:
    """Returns the pairs of which a person is asked, the most alike first."""
    asked = sorted(job.spec.get("questions", ()), key=lambda one: -one[3])[:limit]
    found = findings_with_ids(session, {one for pair in asked for one in pair[:2]})
    there = _by_id(session)

    def member(one: int, by: str, percent: int) -> ShownMember:
        return ShownMember(found[one], there[found[one].channel_id], by, percent)

    return [
        ShownQuestion(member(first, by, percent), member(second, by, percent), by, percent)
        for first, second, by, percent in asked
        if first in found and second in found
    ]


def prices_shown(session: Session, job: BulkJob) -> list[ShownPrices]:
    """Returns how the prices of each channel come about."""
    plan = job.spec.get("prices")
    if not plan:
        return []
    there = {channel.key: channel for channel in channels(session)}
    currency = there[plan["base"]].currency if plan["base"] in there else "EUR"
    shown = []
    for key, told in plan["channels"].items():
        if key not in there:
            continue
        could = told_steps(steps_from(told.get("steps", ())), currency)
        if told.get("base"):
            words = f"its prices become the list prices, on “{told['list']}”"
        elif told["how"] == STEPS:
            words = could
        else:
            words = f"a price list of its own, “{told['list']}”"
        shown.append(
            ShownPrices(
                there[key],
                words,
                told["how"],
                bool(told.get("base")),
                told.get("right", 0),
                told.get("of", 0),
                could,
            )
        )
    return shown


def decided_of(job: BulkJob) -> Decided:
    """Returns what was decided about a move."""
    return Decided.read(job.spec)


def _by_id(session: Session) -> dict[int, Channel]:
    return {channel.id: channel for channel in channels(session)}
