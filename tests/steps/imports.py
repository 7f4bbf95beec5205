"""Holds steps of tests about imports."""

from relvan.core.catalogue.facts import Facts
from relvan.services.imports.receive import NewFile, receive_file
from relvan.services.jobs.life import move_job
from relvan.store.catalogue import find_product
from relvan.store.facts import facts_by_id
from relvan.store.job_rows import job_verdicts
from relvan.store.jobs import job_rows
from tests.house import work


def rehearse(workplace, owner, kind, content, name="file.csv", **more):
    """Imports a file up to its rehearsal; returns the job's id and (position, subject, verdict,
    reason) by row."""
    data = content.encode() if isinstance(content, str) else content
    job = receive_file(workplace, owner, NewFile(kind, name, data), **more)
    work(workplace)
    return job, rows(workplace, job)


def rows(workplace, job):
    with workplace.database.reading() as session:
        found = job_verdicts(session, job, limit=10_000)
        return [
            (row.position, row.subject, row.verdict, row.reason)
            for row in found
            if row.position > 0
        ]


def verdicts(found):
    return [row[2] for row in found]


def state(workplace, job):
    with workplace.database.reading() as session:
        return job_rows(session, job_id=job)[0].state


def carry(workplace, owner, job, event="apply"):
    move_job(workplace, owner, job, event)
    work(workplace)
    return rows(workplace, job)


def facts(workplace, sku) -> Facts:
    with workplace.database.reading() as session:
        product = find_product(session, sku)
        return facts_by_id(session, [product.id])[product.id]
