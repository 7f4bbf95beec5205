"""Tables of people, their sign-ins, tokens and saved views, of the audit trail, and of counters."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict


class Person(Table):
    """Somebody who works here.

    `totp` is the sealed secret of the second step of signing in, or empty; `totp_begun` one that is
    not confirmed yet, `totp_last` the last moment (in steps of 30 s since 1970) whose code was used,
    and `recovery` the hashes of recovery codes. `invitation` is the hash of a link by which the
    person chooses the first password, until `invited_until`.
    """

    __tablename__ = "person"
    id: Mapped[int] = mapped_column(primary_key=True)
    login: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    role: Mapped[str]
    password_hash: Mapped[str]
    active: Mapped[bool] = mapped_column(default=True)
    created_at: Mapped[datetime]
    totp: Mapped[str] = mapped_column(default="", server_default="")
    totp_begun: Mapped[str] = mapped_column(default="", server_default="")
    totp_last: Mapped[int] = mapped_column(default=0, server_default="0")
    recovery: Mapped[list[Any]] = mapped_column(default=list, server_default="[]")
    invitation: Mapped[str] = mapped_column(default="", server_default="")
    invited_until: Mapped[datetime | None]


class Visit(Table):
    """A sign-in that is still valid, known by the hash of its cookie; `address` and `agent` are what
    the browser told of itself when it began.
    """

    __tablename__ = "visit"
    __table_args__ = strict(
        Index("ix_visit_expires_at", "expires_at"), Index("ix_visit_person_id", "person_id")
    )
    token_hash: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    csrf: Mapped[str]
    created_at: Mapped[datetime]
    expires_at: Mapped[datetime]
    address: Mapped[str] = mapped_column(default="")
    agent: Mapped[str] = mapped_column(default="")


class SignInAttempt(Table):
    """A failed sign-in, for the rate limit."""

    __tablename__ = "sign_in_attempt"
    __table_args__ = strict(Index("ix_sign_in_attempt_at", "at"))
    id: Mapped[int] = mapped_column(primary_key=True)
    login: Mapped[str]
    address: Mapped[str]
    at: Mapped[datetime]


class ApiToken(Table):
    """An API token, known by its hash. Without rights of its own it may do what its person may;
    `last_day` is the last day (ISO 8601) on which it is taken, `used_at` about when it was last.
    """

    __tablename__ = "api_token"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    token_hash: Mapped[str] = mapped_column(unique=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    created_at: Mapped[datetime]
    rights: Mapped[list[Any]] = mapped_column(default=list)
    last_day: Mapped[str | None]
    used_at: Mapped[datetime | None]


class RepeatedCall(Table):
    """The answer to a call with an `Idempotency-Key`, so that a repeated call gets the same answer."""

    __tablename__ = "repeated_call"
    __table_args__ = strict(Index("ix_repeated_call_at", "at"))
    token_id: Mapped[int] = mapped_column(ForeignKey("api_token.id"), primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    fingerprint: Mapped[str]
    status: Mapped[int | None]
    body: Mapped[str] = mapped_column(default="")
    at: Mapped[datetime]


class KeptView(Table):
    """A sentence of the sentence bar that a person saved."""

    __tablename__ = "kept_view"
    __table_args__ = strict(Index("ix_kept_view_person_station", "person_id", "station"))
    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    station: Mapped[str]
    name: Mapped[str]
    query: Mapped[str]


class Preference(Table):
    """How a person likes a page, such as the columns chosen."""

    __tablename__ = "preference"
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), primary_key=True)
    name: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[list[Any]]


class Toast(Table):
    """The notice of an action that was just done, shown on the next page with the way to undo it."""

    __tablename__ = "toast"
    __table_args__ = strict(Index("ix_toast_at", "at"))
    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    words: Mapped[str]
    tone: Mapped[str] = mapped_column(default="good")
    undo_path: Mapped[str] = mapped_column(default="")
    undo_fields: Mapped[list[Any]] = mapped_column(default=list)


class AuditEntry(Table):
    """Who changed what, when, and by what means. It is never changed itself, except that `changes`
    are emptied when the person whom they tell of is forgotten.
    """

    __tablename__ = "audit_entry"
    __table_args__ = strict(
        Index("ix_audit_entry_subject", "subject_kind", "subject_id", "id"),
        Index("ix_audit_entry_kind", "subject_kind", "id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    via: Mapped[str]
    subject_kind: Mapped[str]
    subject_id: Mapped[int]
    deed: Mapped[str]
    changes: Mapped[dict[str, Any]] = mapped_column(default=dict)
    job_id: Mapped[int | None] = mapped_column(ForeignKey("bulk_job.id"))


class Counter(Table):
    """The last number that was given of orders, shipments or pick lists, and how numbers are
    written; without a pattern, as usual.
    """

    __tablename__ = "counter"
    name: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[int]
    pattern: Mapped[str] = mapped_column(default="")
