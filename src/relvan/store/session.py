"""Names the type of the session in which a transaction runs, so that the floors above need not
import SQLAlchemy.
"""

from sqlalchemy.orm import Session

__all__ = ["Session"]
