"""A camera or counter that sends the objects of a take, frame by frame: ONVIF metadata over HTTP, a part a frame.

It plays the take over and over; each time round objects have new numbers.
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from lantern.core.tracks import Seen, Tracks
from lantern.signals.tracks.onvif_out import write_frame
from lantern.standins.player import Player

APART_S = 0.3  # two that see the same ground show it at one time
ROUND = 1_000  # numbers of the next time round begin so much higher
CONTENT_TYPE = "multipart/x-mixed-replace; boundary=frame"


def as_part(document: bytes) -> bytes:
    """One part of the answer, with its length."""
    return (
        b"--frame\r\nContent-Type: application/xml\r\nContent-Length: %d\r\n\r\n" % len(document) + document + b"\r\n"
    )


@dataclass
class TrackerStandIn(Player):
    """Whoever listens to its stream gets the frames from then on."""

    make: Callable[[], Tracks]  # takes seconds, so it is done aside while the other stand-ins start
    beside: Player | None = None  # who sees the same ground, and says where in the take both are
    listeners: set[asyncio.Queue[bytes]] = field(default_factory=set)

    def load(self) -> None:
        """Lay the tracks out frame by frame."""
        self.tracks = self.make()
        self.fps = self.tracks.fps or 10.0
        self.size = self.tracks.frame_px or (1, 1)
        frame = np.round(self.tracks.t_s * self.fps).astype(np.intp)
        self._index = np.argsort(frame, kind="stable")
        self.count = round(self.tracks.last_s * self.fps) + 1
        self._first = np.searchsorted(frame[self._index], np.arange(self.count + 1))

    @property
    def connected(self) -> bool:
        return bool(self.listeners)

    async def stream(self) -> AsyncIterator[bytes]:
        """Parts from now on, for one listener. One that does not keep up misses frames."""
        queue: asyncio.Queue[bytes] = asyncio.Queue(maxsize=50)
        self.listeners.add(queue)
        try:
            while True:
                yield as_part(await queue.get())
        finally:
            self.listeners.discard(queue)

    async def run(self) -> None:
        await asyncio.to_thread(self.load)
        await self.play_to(self.listeners)

    def play(self, *, from_s: float | None = None, speed: float | None = None) -> None:
        super().play(from_s=from_s, speed=speed)
        if self.beside is not None:
            self.beside.play(from_s=from_s, speed=speed)

    async def send(self, frame: int, sink: Any) -> None:
        if self.beside is not None and abs(self.beside.at_s - self.at_s) > APART_S:
            self.at_s, self.speed, self._round = self.beside.at_s, self.beside.speed, self._round + 1
            return
        document = write_frame(self.time_s(), self.seen(frame), width=self.size[0], height=self.size[1])
        for queue in sink:
            if not queue.full():
                queue.put_nowait(document)

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
