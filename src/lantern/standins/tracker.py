"""A camera or counter that sends the objects of a take, frame by frame: ONVIF metadata over HTTP, a part a frame.

Like the thermal stand-ins its clock is the take's: at four times the speed its seconds pass four times as fast. It plays the
take over and over; each time round objects have new numbers.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from lantern.core.objects.following import Seen
from lantern.core.objects.tracks import Tracks
from lantern.formats.onvif import write_frame

ROUND = 1_000  # numbers of the next time round begin so much higher
CONTENT_TYPE = "multipart/x-mixed-replace; boundary=frame"


def as_part(document: bytes) -> bytes:
    """One part of the answer, with its length."""
    return (
        b"--frame\r\nContent-Type: application/xml\r\nContent-Length: %d\r\n\r\n" % len(document) + document + b"\r\n"
    )


@dataclass
class TrackerStandIn:
    code: str
    make: Callable[[], Tracks]  # takes seconds, so it is done aside while the other stand-ins start
    speed: float = 1.0
    playing: bool = True
    at_s: float = 0.0
    sent: int = 0
    listeners: set[asyncio.Queue[bytes]] = field(default_factory=set)
    _clock: float = field(default_factory=time.time)
    _round: int = 0
    _task: asyncio.Task[None] | None = None

    fps: float = 10.0
    count: int = 1

    def load(self) -> None:
        """Lay the tracks out frame by frame."""
        self.tracks = self.make()
        self.fps = self.tracks.fps or 10.0
        self.size = self.tracks.frame_px or (1, 1)
        frame = np.round(self.tracks.t_s * self.fps).astype(np.intp)
        self._index = np.argsort(frame, kind="stable")
        self.count = round(self.tracks.last_s * self.fps) + 1
        self._first = np.searchsorted(frame[self._index], np.arange(self.count + 1))

    def start(self) -> None:
        if self._task is None:
            self._task = asyncio.create_task(self._run())

    async def stop(self) -> None:
        if self._task is not None:
            self._task.cancel()
            await asyncio.gather(self._task, return_exceptions=True)
            self._task = None

    def play(self, *, from_s: float | None = None, speed: float | None = None) -> None:
        if from_s is not None:
            if not 0 <= from_s < self.count / self.fps:
                raise ValueError(f"from_s {from_s:g}: the take lasts {self.count / self.fps:g} s")
            self.at_s = from_s
            self._round += 1
            self._clock = max(self._clock, time.time())
        if speed is not None:
            if not 0.1 <= speed <= 32:
                raise ValueError(f"speed {speed:g}: 0.1 to 32")
            self.speed = speed
        self.playing = True

    def pause(self) -> None:
        self.playing = False

    async def stream(self) -> AsyncIterator[bytes]:
        """Parts from now on, for one listener. One that does not keep up misses frames."""
        queue: asyncio.Queue[bytes] = asyncio.Queue(maxsize=50)
        self.listeners.add(queue)
        try:
            while True:
                yield as_part(await queue.get())
        finally:
            self.listeners.discard(queue)

    async def _run(self) -> None:
        await asyncio.to_thread(self.load)
        due = time.monotonic()
        while True:
            if not self.playing:
                await asyncio.sleep(0.05)
                due = time.monotonic()
                continue
            self._send(int(self.at_s * self.fps + 1e-6) % self.count)
            due += 1 / self.fps / self.speed
            late = due - time.monotonic()
            if late < -1:  # the machine cannot keep up: drop the backlog rather than race after it
                due = time.monotonic()
            await asyncio.sleep(max(late, 0))
            self._clock += 1 / self.fps
            self.at_s += 1 / self.fps
            if self.at_s >= self.count / self.fps:
                self.at_s, self._round = 0.0, self._round + 1

    def _send(self, frame: int) -> None:
        if self.speed == 1 and time.time() - self._clock > 0.5:
            self._clock = time.time()  # it slept: its clock went on meanwhile
        document = write_frame(self._clock, self.seen(frame), width=self.size[0], height=self.size[1])
        for queue in self.listeners:
            if not queue.full():
                queue.put_nowait(document)
        self.sent += 1

    def seen(self, frame: int) -> list[Seen]:
        tracks = self.tracks
        out = []
        for i in self._index[self._first[frame] : self._first[frame + 1]].tolist():
            label = tracks.classes[int(tracks.label[i])] if tracks.label[i] >= 0 else ""
            left, top, width, height = tracks.box[i].tolist()
            name = int(tracks.ids[int(tracks.object[i])]) + self._round * ROUND
            tall = None if tracks.height_m is None or np.isnan(tracks.height_m[i]) else float(tracks.height_m[i])
            out.append(Seen(name, (left, top, width, height), float(tracks.confidence[i]), label, tall))
        return out

    def as_dict(self) -> dict[str, Any]:
        return {
            "code": self.code,
            "playing": self.playing,
            "speed": self.speed,
            "at_s": round(self.at_s, 2),
            "length_s": self.count / self.fps,
            "sent": self.sent,
            "connected": bool(self.listeners),
        }
