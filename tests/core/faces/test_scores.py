"""Error rates, thresholds and what a place gets, against published values, other libraries and real score sets."""

from __future__ import annotations

import gzip
import math
from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import binomtest
from sklearn.metrics import det_curve, roc_curve

from checks import check
from lantern.core.faces import rates
from lantern.core.faces.alarms import Traffic, days_of, traffic_of
from lantern.core.faces.groups import groups_of
from lantern.core.faces.list_size import growth
from lantern.core.faces.looks import Column, Looks
from lantern.core.faces.report import Wish, report
from lantern.core.faces.resampling import band
from lantern.core.faces.scores import Scores, none_seen, scores_of, share_of
from lantern.core.faults import Refused
from lantern.core.scoring.intervals import exact_share

REAL = Path(__file__).parents[2] / "reference" / "scores.csv.gz"


@cache
def real(name: str) -> Scores:
    """One of two real sets; see `tests/reference/SOURCES.md`."""
    rows = [line.split(",") for line in gzip.decompress(REAL.read_bytes()).decode().splitlines()[1:]]
    of = {mated: np.sort([float(s) for set_, m, s in rows if (set_, m) == (name, mated)]) for mated in ("1", "0")}
    return Scores(of["1"], of["0"], 0)


def pairs(mated: list[float], non_mated: list[float], **more: object) -> Looks:
    """A look a score: of one person first, then of two."""
    score = np.array([*mated, *non_mated], dtype=np.float64)
    names = [f"p{at}" for at in range(score.size)]
    return Looks(
        t_s=np.arange(score.size, dtype=np.float64),
        probe=tuple(names),
        first=np.arange(score.size + 1),
        score=score,
        candidate=Column.of(names),
        mated=np.array([1] * len(mated) + [0] * len(non_mated), dtype=np.int8),
        **more,  # type: ignore[arg-type]
    )


# ---- the compendium's values ----


def test_far_and_frr_f01() -> None:
    given_, expected = check("F01")
    assert rates.far_frr(given_["FMR"], given_["FNMR"], given_["FTA"]) == expected


@pytest.mark.parametrize("name", ["F02", "F03"])
def test_fpir(name: str) -> None:
    given_, expected = check(name)
    assert rates.fpir(given_["FMR"], given_["N"]) == expected


def test_none_seen_f04_and_the_rule_of_three() -> None:
    given_, expected = check("F04")
    assert [none_seen(given_["n"]), 3 / given_["n"]] == expected
    assert none_seen(given_["n"]) == pytest.approx(3 / given_["n"], rel=3e-3)


def test_the_rule_of_thirty_f05() -> None:
    _, expected = check("F05")
    half = 1.6448536 / math.sqrt(rates.ERRORS_FOR_30_PERCENT)
    assert half == expected


def test_clopper_pearson_f06_and_wilson_beside_it() -> None:
    given_, expected = check("F06")
    assert exact_share(given_["k"], given_["n"]) == expected
    share = share_of(given_["k"], given_["n"])
    wilson = binomtest(given_["k"], given_["n"]).proportion_ci(method="wilson")
    assert share is not None
    assert (share.low, share.high) == pytest.approx((wilson.low, wilson.high), rel=1e-9)


def test_a_wish_in_alarms_a_day_as_a_rate_f07() -> None:
    given_, expected = check("F07")
    got = [rates.target_fmr(given_["A_per_day"], given_["D_per_day"], given_["N"], k) for k in given_["k"]]
    assert got == expected
    assert rates.false_a_day(got[0], given_["D_per_day"], given_["N"]) == pytest.approx(given_["A_per_day"])


def test_what_would_show_it_f08_and_what_is_right_f09() -> None:
    given_, expected = check("F08")
    assert rates.comparisons_for(given_["FMR"]) == expected
    given_, expected = check("F09")
    assert rates.is_right(given_["FPIR"], given_["FNIR"], 1 / 5000) == expected


def test_the_equal_error_rate_f10_and_d_prime_f11() -> None:
    given_, expected = check("F10")
    scores = scores_of(pairs(given_["mated"], given_["non_mated"]))
    assert scores.summary is not None
    eer, threshold = scores.summary
    fmr, fnmr = scores.fmr(threshold), scores.fnmr(threshold)
    assert fmr is not None
    assert fnmr is not None
    assert [threshold, fmr.share, fnmr.share] == expected
    assert eer == pytest.approx((fmr.share + fnmr.share) / 2)
    given_, expected = check("F11")
    assert scores_of(pairs(given_["mated"], given_["non_mated"])).d_prime == expected


def test_a_threshold_that_lets_so_many_through_f12() -> None:
    _, expected = check("F12")
    scores = Scores(np.zeros(0), np.arange(1.0, 1001.0), 1)
    assert math.nextafter(scores.threshold_for(0.005), 0.0) == expected
    assert scores.false_matches(scores.threshold_for(0.005)) == 5


def test_a_list_ten_times_as_long_f13() -> None:
    given_, expected = check("F13")
    assert [rates.fpir(given_["FMR"], n) for n in given_["N"]] == expected


