"""Pictures of looks on their way into the store: behind the decisions, so that no alarm waits for a picture."""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import Callable, Mapping

import structlog

from lantern.db.base import StoreAwayError
from lantern.live.tasks import Patience
from lantern.persons.captures import Capture, keep
from lantern.persons.keys import KeyStoreError

log = structlog.get_logger()
MOST_WAITING = 5000
AT_ONCE, GATHER_S = 100, 0.2


class Keeper:
    """Stores what it was given, some at a time. What there is no room for while the store is away is lost, and counted.

    `lost`: called with the device whose picture was.
    """

    def __init__(self, lost: Callable[[int], None]) -> None:
        self._waiting: deque[tuple[int, Capture]] = deque()
        self._there = asyncio.Event()
        self._lost = lost
        self._task: asyncio.Task[None] | None = None
        self._stopping = False

    def take(self, device_id: int, t: float, pictures: Mapping[str, bytes], taken_for: Mapping[str, str]) -> None:
        """`pictures`: by the name of the look; `taken_for`: by the same, the member of a list."""
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._store_on())
        for probe, picture in pictures.items():
            if len(self._waiting) >= MOST_WAITING:
                self._lost(self._waiting.popleft()[0])
            self._waiting.append((device_id, Capture(probe, t, picture, taken_for.get(probe))))
        self._there.set()

    async def stop(self) -> None:
        """Store what waits, if the store is there. What is under way is not cut off: it would be stored twice."""
        self._stopping = True
        self._there.set()
        if self._task is not None:
            await self._task

    async def _store_on(self) -> None:
        patience = Patience()
        while self._waiting or not self._stopping:
            await self._there.wait()
            self._there.clear()
            while self._waiting:
                try:
                    await self._store_some()
                    patience.rest()
                    await self._gather()
                except (StoreAwayError, KeyStoreError) as error:
                    log.warning("pictures wait for the store", waiting=len(self._waiting), error=str(error))
                    if self._stopping:
                        return
                    await asyncio.sleep(patience.lose())

    async def _gather(self) -> None:
        """Let some come together: a transaction for each picture would take the processor from decisions."""
        if not self._stopping and len(self._waiting) < AT_ONCE:
            await asyncio.sleep(GATHER_S)

    async def _store_some(self) -> None:
        """Those of one device that stand first; they are let go of once they are stored."""
        device_id = self._waiting[0][0]
        some = [capture for held, capture in list(self._waiting)[:AT_ONCE] if held == device_id]
        try:
            await asyncio.to_thread(keep, device_id, some)
        except (StoreAwayError, KeyStoreError):
            raise
        except Exception:
            log.exception("pictures cannot be stored; they are lost", device=device_id, count=len(some))
            for _ in some:
                self._lost(device_id)
        stored = {id(each) for each in some}
        self._waiting = deque(each for each in self._waiting if id(each[1]) not in stored)
