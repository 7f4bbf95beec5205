"""Tables of the workers that were seen and of the duties that each has."""

from datetime import datetime

from sqlalchemy import ForeignKey
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict


class SeenWorker(Table):
    """A worker by its name, and when it last reported. One that does not share duties is a command,
    which took one duty for as long as it runs.
    """

    __tablename__ = "seen_worker"
    __table_args__ = strict()
    name: Mapped[str] = mapped_column(primary_key=True)
    seen_at: Mapped[datetime]
    shares: Mapped[bool] = mapped_column(default=True)


class Duty(Table):
    """One duty, such as `channel:3`, and the worker that has it."""

    __tablename__ = "duty"
    __table_args__ = strict()
    name: Mapped[str] = mapped_column(primary_key=True)
    worker: Mapped[str] = mapped_column(
        ForeignKey("seen_worker.name", ondelete="CASCADE"), index=True
    )
