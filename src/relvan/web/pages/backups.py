"""Serves Setup of backups: the plan, what became of each, one more now, trying one, and downloads."""

from pathlib import Path
from typing import Any

from fastapi import APIRouter
from fastapi.responses import FileResponse, HTMLResponse, Response

from relvan.core.refusal import Refused
from relvan.core.setup.health import written_size
from relvan.services.setup.backups import (
    ask_for_backup,
    backup_file,
    change_backup_plan,
    folder_of,
    try_backup,
)
from relvan.store.backups import backup_runs, plan_of
from relvan.web.desk import AtSetup, Desk, Form, last_try
from relvan.web.reading import FormReader

router = APIRouter(prefix="/setup/backups")


def _backups_page(
    desk: Desk,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        runs, plan = backup_runs(session), plan_of(session)
    values: dict[str, Any] = {
        "runs": [(run, Path(run.file).name, written_size(run.bytes)) for run in runs],
        "plan": plan,
        "folder": folder_of(desk.workplace, plan),
        **last_try(typed, refused),
    }
    return desk.page("setup/backups.html", "setup", status=status, **values)


@router.get("", name="backup_index")
def backup_index(desk: AtSetup) -> HTMLResponse:
    """Shows the plan and what became of each backup."""
    return _backups_page(desk)


@router.post("", name="backup_plan")
def backup_plan(desk: AtSetup, form: Form) -> Response:
    """Saves the plan."""
    read = FormReader(form)
    wish = {
        "on": form.get("on") == "yes",
        "hour": read.needed_whole("hour", "Hour"),
        "keep": read.needed_whole("keep", "Keep"),
        "folder": read.text("folder"),
    }
    try:
        read.raise_if_refused()
        change_backup_plan(desk.workplace, desk.actor, wish)
    except Refused as refused:
        return _backups_page(desk, status=422, typed=dict(form), refused=refused)
    return desk.done("/setup/backups", "The plan is saved.")


@router.post("/now", name="backup_now")
def backup_now(desk: AtSetup, form: Form) -> Response:
    """Makes a backup now."""
    run = ask_for_backup(desk.workplace, desk.actor)
    if run.trouble:
        return desk.done("/setup/backups", f"No backup was made: {run.trouble}", tone="look")
    return desk.done("/setup/backups", f"A backup of {written_size(run.bytes)} was made.")


@router.post("/{backup_id:int}/try", name="backup_try")
def backup_try(desk: AtSetup, backup_id: int, form: Form) -> Response:
    """Opens a backup apart and verifies it."""
    found = try_backup(desk.workplace, backup_id)
    if found:
        return desk.done("/setup/backups", f"The backup is not sound: {found}", tone="look")
    return desk.done("/setup/backups", "The backup can be restored; all in it is sound.")


@router.get("/{backup_id:int}/file", name="backup_download")
def backup_download(desk: AtSetup, backup_id: int) -> FileResponse:
    """Returns a backup as a file."""
    path = backup_file(desk.workplace, desk.actor, backup_id)
    return FileResponse(path, filename=path.name, media_type="application/gzip")
