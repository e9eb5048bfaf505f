"""What if: devices down or away, a network that is late: what then comes of the same events, worked by hand."""

from __future__ import annotations

from datetime import UTC, datetime, time
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from lantern.core.effects.say.effect import Say
from lantern.core.effects.switch.effect import Switch
from lantern.core.linking.links import LinkRule
from lantern.core.linking.supposed import Away, Suppose, alike, others
from lantern.core.linking.whole import Given, Line, Rules, rehearsed
from lantern.core.logic.causes import Cause
from lantern.core.logic.compounds import Compound

LINKS = (
    LinkRule(name="lamp", detector="Heap", effects=(Switch(output="lamp", length_s=20.0, expire_s=60.0),)),
    LinkRule(name="both", compound="Both", effects=(Say(do="say", devices=("L1",), message="halt", length_s=4.0),)),
)
COMPOUNDS = (Compound(name="Both", kind="all", within_s=30.0, parts=(Cause(detector="Heap"), Cause(input="gate"))),)
RULES = Rules(LINKS, COMPOUNDS, {}, {}, lambda name, t: True)
EVENTS = (
    Given("detector", "Heap", 100.0, 110.0, False),
    Given("input", "gate", 105.0, 106.0, False, "active"),
    Given("detector", "Heap", 500.0, 510.0, False),
)
BEGINS, ZONE = datetime(2026, 3, 28, 22, tzinfo=UTC), ZoneInfo("Europe/Berlin")
GIVE = {("detector", "Heap"): "T1", ("input", "gate"): "M1"}
REACH = {"lamp": "M1", "L1": "L1"}


def played(suppose: Suppose) -> list[Line]:
    supposed = suppose.of_run(BEGINS, ZONE, 1000.0)
    return supposed.delivered(rehearsed(RULES, supposed.heard(EVENTS, GIVE)), REACH)


def orders(suppose: Suppose) -> list[tuple[Any, ...]]:
    said = [line.said for line in played(suppose) if line.ordered_by is not None]
    return [(each["on"], each["at_s"], each["from_s"], each["to_s"], each["result"]) for each in said]


def test_where_nothing_is_supposed_nothing_is_another() -> None:
    assert played(Suppose()) == rehearsed(RULES, EVENTS)
    assert others(rehearsed(RULES, EVENTS), played(Suppose())) == []


def test_a_device_that_is_down_gives_nothing_and_gets_nothing() -> None:
    assert orders(Suppose(down=("M1",))) == [
        ("lamp", 100.0, None, None, "lost"),  # and without the gate the compound does not come: no word is said
        ("lamp", 500.0, None, None, "lost"),
    ]
    assert orders(Suppose(down=("T1",))) == []
    assert orders(Suppose(down=("L1",)))[1] == ("L1", 105.0, None, None, "lost")


def test_what_is_ordered_of_one_that_is_away_waits_as_long_as_it_may() -> None:
    away = Away(device="M1", from_s=90.0, length_s=40.0)
    assert orders(Suppose(away=(away,))) == [
        ("lamp", 100.0, 130.0, 150.0, "done"),
        ("lamp", 500.0, 500.0, 520.0, "done"),
    ]
    longer = Away(device="M1", from_s=90.0, length_s=75.0)  # until 165: 65 s late, and 60 are let
    assert orders(Suppose(away=(longer,)))[0] == ("lamp", 100.0, None, None, "expired")
    just = Away(device="M1", from_s=90.0, length_s=70.0)  # exactly as late as it may be
    assert orders(Suppose(away=(just,)))[0] == ("lamp", 100.0, 160.0, 180.0, "done")
    ended = Away(device="M1", from_s=50.0, length_s=50.0)  # back at the instant itself
    assert orders(Suppose(away=(ended,)))[0] == ("lamp", 100.0, 100.0, 120.0, "done")
    by_clock = Away(device="M1", at=time(23, 1, 30), length_s=40.0)  # 22:01:30 by UTC, 90 s after it begins
    assert orders(Suppose(away=(by_clock,))) == orders(Suppose(away=(away,)))
    twice = Suppose(away=(away, Away(device="M1", from_s=125.0, length_s=10.0)))
    assert orders(twice)[0] == ("lamp", 100.0, 135.0, 155.0, "done")


def test_a_late_network_delivers_all_late_and_some_never() -> None:
    assert orders(Suppose(late_s=7.0)) == [
        ("lamp", 100.0, 107.0, 127.0, "done"),
        ("L1", 105.0, 112.0, 116.0, "done"),
        ("lamp", 500.0, 507.0, 527.0, "done"),
    ]
    assert {each[-1] for each in orders(Suppose(late_s=61.0)) if each[0] == "lamp"} == {"expired"}


def test_what_comes_out_otherwise_is_said() -> None:
    base = rehearsed(RULES, EVENTS)
    said = [(each.on, each.at_s, each.words) for each in others(base, played(Suppose(down=("M1",))))]
    assert said == [
        ("lamp", 100.0, "lost instead of done"),
        ("L1", 105.0, "does not come"),
        ("lamp", 500.0, "lost instead of done"),
    ]
    assert alike(others(base, played(Suppose(down=("M1",)))))[0] == ("lamp", "lost instead of done", 2, 100.0)
    assert {each.words for each in others(base, played(Suppose(late_s=2.5)))} == {"2.5 s later"}
    assert [each.words for each in others(played(Suppose(down=("T1",))), base)] == ["comes, done"] * 3


@pytest.mark.parametrize(
    "wrong",
    [
        {"late_s": -1},
        {"away": [{"device": "M1", "length_s": 5}]},
        {"away": [{"device": "M1", "at": "25:00", "length_s": 5}]},
        {"guards": 0},
        {"later_h": 25},
        {"away": [{"device": "M1", "from_s": 0, "length_s": 0}]},
    ],
)
def test_what_cannot_be_is_refused(wrong: dict[str, Any]) -> None:
    with pytest.raises(ValueError, match=next(iter(wrong))):
        Suppose.model_validate(wrong)


def test_by_the_clock_it_is_away_each_day_and_a_night_of_another_length_is_no_matter() -> None:
    """It begins at 23:00 of Berlin; in that night the clocks go forward, so that the next 23:30 comes 23 h after the first."""
    away = Away(device="M1", at=time(23, 30), length_s=3600.0)
    spans = list(away.spans(BEGINS, ZONE, 2 * 86_400.0))
    assert spans == [(1_800.0, 5_400.0), (84_600.0, 88_200.0), (171_000.0, 174_600.0)]
    before = Away(device="M1", at=time(22, 30), length_s=3600.0)  # it began before, and lasts still
    assert next(iter(before.spans(BEGINS, ZONE, 10.0))) == (-1800.0, 1800.0)
