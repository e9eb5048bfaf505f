"""Who has a head from moment to moment: the same as over a day; and where it is sent."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from core.ptz.test_days import HEAD, LOOKS, SITE, sheet
from lantern.core.ptz.days import Asked, day_of
from lantern.core.ptz.duty import Manual
from lantern.core.ptz.holder import Holder
from lantern.core.ptz.pointing import Direction, slew_s
from lantern.core.ptz.rounds import Sheet


def held_by(of: Sheet, began_s: float = 0.0, on: Any = lambda name, t: False) -> Holder:
    return Holder(of, SITE, on, began_s)


def test_it_is_sent_from_stop_to_stop_and_goes_on_where_it_was_taken_from() -> None:
    holder = held_by(sheet((1, 10), (2, 10), (3, 10)))
    sent = [
        (t, found.aim) for t in np.arange(0, 60, 0.5).tolist() if (found := holder.now(t, (), LOOKS[1])) is not None
    ]
    go = slew_s(HEAD, Direction(*LOOKS[1][:2]), Direction(*LOOKS[2][:2]))
    assert [aim for _, aim in sent[:3]] == [LOOKS[1], LOOKS[2], LOOKS[3]]
    assert [t for t, _ in sent[:3]] == [0.0, 10.5, pytest.approx(10.5 + 10 + go, abs=0.5)]  # it settles first
    taken = held_by(sheet((1, 10), (2, 10), (3, 10), release_s=5))
    hold = [Manual(from_s=14, to_s=16, who="Ola", rank=5)]
    steps = {t: taken.now(t, hold if t >= 14 else (), LOOKS[1]) for t in np.arange(0, 40, 0.5).tolist()}
    assert all(steps[t] is None for t in np.arange(14, 21, 0.5).tolist())
    assert steps[21.0] is not None
    assert steps[21.0].aim == LOOKS[2]  # it was there, and had not been long enough


def test_a_sweep_and_a_driven_way_go_as_fast_as_they_say_and_are_taken_up_at_full_speed() -> None:
    sweep = {
        "name": "night",
        "way": "sweep",
        "sweep": {"pan_from_deg": 0, "pan_to_deg": 90, "tilt_deg": 8, "speed_deg_s": 5},
    }
    moments = [(0.0, 350.0, 8.0, 2.0), (0.5, 352.0, 8.0, 2.0), (1.5, 2.0, 8.0, 2.0), (2.5, 2.0, 8.0, 2.0)]
    driven = {"name": "night", "way": "driven", "driven": moments}
    for held, shares in ((sweep, {0.05}), (driven, {0.04, 0.1})):  # of 100 degrees a second
        holder = held_by(sheet(rounds=[held]))
        found = [step for t in np.arange(0, 8, 0.5).tolist() if (step := holder.now(t, (), LOOKS[2])) is not None]
        assert found[0].share == 1.0
        assert {round(step.share, 3) for step in found[1:3]} == shares
        assert not any(step.settled for step in found)


def test_a_stop_with_a_share_of_its_speed_is_gone_to_so_and_takes_longer() -> None:
    stops = [{"preset": 1, "stay_s": 10}, {"preset": 2, "stay_s": 10, "speed": 0.1}]
    holder = held_by(sheet(rounds=[{"name": "night", "stops": stops}]))
    sent = [(t, step) for t in np.arange(0, 60, 0.5).tolist() if (step := holder.now(t, (), LOOKS[1])) is not None]
    assert [step.share for _, step in sent[:3]] == [1.0, 0.1, 1.0]
    slow = slew_s(HEAD.at_share(0.1), Direction(*LOOKS[1][:2]), Direction(*LOOKS[2][:2]))
    assert slow > 9  # 90 degrees at 10 degrees a second
    assert sent[2][0] == pytest.approx(10.5 + slow + 10, abs=0.6)


def test_a_call_has_it_until_it_asks_no_more_or_for_as_long_as_it_may() -> None:
    holder = held_by(sheet((1, 10), call_most_s=20))
    for t in range(60):
        if 10 <= t < 50:
            holder.asks(t, "visitors", 6)
        if t == 50:
            holder.over(t, "visitors")
        holder.now(t, (), LOOKS[1])
        assert holder.lets("visitors") == (10 <= t < 30)  # 20 s, and not again while it is the same call


def test_a_call_that_comes_while_it_is_held_by_hand_is_dropped_for_good() -> None:
    holder = held_by(sheet((1, 10), release_s=5))
    hold = [Manual(from_s=5, to_s=10, who="Ola", rank=5)]
    for t in range(40):
        if 8 <= t < 30:
            holder.asks(t, "visitors", 6)
        holder.now(t, hold if t >= 5 else (), LOOKS[1])
        assert not holder.lets("visitors")
        assert (holder.dropped is not None) == (t >= 8)
    assert holder.dropped is not None
    assert holder.dropped.because == "Ola holds it by hand"


def test_hours_are_asked_by_the_minute() -> None:
    of = sheet((1, 10), idle=None, hours=[{"timetable": "night", "do": "night"}])
    holder = held_by(of, on=lambda name, t: 120 <= t < 240)
    by = []
    for t in range(0, 300, 10):
        holder.now(float(t), (), LOOKS[1])
        assert holder.stretch is not None
        by.append(holder.stretch.by)
    assert by == ["none"] * 12 + ["timetable"] * 12 + ["none"] * 6


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.integers(0, 280), st.integers(2, 60)), max_size=4),
    st.lists(st.tuples(st.integers(0, 280), st.integers(0, 30), st.integers(4, 6)), max_size=2),
    st.sampled_from([None, 15.0]),
)
def test_from_moment_to_moment_it_is_what_the_day_says(
    asks: list[tuple[int, int]], holds: list[tuple[int, int, int]], most: float | None
) -> None:
    """One caller that calls now and then, and hands: each moment's holder is that of the whole day's duty."""
    of = sheet((1, 7), (2, 11), call_most_s=most, release_s=10, idle_after_s=15)
    manual = [Manual(from_s=at, to_s=at + length, who=f"P{rank}", rank=rank) for at, length, rank in holds]
    spans: list[tuple[int, int]] = []
    for at, length in sorted(asks):
        if not spans or at > spans[-1][1]:
            spans.append((at, at + length))
    calls = [Asked(float(at), float(end - at), "v", 6, ((0.0, LOOKS[3]),)) for at, end in spans]
    whole = day_of(of, SITE, (), calls, manual, from_s=0.0, to_s=300.0)
    holder = held_by(of)
    for t in range(300):
        now = next((end for at, end in spans if at <= t < end), None)
        if now is not None:
            holder.asks(float(t), "v", 6)
        else:
            holder.over(float(t), "v")
        # so far as anybody knows at that moment
        known = [each.model_copy(update={"to_s": min(each.to_s, t)}) for each in manual if each.from_s <= t]
        holder.now(float(t), known, LOOKS[1])
        assert holder.stretch is not None
        expected = next(each for each in whole.stretches if each.from_s <= t < each.to_s)
        assert holder.stretch.by == expected.by
