"""Which state of a page is its newest: what is still worked out for an older one may stop."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock

KEPT = 500  # pages; one that is forgotten only works out what nobody looks at


class NewestStates:
    """The newest state of each page, by a name that it made up. One without a name is never outdated."""

    def __init__(self, kept: int = KEPT) -> None:
        self._kept = kept
        self._newest: OrderedDict[str, int] = OrderedDict()
        self._lock = Lock()

    def note(self, page: str, turn: int) -> None:
        if not page:
            return
        with self._lock:
            self._newest[page] = max(turn, self._newest.get(page, turn))
            self._newest.move_to_end(page)
            while len(self._newest) > self._kept:
                self._newest.popitem(last=False)

    def outdated(self, page: str, turn: int) -> bool:
        return self._newest.get(page, turn) > turn


NEWEST = NewestStates()
