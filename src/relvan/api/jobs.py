"""Bulk jobs over HTTP."""

import csv
import io
from typing import Any

from fastapi.responses import Response

from relvan.api.desk import By, Caller, Cursor, Limit, api_router, page_of
from relvan.core.refusal import not_found
from relvan.store.listings import job_rows, job_verdicts

router = api_router(tags=["bulk jobs"])


def job_shape(by: Caller, job_id: int) -> dict[str, Any]:
    """A bulk job as the API says it."""
    with by.workplace.database.reading() as session:
        found = job_rows(session, job_id=job_id)
    if not found:
        raise not_found("bulk job", job_id)
    job = found[0]
    return {
        "id": job.id,
        "kind": job.kind,
        "title": job.title,
        "state": job.state,
        "total": job.total,
        "done": job.done,
        "refused": job.refused,
        "created_at": job.created_at.isoformat(),
        "ended_at": job.ended_at.isoformat() if job.ended_at else None,
    }


@router.get("/bulk-jobs/{job_id}")
def get_job(by: By, job_id: int) -> dict[str, Any]:
    """How far a bulk job has come."""
    return job_shape(by, job_id)


@router.get("/bulk-jobs/{job_id}/rows")
def get_rows(by: By, job_id: int, limit: Limit = 50, after: Cursor = 0) -> dict[str, Any]:
    """The verdict on each row."""
    job_shape(by, job_id)
    with by.workplace.database.reading() as session:
        rows, following = page_of(
            job_verdicts(session, job_id, after=after, limit=limit + 1), limit, lambda row: row.position
        )
    items = [
        {
            "row": row.position,
            "subject": row.subject,
            "listing": row.listing_id,
            "verdict": row.verdict,
            "reason": row.reason,
        }
        for row in rows
    ]
    return {"items": items, "next": following}


@router.get("/bulk-jobs/{job_id}/result.csv")
def get_result(by: By, job_id: int) -> Response:
    """Every row with its verdict, as CSV; nothing in it is a formula."""
    job_shape(by, job_id)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["row", "subject", "verdict", "reason"])
    with by.workplace.database.reading() as session:
        for row in job_verdicts(session, job_id, limit=100_000):
            writer.writerow([row.position, *(_plain(text) for text in (row.subject, row.verdict, row.reason))])
    return Response(out.getvalue(), media_type="text/csv")


def _plain(text: str) -> str:
    return f"'{text}" if text.startswith(("=", "+", "-", "@", "\t", "\r")) else text
