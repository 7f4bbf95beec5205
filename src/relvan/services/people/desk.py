"""What a person has arranged: saved views, chosen columns, and the note about what was just done."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from relvan.core.refusal import refuse
from relvan.services.workplace import Actor, Workplace
from relvan.store.desk import (
    columns_of,
    find_toast,
    forget_toasts,
    forget_view,
    keep_columns,
    views_of,
)
from relvan.store.session import Session
from relvan.store.tables import KeptView, Toast

MOST_VIEWS = 8
TOAST_LASTS = timedelta(minutes=10)


@dataclass(frozen=True)
class ToastWords:
    """What was just done, and how it is undone."""

    words: str
    tone: str
    undo_path: str
    undo_fields: list[tuple[str, str]]


class ViewName(NamedTuple):
    """A saved view as a page names it: its name, and the query that makes its sentence."""

    id: int
    name: str
    query: str


def keep_view(workplace: Workplace, actor: Actor, station: str, name: str, query: str) -> None:
    """Saves a sentence under a name; the same name again replaces it."""
    name = name.strip()
    if not 1 <= len(name) <= 40:
        raise refuse(
            "form", "“Name” must have 1 to 40 characters.", "Give the view a short name.", "name"
        )
    with workplace.database.writing() as session:
        views = views_of(session, actor.person_id, station)
        same = next((view for view in views if view.name == name), None)
        if same is not None:
            same.query = query[:500]
            return
        if len(views) >= MOST_VIEWS:
            raise refuse(
                "too-many", f"There may be {MOST_VIEWS} kept views here.", "Drop one first.", "name"
            )
        session.add(
            KeptView(person_id=actor.person_id, station=station, name=name, query=query[:500])
        )


def drop_view(workplace: Workplace, actor: Actor, view_id: int) -> None:
    """Deletes a saved view of this person."""
    with workplace.database.writing() as session:
        forget_view(session, actor.person_id, view_id)


def choose_columns(
    workplace: Workplace, actor: Actor, station: str, columns: Sequence[str]
) -> None:
    """Saves which columns a person wants to see."""
    with workplace.database.writing() as session:
        keep_columns(session, actor.person_id, station, list(columns)[:40])


def leave_toast(
    workplace: Workplace,
    actor: Actor,
    words: str,
    *,
    tone: str = "good",
    undo_path: str = "",
    undo_fields: Sequence[tuple[str, str]] = (),
) -> int:
    """Writes down what was just done, for the next page; returns its id."""
    with workplace.database.writing() as session:
        forget_toasts(session, workplace.now() - TOAST_LASTS)
        toast = Toast(
            person_id=actor.person_id,
            at=workplace.now(),
            words=words[:500],
            tone=tone,
            undo_path=undo_path,
            undo_fields=[list(pair) for pair in undo_fields],
        )
        session.add(toast)
        session.flush()
        return toast.id


def frame_of(
    session: Session, actor: Actor, station: str, toast_id: int | None, now: datetime
) -> dict[str, Any]:
    """Returns what the frame of a page shows of a person: saved views, chosen columns, and the
    note."""
    if not station and toast_id is None:
        return {"views": [], "columns": None, "toast": None}
    views = [
        ViewName(view.id, view.name, view.query)
        for view in views_of(session, actor.person_id, station)
    ]
    columns = columns_of(session, actor.person_id, station)
    toast = None
    if toast_id is not None:
        found = find_toast(session, actor.person_id, toast_id)
        if found is not None and found.at > now - TOAST_LASTS:
            fields = [(str(name), str(value)) for name, value in found.undo_fields]
            toast = ToastWords(found.words, found.tone, found.undo_path, fields)
    return {"views": views, "columns": columns, "toast": toast}
