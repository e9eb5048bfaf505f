"""A plate reader that posts what it reads, moment by moment; what did not arrive is sent again, in order, under its own number."""

from __future__ import annotations

import asyncio
import base64
import io
import ssl
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field

import httpx
import numpy as np
import structlog
from PIL import Image, ImageDraw

from lantern.core.plates.reads import Reads
from lantern.signals.plates.wire import SentRead, SentReads
from lantern.standins.player import Player

log = structlog.get_logger()
RECONNECT_S = 0.5
KEPT = 40  # moments that wait for an answer; older ones are lost, as in a real reader's memory
WAIT_S = 5.0
CROP_PX = (132, 28)


@dataclass
class ReaderStandIn(Player):
    """Posts to `url`, with the device's token. `load` gives the reads that it plays."""

    load: Callable[[], Reads]
    url: str
    token: str
    encryption: ssl.SSLContext | None = None
    waiting: deque[SentReads] = field(default_factory=lambda: deque(maxlen=KEPT))
    _reached: bool = False

    def __post_init__(self) -> None:
        self.fps = 4.0
        self.reads = self.load()
        self.count = round((self.reads.length_s + 5) * self.fps)
        frames = np.floor(self.reads.t_s * self.fps).astype(int)
        self.rows = {int(frame): np.flatnonzero(frames == frame).tolist() for frame in np.unique(frames)}

    @property
    def connected(self) -> bool:
        return self._reached

    async def run(self) -> None:
        headers = {"Authorization": f"Bearer {self.token}"}
        verify = self.encryption if self.encryption is not None else True
        async with httpx.AsyncClient(headers=headers, timeout=WAIT_S, verify=verify, trust_env=False) as client:
            await self.play_to(client)

    async def send(self, frame: int, sink: httpx.AsyncClient) -> None:
        rows = self.rows.get(frame, [])
        if not rows and frame % round(self.fps):
            return  # nothing to say: once a second it says that it works
        vehicles = [f"{self.reads.vehicle[row]}.{self._round}" for row in rows]
        sent = [self._sent(row, vehicle) for row, vehicle in zip(rows, vehicles, strict=True)]
        self.waiting.append(SentReads(seq=self.sent, t=self.time_s(), reads=tuple(sent)))
        await self._post(sink)

    def _sent(self, row: int, vehicle: str) -> SentRead:
        reads = self.reads
        boxes = [tuple(box[row].tolist()) if not np.isnan(box[row, 0]) else None for box in (reads.plate, reads.car)]
        return SentRead(
            vehicle=vehicle,
            text=reads.text[row],
            confidence=float(reads.confidence[row]),
            char_confidence=reads.chars[row],
            box=boxes[0],
            vehicle_box=boxes[1],
            crop=crop_of(reads.text[row]),
        )

    async def _post(self, client: httpx.AsyncClient) -> None:
        """The oldest first; what is not answered stays, and is sent again."""
        while self.waiting:
            try:
                answer = await client.post(
                    self.url,
                    content=self.waiting[0].model_dump_json(exclude_none=True),
                    headers={"Content-Type": "application/json"},
                )
            except httpx.HTTPError as error:
                if self._reached:
                    log.info("plate reader stand-in has no engine", code=self.code, error=repr(error))
                self._reached = False
                await asyncio.sleep(RECONNECT_S)
                return
            self._reached = answer.is_success
            if answer.status_code in (401, 429) or answer.is_server_error:
                await asyncio.sleep(RECONNECT_S)
                return
            self.waiting.popleft()


def crop_of(text: str) -> str:
    """A small drawn picture of a plate, as PNG in base64."""
    image = Image.new("L", CROP_PX, 226)
    draw = ImageDraw.Draw(image)
    draw.rectangle((0, 0, CROP_PX[0] - 1, CROP_PX[1] - 1), outline=40)
    draw.text((10, 4), " ".join(text), fill=24, font_size=17)
    out = io.BytesIO()
    image.save(out, "PNG", optimize=True)
    return base64.b64encode(out.getvalue()).decode()
