"""Live frames on the wire: there and back, and what is refused."""

from __future__ import annotations

import struct

import numpy as np
import pytest

from lantern.core.faults import Refused
from lantern.signals.heat.wire import FrameHeader, pack_frame, unpack_frame

PIXELS = np.arange(12, dtype=np.uint16).reshape(3, 4)
HEADER = FrameHeader(seq=3, t=1_700_000_000.25, width=4, height=3)


def test_there_and_back() -> None:
    header, pixels = unpack_frame(pack_frame(HEADER, PIXELS))
    assert header == HEADER
    assert pixels.dtype == np.uint16
    assert (pixels == PIXELS).all()
    floats = HEADER.model_copy(update={"dtype": "float32"})
    assert (unpack_frame(pack_frame(floats, PIXELS / 3))[1] == (PIXELS / 3).astype(np.float32)).all()


@pytest.mark.parametrize(
    "message",
    [
        b"",
        b"\0\0",
        struct.pack(">I", 99_999) + b"{}",
        struct.pack(">I", 2) + b"{}",
        struct.pack(">I", 4) + b"null",
        pack_frame(HEADER, PIXELS)[:-1],
        pack_frame(HEADER, PIXELS) + b"\0",
        pack_frame(HEADER.model_copy(update={"dtype": "float32"}), np.full((3, 4), np.nan)),
        pack_frame(HEADER.model_copy(update={"width": 0}), PIXELS),
    ],
)
def test_what_is_no_frame_is_refused(message: bytes) -> None:
    with pytest.raises(Refused):
        unpack_frame(message)
