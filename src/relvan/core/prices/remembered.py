"""What was worked out before, when many prices are worked out together: the same list price, cost or floor comes again
and again."""

from collections.abc import Callable, Hashable
from typing import Any, TypeVar

MOST = 50_000
Found = TypeVar("Found")


class Remembered:
    """Results by all that they depend on but the fees and the rates: one of these is for prices under the same."""

    def __init__(self) -> None:
        self._found: dict[Hashable, Any] = {}

    def once(self, key: Hashable, work: Callable[[], Found]) -> Found:
        """The result for a key, worked out when it is asked for first."""
        found = self._found.get(key)
        if found is None:
            if len(self._found) >= MOST:  # all of them are different: it is of no use to keep more
                self._found.clear()
            found = self._found[key] = work()
        return found


class Forgetful(Remembered):
    """Works out everything anew; for a single price."""

    def once(self, key: Hashable, work: Callable[[], Found]) -> Found:
        """The result, worked out now."""
        return work()


FORGETFUL = Forgetful()
