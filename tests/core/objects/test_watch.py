"""Objects live: passages, zones and counts, a frame at a time."""

from __future__ import annotations

import pytest

from lantern.core.events import Detector
from lantern.core.faults import Refused
from lantern.core.kinds import kind_of
from lantern.core.kinds import watch as watch_of
from lantern.core.objects.region import ObjectRegion
from lantern.core.objects.watch import ObjectWatch
from lantern.core.tracks import Seen
from lantern.core.watch import Sample

DOOR = ObjectRegion(name="door", shape="line", points=((0, 50), (100, 50)))  # A above, B below: in is downwards
ROOM = ObjectRegion(name="room", shape="box", points=((0, 50), (100, 100)))


def seen(number: int, y: float, label: str = "person") -> list[Seen]:
    return [Seen(number, (40.0, y - 10, 20.0, 20.0), 0.9, label)]


def watch(kind: str, region: ObjectRegion, **dials: object) -> ObjectWatch:
    plain = {"anchor": "centre", "rearm_s": 0.0} | ({} if kind == "zone" else {"band": 2.0})
    model = Detector(name="d", kind=kind, regions=(region,), dials=plain | dials)
    made = watch_of(model, {"width": 100, "height": 100})
    assert isinstance(made, ObjectWatch)
    return made


def walk(one: ObjectWatch, number: int, start_s: float, ys: list[float]) -> list[tuple[str, str, str | None]]:
    out = []
    for i, y in enumerate(ys):
        turns = one.step(Sample("tracks", start_s + i / 10, seen(number, y)), 0.1)
        for turn in (each for first in turns for each in first.chain()):
            out += [(change.what, turn.region, turn.direction) for change in turn.changes]
    return out


DOWN = [30.0, 40.0, 55.0, 70.0]


def test_a_count_knows_who_is_inside() -> None:
    one = watch("count", DOOR, capacity=2)
    assert walk(one, 1, 0, DOWN) == [("raise", "door", "in"), ("clear", "door", "in")]
    assert walk(one, 2, 1, DOWN)[-1] == ("raise", "occupancy", None)
    said = one.standing().as_dict()
    assert said["readings"] == {"inside": 2, "in": 2, "out": 0}
    assert said["standing"]["inside"]["state"] == "raised"
    assert one.standing(trouble="no frames").as_dict()["standing"]["inside"] == {"state": "unknown", "why": "no frames"}
    assert walk(one, 3, 2, DOWN[::-1])[-1] == ("clear", "occupancy", None)


def test_occupancy_outlives_a_restart_and_a_new_revision() -> None:
    one = watch("count", DOOR, capacity=1)
    walk(one, 1, 0, DOWN)
    held = {"inside": 1, "came": 1, "left": 0, "clamped": 0, "raised": True}
    fresh = watch("count", DOOR, capacity=1)
    assert fresh.resume({"occupancy": held}, outdated=())
    assert fresh.standing().readings["inside"] == 1
    uncapped = watch("count", DOOR)
    assert not uncapped.resume({"occupancy": held}, outdated={"occupancy"})
    heir = watch("count", DOOR, capacity=1)
    heir.inherit(one)
    assert heir.standing().readings["inside"] == 1


def test_nobody_is_inside_once_nobody_is_in_view() -> None:
    one = watch("count", DOOR)
    walk(one, 1, 0, DOWN)
    with pytest.raises(Refused, match="1 in view"):
        one.told("empty")
    list(one.step(Sample("tracks", 9.0, []), 0.1))
    before, turn = one.told("empty")
    assert (before, turn.region, turn.reading, one.standing().readings["inside"]) == (1, "occupancy", 0, 0)
    with pytest.raises(Refused, match="cannot be told"):
        watch("crossing", DOOR).told("empty")


def test_a_zone_stands_raised_until_left() -> None:
    one = watch("zone", ROOM, when="inside", dwell_s=0.2)
    assert walk(one, 1, 0, [30, 60, 60, 60]) == [("raise", "room", None)]
    assert one.standing().states["room"] == ("raised", "")
    assert walk(one, 1, 0.5, [30]) == [("clear", "room", None)]
    assert walk(one, 2, 5, [60, 60, 60]) == [("raise", "room", None)]
    assert [c.cleared_by for turn in one.step(Sample("tracks", 20.0, []), 0.1) for c in turn.changes] == ["lost"]
    one.shift(-100)  # the device began anew: so does everything that was in view
    assert one.standing().readings["room"] == 0


@pytest.mark.parametrize(("kind", "dial"), [("crossing", "direction"), ("count", "reverse")])
def test_the_arrows_of_a_line_show_which_ways_raise(kind: str, dial: str) -> None:
    """1 is from A to B, here downwards. A count raises both ways: its arrow shows which of them is in."""
    arrows = kind_of(kind).arrows  # type: ignore[attr-defined]
    assert arrows.dial == dial
    for value, ways in arrows.ways.items():
        one = watch(kind, DOOR, **{dial: value})
        raised = []
        for number, (way, ys) in enumerate(((1, DOWN), (-1, DOWN[::-1]))):
            told = [direction for what, _, direction in walk(one, number, 5.0 * number, ys) if what == "raise"]
            raised += [way for direction in told if direction != "out"]
        assert tuple(raised) == ways, value
