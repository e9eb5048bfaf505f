"""A night on the stand-in, sped up: what places got there is what the sums say, within how often the engine looks."""

from __future__ import annotations

import time
from datetime import UTC, datetime
from typing import Any

import pytest

from core.ptz.test_days import FRAME, LOOKS, SITE, SPOTS, sheet
from lantern.core.faults import Refused
from lantern.core.ptz.days import Asked
from lantern.core.ptz.rounds import Sheet, cycle_s, steps_of
from lantern.core.watch import Aim
from lantern.duty.days import Known
from lantern.duty.night import EVERY_S, FROM_S, NIGHT, Night, begin_night

AWAY = Aim(200.0, 12.0, 5.0)


def known(*courses: tuple[float, Any]) -> Known:
    begins = datetime(2026, 3, 2, tzinfo=UTC)
    return Known(SITE, tuple(SPOTS.values()), (), FRAME, (), courses, "visitors", begins)


SHORT_H = 2  # a shorter night: the whole takes its time


def ran(of: Sheet, held: Known) -> Night:
    night = Night(held, of, SHORT_H)
    night.go_on(FROM_S + SHORT_H * 3600)
    return night


def test_a_round_alone_gives_each_place_what_the_sums_say() -> None:
    held = sheet((1, 20), (2, 20), (3, 30), made_up={"night_per_hour": 0, "day_per_hour": 0})
    night = ran(held, known())
    steps = steps_of(held, "night", LOOKS, SITE.head)
    found = {each.name: each for each in night.results()}
    for name, stay in (("gate", 20), ("tank", 20), ("shed", 30)):
        assert found[name].sums_s == pytest.approx(cycle_s(steps) - stay)
        assert found[name].ran_s == pytest.approx(found[name].sums_s, abs=3 * EVERY_S)
        assert found[name].ran_share == pytest.approx(found[name].sums_share, abs=0.05)
    turns = SHORT_H * 3600 / cycle_s(steps) * 3
    assert night.machine.sent == pytest.approx(turns, rel=0.03)


def test_calls_are_followed_and_starve_the_round_as_the_sums_say() -> None:
    held = sheet((1, 10), (2, 10), made_up={"night_per_hour": 30, "day_per_hour": 0, "seed": 3}, call_most_s=60)
    night = ran(held, known((90.0, ((0.0, AWAY),))))
    assert night.called == len(night.calls) > 15
    assert 0.5 * night.called < night.followed <= night.called
    gate = next(each for each in night.results() if each.name == "gate")
    assert gate.sums_s > 60
    assert 60 < gate.ran_s < gate.sums_s + 120  # half a second decides which stop it goes on at
    assert gate.ran_share == pytest.approx(gate.sums_share, abs=0.04)


def test_it_is_followed_by_the_page_stopped_and_refused_for_what_is_not_there() -> None:
    held = sheet((1, 10), (2, 10))
    begin_night(901, known(), held)
    with pytest.raises(Refused, match="under way"):
        begin_night(901, known(), held)
    NIGHT.stop(901)
    end = time.monotonic() + 60
    while NIGHT.told(901)["open"]:
        assert time.monotonic() < end
        time.sleep(0.05)
    assert NIGHT.told(901)["said"] == "It was stopped."
    with pytest.raises(Refused, match="there is no 'nights'"):
        begin_night(902, known(), sheet((1, 10), hours=[{"timetable": "nights", "do": "night"}]))


def test_what_turns_fast_is_seen_until_it_was_last_seen_there() -> None:
    night = Night(known(), sheet((1, 10)), SHORT_H)
    near, far = Aim(10.0, 8.0, 2.0), Aim(90.0, 8.0, 2.0)
    for t, aim in ((0.0, near), (20.0, far), (30.0, far._replace(pan_deg=95.0))):
        night.looked.note(FROM_S + t, aim)
    day = night.day()
    assert (day.began_s - FROM_S).tolist() == [0.0, 20.0, 30.0]
    assert (day.ended_s[:2] - FROM_S).tolist() == [20.0 - EVERY_S, 30.0]  # 80 degrees in half a second, and 5


def test_a_call_is_followed_while_it_may_and_no_longer() -> None:
    night = Night(known(), sheet((1, 10), call_most_s=60), SHORT_H)
    course = tuple((5.0 * n, AWAY if n % 2 else AWAY._replace(pan_deg=210.0)) for n in range(18))
    night.calls = [Asked(FROM_S + 100, 90.0, "visitors", 6, course)]
    night.go_on(FROM_S + 300)
    followed = [
        at - FROM_S
        for at, aim in zip(night.looked.at_s, night.looked.aims, strict=True)
        if abs(aim.pan_deg - 205.0) < 6 and aim.tilt_deg == AWAY.tilt_deg
    ]
    assert 100 < followed[0] < 105
    assert 155 < followed[-1] < 163
