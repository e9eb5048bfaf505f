"""Ending tasks for good, and trying again with patience."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, TypeVar

from lantern.db.base import StoreAwayError

T = TypeVar("T")
ASK_AGAIN_S = 0.25
SHORTEST_S, LONGEST_S = 0.25, 5.0


@dataclass
class Patience:
    """How long to wait before something that failed is tried again: twice as long each time, until it works."""

    longest_s: float = LONGEST_S
    failures: int = 0

    def lose(self) -> float:
        """It failed; returns the seconds to wait."""
        self.failures += 1
        return float(min(SHORTEST_S * 2 ** (self.failures - 1), self.longest_s))

    def rest(self) -> None:
        """It worked."""
        self.failures = 0


async def until_stored(
    work: Callable[[], T],
    waits: Callable[[StoreAwayError, float, int], None] = lambda *_: None,
    threads: ThreadPoolExecutor | None = None,
) -> T:
    """Return what `work` gives, done in a thread (of `threads`), again and again while the store is away; `waits` is told the
    cause, for how long, and how often it failed.
    """
    patience, loop = Patience(), asyncio.get_running_loop()
    while True:
        try:
            return await loop.run_in_executor(threads, work)
        except StoreAwayError as error:
            again_in_s = patience.lose()
            waits(error, again_in_s, patience.failures)
            await asyncio.sleep(again_in_s)


async def end(tasks: Iterable[asyncio.Task[Any]]) -> None:
    """Cancel tasks until each has ended; what they raise is theirs.

    Once is not enough below Python 3.12: a cancel that falls on the moment in which an `asyncio.wait_for` is done is
    swallowed there (cpython issue 86296), the task goes on, and whoever waits for its end waits for ever. Modbus
    clients wait so.
    """
    left = {task for task in tasks if not task.done()}
    while left:
        for task in left:
            task.cancel()
        _, left = await asyncio.wait(left, timeout=ASK_AGAIN_S)
