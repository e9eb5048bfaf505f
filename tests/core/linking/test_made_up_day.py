"""A day made up of takes: by a plain reading of what an hour is, for any takes."""

from __future__ import annotations

import itertools

from hypothesis import given
from hypothesis import strategies as st

from lantern.core.linking.days import HOUR_S, LEAST_S, Piece, made_up_day
from lantern.core.linking.expectations import Expectation, judged
from lantern.core.linking.links import LinkRule
from lantern.core.linking.whole import Given, Rules, rehearsed
from lantern.core.modelled import read_model

DAY_S = 24 * HOUR_S
PIECES = st.lists(
    st.tuples(
        st.sampled_from(["T1", "V2"]), st.integers(0, 86_399), st.sampled_from([0.5, 40.0, 900.0, 5000.0, 20_000.0])
    ),
    max_size=6,
).map(lambda rows: [Piece(key, device, float(at), length) for key, (device, at, length) in enumerate(rows)])


def hours_of(piece: Piece) -> set[int]:
    """Minute by minute; a minute that is begun counts."""
    steps = [piece.from_s + t for t in range(0, max(int(piece.length_s), 1), 60)] + [
        piece.from_s + piece.length_s - 0.25
    ]
    return {int(t % DAY_S // HOUR_S) for t in steps}


@given(PIECES, st.integers(0, 999))
def test_each_hour_is_filled_with_takes_of_that_hour_of_that_device_and_with_none_else(
    pieces: list[Piece], seed: int
) -> None:
    made = made_up_day(pieces, seed)
    by_key = {each.key: each for each in pieces}
    assert made == made_up_day(list(reversed(pieces)), seed)
    for device in {each.device for each in pieces}:
        own = [each for each in pieces if each.device == device and each.length_s >= LEAST_S]
        known = set().union(*(hours_of(each) for each in own)) if own else set()
        assert set(made.unknown[device]) == set(range(24)) - known
        played = sorted((at, key) for key, times in made.begins.items() for at in times if by_key[key].device == device)
        for at, key in played:
            assert int(at // HOUR_S) in hours_of(by_key[key])
        for (at, key), (then, _) in itertools.pairwise(played):
            assert then >= at + by_key[key].length_s - 1e-6  # one after another
        covered = [(at, at + by_key[key].length_s) for at, key in played]
        for hour in known:  # nothing of it is left out
            t = hour * HOUR_S
            for a, b in covered:
                if a <= t + 1e-6 < b + 1e-6:
                    t = b
            assert t >= (hour + 1) * HOUR_S - 1e-6


def test_another_seed_is_another_day_and_devices_are_drawn_apart() -> None:
    pieces = [Piece(key, device, 8 * HOUR_S, 900.0) for key, device in enumerate(["T1", "T1", "V2", "V2"])]
    one, other = made_up_day(pieces, 1), made_up_day(pieces, 2)
    assert one != other
    assert one.begins.get(0) != one.begins.get(2)
    alone = made_up_day(pieces[:2], 1)  # what another device has is nothing to this one
    assert {key: one.begins.get(key) for key in (0, 1)} == {key: alone.begins.get(key) for key in (0, 1)}


def test_an_expectation_of_a_take_is_of_each_time_that_it_is_played() -> None:
    effect = {"do": "switch", "output": "lamp", "length_s": 5}
    link = read_model(LinkRule, {"name": "l", "detector": "d", "effects": [effect]}, where="l")
    events = [Given("detector", "d", at, at, False, "", None, {}, "night") for at in (110.0, 540.0)]
    lines = rehearsed(Rules((link,), (), {}, {}, lambda name, t: True), events)
    document = {
        "name": "e", "when": {"detector": "d", "take": "night", "from_s": 5, "to_s": 20},
        "must": [{"do": "switch", "on": "lamp", "within_s": 1}],
    }  # fmt: skip
    expected = read_model(Expectation, document, where="e")
    [once] = judged([expected], lines, {"night": (100.0,)})
    [again] = judged([expected], lines, {"night": (100.0, 525.0)})
    assert "of the one event" in once.because
    assert "of each of 2 events" in again.because
