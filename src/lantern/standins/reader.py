"""A plate reader that posts what it reads."""

from __future__ import annotations

import base64
import io
from dataclasses import KW_ONLY, dataclass, field

import numpy as np
from PIL import Image, ImageDraw

from lantern.core.plates.reads import Reads
from lantern.signals.plates.wire import SentRead, SentReads
from lantern.standins.poster import PosterStandIn

CROP_PX = (132, 28)


@dataclass
class ReaderStandIn(PosterStandIn):
    """It plays `reads`."""

    _: KW_ONLY
    reads: Reads
    rows: dict[int, list[int]] = field(init=False)

    def __post_init__(self) -> None:
        self.fps = 4.0
        self.count = round((self.reads.length_s + 5) * self.fps)
        frames = np.floor(self.reads.t_s * self.fps).astype(int)
        self.rows = {int(frame): np.flatnonzero(frames == frame).tolist() for frame in np.unique(frames)}

    def message(self, frame: int) -> SentReads | None:
        rows = self.rows.get(frame, [])
        if not rows and frame % round(self.fps):
            return None  # nothing to say: once a second it says that it works
        vehicles = [f"{self.reads.vehicle[row]}.{self._round}" for row in rows]
        sent = [self._sent(row, vehicle) for row, vehicle in zip(rows, vehicles, strict=True)]
        return SentReads(seq=self.sent, t=self.time_s(), reads=tuple(sent))

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


def crop_of(text: str) -> str:
    """A small drawn picture of a plate, as PNG in base64."""
    image = Image.new("L", CROP_PX, 226)
    draw = ImageDraw.Draw(image)
    draw.rectangle((0, 0, CROP_PX[0] - 1, CROP_PX[1] - 1), outline=40)
    draw.text((10, 4), " ".join(text), fill=24, font_size=17)
    out = io.BytesIO()
    image.save(out, "PNG", optimize=True)
    return base64.b64encode(out.getvalue()).decode()
