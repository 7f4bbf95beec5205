"""Changes the own values of many listings: rehearsed as a bulk job, then applied, and undone if
need be."""

from collections.abc import Mapping

from relvan.core.imports.columns import FileKind
from relvan.core.jobs.life import JobState, JobVerdict
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse, refuse_if_any
from relvan.services.jobs.life import NewJob, open_background_job
from relvan.services.listings.draft import check_value
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channels
from relvan.store.job_rows import NewRow, add_rows, count_verdicts
from relvan.store.listings import spoken_by_id
from relvan.store.session import Session


def rehearse_values(
    workplace: Workplace,
    actor: Actor,
    title: str,
    wanted: Mapping[int, Mapping[str, str]],
    *,
    back: str = "",
) -> int:
    """Opens the bulk job that would give listings values of their own, with old and new for each;
    returns its id.

    Nothing is changed until the job is applied. `back` is the page that the job's page leads back
    to.

    Raises:
        Refused: if no listing is named, or none of them can take a value.
    """
    actor.must(Right.LISTINGS)
    if not wanted:
        raise refuse("missing", "No listing is chosen.", "Tick some, or all that match.", "pick")
    with workplace.database.writing() as session:
        rows = _change_rows(session, workplace, wanted)
        spec = {"kind": str(FileKind.LISTINGS), "back": back}
        job = open_background_job(
            session, workplace, actor, NewJob("change", title, JobState.REHEARSED, spec)
        )
        job.total = len(rows)
        add_rows(session, job.id, rows)
        session.flush()
        job.counts = count_verdicts(session, job.id)
        job.refused = job.counts.get(JobVerdict.REFUSED, 0)
        return job.id


def _change_rows(
    session: Session, workplace: Workplace, wanted: Mapping[int, Mapping[str, str]]
) -> list[NewRow]:
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
            rows.append(
                NewRow(
                    len(rows) + 1,
                    str(listing_id),
                    JobVerdict.REFUSED,
                    "There is no such listing any more.",
                )
            )
            continue
        _, listing = found[listing_id]
        for name, value in values.items():
            old = listing.own.get(name, "")
            change = {
                "value": [old, value],
                "field": [name, name],
                "listing": [listing_id, listing_id],
            }
            same = old == value
            rows.append(
                NewRow(
                    len(rows) + 1,
                    listing.sku,
                    "same" if same else "changes",
                    change=None if same else change,
                )
            )
    return rows
