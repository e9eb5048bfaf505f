"""Things that do one thing at a time: the contract's sentences one by one, and a plain reading of them on random orders."""

from __future__ import annotations

import random
from copy import deepcopy

import pytest

from lantern.core.linking.one_at_a_time import OneAtATime
from lantern.core.linking.orders import Order, Standing, WhenBusy

Given = tuple[float, float, int, WhenBusy, float]  # at, length, priority, when busy, expire


def order(key: int, given: Given) -> Order:
    at_s, length_s, priority, when_busy, expire_s = given
    return Order(key, "horn", at_s, length_s, priority, expire_s, when_busy)


def performed(*given: Given) -> list[tuple[str | None, float | None, float | None]]:
    machine = OneAtATime()
    standings = [machine.order(order(key, each)) for key, each in enumerate(given)]
    while (t := machine.next_s) is not None:
        machine.advance(t)
    return [(each.result, each.from_s, each.to_s) for each in standings]


def test_a_new_order_starts_at_once_where_nothing_runs() -> None:
    assert performed((5, 10, 5, "drop", 60)) == [("done", 5, 15)]


def test_what_comes_while_it_is_busy_is_dropped_by_default() -> None:
    assert performed((0, 10, 5, "drop", 60), (4, 10, 5, "drop", 60), (10, 3, 5, "drop", 60)) == [
        ("done", 0, 10),
        ("busy", None, None),
        ("done", 10, 13),  # what ends then ends first
    ]


def test_the_more_urgent_cuts_what_runs_and_that_does_not_go_on_later() -> None:
    assert performed((0, 10, 5, "drop", 60), (4, 2, 1, "drop", 60)) == [("cut", 0, 4), ("done", 4, 6)]


def test_as_urgent_cuts_only_where_it_replaces() -> None:
    assert performed((0, 10, 5, "drop", 60), (4, 2, 5, "replace", 60)) == [("cut", 0, 4), ("done", 4, 6)]
    assert performed((0, 10, 4, "drop", 60), (4, 2, 5, "replace", 60)) == [("done", 0, 10), ("busy", None, None)]


def test_at_its_own_start_it_is_cut_too() -> None:
    """Of new orders at one instant the more urgent comes first, and the next, as urgent, replaces it."""
    assert performed((4, 5, 2, "drop", 60), (4, 2, 2, "replace", 60)) == [("cut", 4, 4), ("done", 4, 6)]
    assert performed((4, 5, 5, "drop", 60), (4, 2, 2, "drop", 60)) == [("busy", None, None), ("done", 4, 6)]


def test_of_those_that_wait_the_most_urgent_starts_and_of_equals_the_one_ordered_first() -> None:
    assert performed((0, 10, 1, "drop", 60), (1, 5, 5, "wait", 60), (2, 5, 3, "wait", 60), (3, 5, 3, "wait", 60)) == [
        ("done", 0, 10),
        ("done", 20, 25),
        ("done", 10, 15),
        ("done", 15, 20),
    ]


def test_what_waits_begins_before_what_is_new_and_may_be_cut_by_it() -> None:
    assert performed((0, 10, 5, "drop", 60), (1, 5, 5, "wait", 60), (10, 4, 2, "drop", 60)) == [
        ("done", 0, 10),
        ("cut", 10, 10),
        ("done", 10, 14),
    ]


def test_one_that_waited_longer_than_it_may_is_expired_and_exactly_as_long_still_starts() -> None:
    assert performed((0, 10, 5, "drop", 60), (4, 5, 5, "wait", 6)) == [("done", 0, 10), ("done", 10, 15)]
    assert performed((0, 10, 5, "drop", 60), (4, 5, 5, "wait", 5.75)) == [("done", 0, 10), ("expired", None, None)]


def test_without_a_length_it_is_refused() -> None:
    with pytest.raises(ValueError, match="has no length"):
        OneAtATime().order(Order(0, "horn", 0.0, None))


def test_one_that_nobody_looked_at_in_time_begins_when_somebody_does() -> None:
    machine = OneAtATime()
    standing = machine.order(order(0, (10, 5, 5, "drop", 60)))
    machine.advance(30.0)
    assert (standing.from_s, standing.to_s) == (30.0, 35.0)


# ---- a plain reading, instant by instant -------------------------------------------------------------------------------


def plainly(given: list[Given]) -> list[tuple[str | None, float | None, float | None]]:
    out: list[list[object]] = [[None, None, None] for _ in given]
    waiting: list[int] = []
    running: int | None = None
    for step in range(4 * 400):
        t = step / 4
        if running is not None and out[running][2] == t:
            running = None
        if running is None:
            fit = [k for k in waiting if t <= given[k][0] + given[k][4]]
            if fit:
                running = min(fit, key=lambda k: (given[k][2], given[k][0], k))
                waiting.remove(running)
                out[running] = ["done", t, t + given[running][1]]
        for key in sorted((k for k, each in enumerate(given) if each[0] == t), key=lambda k: (given[k][2], k)):
            _, length_s, priority, when_busy, _ = given[key]
            if running is not None:
                held = given[running][2]
                if priority < held or (priority == held and when_busy == "replace"):
                    out[running][0], out[running][2] = "cut", t
                    running = None
                elif when_busy == "wait":
                    waiting.append(key)
                    continue
                else:
                    out[key][0] = "busy"
                    continue
            running = key
            out[key] = ["done", t, t + length_s]
    for key in waiting:
        out[key][0] = "expired"
    return [tuple(each) for each in out]  # type: ignore[misc] # three each


def test_random_orders_against_the_plain_reading_with_restarts() -> None:
    rng = random.Random(22)
    ways: tuple[WhenBusy, ...] = ("drop", "wait", "replace")
    seen: set[str | None] = set()
    for _ in range(700):
        given: list[Given] = [
            (
                rng.randrange(80) / 4,
                rng.choice((0.5, 2, 5)),
                rng.choice((1, 5, 5, 9)),
                rng.choice(ways),
                rng.choice((1, 4, 60)),
            )
            for _ in range(rng.randrange(1, 9))
        ]
        given.sort(key=lambda each: each[0])
        expected = plainly(given)
        assert performed(*given) == expected, given
        assert started_anew(given, rng.randrange(100) / 4) == expected, given
        seen |= {result for result, _, _ in expected}
    assert seen == {"done", "cut", "busy", "expired"}


def started_anew(given: list[Given], at_s: float) -> list[tuple[str | None, float | None, float | None]]:
    machine = OneAtATime()
    standings: list[Standing] = [machine.order(order(key, each)) for key, each in enumerate(given)]
    anew = False
    while (t := machine.next_s) is not None:
        if t >= at_s and not anew:
            anew, standings = True, deepcopy(standings)
            machine = OneAtATime([each for each in standings if each.stage != "over"])
        machine.advance(t)
    return [(each.result, each.from_s, each.to_s) for each in standings]
