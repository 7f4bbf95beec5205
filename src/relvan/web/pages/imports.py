"""Serves the pages of import and export: choosing a file, saying which column is what, and looking
at the rehearsal.
"""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import (
    FileResponse,
    HTMLResponse,
    RedirectResponse,
    Response,
    StreamingResponse,
)
from starlette.concurrency import run_in_threadpool

from relvan.core.imports.cells import UNITS, plain_text
from relvan.core.imports.kinds import KINDS, ORDER
from relvan.core.orders.trays import Tray
from relvan.core.refusal import Refusal, Refused, not_found, refuse
from relvan.services.bulk.take_out import TakenOut, columns_for, template
from relvan.services.imports.mappings import drop_mapping, keep_mapping
from relvan.services.imports.receive import (
    MOST_BYTES,
    NewFile,
    change_mapping,
    look_at,
    read_options,
    receive_file,
)
from relvan.services.imports.result import result_file
from relvan.services.jobs.life import find_job, move_job
from relvan.store.imports import mappings
from relvan.store.jobs import job_rows
from relvan.web.desk import At, Desk, Form, PostedForm, first_by_field
from relvan.web.reading import FormReader

router = APIRouter()
ENCODINGS = (
    "utf-8",
    "utf-8-sig",
    "utf-16",
    "cp1252",
    "cp1250",
    "cp1251",
    "iso8859-15",
    "mac_roman",
)
DELIMITERS = ((",", "comma"), (";", "semicolon"), ("\t", "tab"), ("|", "bar"))


def _imports_page(desk: Desk, *, status: int = 200, **values: Any) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        jobs = [job for job in job_rows(session) if job.kind in ("import", "change")][:12]
        kept = mappings(session)
    samples = desk.workplace.sample_files()
    return desk.page(
        "imports/index.html",
        "catalogue",
        status=status,
        kinds=KINDS.values(),
        jobs=jobs,
        kept=kept,
        samples=samples,
        order=[(KINDS[kind], words) for kind, words in ORDER],
        **{"errors": {}, "typed": {}, "refusals": (), **values},
    )


@router.get("/imports", name="import_index")
def import_index(desk: At, kind: str = "products") -> HTMLResponse:
    """Shows where files are imported and exported."""
    return _imports_page(desk, typed={"kind": kind})


@router.post("/imports", name="import_create")
async def import_create(desk: At, form: Form) -> Response:
    """Takes a file and shows what it holds."""
    files = [(file.filename or "", await file.read(MOST_BYTES + 1)) for file in form.files("file")]
    return await run_in_threadpool(_received, desk, form, files)


def _received(desk: Desk, form: PostedForm, files: list[tuple[str, bytes]]) -> Response:
    try:
        if not files:
            raise Refused(
                Refusal(
                    "missing", "No file was chosen.", "Choose a CSV, XLSX, XLS or ODS file.", "file"
                )
            )
        job = receive_file(
            desk.workplace,
            desk.actor,
            NewFile(form.get("kind", ""), *files[0]),
            mapping=form.get("mapping") or None,
            options=_options(form),
            rehearse=False,
        )
    except Refused as refused:
        errors = first_by_field(refused.refusals)
        return _imports_page(
            desk, status=422, typed=dict(form), errors=errors, refusals=refused.refusals
        )
    return RedirectResponse(f"/imports/{job}", 303)


def _options(form: PostedForm) -> dict[str, Any]:
    return {
        "create": form.get("create", "yes") == "yes",
        "members": form.get("members", "add"),
        "clear": form.get("clear") == "yes",
        "tray": form.get("tray", ""),
        "payments": form.get("payments", ""),
    }


@router.get("/imports/templates/{kind}.{form}", name="import_template")
def import_template(desk: At, kind: str, form: str) -> StreamingResponse:
    """Returns an example file of a kind."""
    return send_file(template(desk.workplace, kind, form))


def send_file(taken: TakenOut) -> StreamingResponse:
    """Returns a file as the answer."""
    head = {"Content-Disposition": f'attachment; filename="{taken.name}"'}
    return StreamingResponse(taken.content, media_type=taken.media, headers=head)


@router.get("/imports/samples/{name}", name="import_sample")
def import_sample(desk: At, name: str) -> FileResponse:
    """Returns a sample file of the demo."""
    path = desk.workplace.sample_files().get(name)
    if path is None:
        raise not_found("sample", name)
    return FileResponse(path, filename=name)


@router.get("/imports/{job_id:int}", name="import_map")
def import_map(desk: At, job_id: int) -> Response:
    """Shows which column is which field."""
    return _map(desk, job_id)


