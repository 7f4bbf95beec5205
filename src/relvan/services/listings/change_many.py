"""Changing what many listings say of their own: rehearsed as a bulk job, then applied and, if need be, undone."""

from collections.abc import Mapping

from sqlalchemy.orm import Session

from relvan.core.imports.kinds import FileKind
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse, refuse_if_any
from relvan.services.jobs.life import open_background_job
from relvan.services.listings.draft import check_value
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channels
from relvan.store.imports import NewRow, add_rows, count_verdicts
from relvan.store.listings import spoken_by_id


def rehearse_values(
    workplace: Workplace, actor: Actor, title: str, wanted: Mapping[int, Mapping[str, str]], *, back: str = ""
) -> int:
    """Open the bulk job that would give listings values of their own, with old and new for each; return its id.

    Nothing is changed until the job is applied. `back` is the page to which the job's page leads afterwards.

    Raises:
        Refused: if no listing is named, or a value cannot be taken by any of them.
    """
    actor.must(Right.LISTINGS)
    if not wanted:
        raise refuse("missing", "No listing is chosen.", "Tick some, or all that match.", "pick")
    with workplace.database.writing() as session:
        rows = _rows(session, workplace, wanted)
        spec = {"kind": str(FileKind.LISTINGS), "back": back}
        job = open_background_job(session, workplace, actor, "change", title, "rehearsed", spec)
        job.total = len(rows)
        add_rows(session, job.id, rows)
        session.flush()
        job.counts = count_verdicts(session, job.id)
        job.refused = job.counts.get("refused", 0)
        return job.id


def _rows(session: Session, workplace: Workplace, wanted: Mapping[int, Mapping[str, str]]) -> list[NewRow]:
    found = spoken_by_id(session, list(wanted))
    books = {channel.id: workplace.rulebook(channel) for channel in channels(session)}
    refuse_if_any(
        refusal
        for listing_id, channel_id in {
            (listing_id, found[listing_id][0]) for listing_id in wanted if listing_id in found
        }
        for name, value in wanted[listing_id].items()
        for refusal in check_value(books[channel_id].field(name), name, value)
    )
    rows: list[NewRow] = []
    for listing_id, values in wanted.items():
        if listing_id not in found:
            rows.append(NewRow(len(rows) + 1, str(listing_id), "refused", "There is no such listing any more."))
            continue
        _, listing = found[listing_id]
        for name, value in values.items():
            old = listing.own.get(name, "")
            change = {"value": [old, value], "field": [name, name], "listing": [listing_id, listing_id]}
            same = old == value
            rows.append(
                NewRow(len(rows) + 1, listing.sku, "same" if same else "changes", change=None if same else change)
            )
    return rows
