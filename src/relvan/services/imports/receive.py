"""Receives a file: keeps it once, looks at it, and guesses what kind of table it is and its
mapping."""

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from relvan.core.imports.cells import Raw, plain_text
from relvan.core.imports.columns import Kind
from relvan.core.imports.kinds import find_kind
from relvan.core.imports.mapping import (
    MappedColumn,
    check_mapping,
    find_header,
    guess_mapping,
    headings_of,
    mapping_data,
    mapping_from,
    remap,
)
from relvan.core.orders.trays import Tray
from relvan.core.refusal import not_found, refuse, refuse_if_any
from relvan.documents.tables import (
    SPREADSHEETS,
    CsvForm,
    TableFile,
    first_rows,
    guess_form,
    sheets_of,
)
from relvan.services.jobs.life import NewJob, find_job, move_job, open_background_job, right_for
from relvan.services.workplace import Actor, Workplace
from relvan.store.facts import codes
from relvan.store.imports import mapping_by_name, price_list_keys

MOST_BYTES = 60_000_000
ENDINGS = (*SPREADSHEETS, ".csv", ".tsv", ".txt")
MOST_SHEETS = 12  # looked at, when nobody said which
SHOWN_ROWS = 8
OPTIONS = ("create", "members", "clear", "tray", "payments")
PAYMENTS = ("firm", "provisional", "none")


@dataclass(frozen=True)
class Seen:
    """A file as it was understood: sheets, headings, first rows and the mapping. `spec` is how the
    job keeps that."""

    kind: Kind
    sheets: list[str]
    headings: list[str]
    samples: list[Sequence[Raw]]
    mapping: list[MappedColumn]
    spec: dict[str, Any]


@dataclass(frozen=True)
class NewFile:
    """A file that somebody brings: the key of its kind, its name, and its content."""

    kind: str
    name: str
    content: bytes


def receive_file(
    workplace: Workplace,
    actor: Actor,
    file: NewFile,
    *,
    mapping: Sequence[Mapping[str, Any]] | str | None = None,
    options: Mapping[str, Any] | None = None,
    rehearse: bool = True,
) -> int:
    """Keeps a file and opens its job; returns the job's id. With `rehearse` the worker reads it at
    once, with the mapping that is given (columns, or the name of a kept one) or guessed; without
    it, the job waits until a person has looked at it."""
    kind = kind_of(file.kind)
    actor.must(right_for(file.kind))
    kept = _keep_file(workplace, file.name, file.content)
    chosen = read_options(options or {})
    _check_tray(workplace, chosen)
    spec = {**kept, "kind": file.kind, "options": chosen}
    seen = look_at(workplace, {**spec, "mapping": mapping})
    if rehearse:
        refuse_if_any(check_mapping(kind, seen.mapping))
    with workplace.database.writing() as session:
        state = "reading" if rehearse else "to map"
        title = f"{kind.title} from {seen.spec['name']}"
        return open_background_job(
            session, workplace, actor, NewJob("import", title, state, seen.spec)
        ).id


def kind_of(key: str) -> Kind:
    """Returns a kind of file by its key."""
    kind = find_kind(key)
    if kind is None:
        message = f"“kind” must be a kind of file that can be brought in; it got “{key[:40]}”."
        raise refuse("not-allowed", message, "See the list of kinds.", "kind")
    return kind


def read_options(given: Mapping[str, Any]) -> dict[str, Any]:
    """Returns what the person chose, with defaults for the rest."""
    members, payments = given.get("members", "add"), given.get("payments") or "firm"
    if {*given} - {*OPTIONS} or members not in ("add", "replace") or payments not in PAYMENTS:
        message = (
            "“options” are create, members (add or replace), clear, tray, and payments "
            "(firm, provisional or none)."
        )
        raise refuse("not-allowed", message, "Correct them.", "options")
    return {
        "create": bool(given.get("create", True)),
        "members": members,
        "clear": bool(given.get("clear", False)),
        "tray": str(given.get("tray") or ""),
        "payments": payments,
    }


def _check_tray(workplace: Workplace, options: Mapping[str, Any]) -> None:
    if not options["tray"]:
        return
    allowed = [key for key in workplace.tray_names() if key != Tray.CANCELLED]
    if options["tray"] not in allowed:
        message = f"“Tray” must be one of {', '.join(allowed)}; it got “{options['tray'][:30]}”."
        raise refuse("not-allowed", message, "Choose one of them.", "tray")


