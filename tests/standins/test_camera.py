"""The thermal stand-in between its scene and the wire: what it plays, and the shutter that one may close."""

from __future__ import annotations

from typing import Any

import numpy as np

from lantern.core.signals import RecordedAs
from lantern.signals.heat.wire import unpack_frame
from lantern.standins.camera import PADDLE_C, SHUTTER_S, CameraStandIn, Reel
from loops import in_a_loop

SCALE = 0.04


class Socket:
    """Takes so many frames, then breaks off."""

    def __init__(self, count: int) -> None:
        self.count, self.sent = count, list[bytes]()

    async def send(self, message: bytes) -> None:
        self.sent.append(message)
        if len(self.sent) == self.count:
            raise OSError("enough")


def played(camera: CameraStandIn, count: int) -> list[Any]:
    socket = Socket(count)

    async def run() -> None:
        try:
            await camera.play_to(socket)
        except OSError:
            return

    in_a_loop(run)
    return [unpack_frame(message) for message in socket.sent]


def camera() -> CameraStandIn:
    reel = Reel(40, 8.0, 4, 3, SCALE, -273.15, RecordedAs(), lambda i: np.full((3, 4), 7000 + i, np.uint16))
    return CameraStandIn("T1", reel, "ws://nowhere", "token", speed=32)


def test_frames_come_in_order_with_the_camera_s_own_time() -> None:
    frames = played(camera(), 5)
    assert [int(pixels[0, 0]) for _, pixels in frames] == [7000, 7001, 7002, 7003, 7004]
    steps = np.diff([header.t for header, _ in frames])
    assert np.allclose(steps, 1 / 8)


def test_a_closed_shutter_shows_its_paddle_for_a_moment() -> None:
    one = camera()
    one.close_shutter()
    frames = played(one, 10)
    shut = [int(pixels[0, 0]) - 7000 - i for i, (_, pixels) in enumerate(frames)]
    count = round(SHUTTER_S * 8)
    assert shut == [round(PADDLE_C / SCALE)] * count + [0] * (10 - count)
