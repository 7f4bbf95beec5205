"""Tables of bulk jobs, each one change to many with its rows, verdicts and undo, and of saved
mappings of files.
"""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column

from relvan.core.jobs.life import JobVerdict
from relvan.store.tables.base import Table, strict


class BulkJob(Table):
    """One change to many that runs in the background; `spec` is what it was asked to do."""

    __tablename__ = "bulk_job"
    __table_args__ = strict(Index("ix_bulk_job_state", "state", "id"))
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    title: Mapped[str]
    state: Mapped[str] = mapped_column(default="running")
    total: Mapped[int] = mapped_column(default=0)
    done: Mapped[int] = mapped_column(default=0)
    refused: Mapped[int] = mapped_column(default=0)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    created_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    spec: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    counts: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    trouble: Mapped[str] = mapped_column(default="", server_default="")


class BulkJobRow(Table):
    """One row of a bulk job and its verdict, with the reason.

    Of rows that describe one thing together (the parts of a kit) the first holds the `change`, as
    fact -> [old, new]; the others name its position as their `leader`. `turn` is the order in which
    changes are applied. `more` is what a kind of job keeps with a row besides what changes: of a row
    of *Move in* its listings and conflicts (`core/move_in/proposal.py`).
    """

    __tablename__ = "bulk_job_row"
    __table_args__ = strict(
        Index("ix_bulk_job_row_job_id", "job_id", "position"),
        Index("ix_bulk_job_row_verdict", "job_id", "verdict", "turn", "position"),
        Index(
            "ix_bulk_job_row_listing_id", "listing_id", sqlite_where=text("listing_id IS NOT NULL")
        ),
        Index(
            "ix_bulk_job_row_leader", "job_id", "leader", sqlite_where=text("leader IS NOT NULL")
        ),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("bulk_job.id"))
    position: Mapped[int]
    subject: Mapped[str]
    listing_id: Mapped[int | None] = mapped_column(ForeignKey("listing.id"))
    verdict: Mapped[str] = mapped_column(default=JobVerdict.WAITING.value)
    reason: Mapped[str] = mapped_column(default="")
    change: Mapped[dict[str, Any] | None]
    leader: Mapped[int | None]
    turn: Mapped[int] = mapped_column(default=0, server_default="0")
    more: Mapped[dict[str, Any] | None]


class BulkJobBlock(Table):
    """Many rows of a bulk job that change plain facts and share a verdict, stored as one: their
    positions lie from `first` to `last`, with others perhaps between them, and `content` has the
    columns of `PlainRows`. A row that gets a verdict of its own moves to `BulkJobRow`.
    """

    __tablename__ = "bulk_job_block"
    __table_args__ = strict(Index("ix_bulk_job_block_job_id", "job_id", "first"))
    id: Mapped[int] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("bulk_job.id"))
    verdict: Mapped[str]
    first: Mapped[int]
    last: Mapped[int]
    count: Mapped[int]
    content: Mapped[dict[str, Any]]


class Mapping(Table):
    """Which column of a file is which field, saved by name for the next file of that kind."""

    __tablename__ = "mapping"
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    name: Mapped[str]
    name_key: Mapped[str] = mapped_column(unique=True)
    columns: Mapped[list[Any]]
    options: Mapped[dict[str, Any]] = mapped_column(default=dict)
