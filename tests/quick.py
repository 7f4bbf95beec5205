"""Makes tests quick without making them easier: what every test would work out anew for its own database is
worked out once for a process."""

from sqlalchemy.engine import Engine
from sqlalchemy.util import LRUCache

from relvan.store.dialects import BoxDialect, ServerDialect

SHARED = (BoxDialect, ServerDialect)
MOST_STATEMENTS = 6_000


def share_compiled_statements():
    """Lets all databases of a process share the statements that were compiled, as the one database of an
    application does for itself. A statement is compiled for a dialect; those of one kind are equal here,
    since all databases are opened in the same way."""
    known = LRUCache(MOST_STATEMENTS)
    begin = Engine.__init__

    def begin_with_known(engine, *args, **more):
        begin(engine, *args, **more)
        if type(engine.dialect) in SHARED:
            engine._compiled_cache = known

    for kind in SHARED:
        kind.__hash__ = lambda dialect: hash(type(dialect))
        kind.__eq__ = lambda dialect, other: type(dialect) is type(other)
    Engine.__init__ = begin_with_known
