"""Names the type of the session in which a transaction runs, so that the floors above need not
import SQLAlchemy, and gives its connection.
"""

from sqlalchemy import Connection
from sqlalchemy.orm import Session

__all__ = ["Session", "connection_of"]

CONNECTION = "connection"


def connection_of(session: Session) -> Connection:
    """Returns the connection of a session's transaction. The session is asked for it once, because
    each time it takes half as long for that as a small query takes."""
    known: Connection | None = session.info.get(CONNECTION)
    if known is None or known.closed:
        known = session.info[CONNECTION] = session.connection()
    return known
