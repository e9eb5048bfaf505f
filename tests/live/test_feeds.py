"""What is known of a device that sends: frames in order, its pace, a clock that starts anew."""

from __future__ import annotations

import numpy as np
import pytest

from lantern.signals.heat.feed import FrameFeed, Picture
from lantern.signals.heat.wire import FrameHeader
from lantern.signals.tracks.feed import ObjectFeed, Scene


def picture(seq: int, t: float) -> Picture:
    return Picture(FrameHeader(seq=seq, t=t, width=8, height=6), np.zeros((6, 8), np.uint16))


def test_a_feed_drops_frames_from_the_past_and_follows_the_pace() -> None:
    feed = FrameFeed("T1", 1)
    for i in range(1, 60):
        assert feed.accept(picture(i, 1000 + i * 0.5))
    assert not feed.accept(picture(60, 1001.0))
    assert feed.dropped == 1
    assert feed.as_dict()["fps"] == pytest.approx(2.0, abs=0.1)


def test_a_device_that_began_anew_is_told_from_a_frame_that_came_late() -> None:
    camera = FrameFeed("T1", 1)
    camera.accept(picture(9, 1000.0))
    assert camera.jump_s(picture(10, 999.0)) is None  # late: its number goes on
    assert camera.jump_s(picture(1, 400.0)) == -600.0
    counter = ObjectFeed("C1", 2, frame_px=(100, 100))
    assert counter.jump_s(Scene(50.0, [])) is None
    counter.accept(Scene(50.0, []))
    assert counter.jump_s(Scene(49.95, [])) is None  # within its pace
    assert counter.jump_s(Scene(2.0, [])) == -48.0