# ---- other libraries, and real scores ----


@pytest.mark.parametrize(("name", "eer"), [("exp1", 0.08096), ("exp2", 0.04447)])
def test_the_equal_error_rates_of_two_real_sets(name: str, eer: float) -> None:
    summary = real(name).summary
    assert summary is not None
    assert summary.eer == pytest.approx(eer, abs=5e-6)


@pytest.mark.parametrize("name", ["exp1", "exp2"])
def test_the_curve_is_that_of_scikit_learn(name: str) -> None:
    scores = real(name)
    truth = np.r_[np.ones(scores.mated.size), np.zeros(scores.non_mated.size)]
    every = np.r_[scores.mated, scores.non_mated]
    fpr, fnr, thresholds = det_curve(truth, every)
    fmr, fnmr = scores.curve
    own = dict(zip(scores.breaks.tolist(), zip(fmr.tolist(), fnmr.tolist(), strict=True), strict=True))
    for t, a, b in zip(thresholds.tolist(), fpr.tolist(), fnr.tolist(), strict=True):
        if math.isfinite(t):  # its last point lies beyond all scores
            assert own[t] == (pytest.approx(a), pytest.approx(b))
    roc_fpr, tpr, at = roc_curve(truth, every, drop_intermediate=False)
    assert np.allclose(roc_fpr[1:], [own[t][0] for t in at[1:].tolist()])
    assert np.allclose(1 - tpr[1:], [own[t][1] for t in at[1:].tolist()])


@given(st.lists(st.integers(0, 30), min_size=1, max_size=60), st.floats(0.001, 0.99))
def test_no_lower_threshold_keeps_the_wish(values: list[int], target: float) -> None:
    scores = Scores(np.zeros(0), np.sort(np.array(values, dtype=np.float64)), 1)
    threshold = scores.threshold_for(target)
    allowed = math.floor(target * len(values))
    assert scores.false_matches(threshold) <= allowed < scores.false_matches(math.nextafter(threshold, -math.inf))


# ---- the document ----


def test_the_document_of_a_take_with_a_wish_and_without() -> None:
    looks = pairs([40, 52, 60, 70, 75, 80, 85, 88, 90, 95], [12, 15, 18, 20, 22, 25, 28, 30, 41, 55])
    plain = report(looks)
    assert (plain["mated"], plain["non_mated"], plain["subjects"]) == (10, 10, 20)
    assert (plain["threshold"], plain["fmr"], plain["extrapolated"]) == (None, None, None)
    wished = report(looks, Wish(fmr=0.35), 60.0)
    assert wished["threshold"] == math.nextafter(28.0, math.inf)  # three may pass: 55, 41, 30
    assert (wished["fmr"], wished["fnmr"], wished["extrapolated"]) == (0.0, 0.2, False)
    assert wished["fmr_high"] == pytest.approx(1 - 0.05**0.1)
    assert report(looks, threshold=41.0)["fmr"] == 0.2
    few = report(looks, Wish(false_a_day=1, passers=900, enrolled=5))
    assert few["extrapolated"]
    assert any("rule of 3" in said for said in few["cautions"])
    assert any("20 subjects" in said for said in few["cautions"])


@pytest.mark.parametrize(
    ("wish", "said"),
    [
        (Wish(false_a_day=900, passers=900, enrolled=5), "fewer false alarms a day than passers"),
        (Wish(false_a_day=1, passers=900, enrolled=0.5), "at least 1"),
        (Wish(false_a_day=math.nan, passers=900, enrolled=5), "a number above 0"),
        (Wish(false_a_day=1, passers=900), "--enrolled"),
        (Wish(fmr=math.nan), "above 0 and below 1"),
        (Wish(fmr=0.1, passers=3), "one wish"),
    ],
)
def test_a_wish_that_makes_no_sense_is_refused(wish: Wish, said: str) -> None:
    with pytest.raises(Refused, match=said):
        report(pairs([90.0], [10.0]), wish)


def test_a_take_without_pairs_of_two_people_is_refused() -> None:
    with pytest.raises(Refused, match="no non-mated score"):
        report(pairs([90.0], []))


def test_lists_that_are_cut_give_no_rate_of_false_matches_but_what_strangers_get() -> None:
    looks = pairs([90.0, 80.0], [10.0, 50.0, 85.0], best=1)
    got = report(looks, threshold=80.0)
    assert (got["fmr"], got["fpir"]) == (None, pytest.approx(1 / 3))
    assert any("best 1 candidates" in said for said in got["cautions"])


# ---- lists that grow, and other people ----


def crowd(strangers: int, members: int, rng: np.random.Generator) -> Looks:
    """Strangers' looks, each compared with all members; some members are hot, some strangers too."""
    score = rng.normal(40, 10, (strangers, members)) + rng.normal(0, 8, members) + rng.normal(0, 8, (strangers, 1))
    return Looks(
        t_s=np.arange(strangers, dtype=np.float64),
        probe=tuple(f"p{at}" for at in range(strangers)),
        first=np.arange(0, strangers * members + 1, members),
        score=score.ravel(),
        candidate=Column(
            np.tile(np.arange(members, dtype=np.int32), strangers), tuple(f"m{at}" for at in range(members))
        ),
        mated=np.zeros(strangers * members, dtype=np.int8),
        groups={"subject": Column.of([f"s{at}" for at in range(strangers) for _ in range(members)])},
    )


