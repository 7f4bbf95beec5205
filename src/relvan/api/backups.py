"""Serves the plan of backups and what became of each over HTTP, for owners only."""

from pathlib import Path
from typing import Annotated, Any

from pydantic import Field

from relvan.api.described import Flag, Named
from relvan.api.desk import By, setup_router
from relvan.api.shapes import Shape
from relvan.core.refusal import refuse
from relvan.core.setup.backups import MOST_KEPT, BackupPlan
from relvan.services.setup.backups import (
    ask_for_backup,
    change_backup_plan,
    folder_of,
    try_backup,
)
from relvan.store.backups import backup_runs, plan_of
from relvan.store.tables import BackupRun

router = setup_router()


class PlanChange(Shape):
    """What is to change of the plan: on or off, the hour of the firm's clock, how many are kept, and
    the folder, empty for the one in the data folder.
    """

    on: Flag | None = None
    hour: Annotated[int, Field(ge=0, le=23)] | None = None
    keep: Annotated[int, Field(ge=1, le=MOST_KEPT)] | None = None
    folder: Annotated[str, Field(max_length=300)] | None = None


def _run_shape(run: BackupRun) -> dict[str, Any]:
    return {
        "id": run.id,
        "made_at": run.made_at,
        "file": Path(run.file).name,
        "bytes": run.bytes,
        "trouble": run.trouble,
        "tried_at": run.tried_at,
        "found": run.found,
        "kept": not run.gone and not run.trouble,
    }


def _plan_shape(by: By, plan: BackupPlan) -> dict[str, Any]:
    return {
        "on": plan.on,
        "hour": plan.hour,
        "keep": plan.keep,
        "folder": str(folder_of(by.workplace, plan)),
    }


@router.get("/backups")
def get_backups(by: By) -> dict[str, Any]:
    """Returns the plan, and what became of the last backups."""
    with by.workplace.database.reading() as session:
        runs, plan = backup_runs(session), plan_of(session)
    return {"plan": _plan_shape(by, plan), "items": [_run_shape(run) for run in runs]}


@router.patch("/backups")
def patch_backups(by: By, change: PlanChange) -> dict[str, Any]:
    """Changes the plan."""
    wish = change.model_dump(exclude_none=True)
    return {"plan": _plan_shape(by, change_backup_plan(by.workplace, by.actor, wish))}


@router.post("/backups", status_code=201)
def post_backup(by: By) -> dict[str, Any]:
    """Makes a backup now."""
    run = ask_for_backup(by.workplace, by.actor)
    if run.trouble:
        raise refuse("not-made", f"No backup was made: {run.trouble}.", "See to the folder.")
    return _run_shape(run)


@router.post("/backups/{backup}/try")
def post_backup_try(by: By, backup: Named) -> dict[str, Any]:
    """Opens a backup apart and verifies it; `found` says what is wrong with it, and is empty when all
    is well.
    """
    return {"id": backup, "found": try_backup(by.workplace, backup)}
