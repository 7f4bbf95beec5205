"""Statements over calls of the API that may be made again under the same key."""

from datetime import datetime

from sqlalchemy import delete
from sqlalchemy.orm import Session

from relvan.store.tables import RepeatedCall


def forget_calls(session: Session, before: datetime) -> None:
    """Forget calls that were made longer ago."""
    session.execute(delete(RepeatedCall).where(RepeatedCall.at < before))


def forget_one_call(session: Session, token_id: int, key: str) -> None:
    """Forget one call of a token."""
    session.execute(
        delete(RepeatedCall).where(RepeatedCall.token_id == token_id, RepeatedCall.key == key)
    )