def _map(
    desk: Desk, job_id: int, *, status: int = 200, spec: dict[str, Any] | None = None, **values: Any
) -> Response:
    with desk.workplace.database.reading() as session:
        job = find_job(session, job_id)
        if job.kind != "import":
            raise not_found("import", job_id)
        kept = mappings(session, job.spec["kind"])
    seen = look_at(desk.workplace, spec or job.spec)
    samples = [[plain_text(cell) for cell in row] for row in seen.samples[:4]]
    columns = columns_for(desk.workplace, seen.kind)
    mapped = (seen.kind.column(column.name) for column in seen.mapping if column.name)
    known = [*columns, *(column for column in mapped if column is not None)]
    return desk.page(
        "imports/map.html",
        "catalogue",
        status=status,
        job=job,
        seen=seen,
        samples=samples,
        kept=kept,
        trays=_first_trays(desk),
        columns=columns,
        forms={column.name: column.form for column in known},
        units={column.name: list(UNITS[column.unit]) for column in known if column.unit in UNITS},
        encodings=ENCODINGS,
        delimiters=DELIMITERS,
        **{"errors": {}, "refusals": (), **values},
    )


def _first_trays(desk: Desk) -> list[tuple[str, tuple[str, str]]]:
    """Returns the trays in which orders of a file can begin, as (key, (name, hue))."""
    names = desk.workplace.tray_names()
    return [(key, told) for key, told in names.items() if key != Tray.CANCELLED]


def _typed_spec(desk: Desk, job_id: int, form: PostedForm) -> dict[str, Any]:
    """Returns what the mapping page says of a file."""
    with desk.workplace.database.reading() as session:
        spec = dict(find_job(session, job_id).spec)
    form_changed = any(
        form.get(name, "") != str(spec.get(name, "")) for name in ("sheet", "encoding", "delimiter")
    )
    read = FormReader(form)
    row = read.whole("header", "Row with the headings")
    read.raise_if_refused()
    if row is not None and row < 1:
        message = f"“Row with the headings” must be 1 or more; it got {row}."
        raise refuse("out-of-range", message, "Rows count from 1.", "header")
    changed = form_changed or (row is not None and row - 1 != spec["header"])
    found: dict[str, Any] = {
        "sheet": form.get("sheet", ""),
        "encoding": form.get("encoding", ""),
        "delimiter": form.get("delimiter", ""),
        "header": row - 1 if row is not None else None,
        "options": read_options(_options(form)),
    }
    lines = zip(
        form.all("heading"),
        form.all("name"),
        form.all("decimal"),
        form.all("dates"),
        form.all("unit"),
        form.all("constant"),
        strict=False,
    )
    mapping = [
        {"heading": h, "name": n, "decimal": d, "dates": t, "unit": u, "constant": c}
        for h, n, d, t, u, c in lines
    ]
    if form_changed:
        found["header"] = None
    return {**spec, **found, "mapping": form.get("kept") or (None if changed else mapping)}


@router.post("/imports/{job_id:int}/look", name="import_look")
def import_look(desk: At, form: Form, job_id: int) -> Response:
    """Shows the file as it would be read now; nothing is rehearsed yet."""
    try:
        spec = look_at(desk.workplace, _typed_spec(desk, job_id, form)).spec
    except Refused as refused:
        return _map(
            desk,
            job_id,
            status=422,
            refusals=refused.refusals,
            errors=first_by_field(refused.refusals),
        )
    return _map(desk, job_id, spec=spec)


@router.post("/imports/{job_id:int}", name="import_rehearse")
def import_rehearse(desk: At, form: Form, job_id: int) -> Response:
    """Rehearses the file by this mapping, and saves the mapping when it was given a name."""
    spec = _typed_spec(desk, job_id, form)
    try:
        seen = look_at(desk.workplace, spec)
        if form.get("keep_as", "").strip():
            keep_mapping(
                desk.workplace,
                desk.actor,
                spec["kind"],
                form.get("keep_as", ""),
                seen.spec["mapping"],
            )
        change_mapping(desk.workplace, desk.actor, job_id, seen.spec)
    except Refused as refused:
        errors = first_by_field(refused.refusals)
        return _map(desk, job_id, status=422, spec=spec, errors=errors, refusals=refused.refusals)
    return RedirectResponse(f"/jobs/{job_id}", 303)


@router.post("/mappings/drop", name="mapping_drop")
def mapping_drop(desk: At, form: Form) -> Response:
    """Deletes a saved mapping."""
    drop_mapping(desk.workplace, desk.actor, form.get("name", ""))
    return desk.done("/imports", f"The mapping {form.get('name', '')} is forgotten.")


@router.get("/jobs/{job_id:int}/result.csv", name="job_result")
def job_result(desk: At, job_id: int) -> StreamingResponse:
    """Returns every row with its verdict, as a file."""
    taken = TakenOut(
        f"job-{job_id}-result.csv", "text/csv; charset=utf-8", result_file(desk.workplace, job_id)
    )
    return send_file(taken)


@router.post("/jobs/{job_id:int}/{event}", name="job_move")
def job_move(desk: At, form: Form, job_id: int, event: str) -> Response:
    """Applies, undoes, cancels or rehearses again a bulk job."""
    if event not in ("apply", "undo", "rehearse", "drop"):
        raise not_found("deed", event)
    move_job(desk.workplace, desk.actor, job_id, event)
    return RedirectResponse(f"/jobs/{job_id}", 303)
