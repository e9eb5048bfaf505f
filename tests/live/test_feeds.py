"""A live detector without the store: raised, clear or unknown and why; the shutter; the baseline; a clock that jumps."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from lantern.core.baseline import KEPT, LEAST_LEARNT
from lantern.core.events import Detector, Region
from lantern.formats.wire import FrameHeader
from lantern.live.feeds import FrameFeed
from lantern.live.readings import ReadingWatch as Watch

BOX = Region(name="box", shape="box", points=((0, 0), (8, 6)))


def watch(**dials: object) -> Watch:
    plain = {"threshold_c": 50, "sustain_s": 0, "rearm_s": 0, "hysteresis_c": 0}
    model = Detector(name="d", kind="heat", regions=(BOX,), dials=plain | dials)
    return Watch(detector_id=1, site_id=1, revision=1, model=model, links=[])


def frame(seq: int, celsius: Any, *, t: float | None = None) -> tuple[FrameHeader, Any]:
    header = FrameHeader(seq=seq, t=1000.0 + seq if t is None else t, width=8, height=6, scale=0.01, offset_c=-273.15)
    ground = np.random.default_rng(seq).normal(0, 0.02, (6, 8))
    return header, np.round((ground + celsius + 273.15) * 100).astype(np.uint16)


def changes(watch: Watch, *frames: tuple[FrameHeader, Any]) -> list[str]:
    return [c.what for f in frames for h in watch.take(*f, 1.0) for c in h.changes]


def test_unknown_is_neither_raised_nor_clear() -> None:
    one = watch()
    assert changes(one, frame(1, 20.0)) == []
    assert one.standing("box", feed_live=True) == ("clear", "")
    assert changes(one, frame(2, 60.0)) == ["raise"]
    assert one.standing("box", feed_live=True)[0] == "raised"
    assert one.standing("box", feed_live=False) == ("unknown", "no frames")
    one.error = "pictures of another size"
    assert one.standing("box", feed_live=True) == ("unknown", "pictures of another size")


def test_the_shutter_makes_it_unknown_and_raises_nothing() -> None:
    shut = watch(condition="rise", delta_c=3, window_s=10, shutter_s=2)
    assert changes(shut, *(frame(i, 20.0) for i in range(1, 6))) == []
    assert changes(shut, frame(6, 32.0)) == []  # every pixel at once: the paddle
    assert shut.standing("box", feed_live=True)[0] == "unknown"
    assert changes(shut, frame(7, 20.5), frame(8, 20.5), frame(9, 20.5), frame(10, 20.5)) == []
    assert shut.standing("box", feed_live=True) == ("clear", "")
    unwatched = watch(condition="rise", delta_c=3, window_s=10)
    assert changes(unwatched, frame(1, 20.0), frame(2, 32.0)) == ["raise"]


def test_a_baseline_is_unknown_until_it_has_learnt_enough() -> None:
    learning = watch(against="baseline", baseline_s=float(KEPT), delta_c=3)
    for i in range(1, LEAST_LEARNT):
        assert changes(learning, frame(i, 20.0)) == []
    assert learning.standing("box", feed_live=True) == ("unknown", "still learning what is normal")
    assert changes(learning, frame(LEAST_LEARNT, 20.0)) == []
    assert learning.standing("box", feed_live=True)[0] == "clear"
    assert changes(learning, frame(LEAST_LEARNT + 1, 26.0)) == ["raise"]
    assert learning.as_dict(feed_live=True)["level"] is None  # it is no line over the reading


def test_what_was_learnt_outlasts_a_clock_that_jumps() -> None:
    learning = watch(against="baseline", baseline_s=float(KEPT), delta_c=3)
    changes(learning, *(frame(i, 20.0) for i in range(1, LEAST_LEARNT + 2)))
    learning.shift(-500.0)
    assert changes(learning, frame(40, 26.0, t=520.0)) == ["raise"]


def test_a_page_gets_states_units_and_levels() -> None:
    beside = watch(against="neighbours", delta_c=5)
    left = Region(name="left", shape="box", points=((0, 0), (4, 6)))
    right = Region(name="right", shape="box", points=((4, 0), (8, 6)))
    beside = Watch(1, 1, 1, beside.model.model_copy(update={"regions": (left, right)}), [])
    picture = np.full((6, 8), 20.0)
    picture[:, 5] = 31.0
    assert changes(beside, frame(1, picture)) == ["raise"]
    told = beside.as_dict(feed_live=True)
    assert (told["unit"], told["level"]) == ("K", 5)
    assert told["readings"]["right"] == pytest.approx(11, abs=0.2)
    assert {name: s["state"] for name, s in told["standing"].items()} == {"left": "clear", "right": "raised"}


def test_a_feed_drops_frames_from_the_past_and_follows_the_pace() -> None:
    feed = FrameFeed("T1", 1)
    for i in range(1, 60):
        assert feed.accept(*frame(i, 20.0, t=1000 + i * 0.5))
    assert not feed.accept(*frame(60, 20.0, t=1001.0))
    assert feed.dropped == 1
    assert feed.as_dict()["fps"] == pytest.approx(2.0, abs=0.1)
