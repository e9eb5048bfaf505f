"""Compounds: by hand, and against loops that follow the words and try every chain."""

from __future__ import annotations

from itertools import pairwise, product
from typing import Any

import numpy as np
import pytest

from lantern.core.faults import Refused
from lantern.core.logic.causes import Happened
from lantern.core.logic.compounds import Compound, worked_out
from lantern.core.modelled import read_model

Row = tuple[str, float, float | None]  # detector, raised, cleared


def happened(rows: list[Row]) -> list[Happened]:
    rows = sorted(rows, key=lambda each: each[1])
    return [
        Happened("detector", name, raised, cleared, (raised, 0, at)) for at, (name, raised, cleared) in enumerate(rows)
    ]


def compound(kind: str, *parts: str, **more: Any) -> Compound:
    document = {"name": more.pop("name", "C"), "kind": kind, "parts": [{"detector": part} for part in parts]} | more
    return read_model(Compound, document, where="compound")


def raised(held: Compound, rows: list[Row], **more: Any) -> list[tuple[float, float | None, list[float]]]:
    return [
        (each.happened.raised_s, each.happened.cleared_s, [used.raised_s for used in each.used])
        for each in worked_out([held], happened(rows), **more)[held.name]
    ]


def test_any_and_all() -> None:
    assert raised(compound("any", "A", "B"), [("A", 1, 4), ("X", 2, 3), ("B", 5, None)]) == [(1, 1, [1]), (5, 5, [5])]
    both = compound("all", "A", "B", within_s=5)
    assert raised(both, [("A", 0, 1), ("B", 5, 6)]) == [(5, 5, [0, 5])]
    assert raised(both, [("A", 0, 1), ("B", 5.1, 6)]) == []
    # the newest of each is used, and all older ones with it
    assert raised(both, [("A", 0, 1), ("A", 3, 4), ("B", 4, 5), ("B", 6, 7)]) == [(4, 4, [3, 4])]
    assert raised(both, [("A", 0, 1), ("B", 1, 2), ("A", 3, 4), ("B", 4, 5)]) == [(1, 1, [0, 1]), (4, 4, [3, 4])]


def test_one_after_the_other() -> None:
    way = compound("sequence", "gate", "yard", "door", within_s=30)
    rows: list[Row] = [
        ("gate", 0, 1),
        ("yard", 5, 6),
        ("gate", 8, 9),
        ("yard", 12, 13),
        ("door", 20, 21),
        ("door", 22, 23),
    ]
    assert raised(way, rows) == [(20, 20, [8, 12, 20])]
    assert raised(way, [("door", 0, 1), ("gate", 2, 3), ("yard", 4, 5), ("door", 33, 34)]) == []
    twice = compound("sequence", "A", "A", within_s=10)
    assert raised(twice, [("A", 0, 1), ("A", 3, 4), ("A", 6, 7), ("A", 9, 10)]) == [(3, 3, [0, 3]), (9, 9, [6, 9])]


def test_one_and_not_the_other_waits_until_it_is_quiet() -> None:
    """The contract's own figures: with a quiet time of 10 an event that cleared at 95 disturbs until 105, and no longer at 105."""
    alone = compound("unless", "A", "B", quiet_s=10)
    assert raised(alone, [("B", 90, 95), ("A", 104, 130)]) == [(105, 130, [104])]
    assert raised(alone, [("B", 90, 95), ("A", 105, 130)]) == [(105, 130, [105])]
    assert raised(alone, [("B", 90, 95), ("A", 100, 104)]) == []  # it stands no longer
    assert raised(alone, [("B", 90, 95), ("A", 104, 104)]) == []  # an instant is asked once
    assert raised(alone, [("B", 90, None), ("A", 104, 130)]) == []
    # no B from 5 s before to 10 s after A
    around = compound("unless", "A", "B", wait_s=10, quiet_s=15)
    assert raised(around, [("A", 100, 200)]) == [(110, 200, [100])]
    assert raised(around, [("A", 100, 200), ("B", 94, 95)]) == [(110, 200, [100])]
    assert raised(around, [("A", 100, 100), ("B", 95.5, 96)]) == []
    assert raised(around, [("A", 100, 100), ("B", 110, 111)]) == []
    assert raised(around, [("A", 100, 100), ("B", 110.5, 111)]) == [(110, 110, [100])]


def test_a_raise_that_comes_too_soon_is_dropped_and_one_that_sleeps_is_no_part() -> None:
    often = compound("any", "A", rearm_s=10)
    assert [each[0] for each in raised(often, [("A", t, t) for t in (0, 4, 10, 15, 20.5)])] == [0, 10, 20.5]
    inner = compound("any", "A", name="inner", timetable="night")
    outer = read_model(Compound, {"name": "outer", "kind": "any", "parts": [{"compound": "inner"}]}, where="c")
    found = worked_out([outer, inner], happened([("A", 1, 2), ("A", 20, 21)]), lambda name, t: t > 10)
    assert [(each.happened.raised_s, each.asleep) for each in found["inner"]] == [(1, True), (20, False)]
    assert [each.happened.raised_s for each in found["outer"]] == [20]
    assert found["outer"][0].used[0].name == "inner"


