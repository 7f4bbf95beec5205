"""Tables of layouts of papers, and of all versions of them."""

from datetime import datetime

from sqlalchemy import ForeignKey, Index, UniqueConstraint, true
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict


class Layout(Table):
    """A layout of a paper of a kind, for orders of one channel (its key) or, when that is empty, of any;
    and so for customers of one language (ISO 639-1).
    `body` is what it says now (`core/papers/layouts.py`), `version` counts its changes."""

    __tablename__ = "layout"
    __table_args__ = strict(Index("ix_layout_kind", "kind", "id"))
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    name: Mapped[str]
    size: Mapped[str]
    channel: Mapped[str] = mapped_column(default="", server_default="")
    language: Mapped[str] = mapped_column(default="", server_default="")
    body: Mapped[str]
    version: Mapped[int] = mapped_column(default=1)
    used: Mapped[bool] = mapped_column(default=True, server_default=true())


class AskedPaper(Table):
    """A kind of paper whose layout is asked for each time that one is printed."""

    __tablename__ = "asked_paper"
    __table_args__ = strict()
    kind: Mapped[str] = mapped_column(primary_key=True)


class LayoutVersion(Table):
    """What a layout said in one of its versions."""

    __tablename__ = "layout_version"
    __table_args__ = strict(UniqueConstraint("layout_id", "version"))
    id: Mapped[int] = mapped_column(primary_key=True)
    layout_id: Mapped[int] = mapped_column(ForeignKey("layout.id"))
    version: Mapped[int]
    size: Mapped[str]
    body: Mapped[str]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