def test_a_list_of_any_size_is_measured_by_drawing_members_and_said_to_be_extrapolated_beyond() -> None:
    looks = crowd(200, 30, np.random.default_rng(5))
    threshold = 65.0
    grown = growth(looks, threshold, np.array([1.0, 10.0, 30.0, 300.0]))
    matrix = looks.score.reshape(200, 30) >= threshold
    rng = np.random.default_rng(6)
    drawn = np.mean([matrix[:, rng.choice(30, 10, replace=False)].any(axis=1).mean() for _ in range(3000)])
    assert grown.share[0] == pytest.approx(matrix.mean())
    assert grown.share[1] == pytest.approx(drawn, abs=0.004)
    assert grown.share[2] == pytest.approx(matrix.any(axis=1).mean())
    assert grown.measured.tolist() == [True, True, True, False]
    assert grown.share[3] == pytest.approx(1 - (1 - matrix.mean()) ** 300)


def test_other_people_differ_more_than_so_many_comparisons_would_say() -> None:
    looks = crowd(60, 30, np.random.default_rng(7))
    thresholds = np.array([55.0, 60.0, 65.0])
    found = band(looks, 0, thresholds, errors_above=True)
    assert found is not None
    scores = scores_of(looks)
    for at, threshold in enumerate(thresholds.tolist()):
        plain = scores.fmr(threshold)
        assert plain is not None
        assert found.low[at] < plain.share < found.high[at]
        assert found.high[at] - found.low[at] > 2 * (plain.high - plain.low)


def test_the_bootstrap_is_the_one_that_is_worked_out_score_by_score() -> None:
    from lantern.core.faces.resampling import SEED, counted, drawn

    rng = np.random.default_rng(8)
    n, thresholds = 400, np.array([0.2, 0.5, 0.5000001, 0.9])
    score, subject, candidate = rng.random(n), rng.integers(0, 9, n), rng.integers(0, 7, n)
    score[:3] = thresholds[:3]
    got, whole = counted(score, subject, candidate, thresholds, resamples=20)
    again = np.random.default_rng(SEED)
    u, v = drawn(int(subject.max()) + 1, 20, again), drawn(int(candidate.max()) + 1, 20, again)
    weight = u[subject] * v[candidate]
    assert np.allclose(whole, weight.sum(axis=0))
    for at, threshold in enumerate(thresholds.tolist()):
        assert np.allclose(got[at + 1 :].sum(axis=0), weight[score >= threshold].sum(axis=0))


def test_of_one_person_nothing_is_drawn() -> None:
    looks = pairs([90.0, 91.0], [10.0], groups={"subject": Column.of(["one"] * 3)})
    assert band(looks, 1, np.array([50.0]), errors_above=False) is None


def test_a_take_that_is_shorter_than_a_shift_says_nothing_of_a_day() -> None:
    looks = crowd(40, 5, np.random.default_rng(9))
    assert (days_of(looks), traffic_of(looks)) == (None, None)
    shift = replace(looks, t_s=np.linspace(0, 10 * 3600.0, 40))
    assert traffic_of(shift) == Traffic(40.0, 1.0)
    two_days = replace(looks, t_s=np.linspace(0, 48 * 3600.0, 40))
    assert traffic_of(two_days) == Traffic(20.0, 1.0)


def test_looks_of_one_person_close_together_are_one_passage() -> None:
    looks = crowd(4, 3, np.random.default_rng(10))
    one = {"subject": Column.of(["ada"] * 12)}
    seen = replace(looks, t_s=np.array([0.0, 30.0, 80.0, 9 * 3600.0]), groups=one)
    assert traffic_of(seen) == Traffic(2.0, 2.0)  # 30 and 50 s apart go on, nine hours do not


def test_so_many_looks_prove_a_rate_if_none_of_them_matches() -> None:
    assert rates.looks_for(3e-5, 5) == pytest.approx(20_000)  # 100,000 comparisons: rule of 3


def test_a_group_fails_where_its_interval_lies_beyond_that_of_all_others() -> None:
    rng = np.random.default_rng(11)
    dim, even = rng.normal(50, 10, 400), rng.normal(50, 10, 400)
    light = {"light": Column.of(["dim"] * 400 + ["even"] * 400)}
    alike = groups_of(pairs([], [*dim, *even], groups=light), 60.0)
    assert [(each.word, each.fails) for each in alike] == [("dim", ""), ("even", "")]
    worse = groups_of(pairs([], [*(dim + 12), *even], groups=light), 60.0)
    assert [(each.word, each.fails) for each in worse] == [("dim", "fmr"), ("even", "")]
    assert not any(each.small for each in worse)
