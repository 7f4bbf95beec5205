"""The session in which a transaction runs. The floors above name its type from here and never
import SQLAlchemy."""

from sqlalchemy.orm import Session

__all__ = ["Session"]
