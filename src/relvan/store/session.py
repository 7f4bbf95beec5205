"""Names the type of the session in which a transaction runs, so that the floors above need not
import SQLAlchemy, and gives its connection.
"""

from sqlalchemy import Connection
from sqlalchemy.orm import Session

__all__ = ["Session", "connection_of"]

CONNECTION = "connection"


def connection_of(session: Session) -> Connection:
    """Returns the connection of a session's transaction. Asked of the session itself again and again,
    it takes half as long as a small query."""
    known: Connection | None = session.info.get(CONNECTION)
    if known is None or known.closed:
        known = session.info[CONNECTION] = session.connection()
    return known
