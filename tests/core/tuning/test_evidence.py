"""Samples needed, comparisons, Pareto fronts, maps of two dials, hold-out and advice, against published values and brute force."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from builders import subject_of
from checks import check
from lantern.core.events import Detector, Region
from lantern.core.exact.sweep import counts_of
from lantern.core.faults import Refused
from lantern.core.readings.advice import advise
from lantern.core.readings.subject import Subject
from lantern.core.scoring.cards import ScoreCard, pooled
from lantern.core.scoring.holdout import validate
from lantern.core.scoring.intervals import events_for, exposure_for, pairs_differ, rate_at_most, rates_differ
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Series
from lantern.core.tuning.measures import Stretch
from lantern.core.tuning.pairs import map_pair, pareto, robust_cell, values_between
from lantern.core.tuning.raises import RAISES
from lantern.core.tuning.wishes import Wishes, propose

# ---- how much is needed, and what differs ----------------------------------------------------------------------------


def test_silent_days_as_published() -> None:
    inputs, expected = check("J07")
    assert [exposure_for(1.0, k) for k in inputs["k"]] == expected
    assert [rate_at_most(k, 1.0) for k in inputs["k"]] == expected
    assert rate_at_most(2, 0.0) is None


def test_events_needed_as_published() -> None:
    inputs, expected = check("J08")
    assert [[events_for(p, m) for m in inputs["m"]] for p in inputs["p"]] == expected
    inputs, expected = check("F04")  # no error in n: the exact bound, and the rule of three beside it
    assert events_for(1 - expected.expected[0] * (1 + 1e-6)) == inputs["n"]
    rate = rate_at_most(0, inputs["n"])
    assert rate is not None
    assert expected.expected[0] < rate < expected.expected[1]


def test_two_rates_and_two_settings_as_published() -> None:
    inputs, expected = check("J18")
    assert rates_differ(inputs["k1"], inputs["T1_h"], inputs["k2"], inputs["T2_h"]) == expected
    inputs, expected = check("J14")
    assert pairs_differ(inputs["b"], inputs["c"]) == expected
    assert (rates_differ(0, 1, 0, 9), pairs_differ(0, 0)) == (1.0, 1.0)


# ---- wishes ----------------------------------------------------------------------------------------------------------


def wished(**limits: float) -> Wishes:
    return Wishes.of(RAISES, limits)


def stretch(start: float, stop: float, misses: int, false_alarms: int, delay_s: float | None) -> Stretch:
    return Stretch(start, stop, (start + stop) / 2, (misses, false_alarms, delay_s))


def false_of(each: Stretch) -> float:
    return each.values[1] or 0


def test_the_proposal_is_the_middle_of_the_widest_stretch_that_meets_the_wishes() -> None:
    results = [
        stretch(0, 2, 0, 5, 1),
        stretch(2, 4, 0, 0, 5),
        stretch(4, 9, 0, 0, 12),
        stretch(9, 30, 0, 0, 40),
        stretch(30, 50, 3, 0, None),
    ]
    got = propose(results, wished(false_per_day=1.0, delay_s=20), 24 * 7)
    assert got is not None
    assert (got.met, got.start, got.stop, got.middle, got.values[-1]) == (True, 2, 9, 5.5, 12)
    assert got.helps == ()
    slow = propose(results, wished(delay_s=0.5), 24)
    assert slow is not None
    assert (slow.met, slow.start, slow.failing) == (False, 2, ("delay",))
    unseen = propose([stretch(0, 9, 0, 0, 1)], wished(false_per_day=1.0), 0.0)  # no hour of quiet: nothing is shown
    assert unseen is not None
    assert (unseen.met, unseen.failing) == (False, ("false alarms",))
    assert "shows nothing" in unseen.helps[0]
    assert propose([], wished(), 1) is None


def test_recall_under_a_false_alarm_limit_as_published() -> None:
    inputs, expected = check("J12")  # max recall with at most 4 false: counts, so a wish on the plain count
    results = [stretch(i, i + 1, round(100 * (1 - r)), f, None) for i, (f, r) in enumerate(inputs["FA_recall"])]
    allowed = [r for r in results if false_of(r) <= 4]
    best = min(allowed, key=lambda r: wished().nearness(r.values))
    assert [false_of(best), 1 - best.values[0] / 100] == expected


@pytest.mark.parametrize(
    ("values", "word"),
    [
        ({"false_per_day": 0}, "false_per_day"),
        ({"delay_s": -1}, "delay_s"),
        ({"misses": -1}, "misses"),
        ({"height": 3}, "wishes.height"),
    ],
)
def test_wishes_that_make_no_sense_are_refused(values: dict, word: str) -> None:
    with pytest.raises(Refused, match=word):
        wished(**values)


# ---- fronts and maps -------------------------------------------------------------------------------------------------


def test_pareto_front_as_published() -> None:
    inputs, expected = check("J11")
    points = inputs["FA_recall"]
    assert sorted(points[i] for i in pareto([(f, -r) for f, r in points])) == expected


def test_robust_choice_as_published() -> None:
    inputs, expected = check("J17")
    assert list(robust_cell(np.array(inputs["error"]))) == expected


def hilly(seed: int = 1, n: int = 3000) -> tuple[Subject, list[Mark]]:
    rng = np.random.default_rng(seed)
    t = np.arange(n) / 4
    x = 20 + np.cumsum(rng.normal(0, 0.02, n)) + rng.normal(0, 0.3, n)
    marks = []
    for k in range(8):
        at = int(rng.integers(0, n - 300))
        length = 160 if k % 2 else 24
        x[at : at + length] += np.hanning(length) * rng.uniform(8, 30)
        marks.append(Mark(at / 4, (at + length) / 4, "expect" if k % 2 else "quiet"))
    region = Region(name="r", shape="spot", points=((0, 0),))
    detector = Detector(name="d", kind="heat", regions=(region,), dials={"threshold_c": 30, "sustain_s": 2})
    return subject_of(detector, {"r": Series(t, x, "°C", "r")}), marks


@pytest.mark.parametrize(
    ("dial_x", "x", "dial_y", "y"),
    [
        ("sustain_s", [0, 1.5, 4, 9], "threshold_c", [22, 25, 28.5, 31, 40]),
        ("rearm_s", [0, 10, 60, 200], "hysteresis_c", [0, 0.5, 2, 6]),
        ("threshold_c", [24, 27, 31], "window_s", []),
    ],
)
def test_a_map_equals_running_every_pair(dial_x: str, x: list[float], dial_y: str, y: list[float]) -> None:
    held = [hilly(1), hilly(2)]
    if not y:
        with pytest.raises(Refused, match=r"plays no part"):
            map_pair(held, dial_x, dial_y, x, [10, 20])
        return
    made = map_pair(held, dial_x, dial_y, x, y)
    for row, vy in enumerate(y):
        for column, vx in enumerate(x):
            each = [counts_of(s.with_dials(**{dial_x: vx, dial_y: vy}).decisions(), m) for s, m in held]
            assert made.values["misses"][row, column] == sum(c.misses for c in each)
            assert made.values["false_alarms"][row, column] == sum(c.false_alarms for c in each)
            delays = [c.longest_delay_s for c in each if c.longest_delay_s is not None]
            slowest = made.values["longest_delay_s"][row, column]
            assert np.isnan(slowest) if not delays else slowest == max(delays)
    costs = {cell: made.cost(cell) for cell in np.ndindex(len(y), len(x))}
    for cell in made.front():  # nothing on the front is beaten by anything anywhere
        beaten = [
            c for c in costs.values() if c != costs[cell] and all(a <= b for a, b in zip(c, costs[cell], strict=True))
        ]
        assert not beaten


def test_a_map_by_range_where_nothing_sweeps_exactly() -> None:
    subject, marks = hilly()
    rising = subject.with_dials(condition="rise", delta_c=4.0)
    made = map_pair([(rising, marks)], "delta_c", "window_s", [2, 4, 8, 12], [5, 20, 60])
    for row, window_s in enumerate((5, 20, 60)):
        one = rising.with_dials(window_s=window_s, delta_c=8)
        assert made.values["false_alarms"][row, 2] == counts_of(one.decisions(), marks).false_alarms


def test_maps_refuse_what_cannot_be_mapped() -> None:
    held = [hilly()]
    for dials, word in ((("sustain_s", "sustain_s"), "two dials"), (("statistic", "sustain_s"), "a numeric dial")):
        with pytest.raises(Refused, match=word):
            map_pair(held, *dials, [1, 2], [1, 2])
    with pytest.raises(Refused, match="2 to 40 values"):
        map_pair(held, "sustain_s", "threshold_c", [1], list(range(60)))
    assert values_between(0, 1, 40, 0.5) == [0, 0.5, 1]
    with pytest.raises(Refused, match="runs upwards"):
        values_between(2, 1, 40, 0.5)


# ---- hold-out --------------------------------------------------------------------------------------------------------


def scored(hits: int, misses: int, false_alarms: int = 0, hours: float = 10.0) -> ScoreCard:
    take = pooled([])
    return ScoreCard(
        **(
            take.as_dict()
            | {"delays_s": (), "hits": hits, "misses": misses, "false_alarms": false_alarms, "exposure_h": hours}
        )
    )


def test_worse_on_what_was_set_aside_is_called_over_tuned() -> None:
    tuned = [scored(20, 0), scored(10, 0)]
    assert validate(tuned, []).verdict == "not validated"
    assert validate(tuned, [scored(2, 0)]).verdict == "too few"
    assert validate(tuned, [scored(0, 1)]).verdict == "too few"  # one miss of one is no verdict
    assert validate(tuned, [scored(9, 0)]).verdict == "holds"
    worse = validate(tuned, [scored(5, 4)])
    assert (worse.verdict, "5 of 9 caught" in worse.text) == ("over-tuned", True)
    wolf = validate(tuned, [scored(9, 0, false_alarms=7)])
    p = stats.binomtest(7, 7, 10 / 30).pvalue  # exact binomial, scipy
    assert (wolf.verdict, f"p {p:.2g}" in wolf.text) == ("over-tuned", True)


def test_pooling_adds_counts_and_delays() -> None:
    subject, marks = hilly()
    one = subject.card(marks)
    two = pooled([one, one])
    assert (two.hits, two.misses, two.false_alarms) == (2 * one.hits, 2 * one.misses, 2 * one.false_alarms)
    assert two.exposure_h == pytest.approx(2 * one.exposure_h)
    assert two.median_delay_s == one.median_delay_s
    assert two.false_per_hour == pytest.approx(one.false_per_hour)


# ---- advice ----------------------------------------------------------------------------------------------------------


def test_advice_is_what_the_dials_then_do() -> None:
    held = [hilly(1), hilly(2)]
    seen: list[tuple[int, int]] = []
    found = advise(held, wished(), progress=lambda done, total: seen.append((done, total)))
    assert found
    assert seen[-1][0] == seen[-1][1]
    for advice in found:
        counts = [counts_of(s.with_dials(**advice.changes).decisions(), m) for s, m in held]
        assert sum(c.misses for c in counts) == advice.misses, advice
        assert sum(c.false_alarms for c in counts) == advice.false_alarms
    assert [(a.misses, a.false_alarms) for a in found] == sorted((a.misses, a.false_alarms) for a in found)
