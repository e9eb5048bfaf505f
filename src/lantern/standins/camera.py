"""A thermal camera that plays frames in real time or faster and sends them to the engine over a WebSocket."""

from __future__ import annotations

import asyncio
import ssl
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import structlog
from websockets.asyncio.client import connect
from websockets.exceptions import WebSocketException

from lantern.core.signals import RecordedAs
from lantern.signals.heat.wire import FrameHeader, pack_frame
from lantern.standins.player import Player

log = structlog.get_logger()
RECONNECT_S = 0.5
SHUTTER_S, PADDLE_C = 0.75, 12.0


@dataclass(frozen=True)
class Reel:
    """A take that is played: `frame(i)` gives raw pixels."""

    count: int
    fps: float
    width: int
    height: int
    scale: float
    offset_c: float
    recorded: RecordedAs
    frame: Callable[[int], Any]


@dataclass
class CameraStandIn(Player):
    """Sends to `url`, with the device's token."""

    reel: Reel
    url: str
    token: str
    encryption: ssl.SSLContext | None = None
    shut: int = 0  # frames that still show the shutter's paddle
    _reached: bool = False

    def __post_init__(self) -> None:
        self.fps, self.count = self.reel.fps, self.reel.count

    @property
    def connected(self) -> bool:
        return self._reached

    def close_shutter(self) -> None:
        """Close the shutter, as cameras do now and then to find their zero: for a moment every pixel shows a paddle
        that is warmer than the scene.
        """
        self.shut = max(round(SHUTTER_S * self.fps), 1)

    async def run(self) -> None:
        while True:
            try:
                credentials = {"Authorization": f"Bearer {self.token}"}
                async with connect(
                    self.url, additional_headers=credentials, max_size=None, compression=None, ssl=self.encryption
                ) as socket:
                    self._reached = True
                    await self.play_to(socket)
            except (OSError, WebSocketException) as error:
                log.info("camera stand-in has no engine", code=self.code, error=str(error))
            self._reached = False
            await asyncio.sleep(RECONNECT_S)

    async def send(self, frame: int, sink: Any) -> None:
        pixels = await asyncio.to_thread(self.reel.frame, frame)
        if self.shut:
            self.shut -= 1
            pixels = np.full_like(pixels, int(np.median(pixels) + PADDLE_C / self.reel.scale))
        header = FrameHeader(
            seq=self.sent,
            t=self.time_s(),
            width=self.reel.width,
            height=self.reel.height,
            scale=self.reel.scale,
            offset_c=self.reel.offset_c,
            emissivity_set=self.reel.recorded.emissivity_set,
            reflected_c=self.reel.recorded.reflected_c,
        )
        await sink.send(pack_frame(header, pixels))
