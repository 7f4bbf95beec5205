"""Queries over layouts of papers."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.papers.layouts import PaperKind
from relvan.core.refusal import not_found, refuse
from relvan.store.tables import AskedPaper, Estimate, InvoiceRow, Layout, LayoutVersion


def layouts(session: Session) -> list[Layout]:
    """Returns all layouts by kind and name."""
    return list(session.scalars(select(Layout).order_by(Layout.kind, Layout.name, Layout.id)))


def layouts_of_kind(session: Session, kind: str) -> list[Layout]:
    """Returns the layouts of a kind that are in use, by name."""
    wanted = select(Layout).where(Layout.kind == kind, Layout.used.is_(True))
    return list(session.scalars(wanted.order_by(Layout.name, Layout.id)))


def asked_papers(session: Session) -> set[str]:
    """Returns the kinds of papers whose layout is asked for each time."""
    return set(session.scalars(select(AskedPaper.kind)))


def set_asked_paper(session: Session, kind: str, *, asked: bool) -> None:
    """Says whether the layout of a kind of paper is asked for each time."""
    row = session.get(AskedPaper, kind)
    if asked and row is None:
        session.add(AskedPaper(kind=kind))
    elif row is not None and not asked:
        session.delete(row)


def layout_by_id(session: Session, layout_id: int) -> Layout:
    """Returns the layout with an id."""
    row = session.get(Layout, layout_id)
    if row is None:
        raise not_found("layout", layout_id)
    return row


def layout_for(
    session: Session, kind: str, channel: str, languages: Sequence[str] = (), *, chosen: int = 0
) -> Layout | None:
    """Returns the layout that somebody has chosen, by its id; else the newest one in use for a kind of paper:
    of those for this channel before those for any, then of those for the first of the languages that there
    is before those for any.

    Raises:
        Refused: if the chosen layout is for another kind of paper.
    """
    if chosen:
        row = layout_by_id(session, chosen)
        if row.kind != kind:
            message = f"“{row.name}” is a layout of a {row.kind}."
            raise refuse("not-allowed", message, f"Choose one of a {kind}.", "layout")
        return row
    ranks = {language: at for at, language in enumerate(languages)}
    wanted = select(Layout).where(
        Layout.kind == kind,
        Layout.used.is_(True),
        Layout.channel.in_(["", channel]),
        Layout.language.in_(["", *languages]),
    )
    found = list(session.scalars(wanted))
    return min(
        found,
        key=lambda row: (row.channel == "", ranks.get(row.language, len(ranks)), -row.id),
        default=None,
    )


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


def newest_papers(session: Session, kind: str, limit: int) -> list[tuple[int, str]]:
    """Returns (id, words) of the newest invoices, or of the newest estimates."""
    if kind == PaperKind.ESTIMATE:
        made = select(Estimate.id, Estimate.number).order_by(Estimate.id.desc()).limit(limit)
        return [(one, number) for one, number in session.execute(made)]
    issued = select(InvoiceRow.id, InvoiceRow.number).order_by(InvoiceRow.id.desc()).limit(limit)
    return [(one, number) for one, number in session.execute(issued)]
