"""A thermal camera that plays frames in real time or faster and sends them to the engine over a WebSocket.

Its clock is the take's: at eight times the speed its seconds pass eight times as fast, so that rules see what they saw
in the take. After a pause or a jump its clock runs on from now; it never runs back.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import structlog
from websockets.asyncio.client import connect
from websockets.exceptions import WebSocketException

from lantern.core.signals import RecordedAs
from lantern.formats.wire import FrameHeader, pack_frame

log = structlog.get_logger()
RECONNECT_S = 1.0
SHUTTER_S, PADDLE_C = 0.75, 12.0


@dataclass(frozen=True)
class Reel:
    """What is played: `frame(i)` gives raw pixels."""

    count: int
    fps: float
    width: int
    height: int
    scale: float
    offset_c: float
    recorded: RecordedAs
    frame: Callable[[int], Any]


@dataclass
class CameraStandIn:
    """Sends to `url`, with the device's token. `at_s` is where in the reel it is."""

    code: str
    reel: Reel
    url: str
    token: str
    speed: float = 1.0
    playing: bool = True
    at_s: float = 0.0
    sent: int = 0
    connected: bool = False
    shut: int = 0  # frames that still show the shutter's paddle
    _clock: float = field(default_factory=time.time)
    _task: asyncio.Task[None] | None = None

    def start(self) -> None:
        if self._task is None:
            self._task = asyncio.create_task(self._run())

    async def stop(self) -> None:
        if self._task is not None:
            self._task.cancel()
            await asyncio.gather(self._task, return_exceptions=True)
            self._task = None

    def play(self, *, from_s: float | None = None, speed: float | None = None) -> None:
        length_s = self.reel.count / self.reel.fps
        if from_s is not None:
            if not 0 <= from_s < length_s:
                raise ValueError(f"from_s {from_s:g}: the take lasts {length_s:g} s")
            self.at_s = from_s
            self._clock = max(self._clock, time.time())
        if speed is not None:
            if not 0.1 <= speed <= 32:
                raise ValueError(f"speed {speed:g}: 0.1 to 32")
            self.speed = speed
        self.playing = True

    def pause(self) -> None:
        self.playing = False

    def close_shutter(self) -> None:
        """As cameras do now and then to find their zero: for a moment every pixel shows a paddle that is warmer than the scene."""
        self.shut = max(round(SHUTTER_S * self.reel.fps), 1)

    async def _run(self) -> None:
        while True:
            try:
                async with connect(f"{self.url}?token={self.token}", max_size=None, compression=None) as socket:
                    self.connected = True
                    await self._play_to(socket)
            except (OSError, WebSocketException) as error:
                log.info("camera stand-in has no engine", code=self.code, error=str(error))
            self.connected = False
            await asyncio.sleep(RECONNECT_S)

    async def _play_to(self, socket: Any) -> None:
        due = time.monotonic()
        while True:
            if not self.playing:
                await asyncio.sleep(0.05)
                due = time.monotonic()
                continue
            index = int(self.at_s * self.reel.fps + 1e-6) % self.reel.count
            pixels = await asyncio.to_thread(self.reel.frame, index)
            if self.shut:
                self.shut -= 1
                pixels = np.full_like(pixels, int(np.median(pixels) + PADDLE_C / self.reel.scale))
            due += 1 / (self.reel.fps * self.speed)
            late = due - time.monotonic()
            if late > 0:
                await asyncio.sleep(late)
            elif late < -1:  # the machine cannot keep up: drop the backlog rather than race after it
                due = time.monotonic()
            await socket.send(pack_frame(self._header(), pixels))
            self.sent += 1
            self._clock += 1 / self.reel.fps
            self.at_s = (self.at_s + 1 / self.reel.fps) % (self.reel.count / self.reel.fps)

    def _header(self) -> FrameHeader:
        if self.speed == 1 and time.time() - self._clock > 0.5:
            self._clock = time.time()  # it slept, or could not send: its clock went on meanwhile
        return FrameHeader(
            seq=self.sent,
            t=round(self._clock, 6),
            width=self.reel.width,
            height=self.reel.height,
            scale=self.reel.scale,
            offset_c=self.reel.offset_c,
            emissivity_set=self.recorded.emissivity_set,
            reflected_c=self.recorded.reflected_c,
        )

    @property
    def recorded(self) -> RecordedAs:
        return self.reel.recorded

    def as_dict(self) -> dict[str, Any]:
        return {
            "code": self.code,
            "playing": self.playing,
            "speed": self.speed,
            "at_s": round(self.at_s, 2),
            "length_s": self.reel.count / self.reel.fps,
            "sent": self.sent,
            "connected": self.connected,
        }