def _keep_file(workplace: Workplace, name: str, content: bytes) -> dict[str, Any]:
    name = Path(name.replace("\\", "/")).name[:120] or "file.csv"
    ending = Path(name).suffix.casefold()
    if ending not in ENDINGS:
        message = f"“{name}” must be a CSV, XLSX, XLS or ODS file."
        raise refuse("no-table", message, "Save it as one of them.", "file")
    if not content:
        raise refuse("missing", f"“{name}” is empty.", "Choose another file.", "file")
    if len(content) > MOST_BYTES:
        message = f"“{name}” must have at most {MOST_BYTES // 1_000_000} MB."
        raise refuse("too-large", message, "Send it in parts.", "file")
    kept = f"imports/{hashlib.sha256(content).hexdigest()}{ending}"
    workplace.files.keep(kept, content)
    return {"file": kept, "name": name}


def table_of(workplace: Workplace, spec: Mapping[str, Any]) -> TableFile:
    """Opens the file of a job."""
    form = (
        CsvForm(spec["encoding"], spec["delimiter"])
        if spec.get("encoding") and spec.get("delimiter")
        else None
    )
    return TableFile(workplace.files.path(spec["file"]), spec["name"], spec.get("sheet", ""), form)


def look_at(workplace: Workplace, spec: Mapping[str, Any]) -> Seen:
    """Returns what a file holds, by what has been said of it so far and by guesses for the rest."""
    kind = kind_of(spec["kind"])
    table = table_of(workplace, spec)
    settled = dict(spec)
    if not table.is_spreadsheet and table.form is None:
        form = guess_form(table.path)
        settled |= {"encoding": form.encoding, "delimiter": form.delimiter}
        table = table_of(workplace, settled)
    check_encoding(settled.get("encoding", "utf-8"))
    sheets = sheets_of(table)
    if len(sheets) > 1 and not settled.get("sheet"):
        settled["sheet"] = _likeliest_sheet(table, kind, sheets)
        table = table_of(workplace, settled)
    rows = first_rows(table)
    if not any(plain_text(cell) for row in rows for cell in row):
        raise refuse(
            "empty", f"“{spec['name']}” holds no rows.", "Choose another file or sheet.", "file"
        )
    header = spec.get("header")
    header = find_header(rows, kind) if header is None else min(int(header), len(rows) - 1)
    headings = headings_of(rows, header)
    samples = rows[header + 1 :]
    mapping = _mapping(workplace, kind, headings, samples, spec.get("mapping"))
    settled |= {"header": header, "mapping": mapping_data(mapping)}
    return Seen(kind, sheets, headings, samples[:SHOWN_ROWS], mapping, settled)


def _likeliest_sheet(table: TableFile, kind: Kind, sheets: Sequence[str]) -> str:
    """Returns the first sheet whose headings name all that this kind of file needs, else the first
    one that is not empty."""
    saying = []
    for sheet in sheets[:MOST_SHEETS]:
        rows = first_rows(replace(table, sheet=sheet))
        if not any(plain_text(cell) for row in rows for cell in row):
            continue
        saying.append(sheet)
        header = find_header(rows, kind)
        mapping = guess_mapping(kind, headings_of(rows, header), rows[header + 1 :])
        if not check_mapping(kind, mapping):
            return sheet
    return saying[0] if saying else sheets[0]


def check_encoding(name: str) -> None:
    """Refuses an unknown encoding."""
    try:
        "".encode(name)
    except LookupError:
        raise refuse(
            "encoding", f"There is no encoding “{name[:40]}”.", "Try utf-8 or cp1252.", "encoding"
        ) from None


def _mapping(
    workplace: Workplace,
    kind: Kind,
    headings: list[str],
    samples: Sequence[Sequence[Raw]],
    given: Any,
) -> list[MappedColumn]:
    if isinstance(given, str) and given:
        with workplace.database.reading() as session:
            return remap(mapping_from(mapping_by_name(session, given).columns), headings)
    if given:
        return remap(mapping_from(given), headings)
    with workplace.database.reading() as session:
        lists = price_list_keys(session)
        cells = {text for row in samples for cell in row if 0 < len(text := plain_text(cell)) <= 64}
        known = codes(session, cells)
    return guess_mapping(kind, headings, samples, lists=lists, known_skus=known)


def change_mapping(
    workplace: Workplace, actor: Actor, job_id: int, changes: Mapping[str, Any]
) -> None:
    """Corrects how a file is read (`sheet, encoding, delimiter, header, mapping, options`) and
    rehearses it."""
    with workplace.database.reading() as session:
        job = find_job(session, job_id)
    if "file" not in job.spec:
        raise not_found("import", job_id)
    spec = {**job.spec, **changes}
    _check_tray(workplace, spec["options"])
    seen = look_at(workplace, spec)
    refuse_if_any(check_mapping(seen.kind, seen.mapping))
    move_job(workplace, actor, job_id, "rehearse", spec=seen.spec)
