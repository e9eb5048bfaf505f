"""What all stand-ins that play a take have: where they are in it, how fast they go, and their own clock.

The clock is the take's: at eight times the speed its seconds pass eight times as fast, so that rules see what they saw in the
take. After a pause or a jump it runs on from now; it never runs back.
"""

from __future__ import annotations

import asyncio
import time
from abc import ABC, abstractmethod
from dataclasses import KW_ONLY, dataclass, field
from typing import Any

LEAST_SPEED, MOST_SPEED = 0.1, 32
PAUSE_S = 0.05


@dataclass
class Player(ABC):
    """`at_s` is where in the take it is; `sent`: frames so far. `fps` and `count`, the take's, stand once it is loaded."""

    code: str
    _: KW_ONLY
    speed: float = 1.0
    playing: bool = True
    at_s: float = 0.0
    sent: int = 0
    _clock: float = field(default_factory=time.time)
    _task: asyncio.Task[None] | None = None
    _round: int = 0  # it jumped, or came to the take's end and plays it again
    fps: float = field(default=10.0, init=False)
    count: int = field(default=1, init=False)

    @abstractmethod
    async def run(self) -> None:
        """Send for ever."""

    @abstractmethod
    async def send(self, frame: int, sink: Any) -> None:
        """Send one frame."""

    @property
    @abstractmethod
    def connected(self) -> bool:
        """Return whether anybody is listening."""

    @property
    def length_s(self) -> float:
        return self.count / self.fps

    def start(self) -> None:
        if self._task is None:
            self._task = asyncio.create_task(self.run())

    async def stop(self) -> None:
        if self._task is not None:
            self._task.cancel()
            await asyncio.gather(self._task, return_exceptions=True)
            self._task = None

    def play(self, *, from_s: float | None = None, speed: float | None = None) -> None:
        """Go on; from another moment, at another speed. Raises ValueError for what the take does not have."""
        if from_s is not None and not 0 <= from_s < self.length_s:
            raise ValueError(f"from_s {from_s:g}: the take lasts {self.length_s:g} s")
        if speed is not None and not LEAST_SPEED <= speed <= MOST_SPEED:
            raise ValueError(f"speed {speed:g}: {LEAST_SPEED:g} to {MOST_SPEED:g}")
        if from_s is not None:
            self.at_s = from_s
            self._clock = max(self._clock, time.time())
            self._round += 1
        if speed is not None:
            self.speed = speed
        self.playing = True

    def pause(self) -> None:
        self.playing = False

    async def play_to(self, sink: Any) -> None:
        """Frame after frame, each when it is due."""
        due = time.monotonic()
        while True:
            if not self.playing:
                await asyncio.sleep(PAUSE_S)
                due = time.monotonic()
                continue
            due += 1 / (self.fps * self.speed)
            await self.send(int(self.at_s * self.fps + 1e-6) % self.count, sink)
            self.sent += 1
            late = due - time.monotonic()
            if late < -1:  # the machine cannot keep up: drop the backlog rather than race after it
                due = time.monotonic()
            await asyncio.sleep(max(late, 0))
            self._clock += 1 / self.fps
            self.at_s += 1 / self.fps
            if self.at_s >= self.length_s:
                self.at_s, self._round = 0.0, self._round + 1

    def time_s(self) -> float:
        """Return what its clock says, in Unix seconds."""
        if self.speed == 1 and time.time() - self._clock > 0.5:
            self._clock = time.time()  # it slept, or could not send: its clock went on meanwhile
        return round(self._clock, 6)

    def as_dict(self) -> dict[str, Any]:
        return {
            "code": self.code,
            "playing": self.playing,
            "speed": self.speed,
            "at_s": round(self.at_s, 2),
            "length_s": self.length_s,
            "sent": self.sent,
            "connected": self.connected,
        }
