"""How a person keeps the desk: kept views, chosen columns, and the word about what was just done."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from relvan.core.refusal import refuse
from relvan.services.workplace import Actor, Workplace
from relvan.store.portable import insert_into
from relvan.store.tables import KeptView, Preference, Toast

MOST_VIEWS = 8
TOAST_LASTS = timedelta(minutes=10)


@dataclass(frozen=True)
class ToastWords:
    """What was just done, and how it is undone."""

    words: str
    tone: str
    undo_path: str
    undo_fields: list[tuple[str, str]]


def keep_view(workplace: Workplace, actor: Actor, station: str, name: str, query: str) -> None:
    """Keep a sentence under a name; the same name again replaces it."""
    name = name.strip()
    if not 1 <= len(name) <= 40:
        raise refuse("form", "“Name” must have 1 to 40 characters.", "Give the view a short name.", "name")
    with workplace.database.writing() as session:
        mine = select(KeptView).where(KeptView.person_id == actor.person_id, KeptView.station == station)
        views = session.scalars(mine).all()
        same = next((view for view in views if view.name == name), None)
        if same is not None:
            same.query = query[:500]
            return
        if len(views) >= MOST_VIEWS:
            raise refuse("too-many", f"There may be {MOST_VIEWS} kept views here.", "Drop one first.", "name")
        session.add(KeptView(person_id=actor.person_id, station=station, name=name, query=query[:500]))


def drop_view(workplace: Workplace, actor: Actor, view_id: int) -> None:
    """Drop a kept view of one's own."""
    with workplace.database.writing() as session:
        session.execute(delete(KeptView).where(KeptView.id == view_id, KeptView.person_id == actor.person_id))


def choose_columns(workplace: Workplace, actor: Actor, station: str, columns: Sequence[str]) -> None:
    """Remember which columns a person wants to see."""
    values = {"person_id": actor.person_id, "name": f"columns:{station}", "value": list(columns)[:40]}
    with workplace.database.writing() as session:
        statement = insert_into(session, Preference).values(**values)
        session.execute(
            statement.on_conflict_do_update(
                index_elements=[Preference.person_id, Preference.name], set_={"value": statement.excluded.value}
            )
        )


def leave_toast(
    workplace: Workplace,
    actor: Actor,
    words: str,
    *,
    tone: str = "good",
    undo_path: str = "",
    undo_fields: Sequence[tuple[str, str]] = (),
) -> int:
    """Write down what was just done, for the next page; its id."""
    with workplace.database.writing() as session:
        session.execute(delete(Toast).where(Toast.at < workplace.now() - TOAST_LASTS))
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


def frame_of(session: Session, actor: Actor, station: str, toast_id: int | None, now: datetime) -> dict[str, Any]:
    """What the frame of a page shows of a person: kept views, chosen columns, the toast."""
    views = session.execute(
        select(KeptView.id, KeptView.name, KeptView.query)
        .where(KeptView.person_id == actor.person_id, KeptView.station == station)
        .order_by(KeptView.id)
    ).all()
    columns = session.scalar(
        select(Preference.value).where(Preference.person_id == actor.person_id, Preference.name == f"columns:{station}")
    )
    toast = None
    if toast_id is not None:
        found = session.scalar(select(Toast).where(Toast.id == toast_id, Toast.person_id == actor.person_id))
        if found is not None and found.at > now - TOAST_LASTS:
            fields = [(str(name), str(value)) for name, value in found.undo_fields]
            toast = ToastWords(found.words, found.tone, found.undo_path, fields)
    return {"views": views, "columns": columns, "toast": toast}
