"""The result of a bulk job as a file: the rows as they were, with verdict and reason, to be
corrected and imported again."""

from collections.abc import Iterator, Sequence
from typing import Any

from relvan.core.imports.cells import plain_text
from relvan.core.imports.mapping import headings_of
from relvan.documents.tables import first_rows, rows_of, write_csv
from relvan.services.imports.receive import table_of
from relvan.services.jobs.life import find_job
from relvan.services.workplace import Workplace
from relvan.store.job_rows import subjects_of, verdicts_by_position

VERDICT = ("Verdict", "Reason")


def result_file(workplace: Workplace, job_id: int) -> Iterator[bytes]:
    """Returns the file piece by piece. When it is imported again, verdict and reason are skipped."""
    with workplace.database.reading() as session:
        job = find_job(session, job_id)
        verdicts = verdicts_by_position(session, job_id)
        subjects = subjects_of(session, job_id)
    spec = job.spec
    if job.kind != "import" or not spec.get("file"):
        rows = ([n, subject, *verdicts[n]] for n, subject in subjects if n > 0)
        return write_csv(["Row", "Subject", *VERDICT], rows)
    table = table_of(workplace, spec)
    headings = headings_of(first_rows(table), spec["header"])
    return write_csv([*headings, *VERDICT], _result_rows(workplace, spec, verdicts, len(headings)))


def _result_rows(
    workplace: Workplace, spec: dict[str, Any], verdicts: dict[int, tuple[str, str]], width: int
) -> Iterator[Sequence[Any]]:
    with rows_of(table_of(workplace, spec)) as rows:
        for number, cells in enumerate(rows, 1):
            if number in verdicts:
                texts = [plain_text(cell) for cell in cells][:width]
                yield [*texts, *([""] * (width - len(texts))), *verdicts[number]]
