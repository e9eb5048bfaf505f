"""Work on orders that are stored: looked at when somebody wakes it, and when something falls due."""

from __future__ import annotations

import asyncio
from abc import ABC, abstractmethod
from typing import ClassVar

import structlog

from lantern.db.base import StoreAwayError
from lantern.live.tasks import Patience, end

log = structlog.get_logger()
LONGEST_WAIT_S, SHORTEST_WAIT_S = 2.0, 0.02


class Woken(ABC):
    """`wake` it after orders were stored. What fails is logged, and looked at again with patience."""

    WHAT: ClassVar[str]

    def __init__(self) -> None:
        self._wake = asyncio.Event()
        self._task: asyncio.Task[None] | None = None

    @abstractmethod
    async def look(self) -> float:
        """Do what is due; returns in how many seconds something is due again (inf: nothing is ordered)."""

    def start(self) -> None:
        self._task = asyncio.create_task(self._run())

    async def stop(self) -> None:
        await end([self._task] if self._task is not None else [])

    def wake(self) -> None:
        self._wake.set()

    async def _run(self) -> None:
        patience = Patience()
        while True:
            self._wake.clear()
            try:
                wait_s = await self.look()
                patience.rest()
            except StoreAwayError as error:
                wait_s = patience.lose()
                log.warning("orders wait for the store", what=self.WHAT, error=str(error))
            except Exception:
                wait_s = patience.lose()
                log.exception("orders are begun anew", what=self.WHAT)
            try:
                async with asyncio.timeout(min(max(wait_s, SHORTEST_WAIT_S), LONGEST_WAIT_S)):
                    await self._wake.wait()
            except TimeoutError:
                continue
