"""Deletes saved answers of API calls, which are kept so that a call can be repeated under the same
key.
"""

from datetime import datetime

from sqlalchemy import delete
from sqlalchemy.orm import Session

from relvan.store.tables import RepeatedCall


def forget_calls(session: Session, before: datetime) -> None:
    """Deletes the answers to calls that were made before a moment."""
    session.execute(delete(RepeatedCall).where(RepeatedCall.at < before))


def forget_one_call(session: Session, token_id: int, key: str) -> None:
    """Deletes the answer to one call of a token."""
    session.execute(
        delete(RepeatedCall).where(RepeatedCall.token_id == token_id, RepeatedCall.key == key)
    )
