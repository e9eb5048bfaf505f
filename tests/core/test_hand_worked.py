"""Constants and sentences worked by hand: which region speaks, what of a dial is shown, advice, the largest, the live gap."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from builders import subject_of
from lantern.core.baseline import RESOLUTION
from lantern.core.dials import describe_dial
from lantern.core.events import Detector, Event, Region
from lantern.core.kinds import watch
from lantern.core.objects.placement import room
from lantern.core.readings.advice import SURE, SUSTAINS_S, advise
from lantern.core.readings.watch import ReadingWatch
from lantern.core.rule import Rule
from lantern.core.scoring.marking import marks_of_event
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Series
from lantern.core.silence import why_silent
from lantern.core.tracks import make_tracks
from lantern.core.tuning.raises import RAISES
from lantern.core.tuning.wishes import Wishes

RULE = Rule(sense="above", level=5.0, sustain_s=3.0)


def series(x: list[float], name: str = "r") -> Series:
    return Series(np.arange(len(x), dtype=float), np.array(x, dtype=float), "°C", name)


def test_of_the_regions_the_one_that_came_nearest_speaks() -> None:
    """In the order standing, re-arm, too short, below the level, no data; of two below the level the one that lacks less."""
    mark = Mark(2, 4, "expect")
    short = series([0, 0, 6, 6, 0, 0])  # beyond for 1 s of 3
    low, lower = series([0, 0, 4, 4, 0, 0]), series([0, 0, 1, 1, 0, 0])
    always = series([6.0] * 16)

    def spoke(**readings: Series) -> tuple[str, Any]:
        found = why_silent(mark, {name: (x, RULE) for name, x in readings.items()})
        return found.code, found.figures.get("region")

    assert spoke(a=lower, b=low) == ("below_threshold", "b")  # 1 short against 4
    assert spoke(a=low, b=short) == ("too_short", "b")
    late = Mark(12, 14, "expect")
    found = why_silent(late, {"a": (always, RULE), "b": (series([0] * 16), RULE)})
    assert (found.code, found.figures["region"]) == ("standing", "a")
    nothing = why_silent(Mark(50, 60, "expect"), {"a": (low, RULE)})
    assert nothing.code == "no_data"


def test_the_range_that_a_level_shows_reaches_4_percent_below_and_8_above_the_readings() -> None:
    """Readings of 10 to 60 °C: a span of 50, so 10 - 2 = 8 to 60 + 4 = 64."""
    held = subject_of(detector(), {"r": series([10, 60, 10])})
    assert held.shown(describe_dial(held.kind.dials, "threshold_c")) == pytest.approx((8.0, 64.0))
    flat = subject_of(detector(), {"r": series([20, 20, 20])})  # a span of at least 2: 20 - 0.08, 20 + 0.16
    assert flat.shown(describe_dial(flat.kind.dials, "threshold_c")) == pytest.approx((19.92, 20.16))
    # one event of 4 s with a sustain time of 1 s: 1.3 times 5 s is worth showing
    raised = subject_of(detector(sustain_s=1), {"r": series([0, 60, 60, 60, 60, 60, 0, 0, 0])})
    [event] = raised.events()
    assert event.cleared_s - event.raised_s == 4.0
    assert raised.shown(describe_dial(raised.kind.dials, "sustain_s")) == pytest.approx(6.5)


def detector(**dials: Any) -> Detector:
    region = Region(name="r", shape="spot", points=((0, 0),))
    plain = {"threshold_c": 50, "sustain_s": 0, "hysteresis_c": 0, "rearm_s": 0, "clear_s": 0}
    return Detector(name="d", kind="heat", regions=(region,), dials=plain | dials)


def test_advice_is_sure_from_20_times_the_noise() -> None:
    """A stretch of 30 °C without noise is held against what a sensor resolves: 30 / 0.05 = 600 times; 20 times is 1 °C."""
    x = [20.0] * 30 + [50.0] * 20 + [20.0] * 30
    held = subject_of(detector(), {"r": series(x)})
    best = advise([(held, [Mark(30, 50, "expect")])], Wishes.of(RAISES, {}))[0]
    assert (best.low, best.high) == (20.0, 50.0)
    assert best.sureness == pytest.approx(30 / RESOLUTION)
    assert SURE * RESOLUTION == 1.0
    assert best.changes["sustain_s"] in SUSTAINS_S
    assert best.changes["sustain_s"] == 0.0  # all that fit are as wide: the quickest


def test_the_largest_is_all_but_the_2_percent_that_are_wild() -> None:
    """Of 100 who pass at 20 px/s with boxes of 10 px two are 300 px high: they tell neither size nor room."""
    rows = []
    for number in range(100):
        high = 300.0 if number in (40, 80) else 10.0
        rows += [(number * 5 + i / 10, number, 100.0, 150 + 2.0 * i - high / 2, 6.0, high) for i in range(40)]
    t_s, ids, *box = (np.array(column) for column in zip(*sorted(rows), strict=True))
    tracks = make_tracks(t_s, ids.astype(np.int64), np.column_stack(box), frame_px=(200, 400), last_s=510.0, fps=10.0)
    line = Region(name="line", shape="line", points=((0, 190), (200, 190)))
    counting = subject_of(Detector(name="d", kind="count", regions=(line,), dials={"anchor": "centre"}), tracks)
    for side in room(tracks, line, counting.dials):
        assert side.size_px == pytest.approx(10.0)
        assert side.speed_px_s == pytest.approx(20.0, abs=0.5)


def test_a_live_gap_is_three_intervals_and_at_least_a_second() -> None:
    live = watch(detector(gap_s=None), {})
    assert isinstance(live, ReadingWatch)
    assert live.rule(0.25).gap_s == 1.0
    assert live.rule(2.0).gap_s == 6.0


@pytest.mark.parametrize(
    ("cleared_s", "end_s"),
    [
        (14.0, 14.0),  # over the event
        (10.0, 10.5),  # an event without a length: one sample
        (None, 60.0),  # it stands still: to the take's end
    ],
)
def test_the_mark_of_an_event_lies_over_it(cleared_s: float | None, end_s: float) -> None:
    event = Event("d", "r", 10.0, cleared_s, "end", False, 50.0)
    made = marks_of_event(event, length_s=60.0, interval_s=0.5, lead_s=30.0)
    assert made == {
        "right": Mark(10.0, end_s, "expect", "d", "was right", 10.0),  # open to the take's beginning, 30 s at most
        "wrong": Mark(10.0, end_s, "quiet", "d", "was wrong"),
    }
