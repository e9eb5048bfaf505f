"""A radar's raises are what the words of its dials say, on takes and live; sweeps are exact; what did not raise says why."""

from __future__ import annotations

import numpy as np
import pytest

from core.radar.scenes import SQUARE, Row, by_the_words, detector, one_by_one, returns_of, sector, subject, wandering
from lantern.core.faults import Refused
from lantern.core.radar.family import RADAR
from lantern.core.radar.subject import judge
from lantern.core.radar.watch import RadarWatch
from lantern.core.scoring.marks import Mark
from lantern.core.watch import Sample

REGIONS = ([], [sector("ahead", 3, -30, 14, 30)], [SQUARE], [sector("around", 0, -200, 9, 170), SQUARE])
DIALS = (
    {},
    {"distance_m": 0.8, "bridge_s": 0.0, "gap_s": 0.6},
    {"distance_m": 3.0, "bridge_s": 2.0, "gap_s": 1.6, "sustain_s": 2.0, "rearm_s": 6.0},
    {"distance_m": 1.0, "min_speed_mps": 0.6, "gap_s": 1.1, "min_rcs_dbsm": 0.0, "max_rcs_dbsm": 6.0},
)


def got(rows: list[Row], held) -> list[tuple]:
    events = judge(held, RADAR, returns_of(rows)).events()
    return [
        (each.region or None, each.object, each.raised_s, each.cleared_s, each.cleared_by, each.direction, each.peak)
        for each in events
    ]


@pytest.mark.parametrize("profile", ["inbound", "outbound", "across", "any"])
@pytest.mark.parametrize("dials", DIALS)
@pytest.mark.parametrize("regions", REGIONS)
def test_events_are_what_the_words_say(profile: str, dials: dict, regions: list) -> None:
    raised = 0
    for seed in range(6):
        rows = wandering(np.random.default_rng(seed))
        held = detector(regions, profile=profile, **dials)
        expected = sorted(by_the_words(rows, held), key=str)
        found = sorted(got(rows, held), key=str)
        assert [each[:6] for each in found] == [each[:6] for each in expected]
        assert [each[6] for each in found] == pytest.approx([each[6] for each in expected])
        raised += len(found)
    assert raised


@pytest.mark.parametrize("profile", ["inbound", "outbound", "across", "any"])
@pytest.mark.parametrize("dials", DIALS)
def test_live_says_the_same(profile: str, dials: dict) -> None:
    for seed in range(4):
        rows = wandering(np.random.default_rng(100 + seed))
        held = detector(REGIONS[3], profile=profile, **dials)
        watch, told = RadarWatch(held, RADAR, {}), []
        for t, seen in one_by_one(returns_of(rows)):
            for turn in watch.step(Sample("radar", t, seen), 0.5):
                told += [(turn.region, turn.object, change.what, change.t) for change in turn.changes]
        expected = []
        for region, target, raised_s, cleared_s, cleared_by, *_ in got(rows, held):
            expected.append((region, str(target), "raise", raised_s))
            if cleared_by == "reading" or (
                cleared_by == "lost" and rows[-1][0] > cleared_s + held.dials.get("gap_s", 1.0)
            ):
                expected.append((region, str(target), "clear", cleared_s))
        assert sorted(told) == sorted(expected)


@pytest.mark.parametrize("rearm_s", [0.0, 4.0])
@pytest.mark.parametrize("profile", ["inbound", "across", "any"])
def test_the_way_sweeps_exactly(profile: str, rearm_s: float) -> None:
    on = subject(wandering(np.random.default_rng(3)), REGIONS[3], profile=profile, gap_s=1.2, rearm_s=rearm_s)
    marks = [Mark(4.0, 8.0, "expect"), Mark(20.0, 26.0, "expect"), Mark(40.0, 50.0, "ignore")]
    rows = on.sweep("distance_m", marks, low=0.0, high=12.0)
    assert len(rows) > 5
    assert (rows[0].start, rows[-1].stop) == (0.0, 12.0)
    for row in rows:
        for value in (row.value, row.stop):
            again = on.with_dials(distance_m=value).result(marks)
            assert again[:6] == row.result[:6], value


def walk(
    speeds: list[float], *, start: float = 20.0, bearing: float = 0.0, dt: float = 0.5, size: float = 0.0
) -> list[Row]:
    rows, away = [], start
    for at, speed in enumerate(speeds):
        away += speed * dt
        rows.append((at * dt, 1, away, bearing, speed, size))
    return rows


def why(rows: list[Row], regions=(), **dials) -> str:
    return subject(rows, regions, **dials).why_silent(Mark(0.0, 60.0, "expect")).text


def test_what_did_not_raise_says_why_with_its_numbers() -> None:
    slow = walk([-1.0] * 8 + [-0.1] * 5 + [-1.0] * 3)
    assert why(slow, distance_m=6.0, min_speed_mps=0.5, bridge_s=1.0) == (
        "1 came 3.5 of 6 m nearer in its longest run; below 0.5 m/s for 1.0 s, the bridge is 1 s."
    )
    assert "left the region" in why(walk([-1.0] * 12), [sector("near", 15, -10, 30, 10)], distance_m=10.0)
    assert why(walk([0.4] * 9), distance_m=1.0) == "1 never went nearer at 0.3 m/s: 0.40 m/s at most."
    assert "never was in the region" in why(walk([-1.0] * 9), [sector("left", 1, -90, 30, -60)])
    assert "its size, 0.0 dBsm, is left out" in why(walk([-1.0] * 9), min_rcs_dbsm=3.0)
    assert "went so for 3.5 of 20 s" in why(walk([-1.0] * 8), sustain_s=20.0)
    nobody = subject([(70.0, 1, 10.0, 0.0, -1.0, 0.0)]).why_silent(Mark(0.0, 60.0, "expect"))
    assert nobody.code == "no_data"


def test_a_sector_that_passes_the_axis_counts_azimuths_modulo_a_turn() -> None:
    for bearing in (350.0, -10.0, 710.0):
        assert subject(walk([-1.0] * 9, bearing=bearing), [sector("ahead", 0, -20, 30, 20)]).events()
    assert not subject(walk([-1.0] * 9, bearing=200.0), [sector("ahead", 0, -20, 30, 20)]).events()


@pytest.mark.parametrize(
    ("region", "says"),
    [
        (sector("s", 5, -10, 5, 10), "near below far"),
        (sector("s", -1, -10, 5, 10), "0 at least"),
        (sector("s", 1, 10, 5, -10), "left below right"),
        ({"name": "p", "shape": "polygon", "points": [[0, 0], [1, 1]]}, "three at least"),
        ({"name": "p", "shape": "polygon", "points": [[0, 0], [4, 4], [4, 0], [0, 4]]}, "crosses itself"),
    ],
)
def test_a_region_that_cannot_be_is_refused(region: dict, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        detector([region])


def test_a_line_is_no_region_of_a_radar() -> None:
    with pytest.raises(Refused, match="a sector or a polygon"):
        subject(walk([-1.0]), [{"name": "l", "shape": "line", "points": [[0, 0], [1, 1]]}])
