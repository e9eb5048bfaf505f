"""Counts: occupancy and its drift, the capacity alarm, audits and how many passages they need, heights from a stereo pair."""

from __future__ import annotations

import pytest

from checks import check
from core.objects.test_kinds import DOWN, LINE, UP, ZONE, subject, tracks
from lantern.core.counted import HandCount, intervals_of
from lantern.core.objects.counting import stereo
from lantern.core.objects.counting.audit import audit, flawless_for, observers_differ, passages_for
from lantern.core.objects.counting.occupancy import Occupancy, drift, foretold, guarded, running, with_capacity
from lantern.core.objects.dials import CountDials
from lantern.core.scoring.intervals import exact_share, wilson


def later(path: list[tuple[float, float]], by: float) -> dict[float, tuple[float, float]]:
    return {t + by: place for t, place in enumerate(path)}


def test_drift_and_guard_as_published() -> None:
    given, expected = check("C03")
    assert list(drift(given["n_visitors"], given["r_in"], given["r_out"])) == expected
    given, expected = check("C12")
    assert guarded(given["cap"], given["sigma"]) == expected
    assert guarded(200, 0.0) == 200


def test_nobody_leaves_an_empty_hall() -> None:
    held = subject("count", tracks(UP, later(DOWN, 10)), LINE)
    states = running(held.events(), held.dials)
    assert [(s.inside, s.came, s.left, s.clamped) for s in states] == [(0, 0, 1, 1), (1, 1, 1, 1)]
    assert [series.x.tolist() for series in held.traces().values()] == [[0, 0, 1]]


def test_capacity_raises_and_clears_with_its_hysteresis() -> None:
    people = [later(DOWN, 10 * i) for i in range(4)] + [later(UP, 50 + 10 * i) for i in range(3)]
    held = subject("count", tracks(*people), LINE, capacity=4, clear_percent=75)
    alarms = [e for e in held.events() if e.region == "occupancy"]
    assert [(e.raised_s, e.cleared_s, e.peak, e.direction) for e in alarms] == [(32.0, 62.0, 4.0, None)]
    assert alarms[0].why == {"inside": 4, "raises_at": 4, "capacity": 4}
    assert held.exact_dials() == []
    # the line is known to miss three in ten: three inside may well be four
    early = subject("count", tracks(*people), LINE, capacity=4, missed_percent=30)
    assert [e.raised_s for e in early.events() if e.region == "occupancy"] == [22.0]


def test_occupancy_without_a_capacity_raises_nothing() -> None:
    dials = CountDials()
    assert Occupancy(3).passed("in", dials) == Occupancy(4, 1, 0)
    assert with_capacity([], dials, "d") == []


def test_passages_needed_as_published() -> None:
    given, expected = check("C06")
    assert passages_for(given["p"], given["E"], z=given["z"]) == expected
    given, expected = check("C07")
    assert flawless_for(given["p"]) == expected
    given, expected = check("C08")
    assert passages_for(0.95, 0.02, group=given["m_group"], alike=given["rho"]) == expected
    given, expected = check("E21")  # the same inflation, of characters that err together on a plate
    alone, together = (passages_for(0.5, 0.001, group=m, alike=given["rho"]) for m in (1, given["chars"]))
    assert given["plates"] * given["chars"] * alone / together == expected


def test_intervals_of_a_share_as_published() -> None:
    for name, interval in (("C04", wilson), ("C05", exact_share), ("F06", exact_share)):
        given, expected = check(name)
        found = interval(given["k"], given["n"])
        assert found is not None
        assert list(found) == expected
    assert exact_share(0, 0) is None


def test_an_audit_hides_no_compensation() -> None:
    """One missed in the first minute, one counted twice in the second: no bias, and yet two are wrong."""
    held = subject("count", tracks(later(DOWN, 10), later(DOWN, 70), later(DOWN, 75)), LINE)
    found = audit(held.events(), [HandCount(0, 60, 2, 0), HandCount(60, 120, 1, 0)])
    assert (found["in"]["bias"], found["in"]["caught"], found["in"]["extra"]) == (0.0, 2, 1)
    assert found["in"]["wape"] == pytest.approx(2 / 3)
    assert found["out"]["bias"] is None
    assert (found["out"]["caught_low"], found["out"]["caught_exact"]) == (None, None)


