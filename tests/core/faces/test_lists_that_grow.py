"""Who is missed as a list grows, who looks like whom, and what failures to acquire do; intervals beside another library's."""

from __future__ import annotations

import numpy as np
import pytest
from statsmodels.stats.proportion import proportion_confint  # type: ignore[import-untyped]

from core.faces.scenes import looks_of
from lantern.core.faces.list_size import missed
from lantern.core.faces.lookalikes import matrix_of
from lantern.core.faces.looks import Column, Looks
from lantern.core.faces.report import report
from lantern.core.faces.scores import share_of
from lantern.core.scoring.intervals import exact_share


def members_seen(count: int, enrolled: int, rng: np.random.Generator) -> Looks:
    """Looks at members, each held against all of them; one's own score is usually the highest."""
    score = rng.normal(50, 12, (count, enrolled)).round(1)
    who = rng.integers(0, enrolled, count)
    score[np.arange(count), who] = rng.normal(72, 10, count).round(1)
    mated = np.zeros((count, enrolled), dtype=np.int8)
    mated[np.arange(count), who] = 1
    return Looks(
        t_s=np.arange(count, dtype=float),
        probe=tuple(f"p{at}" for at in range(count)),
        first=np.arange(0, count * enrolled + 1, enrolled),
        score=score.ravel(),
        candidate=Column.of([f"c{n}" for n in range(enrolled)] * count),
        mated=mated.ravel(),
        groups={"subject": Column.of([f"c{n}" for n in who for _ in range(enrolled)])},
    )


def test_who_is_missed_as_the_list_grows_is_what_drawing_lists_gives() -> None:
    rng = np.random.default_rng(4)
    looks, threshold = members_seen(300, 24, rng), 65.0
    found = missed(looks, threshold, np.array([1.0, 8.0, 24.0, 240.0]))
    score, mated = looks.score.reshape(300, 24), looks.mated.reshape(300, 24) == 1
    own = score[mated]
    assert found.share[0] == pytest.approx((own < threshold).mean())  # alone on it: its own score decides
    higher = score > own[:, None]
    drawn = []
    for _ in range(2000):  # seven others at random beside the one that it is
        others = np.argsort(np.where(mated, 2.0, rng.random((300, 24))), axis=1)[:, :7]
        drawn.append(1 - ((own >= threshold) & ~np.take_along_axis(higher, others, axis=1).any(axis=1)).mean())
    assert found.share[1] == pytest.approx(np.mean(drawn), abs=0.003)
    assert found.share[2] == pytest.approx(1 - ((own >= threshold) & ~higher.any(axis=1)).mean())
    assert found.measured.tolist() == [True, True, True, False]
    assert found.share[3] > found.share[2]


def test_beyond_the_take_each_other_on_the_list_scores_as_two_people_do() -> None:
    """Of the four scores of two people three are below 70, the score of the one who is there: of ten enrolled nine are others."""
    rows = [
        (0.0, "a", [("x", 70.0), ("y", 20.0)]),
        (1.0, "b", [("z", 10.0), ("y", 30.0)]),
        (2.0, "c", [("z", 80.0)]),
    ]
    found = missed(looks_of(rows, [1, 0, 0, 0, 0]), 60.0, np.array([10.0, 2000.0]))
    assert found.measured.tolist() == [False, False]
    assert found.share == pytest.approx([1 - 0.75**9, 1.0])


def test_nobody_is_missed_more_where_nobody_scores_higher() -> None:
    rows = [(0.0, "a", [("x", 90.0), ("y", 20.0)]), (1.0, "b", [("y", 60.0), ("x", 30.0)])]
    found = missed(looks_of(rows, [1, 0, 1, 0]), 70.0, np.array([1.0, 2.0, 50.0]))
    assert found.share.tolist() == [0.5, 0.5, 0.5]


def test_without_looks_at_members_nobody_knows() -> None:
    found = missed(looks_of([(0.0, "a", [("x", 90.0)])], [0]), 70.0, np.array([1.0]))
    assert np.isnan(found.share).all()


def test_the_matrix_has_the_highest_score_of_each_pair_and_none_of_oneself() -> None:
    looks = members_seen(200, 6, np.random.default_rng(9))
    found = matrix_of(looks)
    score = looks.score.reshape(200, 6)
    subject = np.array(looks.groups["subject"].cells).reshape(200, 6)[:, 0]
    for row, name in enumerate(found.subjects):
        for column, other in enumerate(found.candidates):
            at = int(other[1:])
            if name == other:
                assert np.isnan(found.highest[row, column])
            else:
                assert found.highest[row, column] == score[subject == name, at].max()
    top = np.nanmax(found.highest, axis=1)
    assert (np.diff(top) <= 0).all()


def test_without_subjects_there_is_no_matrix() -> None:
    assert matrix_of(looks_of([(0.0, "a", [("x", 90.0)])], [0])).subjects == ()


def test_failures_to_acquire_make_rates_of_attempts_f01() -> None:
    """FAR = FMR (1 - FTA), FRR = FTA + FNMR (1 - FTA); ISO/IEC 19795-1, from memory."""
    rows = [(float(at), f"p{at}", [("x", score)]) for at, score in enumerate((90.0, 60.0, 80.0, 20.0, 75.0, 10.0))]
    mated = [1, 1, 1, 0, 0, 0]
    said = report(looks_of(rows, mated, not_acquired=2), threshold=70.0)
    fta, fmr, fnmr = 2 / 8, 1 / 3, 1 / 3
    assert said["fta"] == pytest.approx(fta)
    assert said["far"] == pytest.approx(fmr * (1 - fta))
    assert said["frr"] == pytest.approx(fta + fnmr * (1 - fta))
    assert not {"fta", "far", "frr"} & report(looks_of(rows, mated), threshold=70.0).keys()  # nobody knows: not given


@pytest.mark.parametrize(("errors", "of"), [(1, 3), (12, 100_000), (29, 30), (500, 1000), (7, 8368)])
def test_intervals_are_those_of_another_library(errors: int, of: int) -> None:
    share = share_of(errors, of)
    assert share is not None
    assert (share.low, share.high) == pytest.approx(proportion_confint(errors, of, method="wilson"), rel=1e-9)
    assert exact_share(errors, of) == pytest.approx(proportion_confint(errors, of, method="beta"), rel=1e-9)


@pytest.mark.parametrize("of", [3, 30, 1000])
def test_with_no_error_the_upper_end_is_one_sided(of: int) -> None:
    """A two-sided exact interval of 90 % has its upper end where a one-sided one of 95 % has it."""
    share = share_of(0, of)
    assert share is not None
    assert share.high == pytest.approx(proportion_confint(0, of, alpha=0.1, method="beta")[1], rel=1e-9)
