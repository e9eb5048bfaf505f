"""Counts that are out of step with those by hand: clocks apart, directions exchanged; and neither where chance would do."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lantern.core.counted import HandCount
from lantern.core.objects.counting.alignment import Passage, is_reversed, matched, offset_s


def passages(seed: int, n: int = 60, length_s: float = 600.0) -> list[Passage]:
    rng = np.random.default_rng(seed)
    return [
        (float(t), str(way))
        for t, way in zip(np.sort(rng.uniform(0, length_s, n)), rng.choice(["in", "out"], n), strict=True)
    ]


def seen(by_hand: list[Passage], seed: int, shift_s: float, share: float = 0.85) -> list[Passage]:
    """What a device makes of them: some are missed, times shake by a quarter of a second, its clock is apart."""
    rng = np.random.default_rng(seed + 1)
    return [(t + shift_s + float(rng.normal(0, 0.25)), way) for t, way in by_hand if rng.random() < share]


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from([-75.0, -12.5, 3.5, 8.0, 40.0]))
def test_a_clock_that_is_apart_is_found(seed: int, shift_s: float) -> None:
    by_hand = passages(seed)
    assert offset_s(seen(by_hand, seed, shift_s), by_hand) == pytest.approx(shift_s, abs=0.5)


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from([-1.0, 0.0, 0.5]))
def test_nothing_is_said_of_clocks_that_agree(seed: int, shift_s: float) -> None:
    by_hand = passages(seed)
    assert offset_s(seen(by_hand, seed, shift_s), by_hand) is None


def test_nothing_is_said_of_two_crowds_that_have_nothing_to_do_with_each_other() -> None:
    found = [offset_s(passages(seed), passages(seed + 1000)) for seed in range(200)]
    assert (
        sum(each is not None for each in found) <= 10
    )  # of a hundred shifts that are tried, one fits by chance now and then
    assert offset_s([], passages(1)) is None
    assert offset_s(passages(1), []) is None


def test_a_line_that_lies_further_on_is_no_clock() -> None:
    """Who comes reaches it later, who goes earlier; with traffic one way only nobody can tell."""
    by_hand = passages(5)
    late = [(t + (6 if way == "in" else -6), way) for t, way in by_hand]
    assert offset_s(late, by_hand) is None
    one_way = [(t, "in") for t, _ in by_hand]
    assert offset_s([(t + 6, way) for t, way in one_way], one_way) is None


def test_each_finds_its_like_only_once() -> None:
    assert matched(np.array([1.0, 1.1, 9.0]), np.array([1.5])) == 1
    assert matched(np.array([1.0]), np.array([0.5, 1.5])) == 1
    assert matched(np.array([1.0, 2.0]), np.array([1.2, 1.9])) == 2


def test_directions_that_changed_places() -> None:
    by_hand = [HandCount(0, 60, 30, 4), HandCount(60, 120, 25, 6)]
    assert is_reversed([(4, 28), (5, 25)], by_hand)
    assert not is_reversed([(28, 4), (20, 5)], by_hand)
    assert not is_reversed([(2, 3)], [HandCount(0, 60, 3, 2)])  # one of a few: chance
    assert not is_reversed([], [])
