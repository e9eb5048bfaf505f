"""One live thermal frame on the wire: a JSON header, then raw pixels. What a camera sends, documented in docs/wire.md.

4 bytes   length of the header, unsigned, big-endian
header    UTF-8 JSON: {"format": "lantern-frame/1", "seq", "t": Unix seconds, "width", "height",
          "dtype": "uint16"|"float32", "scale", "offset_c", and as set: "emissivity_set", "reflected_c"}
pixels    row-major, little-endian, width x height
"""

from __future__ import annotations

import struct
from typing import Any, Literal

import numpy as np
import orjson
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lantern.core.faults import Fault, Refused
from lantern.core.modelled import key_fault
from lantern.core.signals import Frames, Pixels, RecordedAs, frames_of

LARGEST_HEADER = 4096
MOST_PIXELS = 4_000_000


class FrameHeader(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    format: Literal["lantern-frame/1"] = "lantern-frame/1"
    seq: int = Field(ge=0)
    t: float = Field(gt=0, description="when the frame was taken, Unix seconds")
    width: int = Field(gt=0, le=10_000)
    height: int = Field(gt=0, le=10_000)
    dtype: Literal["uint16", "float32"] = "uint16"
    scale: float = Field(default=0.01, gt=0)
    offset_c: float = -273.15
    emissivity_set: float | None = Field(default=None, gt=0, le=1)
    reflected_c: float | None = Field(default=None, gt=-273.15)

    def frames(self, pixels: Pixels) -> Frames:
        """The frame as a signal of one sample."""
        recorded = RecordedAs(self.emissivity_set, self.reflected_c)
        return frames_of(pixels[None], np.zeros(1), scale=self.scale, offset_c=self.offset_c, recorded=recorded)


def pack_frame(header: FrameHeader, pixels: Any) -> bytes:
    head = orjson.dumps(header.model_dump(exclude_none=True))
    return struct.pack(">I", len(head)) + head + np.ascontiguousarray(pixels).astype(_little(header.dtype)).tobytes()


def unpack_frame(message: bytes) -> tuple[FrameHeader, Pixels]:
    """Header and pixels (height, width). Raises `Refused`."""
    if len(message) < 4:
        raise Refused([Fault("frame", f"{len(message)} bytes", "a header length of 4 bytes, a header, pixels")])
    (length,) = struct.unpack(">I", message[:4])
    if length > LARGEST_HEADER or len(message) < 4 + length:
        raise Refused(
            [Fault("frame: header", f"{length} bytes announced", f"at most {LARGEST_HEADER}, all of them sent")]
        )
    try:
        header = FrameHeader.model_validate_json(message[4 : 4 + length])
    except ValidationError as error:
        raise Refused([key_fault("frame: header", detail) for detail in error.errors()]) from error
    dtype = np.dtype(_little(header.dtype))
    expected = header.width * header.height * dtype.itemsize
    if header.width * header.height > MOST_PIXELS or len(message) - 4 - length != expected:
        size = f"{header.width} x {header.height} of {header.dtype}"
        raise Refused([Fault("frame: pixels", f"{len(message) - 4 - length} bytes", f"{expected} bytes for {size}")])
    pixels = np.frombuffer(message, dtype, offset=4 + length).reshape(header.height, header.width)
    if header.dtype == "float32" and not np.isfinite(pixels).all():
        raise Refused([Fault("frame: pixels", "NaN or infinity in it", "finite values")])
    return header, pixels.astype(header.dtype, copy=False)


def _little(dtype: str) -> str:
    return {"uint16": "<u2", "float32": "<f4"}[dtype]
