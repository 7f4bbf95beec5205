"""Serves bulk jobs over HTTP."""

from typing import Any, Literal

from fastapi.responses import StreamingResponse

from relvan.api.desk import By, Caller, Cursor, Limit, api_router, gives_file, page_of
from relvan.core.imports.mapping import mapping_from
from relvan.core.refusal import not_found
from relvan.services.imports.result import result_file
from relvan.services.jobs.life import find_job, move_job
from relvan.store.job_rows import job_verdicts
from relvan.store.jobs import JobRow, job_rows

router = api_router(tags=["bulk jobs"])


def job_shape(by: Caller, job_id: int) -> dict[str, Any]:
    """Returns a bulk job as the API shows it; of a file that was read, also which field each column is,
    and null for those that are skipped."""
    with by.workplace.database.reading() as session:
        found = job_rows(session, job_id=job_id)
        if not found:
            raise not_found("bulk job", job_id)
        spec = find_job(session, job_id).spec if found[0].kind == "import" else {}
    shape = _job_shape(found[0])
    if mapped := mapping_from(spec.get("mapping") or []):
        shape["columns"] = [{"heading": one.heading, "field": one.name or None} for one in mapped]
    return shape


def _job_shape(job: JobRow) -> dict[str, Any]:
    return {
        "id": job.id,
        "kind": job.kind,
        "title": job.title,
        "state": job.state,
        "total": job.total,
        "done": job.done,
        "refused": job.refused,
        "counts": job.counts,
        "trouble": job.trouble,
        "created_at": job.created_at.isoformat(),
        "ended_at": job.ended_at.isoformat() if job.ended_at else None,
    }


@router.get("/bulk-jobs/{job_id}")
def get_job(by: By, job_id: int) -> dict[str, Any]:
    """Returns how far a bulk job has come."""
    return job_shape(by, job_id)


@router.get("/bulk-jobs/{job_id}/rows")
def get_rows(by: By, job_id: int, limit: Limit = 50, after: Cursor = 0) -> dict[str, Any]:
    """Returns the verdict on each row."""
    job_shape(by, job_id)
    with by.workplace.database.reading() as session:
        rows, following = page_of(
            job_verdicts(session, job_id, after=after, limit=limit + 1),
            limit,
            lambda row: row.position,
        )
    items = [
        {
            "row": row.position,
            "subject": row.subject,
            "listing": row.listing_id,
            "verdict": row.verdict,
            "reason": row.reason,
            "change": row.change,
        }
        for row in rows
    ]
    return {"items": items, "next": following}


@router.get("/bulk-jobs/{job_id}/result.csv", **gives_file("text/csv"))
def get_result(by: By, job_id: int) -> StreamingResponse:
    """Returns every row as it came, with its verdict and the reason, so that it can be corrected
    and sent again.
    """
    job_shape(by, job_id)
    return StreamingResponse(
        result_file(by.workplace, job_id), media_type="text/csv; charset=utf-8"
    )


@router.get("/bulk-jobs")
def list_jobs(by: By) -> dict[str, Any]:
    """Returns the last bulk jobs."""
    with by.workplace.database.reading() as session:
        found = job_rows(session)
    return {"items": [_job_shape(job) for job in found]}


@router.post("/bulk-jobs/{job_id}/{event}", status_code=202)
def post_event(
    by: By, job_id: int, event: Literal["apply", "undo", "rehearse", "drop"]
) -> dict[str, Any]:
    """Applies a rehearsed job, undoes one that has ended, rehearses one again, or cancels it."""
    move_job(by.workplace, by.actor, job_id, event)
    return job_shape(by, job_id)
