"""Backups by night: made and kept by a plan, one opened and checked every week, and downloaded."""

import tempfile
from collections.abc import Mapping
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, not_found, refuse, refuse_if_any
from relvan.core.setup.backups import BackupPlan, check_plan, is_due, is_try_due, surplus
from relvan.core.setup.firm import Firm
from relvan.services import audit
from relvan.services.backup import back_up, opened
from relvan.services.check import check
from relvan.services.setup.firm import SUBJECT
from relvan.services.workplace import Actor, Workplace
from relvan.store.backups import (
    backup_by_id,
    first_day,
    keep_plan,
    kept_backups,
    last_made,
    last_tried,
    plan_of,
)
from relvan.store.schema import bring_up_to_date
from relvan.store.setup import firm_of, keep_firm
from relvan.store.tables import BackupRun

FOLDER = "backups"


def change_backup_plan(workplace: Workplace, actor: Actor, wish: Mapping[str, Any]) -> BackupPlan:
    """Changes what a wish names of the plan. Refused when the folder cannot be written."""
    actor.must(Right.SETUP)
    with workplace.database.reading() as session:
        before = plan_of(session)
    plan = replace(before, **wish)
    refuse_if_any(check_plan(plan))
    _try_folder(folder_of(workplace, plan))
    with workplace.database.writing() as session:
        if firm_of(session) is None:
            keep_firm(session, Firm())
        keep_plan(session, asdict(plan))
        changes = {
            f"backups: {name}": (old, new)
            for name, new in asdict(plan).items()
            if (old := getattr(before, name)) != new
        }
        if changes:
            audit.record(session, actor, workplace.now(), SUBJECT, "changed", changes)
    return plan


def folder_of(workplace: Workplace, plan: BackupPlan) -> Path:
    """Returns the folder in which backups lie."""
    return Path(plan.folder) if plan.folder else workplace.settings.data_dir / FOLDER


def make_backup(workplace: Workplace) -> BackupRun:
    """Makes a backup now, notes what became of it, and deletes those that are too many. What keeps
    it from being made is noted and not raised.
    """
    with workplace.database.reading() as session:
        plan = plan_of(session)
    name = f"relvan-{workplace.local_now():%Y-%m-%d-%H%M%S}.tar.gz"
    target = folder_of(workplace, plan) / name
    run = BackupRun(made_at=workplace.now(), file=str(target))
    try:
        run.bytes = back_up(workplace.settings, target)
    except (OSError, Refused) as error:
        run.trouble = str(error)[:300] or type(error).__name__
    with workplace.database.writing() as session:
        session.add(run)
        session.flush()
        kept = {row.id: row for row in kept_backups(session)}
        dropped = [kept[one] for one in surplus(list(kept), plan.keep)]
        for row in dropped:
            row.gone = True
        files = [row.file for row in dropped]
    for file in files:
        Path(file).unlink(missing_ok=True)
    return run


def ask_for_backup(workplace: Workplace, actor: Actor) -> BackupRun:
    """Makes a backup because somebody asked for one."""
    actor.must(Right.SETUP)
    return make_backup(workplace)


def try_backup(workplace: Workplace, backup_id: int) -> str:
    """Opens a backup apart, brings it up to date, verifies its invariants, and notes what was found;
    returns it, empty when all was well.
    """
    with workplace.database.reading() as session:
        run = backup_by_id(session, backup_id)
        if run is None:
            raise not_found("backup", backup_id)
    try:
        with (
            tempfile.TemporaryDirectory(dir=workplace.settings.data_dir) as folder,
            opened(Path(run.file), Path(folder)) as copy,
        ):
            bring_up_to_date(copy)
            breaches = check(copy)
        found = "; ".join(f"{one.invariant}: {one.detail}" for one in breaches[:3])
    except Refused as refused:
        found = refused.first.message
    with workplace.database.writing() as session:
        kept = backup_by_id(session, backup_id)
        if kept is not None:
            kept.tried_at, kept.found = workplace.now(), found[:500]
    return found


def back_up_when_due(workplace: Workplace) -> bool:
    """Makes the backup of the night when there is none yet, and tries the newest once a week;
    returns whether it made one.
    """
    now = workplace.local_now()
    with workplace.database.reading() as session:
        plan, began = plan_of(session), first_day(session)
        made = last_made(session)
    if began is None or workplace.settings.demo or not is_due(plan, now, made, began):
        return False
    run = make_backup(workplace)
    with workplace.database.reading() as session:
        tried = last_tried(session)
    if not run.trouble and is_try_due(now, tried):
        try_backup(workplace, run.id)
    return True


def backup_file(workplace: Workplace, actor: Actor, backup_id: int) -> Path:
    """Returns the file of a backup for a download, which is written into the audit trail."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        run = backup_by_id(session, backup_id)
        if run is None or run.gone or run.trouble or not Path(run.file).exists():
            raise not_found("backup", backup_id)
        changes = {"backup": ("", Path(run.file).name)}
        audit.record(session, actor, workplace.now(), SUBJECT, "backup downloaded", changes)
        return Path(run.file)


def _try_folder(folder: Path) -> None:
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=folder):
            pass
    except OSError as error:
        message = f"“Folder” cannot be written: {error.strerror}."
        raise refuse("folder", message, "Choose one in which Relvan may write.", "folder") from None
