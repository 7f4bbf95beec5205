"""Takes what phones have scanned, each once and in order, also when it is sent again."""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.people.roles import Right
from relvan.core.picking.scans import PhoneScan
from relvan.core.refusal import Refused
from relvan.services.picking.elsewhere import send_from_elsewhere
from relvan.services.picking.lists import record_pick
from relvan.services.picking.undo import undo_pick
from relvan.services.workplace import Actor, Workplace
from relvan.store.dispatch import pick_list_by_id
from relvan.store.scans import known_scans, note_scan


@dataclass(frozen=True)
class TakenScan:
    """A scan that was taken; `said` is why it could not be done, or empty."""

    key: str
    said: str


def take_scans(
    workplace: Workplace, actor: Actor, pick_list_id: int, scans: Sequence[PhoneScan]
) -> list[TakenScan]:
    """Does what was scanned on a phone, in order; returns an answer for each. What was taken before
    under the same key is answered as then and not done again."""
    actor.must(Right.DISPATCH)
    with workplace.database.reading() as session:
        pick_list_by_id(session, pick_list_id)
        before = known_scans(session, [scan.key for scan in scans])
    answers = []
    for scan in scans:
        if scan.key not in before:
            before[scan.key] = _take(workplace, actor, pick_list_id, scan)
        answers.append(TakenScan(scan.key, before[scan.key]))
    return answers


def _take(workplace: Workplace, actor: Actor, pick_list_id: int, scan: PhoneScan) -> str:
    said = ""
    try:
        if scan.kind == "pick":
            code = scan.code or None
            record_pick(workplace, actor, pick_list_id, scan.pick, scan.quantity, code)
        elif scan.kind == "undo":
            undo_pick(workplace, actor, pick_list_id, scan.pick)
        elif scan.kind == "elsewhere":
            send_from_elsewhere(workplace, actor, pick_list_id, scan.pick, scan.code)
    except Refused as refused:
        said = f"{refused.first.message} {refused.first.fix}".strip()
    with workplace.database.writing() as session:
        note_scan(
            session,
            {
                "key": scan.key,
                "pick_list_id": pick_list_id,
                "pick_id": scan.pick,
                "person_id": actor.person_id,
                "kind": scan.kind,
                "said": said,
                "scanned_at": scan.at,
                "at": workplace.now(),
            },
        )
    return said
