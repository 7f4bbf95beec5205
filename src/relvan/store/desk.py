"""Queries over what each person keeps at the desk: saved views, chosen columns, and the last action
for undo.
"""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from relvan.store.portable import insert_into
from relvan.store.tables import KeptView, Preference, Toast


def views_of(session: Session, person_id: int | None, station: str) -> list[KeptView]:
    """Returns the saved views of a person on a station, the oldest first."""
    mine = select(KeptView).where(KeptView.person_id == person_id, KeptView.station == station)
    return list(session.scalars(mine.order_by(KeptView.id)))


def forget_view(session: Session, person_id: int | None, view_id: int) -> None:
    """Deletes a saved view of a person."""
    session.execute(delete(KeptView).where(KeptView.id == view_id, KeptView.person_id == person_id))


def keep_columns(
    session: Session, person_id: int | None, station: str, columns: Sequence[str]
) -> None:
    """Saves which columns a person wants to see on a station."""
    values = {"person_id": person_id, "name": _columns(station), "value": list(columns)}
    statement = insert_into(session, Preference).values(**values)
    session.execute(
        statement.on_conflict_do_update(
            index_elements=[Preference.person_id, Preference.name],
            set_={"value": statement.excluded.value},
        )
    )


def columns_of(session: Session, person_id: int | None, station: str) -> list[str] | None:
    """Returns the columns that a person chose on a station, or None."""
    mine = (Preference.person_id == person_id, Preference.name == _columns(station))
    return session.scalar(select(Preference.value).where(*mine))


def _columns(station: str) -> str:
    return f"columns:{station}"


def forget_toasts(session: Session, before: datetime) -> None:
    """Deletes the notices of actions that were done before a moment."""
    session.execute(delete(Toast).where(Toast.at < before))


def find_toast(session: Session, person_id: int | None, toast_id: int) -> Toast | None:
    """Returns the notice of an action of a person by its id."""
    return session.scalar(select(Toast).where(Toast.id == toast_id, Toast.person_id == person_id))
