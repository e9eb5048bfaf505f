"""A stand-in that posts what it has, moment by moment; what did not arrive is sent again, in order, under its own number."""

from __future__ import annotations

import asyncio
import ssl
from collections import deque
from contextlib import closing
from dataclasses import KW_ONLY, dataclass, field
from typing import Any

import structlog
from pydantic import BaseModel

from lantern.standins.line import Line, LineError
from lantern.standins.player import Player

log = structlog.get_logger()
RECONNECT_S = 0.5
KEPT = 40  # moments that wait for an answer; older ones are lost, as in a real device's memory


@dataclass
class PosterStandIn(Player):
    """Posts to `url`, with the device's token."""

    url: str
    token: str
    _: KW_ONLY
    encryption: ssl.SSLContext | None = None
    waiting: deque[BaseModel] = field(default_factory=lambda: deque(maxlen=KEPT))
    _reached: bool = False

    @property
    def connected(self) -> bool:
        return self._reached

    def message(self, frame: int) -> BaseModel | None:
        """Return what is said at a frame; None: nothing."""
        raise NotImplementedError

    async def run(self) -> None:
        with closing(Line(self.url, self.token, self.encryption)) as line:
            await self.play_to(line)

    async def send(self, frame: int, sink: Any) -> None:
        said = self.message(frame)
        if said is not None:
            self.waiting.append(said)
            await self._post(sink)

    async def _post(self, line: Line) -> None:
        """The oldest first; what is not answered stays, and is sent again."""
        while self.waiting:
            try:
                answer = await line.post(self.waiting[0].model_dump_json(exclude_none=True))
            except LineError as error:
                if self._reached:
                    log.info("stand-in has no engine", code=self.code, error=str(error))
                self._reached = False
                await asyncio.sleep(RECONNECT_S)
                return
            self._reached = answer.is_success
            if answer.status in (401, 429) or answer.status >= 500:
                await asyncio.sleep(RECONNECT_S)
                return
            self.waiting.popleft()