def test_what_no_compound_is_is_refused() -> None:
    for document, said in (
        ({"kind": "all", "parts": [{"detector": "A"}], "within_s": 1}, "two at least"),
        ({"kind": "any", "parts": []}, "parts"),
        ({"kind": "all", "parts": [{"detector": "A"}, {"detector": "B"}]}, "within_s 0"),
        ({"kind": "any", "parts": [{"detector": "A"}], "quiet_s": 3}, "belongs to unless"),
        ({"kind": "any", "parts": [{"detector": "A"}], "rearm_s": -1}, "rearm_s"),
        ({"kind": "any", "parts": [{"detector": "A", "input": "B"}]}, "one of detector, input, compound"),
        ({"kind": "any", "parts": [{"compound": "A", "region": "r"}]}, "belong to a detector"),
    ):
        with pytest.raises(Refused, match=said):
            read_model(Compound, {"name": "C"} | document, where="compound")
    one = read_model(Compound, {"name": "one", "kind": "any", "parts": [{"compound": "two"}]}, where="c")
    two = read_model(Compound, {"name": "two", "kind": "any", "parts": [{"compound": "one"}]}, where="c")
    with pytest.raises(Refused, match="is made of itself: one of two of one"):
        worked_out([one, two], [])


# ---- against the words -----------------------------------------------------------------------------------------------


def all_by_the_words(names: list[str], within: float, rows: list[Row]) -> list[tuple[float, list[float]]]:
    used: set[int] = set()
    out = []
    for at, (name, t, _) in enumerate(rows):
        if name not in names:
            continue
        newest = []
        for part in names:
            fresh = [
                i
                for i in range(at + 1)
                if rows[i][0] == part and i not in used and names.index(rows[i][0]) == names.index(part)
            ]
            newest.append(fresh[-1] if fresh and rows[fresh[-1]][1] >= t - within - 1e-9 else None)
        if None not in newest:
            out.append((t, [rows[i][1] for i in newest]))
            used |= {i for i in range(at + 1) if rows[i][0] in names}
    return out


def sequences_by_the_words(names: list[str], within: float, rows: list[Row]) -> list[tuple[float, list[float]]]:
    begins, out = 0, []
    for at, (name, t, _) in enumerate(rows):
        if name != names[-1]:
            continue
        chains = [
            chain
            for chain in product(*([i for i in range(begins, at + 1) if rows[i][0] == part] for part in names))
            if chain[-1] == at and all(a < b for a, b in pairwise(chain)) and t - rows[chain[0]][1] <= within + 1e-9
        ]
        if chains:
            best = max(chains)
            out.append((t, [rows[i][1] for i in best]))
            begins = at + 1
    return out


def unless_by_the_words(quiet: float, wait: float, rows: list[Row]) -> list[tuple[float, float | None]]:
    out = []
    end = 200
    for at, (name, a, cleared) in enumerate(rows):
        if name != "A":
            continue
        others = [row for i, row in enumerate(rows) if row[0] == "B" and i != at]
        for s in [half / 2 for half in range(2 * end)]:  # every half second: all times are whole
            first = s == a + wait
            again = cleared != a and s > a + wait and any(c is not None and c + quiet == s for _, _, c in others)
            if not (first or again):
                continue
            if cleared != a and cleared is not None and s >= cleared:
                break
            if not any(r <= s and (r == s or c is None or c > s - quiet) for _, r, c in others):
                out.append((s, at, s if cleared == a else cleared))
                break
            if cleared == a:
                break
    return [(s, c) for s, _, c in sorted(out, key=lambda each: each[:2])]


@pytest.mark.parametrize("seed", range(80))
def test_random_events_are_what_the_words_say(seed: int) -> None:
    rng = np.random.default_rng(seed)
    rows: list[Row] = []
    for _ in range(int(rng.integers(3, 14))):
        start = float(rng.integers(0, 60))
        cleared = None if rng.random() < 0.1 else start + float(rng.integers(0, 9))
        rows.append((str(rng.choice(["A", "B", "C"])), start, cleared))
    rows.sort(key=lambda each: each[1])
    within, quiet, wait = float(rng.integers(1, 20)), float(rng.integers(0, 8)), float(rng.integers(0, 8))
    got = raised(compound("all", "A", "B", within_s=within), rows)
    assert [(t, used) for t, _, used in got] == all_by_the_words(["A", "B"], within, rows)
    for names in (["A", "B"], ["A", "B", "C"], ["A", "A"]):
        got = raised(compound("sequence", *names, within_s=within), rows)
        assert [(t, used) for t, _, used in got] == sequences_by_the_words(names, within, rows)
    got = raised(compound("unless", "A", "B", quiet_s=quiet, wait_s=wait), rows)
    assert [(t, cleared) for t, cleared, _ in got] == unless_by_the_words(quiet, wait, rows)


def test_nothing_that_comes_later_matters() -> None:
    rng = np.random.default_rng(5)
    rows: list[Row] = [
        (str(rng.choice(["A", "B"])), float(t), float(t) + float(rng.integers(0, 9))) for t in range(0, 60, 3)
    ]
    for held in (
        compound("all", "A", "B", within_s=7),
        compound("sequence", "A", "B", within_s=7),
        compound("unless", "A", "B", quiet_s=4),
    ):
        whole = raised(held, rows)
        for end in range(5, 60, 7):
            known = [row for row in rows if row[1] < end]
            early = [(t, used) for t, _, used in raised(held, known, until_s=float(end))]
            assert early == [(t, used) for t, _, used in whole if t < end]
