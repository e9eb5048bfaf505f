"""What is sent: mail and posts, each address in the order in which things happened, again and again until it arrives or expires."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Mapping
from datetime import datetime
from functools import partial

import structlog

from lantern.core.effects.effect import filled
from lantern.core.faults import LanternError, Refused
from lantern.db.base import StoreAwayError
from lantern.devices.mail import MailServer
from lantern.devices.posting import post
from lantern.live import sent
from lantern.live.sent import Due
from lantern.live.tasks import Patience, end
from lantern.settings import settings

log = structlog.get_logger()
LONGEST_WAIT_S, SHORTEST_WAIT_S = 2.0, 0.02
Send = Callable[[Due], str]  # returns what was answered; raises `LanternError`, `Refused` for what can never arrive


def _mail(due: Due) -> str:
    held = settings()
    text = {key: filled(str(due.body.get(key, "")), due.names) for key in ("subject", "text")}
    return MailServer(held.mail_server, held.mail_from).send(to=due.thing, key=due.key, **text)


def _post(due: Due) -> str:
    return post(due.thing, filled(str(due.body.get("text", "")), due.names), due.key)


SENDERS: Mapping[str, Send] = {"mail": _mail, "post": _post}


class Couriers:
    """`wake` after orders were stored. All of it goes by `clock`; each address has a task of its own while something goes to it."""

    def __init__(self, on_change: Callable[[], None], clock: Callable[[], datetime]) -> None:
        self._on_change, self._clock = on_change, clock
        self._wake = asyncio.Event()
        self._sending: dict[int, asyncio.Task[None]] = {}
        self._task: asyncio.Task[None] | None = None

    def start(self) -> None:
        self._task = asyncio.create_task(self._run())

    async def stop(self) -> None:
        await end([task for task in (self._task, *self._sending.values()) if task is not None])

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
                log.warning("couriers wait for the store", error=str(error))
            except Exception:
                wait_s = patience.lose()
                log.exception("couriers begin anew")
            try:
                async with asyncio.timeout(min(max(wait_s, SHORTEST_WAIT_S), LONGEST_WAIT_S)):
                    await self._wake.wait()
            except TimeoutError:
                continue

    async def look(self) -> float:
        """Send what is due; returns in how many seconds something is due again."""
        due, next_s = await asyncio.to_thread(sent.look, self._clock())
        for each in due:
            if each.id not in self._sending:
                task = asyncio.create_task(self._send(each))
                self._sending[each.id] = task
                task.add_done_callback(partial(self._ended, each.id))
        return next_s

    def _ended(self, order_id: int, task: asyncio.Task[None]) -> None:
        del self._sending[order_id]
        self.wake()  # the next to the same address

    async def _send(self, due: Due) -> None:
        try:
            answer = await asyncio.to_thread(SENDERS[due.do], due)
        except Refused as refused:
            await asyncio.to_thread(sent.refused, due.id, self._clock(), str(refused))
        except LanternError as error:
            log.warning("not delivered", do=due.do, to=due.thing, error=str(error), attempts=due.attempts + 1)
            await asyncio.to_thread(sent.failed, due.id, self._clock(), str(error))
        else:
            await asyncio.to_thread(sent.delivered, due.id, self._clock(), answer)
        self._on_change()
