"""Queries over layouts of papers."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.refusal import not_found
from relvan.store.tables import Layout, LayoutVersion


def layouts(session: Session) -> list[Layout]:
    """Returns all layouts by kind and name."""
    return list(session.scalars(select(Layout).order_by(Layout.kind, Layout.name, Layout.id)))


def layout_by_id(session: Session, layout_id: int) -> Layout:
    """Returns the layout with an id."""
    row = session.get(Layout, layout_id)
    if row is None:
        raise not_found("layout", layout_id)
    return row


def layout_for(session: Session, kind: str, channel: str) -> Layout | None:
    """Returns the newest layout in use for a kind of paper and a channel; of those for any channel only
    when there is none for this one."""
    wanted = (
        select(Layout)
        .where(Layout.kind == kind, Layout.used.is_(True), Layout.channel.in_(["", channel]))
        .order_by((Layout.channel == "").asc(), Layout.id.desc())
        .limit(1)
    )
    return session.scalar(wanted)


def versions_of(session: Session, layout_id: int) -> list[LayoutVersion]:
    """Returns the versions of a layout, the newest first."""
    wanted = select(LayoutVersion).where(LayoutVersion.layout_id == layout_id)
    return list(session.scalars(wanted.order_by(LayoutVersion.version.desc())))


def layout_version(session: Session, layout_id: int, version: int) -> LayoutVersion:
    """Returns one version of a layout."""
    row = session.scalar(
        select(LayoutVersion).where(
            LayoutVersion.layout_id == layout_id, LayoutVersion.version == version
        )
    )
    if row is None:
        raise not_found("version", version)
    return row
