"""Crossing, zone, count and path as the contract words them: filters, re-arm, gaps, dwell, steps; sweeps against brute force."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from builders import subject_of
from checks import check
from lantern.core.counted import HandCount
from lantern.core.events import Detector
from lantern.core.faults import Refused
from lantern.core.objects.counting.audit import audit, bias, bias_interval, wape
from lantern.core.objects.kinds import advance
from lantern.core.objects.region import ObjectRegion
from lantern.core.objects.subject import TrackSubject
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.tracks import UNKNOWN, Tracks, majority_so_far, make_tracks, stretch_of

LINE = ObjectRegion(name="line", shape="line", points=((10, 10), (30, 10)))
ZONE = ObjectRegion(name="zone", shape="box", points=((10, 10), (30, 30)))


def tracks(
    *paths: list[tuple[float, float]] | dict[float, tuple[float, float]], labels: Any = None, **how: Any
) -> Tracks:
    """Object 1, 2, ... at 1 Hz (or at given times), a box of 4 x 8 with its foot at the given place."""
    rows = []
    for number, path in enumerate(paths, 1):
        timed = path if isinstance(path, dict) else dict(enumerate(path))
        rows += [(float(t), number, x - 2, y - 8, 4.0, 8.0) for t, (x, y) in timed.items()]
    table = np.array(rows)
    return make_tracks(table[:, 0], table[:, 1].astype(np.int64), table[:, 2:6], labels=labels, **how)


def subject(kind: str, held: Tracks, *regions: ObjectRegion, **dials: Any) -> TrackSubject:
    plain: dict[str, Any] = {"rearm_s": 0, "gap_s": 5}
    if kind != "zone":
        plain["band"] = 0
    return subject_of(Detector(name="d", kind=kind, regions=regions, dials=plain | dials), held)


def seen(held: TrackSubject) -> list[tuple[float, Any, str | None]]:
    return [(e.raised_s, e.object, e.direction) for e in held.events()]


DOWN = [(20, 4), (20, 8), (20, 12), (20, 16)]
UP = DOWN[::-1]


def test_crossings_with_their_direction_and_object() -> None:
    both = tracks(DOWN, UP)
    assert seen(subject("crossing", both, LINE)) == [(2.0, 1, "a_to_b"), (2.0, 2, "b_to_a")]
    assert seen(subject("crossing", both, LINE, direction="b_to_a")) == [(2.0, 2, "b_to_a")]
    [event] = subject("crossing", tracks(DOWN), LINE).events()
    assert (event.cleared_s, event.repeat, event.region) == (2.0, False, "line")


def test_a_count_says_in_and_out() -> None:
    both = tracks(DOWN, UP)
    assert seen(subject("count", both, LINE)) == [(2.0, 1, "in"), (2.0, 2, "out")]
    assert seen(subject("count", both, LINE, reverse=True)) == [(2.0, 1, "out"), (2.0, 2, "in")]


def test_the_anchor_is_a_point_of_the_box() -> None:
    assert seen(subject("crossing", tracks(DOWN), LINE, anchor="centre")) == [(3.0, 1, "a_to_b")]
    assert seen(subject("crossing", tracks(DOWN), LINE, anchor="top")) == []


def test_rearm_drops_and_does_not_delay_as_published() -> None:
    inputs, expected = check("B14")
    path: dict[float, tuple[float, float]] = {}
    for t in inputs["t_s"]:  # down through the line at each of these times, and quickly back around its end
        path |= {t - 0.3: (40, 16), t - 0.2: (40, 4), t - 0.1: (20, 4), t: (20, 12)}
    held = tracks({t + 1: place for t, place in path.items()})
    events = subject("crossing", held, LINE, rearm_s=inputs["rearm_s"], gap_s=100, direction="a_to_b").events()
    assert [round(e.raised_s - 1, 6) for e in events] == expected


def test_a_pause_longer_than_the_gap_begins_anew() -> None:
    torn = tracks({0: (20, 4), 1: (20, 8), 9: (20, 12)})
    assert seen(subject("crossing", torn, LINE)) == []
    assert seen(subject("crossing", torn, LINE, gap_s=8)) == [(9.0, 1, "a_to_b")]
    assert stretch_of(torn, 5).tolist() == [0, 0, 2]


def test_filters_leave_samples_out() -> None:
    low = tracks(DOWN)
    assert seen(subject("crossing", low, LINE, min_height_px=8)) == [(2.0, 1, "a_to_b")]
    assert seen(subject("crossing", low, LINE, min_height_px=8.5)) == []
    assert seen(subject("crossing", low, LINE, max_height_px=7)) == []
    unsure = tracks(DOWN, confidence=np.array([0.9, 0.9, 0.2, 0.9]))
    assert seen(subject("crossing", unsure, LINE, min_confidence=0.5)) == [(3.0, 1, "a_to_b")]


def test_a_class_is_what_most_samples_so_far_say_and_the_earlier_of_equals() -> None:
    held = tracks([(0, 0)] * 6, labels=np.array([1, 2, 2, 1, 1, -1]), names={1: "person", 2: "bicycle"})
    words = ["unknown" if k == UNKNOWN else held.classes[k] for k in majority_so_far(held)]
    assert words == ["person", "person", "bicycle", "person", "person", "person"]
    walker = tracks(DOWN, labels=np.array([2, 1, 1, 1]), names={1: "person", 2: "bicycle"})
    assert seen(subject("crossing", walker, LINE, classes=["person"])) == []  # one side only once it is a person
    assert seen(subject("crossing", walker, LINE, classes=["person", "bicycle"])) == [(2.0, 1, "a_to_b")]


@settings(max_examples=150, deadline=None)
@given(st.lists(st.tuples(st.integers(1, 3), st.integers(-1, 2)), min_size=1, max_size=40))
def test_majorities_equal_counting(samples: list[tuple[int, int]]) -> None:
    ids = np.array([i for i, _ in samples])
    held = make_tracks(
        np.arange(len(samples), dtype=float), ids, np.zeros((len(samples), 4)), labels=np.array([k for _, k in samples])
    )
    counts: dict[int, dict[int, int]] = {}
    expected = []
    for obj, label in zip(held.object.tolist(), held.label.tolist(), strict=True):
        mine = counts.setdefault(obj, {})
        mine[label] = mine.get(label, 0) + 1
        expected.append(max(mine, key=lambda k: mine[k]) if held.classes else UNKNOWN)  # a dict keeps who came first
    assert majority_so_far(held).tolist() == expected


# ---- zones -----------------------------------------------------------------------------------------------------------

VISIT = [(0, 0), (20, 10), (20, 20), (20, 25), (40, 40), (20, 20)]


def test_entering_and_leaving_with_the_edge_inside() -> None:
    assert seen(subject("zone", tracks(VISIT), ZONE, when="enter")) == [(1.0, 1, None), (5.0, 1, None)]
    assert seen(subject("zone", tracks(VISIT), ZONE, when="leave")) == [(4.0, 1, None)]


def test_who_is_first_seen_inside_enters_only_if_asked_for() -> None:
    born = tracks(VISIT[1:])
    assert seen(subject("zone", born, ZONE, when="enter")) == [(4.0, 1, None)]
    assert seen(subject("zone", born, ZONE, when="enter", born_inside=True)) == [(0.0, 1, None), (4.0, 1, None)]


def test_staying_inside_clears_at_the_first_sample_outside_or_is_lost() -> None:
    events = subject("zone", tracks(VISIT), ZONE, when="inside", dwell_s=2).events()
    assert [(e.raised_s, e.cleared_s, e.cleared_by) for e in events] == [(3.0, 4.0, "reading")]
    events = subject("zone", tracks(VISIT), ZONE, when="inside", dwell_s=0).events()
    assert [(e.raised_s, e.cleared_s, e.cleared_by) for e in events] == [(1.0, 4.0, "reading"), (5.0, 5.0, "lost")]
    paused = tracks({0: (20, 20), 1: (20, 20), 20: (20, 20)})
    events = subject("zone", paused, ZONE, when="inside", dwell_s=1).events()
    assert [(e.raised_s, e.cleared_s, e.cleared_by) for e in events] == [(1.0, 1.0, "lost")]


def test_coming_and_going_that_must_last_as_published() -> None:
    """B13: come in after a time inside, said back to its first sample; gone after a time outside, said back to the last inside."""
    given, expected = check("B13")
    path = {i / given["fps"]: (20.0, 20.0) if on else (40.0, 40.0) for i, on in enumerate(given["inside"])}
    times = {"enter_after_s": given["T_in_s"], "leave_after_s": given["T_out_s"]}
    [came] = subject("zone", tracks(path), ZONE, when="enter", rearm_s=0, **times).events()
    [went] = subject("zone", tracks(path), ZONE, when="leave", rearm_s=0, **times).events()
    told = [went.why["inside_until_s"], went.raised_s, went.why["stayed_s"]]
    assert [came.why["inside_from_s"], came.raised_s, *told] == expected
    [stay] = subject("zone", tracks(path), ZONE, when="inside", dwell_s=1.0, **times).events()
    assert [came.why["inside_from_s"], came.raised_s, went.why["inside_until_s"], stay.cleared_s, stay.peak] == expected
    assert stay.raised_s == pytest.approx(1.8)  # the first sample inside that is 1.0 s after the first of all
    assert stay.cleared_by == "reading"


def test_who_is_lost_before_it_counts_as_gone() -> None:
    path = [(20, 20), (20, 20), (40, 40)]
    [stay] = subject("zone", tracks(path), ZONE, when="inside", dwell_s=0.5, leave_after_s=5).events()
    assert (stay.raised_s, stay.cleared_s, stay.cleared_by) == (1.0, 2.0, "lost")
    assert subject("zone", tracks(path), ZONE, when="leave", leave_after_s=5).events() == []


def test_zones_on_a_plan_in_metres() -> None:
    plan = make_tracks(
        np.arange(3.0),
        np.ones(3, dtype=np.int64),
        np.array([[0, 0, 0, 0], [20, 20, 0, 0], [40, 0, 0, 0]], dtype=float),
        on_plan=True,
    )
    assert seen(subject("zone", plan, ZONE, when="enter", min_height_px=5)) == [(1.0, 1, None)]


# ---- paths -----------------------------------------------------------------------------------------------------------

FIRST = ObjectRegion(name="first", shape="box", points=((0, 0), (5, 5)))
LAST = ObjectRegion(name="last", shape="box", points=((35, 0), (45, 5)))


def test_all_steps_in_order_and_in_time() -> None:
    way = {0: (2, 2), 4: (20, 4), 8: (20, 12), 12: (40, 2)}
    steps = (FIRST, LINE, LAST)
    assert seen(subject("path", tracks(way), *steps, within_s=12)) == [(12.0, 1, None)]
    assert seen(subject("path", tracks(way), *steps, within_s=11)) == []
    back = {0: (40, 2), 4: (20, 4), 8: (20, 12), 12: (2, 2)}
    assert seen(subject("path", tracks(back), *steps)) == []


def test_the_latest_first_step_counts_and_the_object_starts_anew() -> None:
    way = {0: (2, 2), 2: (20, 4), 4: (2, 2), 8: (40, 2), 10: (40, 2), 12: (2, 2), 14: (40, 2)}
    assert [t for t, *_ in seen(subject("path", tracks(way), FIRST, LAST, within_s=5))] == [8.0, 14.0]


def test_strict_begins_anew_where_a_step_is_out_of_order() -> None:
    middle = ObjectRegion(name="middle", shape="box", points=((15, 0), (25, 5)))
    detour = {0: (2, 2), 2: (40, 2), 4: (20, 2), 6: (40, 2)}
    assert [t for t, *_ in seen(subject("path", tracks(detour), FIRST, middle, LAST))] == [6.0]
    assert seen(subject("path", tracks(detour), FIRST, middle, LAST, strict=True)) == []
    assert advance([0.0, None, None], [False, False, True], 2.0, strict=True) == [None, None, None]


# ---- sweeps, scores, refusals ----------------------------------------------------------------------------------------


@settings(max_examples=40, deadline=None)
@given(
    st.lists(
        st.lists(st.tuples(st.integers(0, 40), st.integers(0, 24)), min_size=2, max_size=14), min_size=1, max_size=3
    ),
    st.booleans(),
)
def test_band_and_dwell_sweep_exactly(paths: list[list[tuple[int, int]]], dwell: bool) -> None:
    held = tracks(*[[(float(x), float(y)) for x, y in path] for path in paths])
    marks = [Mark(1, 3, "expect"), Mark(6, 8, "expect")]
    dial, high = ("dwell_s", 20.0) if dwell else ("band", 30.0)
    one = subject("zone", held, ZONE, when="inside", rearm_s=2) if dwell else subject("crossing", held, LINE, rearm_s=2)
    rows = one.sweep(dial, marks, low=0, high=high)
    assert (rows[0].start, rows[-1].stop) == (0, high)
    for before, after in pairwise(rows):
        assert before.stop == after.start
    for row in rows:
        for share in (0.02, 0.5, 0.98):
            value = row.start + share * (row.stop - row.start)
            assert one.with_dials(**{dial: value}).result(marks, Slack())[:6] == row.result[:6], value


def test_a_score_card_and_a_sweep_by_range() -> None:
    held = subject("crossing", tracks(DOWN, UP, last_s=3600.0), LINE)
    card = held.card([Mark(1, 3, "expect")])
    assert (card.hits, card.repeats, card.misses, card.exposure_h) == (1, 1, 0, pytest.approx(3598 / 3600))
    assert [r.result.hits for r in held.sweep("rearm_s", [Mark(1, 3, "expect")], low=0, high=2, step=1)] == [1, 1, 1]
    with pytest.raises(Refused, match="exact: band"):
        held.sweep("rearm_s", [])
    with pytest.raises(Refused, match="a numeric dial"):
        held.sweep("direction", [])


@pytest.mark.parametrize(
    ("kind", "region", "dials", "word"),
    [
        ("crossing", ZONE, {}, "a line of two points"),
        ("crossing", ObjectRegion(name="x", shape="line", points=((1, 1), (1, 1))), {}, "two points are the same"),
        ("zone", LINE, {}, "a box or a polygon"),
        (
            "zone",
            ObjectRegion(name="x", shape="polygon", points=((0, 0), (9, 9), (9, 0), (0, 9))),
            {},
            "crosses itself",
        ),
        ("zone", ZONE, {"dwell_s": -1}, "dwell_s"),
        ("crossing", LINE, {"direction": "up"}, "one of a_to_b"),
        ("heat", LINE, {}, "a heat detector reads no tracks"),
    ],
)
def test_what_makes_no_sense_is_refused(kind: str, region: ObjectRegion, dials: dict, word: str) -> None:
    with pytest.raises(Refused, match=word):
        subject_of(Detector(name="d", kind=kind, regions=(region,), dials=dials), tracks(DOWN)).events()


# ---- counts against hand counts --------------------------------------------------------------------------------------


def test_bias_and_wape_as_published() -> None:
    for name, measure in (("C01", bias), ("C02", wape)):
        inputs, expected = check(name)
        assert measure(np.array(inputs["C"], float), np.array(inputs["T"], float)) == expected
    inputs, expected = check("C15")  # errors that cancel: 100 % of visits, and none right
    c, t = (np.array(inputs[k], float) for k in ("C", "T"))
    assert [1 - abs(bias(c, t) or 0.0), 1 - (wape(c, t) or 0.0)] == expected
    assert bias(c, np.zeros(2)) is None


def test_an_audit_by_interval_and_direction() -> None:
    held = subject("count", tracks(DOWN, UP, [(x, y) for x, y in DOWN]), LINE)
    got = audit(held.events(), [HandCount(0, 2.5, 2, 2), HandCount(2.5, 5, 0, 0)])
    assert got["intervals"][0] == {"start_s": 0, "end_s": 2.5, "in": 2, "in_by_hand": 2, "out": 1, "out_by_hand": 2}
    assert (got["in"]["bias"], got["out"]["bias"]) == (0, -0.5)
    with pytest.raises(Refused, match="do not overlap"):
        audit([], [HandCount(0, 5, 1, 1), HandCount(4, 6, 1, 1)])


def test_the_bootstrap_interval_holds_the_bias_and_shrinks_with_more_intervals() -> None:
    rng = np.random.default_rng(3)
    truth = rng.poisson(20, 200).astype(float)
    counted = rng.binomial(truth.astype(int), 0.93).astype(float)
    low, high = bias_interval(counted, truth) or (0, 0)
    assert low < -0.07 < high
    few = bias_interval(counted[:10], truth[:10]) or (0, 0)
    assert few[1] - few[0] > high - low
    assert bias_interval(counted[:1], truth[:1]) is None
