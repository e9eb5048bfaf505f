"""The load of alarms: the published figures, a flood by hand, and random alarms against a plain count."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lantern.core.linking.load import ACCEPTABLE, MOST, load, trailing

DAY_S = 86_400.0


def test_the_published_figures_are_so_many_a_day() -> None:
    """I24: one and two in ten minutes are 144 and 288 a day (IEC 62682, ISA-18.2: about 150 and 300; from memory)."""
    for figure, a_day in ((ACCEPTABLE, 144), (MOST, 288)):
        alarms = [(n * DAY_S / a_day, "a") for n in range(a_day)]
        assert load(alarms, DAY_S).per_10_min == pytest.approx(figure)
    assert load([(n * 600.0, "a") for n in range(144)], DAY_S).word == "acceptable"
    assert load([(n * 300.0, "a") for n in range(288)], DAY_S).word == "manageable at most"
    assert load([(n * 200.0, "a") for n in range(432)], DAY_S).word == "more than can be managed"


def test_a_flood_begins_with_more_than_ten_in_ten_minutes() -> None:
    """I25: one each 50 s from 0 on: the eleventh, at 500 s, is the first with more than ten in the trailing ten minutes."""
    found = load([(50.0 * n, "a") for n in range(20)], 3600.0)
    [(begins, ends)] = found.floods
    assert begins == 500.0
    # by hand: the last five come at 750, 800, 850, 900 and 950; at 1350 the first of them is ten minutes old, and four are left
    assert ends == 1350.0
    assert found.word == "it floods"


def test_a_few_are_no_flood_and_nothing_is_no_load() -> None:
    assert load([(0.0, "a"), (1.0, "b"), (2.0, "b")], 600.0).first == (("b", 2), ("a", 1))
    assert load([], 0.0).word == "nothing was rehearsed"
    assert load([], 600.0).worst == 0


@given(st.lists(st.integers(0, 4000).map(float), min_size=1, max_size=60))
def test_the_worst_ten_minutes_are_those_that_a_plain_count_finds(times: list[float]) -> None:
    times = sorted(times)
    counted = [sum(t - 600.0 < other <= t for other in times) for t in times]
    found = load([(t, "a") for t in times], 4000.0)
    assert found.worst == max(counted)
    # of several at one instant the last has all of them
    last = [
        max(c for c, t in zip(trailing(np.array(times)).tolist(), times, strict=True) if t == each) for each in times
    ]
    assert last == counted
