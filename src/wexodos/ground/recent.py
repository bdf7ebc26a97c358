"""The last results of work that takes its time and hangs on nothing but what it is given."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

Result = TypeVar("Result")


class Recent(Generic[Result]):
    """Keeps the last ``most`` results by what they were made of, which is compared as values: parts that are
    the same object cost nothing to compare. Work that raises leaves nothing."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._known: list[tuple[tuple[object, ...], Result]] = []

    def of(self, given: tuple[object, ...], make: Callable[[], Result]) -> Result:
        """The result for what is ``given``: kept, else made."""
        # Several threads may ask: each looks at the list as it is, and puts another in its place.
        known = self._known
        found = next((one for one in known if one[0] == given), None)
        if found is None:
            found = given, make()
        rest = [one for one in self._known if one[0] is not found[0]]
        self._known = [found, *rest[: self._most - 1]]
        return found[1]
