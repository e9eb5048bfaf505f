"""What is sent: mail and posts, each address in the order in which things happened, again and again until it arrives or expires."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Mapping
from datetime import datetime
from functools import partial
from typing import Any

import structlog

from lantern.core.effects.effect import filled
from lantern.core.faults import LanternError, Refused
from lantern.devices.mail import MailServer
from lantern.devices.posting import post
from lantern.live import sent
from lantern.live.sent import Due
from lantern.live.tasks import end
from lantern.live.woken import Woken
from lantern.settings import settings

log = structlog.get_logger()
Send = Callable[[Due], str]  # returns what was answered; raises `LanternError`, `Refused` for what can never arrive


def _mail(due: Due) -> str:
    held = settings()
    mails = [_written(due.body, due.names), *(_written(each.body, each.names) for each in due.along)]
    subject, text = mails[0]
    if due.along:
        subject = f"{len(mails)} events: {subject}"
        text = "\n\n".join(f"{n}. {each}\n{words}" for n, (each, words) in enumerate(mails, 1))
    return MailServer(held.mail_server, held.mail_from).send(to=due.thing, key=due.key, subject=subject, text=text)


def _written(body: Mapping[str, Any], names: Mapping[str, str]) -> tuple[str, str]:
    """Return the subject and the text of a mail, with what its event filled in."""
    return filled(str(body.get("subject", "")), names), filled(str(body.get("text", "")), names)


def _post(due: Due) -> str:
    return post(due.thing, filled(str(due.body.get("text", "")), due.names), due.key)


SENDERS: Mapping[str, Send] = {"mail": _mail, "post": _post}


class Couriers(Woken):
    """All of it goes by `clock`; each address has a task of its own while something goes to it."""

    WHAT = "what is sent"

    def __init__(self, on_change: Callable[[], None], clock: Callable[[], datetime]) -> None:
        super().__init__()
        self._on_change, self._clock = on_change, clock
        self._sending: dict[int, asyncio.Task[None]] = {}

    async def stop(self) -> None:
        await super().stop()
        await end(self._sending.values())

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
            await asyncio.to_thread(sent.delivered, due, self._clock(), answer)
        self._on_change()