def test_a_passage_just_beyond_an_interval_is_none_the_less_caught() -> None:
    """By hand at 59.5 s, counted at 60.3 s: each minute differs, and nothing was missed or counted twice."""
    held = subject("count", tracks(later(DOWN, 10), later(DOWN, 59)), LINE)
    counted = [event.raised_s for event in held.events()]
    tally = [(counted[0], "in"), (counted[1] - 1.5, "in")]
    border = counted[1] - 0.5
    minutes = [HandCount(0, border, 2, 0), HandCount(border, 120, 0, 0)]
    assert (audit(held.events(), minutes)["in"]["caught"], audit(held.events(), minutes)["in"]["extra"]) == (1, 1)
    found = audit(held.events(), minutes, tally)["in"]
    assert (found["caught"], found["extra"], found["bias"]) == (2, 0, 0.0)


def test_few_passages_foretell_no_drift() -> None:
    """18 passages foretold −55.6 after 1000 visitors, of one that fell into the next minute."""
    assert foretold(1000, (8, 9), (9, 9)) is None
    told = foretold(1000, (95, 100), (100, 100))
    assert told is not None
    mean, low, high = told
    assert mean == pytest.approx(-50)
    # Wilson of 95 of 100: 0.8883 to 0.9785, of 100 of 100: 0.9630 to 1; 1.96 sqrt(1000 x 0.95 x 0.05) = 13.5 (handbook values)
    assert low == pytest.approx(1000 * (0.8883 - 1) - 13.5, abs=0.3)
    assert high == pytest.approx(1000 * (0.9785 - 0.9630) + 13.5, abs=0.3)


def test_a_tally_becomes_intervals() -> None:
    passages = [(5.0, "in"), (59.99, "out"), (60.0, "in"), (119.0, "in")]
    assert intervals_of(passages, 119.5, 60) == [HandCount(0, 60, 1, 1), HandCount(60, 120, 2, 0)]


def test_two_people_who_count() -> None:
    one, other = [HandCount(0, 60, 10, 0)], [HandCount(0, 60, 9, 0)]
    assert observers_differ(one, other) == pytest.approx(1 / 9.5)
    assert observers_differ(one, one) == 0
    assert observers_differ([HandCount(0, 60, 0, 0)], [HandCount(0, 60, 0, 0)]) is None


def test_heights_and_headway_as_published() -> None:
    given, expected = check("C09")
    z = stereo.depth_m(given["f_px"], given["B_m"], given["disp_px"])
    assert [z, given["h_cam_m"] - z] == expected
    given, expected = check("C10")
    assert stereo.depth_error_m(given["z_m"], given["dd_px"], given["f_px"], given["B_m"]) == expected
    given, expected = check("C11")
    assert list(stereo.headway(given["gap_m"], given["v_m_s"], given["fps"])) == expected


def test_a_u_turn_counts_nothing_as_published() -> None:
    """C13: the series of side distances, which ends on the side on which it began."""
    given, expected = check("C13")
    path = [(20.0, 10.0 + s) for s in given["s_px"]]
    held = subject("count", tracks(path), LINE, band=given["h_px"])
    ways = [event.direction for event in held.events()]
    assert ways.count("in") - ways.count("out") == expected


def test_rearm_counts_as_published() -> None:
    """B15: a fixed hold-off reports four of six, one that each dropped raise extends reports two."""
    given, expected = check("B15")
    inside = sorted({float(t) for t in given["t_s"]} | {t + 0.5 for t in given["t_s"]})
    path = {t: (20.0, 20.0) if t in given["t_s"] else (5.0, 5.0) for t in [*inside, -1.0]}
    path = {t + 1: place for t, place in path.items()}
    held = subject("zone", tracks(path), ZONE, when="enter", rearm_s=given["rearm_s"], gap_s=100)
    assert [len(held.with_dials(rearm_extends=extends).events()) for extends in (False, True)] == expected
