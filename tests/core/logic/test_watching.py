"""Compounds as events come, against the same worked out over all events at the end: random ones, nested, with restarts of nothing."""

from __future__ import annotations

import math
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from lantern.core.logic.causes import Happened
from lantern.core.logic.compounds import Compound, worked_out
from lantern.core.logic.watching import Watching

NAMES = ("A", "B", "C")
COMPOUNDS = ("first", "second", "third")
numbers = st.integers(0, 8).map(float)
events = st.lists(
    st.tuples(
        st.sampled_from(NAMES), st.integers(0, 40).map(lambda n: n / 2), st.none() | st.integers(0, 12).map(float)
    ),
    max_size=14,
)


@st.composite
def compound(draw: Any, at: int) -> Compound:
    kind = draw(st.sampled_from(("any", "all", "sequence", "unless")))
    causes = st.sampled_from([{"detector": name} for name in NAMES] + [{"compound": name} for name in COMPOUNDS[:at]])
    parts = draw(st.lists(causes, min_size=1 if kind == "any" else 2, max_size=3))
    more: dict[str, Any] = {"rearm_s": draw(numbers)}
    if kind in ("all", "sequence"):
        more["within_s"] = draw(st.integers(1, 12).map(float))
    if kind == "unless":
        more |= {"wait_s": draw(numbers), "quiet_s": draw(numbers)}
    if draw(st.booleans()):
        more["timetable"] = "odd"
    return Compound.model_validate({"name": COMPOUNDS[at], "kind": kind, "parts": parts, **more})


def is_on(name: str, t_s: float) -> bool:
    return int(t_s) % 3 != 0


def told(happened: Happened) -> tuple[float, int, int]:
    return happened.place


@settings(max_examples=300, deadline=None)
@given(st.tuples(compound(0), compound(1), compound(2)), events)
def test_as_it_comes_it_raises_what_is_found_at_the_end(
    compounds: tuple[Compound, ...], rows: list[tuple[str, float, float | None]]
) -> None:
    rows = sorted(rows, key=lambda row: row[1])
    known = [
        Happened("detector", name, t, None if lasts is None else t + lasts, (t, 0, n))
        for n, (name, t, lasts) in enumerate(rows)
    ]
    batch = worked_out(compounds, known, is_on)
    expected = sorted(
        (raised.happened.place, raised.happened.name, tuple(map(told, raised.used)), raised.asleep)
        for some in batch.values()
        for raised in some
    )
    watching, found = Watching(compounds, is_on), []
    instants = sorted({t for each in known for t in (each.raised_s, each.cleared_s) if t is not None})
    for t in instants:
        found += list(watching.advance(t))
        for each in known:
            if each.raised_s == t:
                watching.raised(Happened(each.what, each.name, t, None, each.place))
            if each.cleared_s == t:
                watching.cleared(each.place, t)
    found += list(watching.advance(math.inf))
    assert [(r.happened.place, r.happened.name, tuple(map(told, r.used)), r.asleep) for r in found] == expected


def test_it_says_when_it_wants_to_look_again() -> None:
    parts = [{"detector": "A"}, {"detector": "B"}]
    held = Compound.model_validate({"name": "c", "kind": "unless", "parts": parts, "wait_s": 10, "quiet_s": 5})
    watching = Watching([held])
    assert watching.next_s == math.inf
    watching.raised(Happened("detector", "A", 100.0, None, (100.0, 0, 0)))
    assert watching.next_s == 100.0
    assert list(watching.advance(100.5)) == []
    assert watching.next_s == 110.0
    watching.raised(Happened("detector", "B", 104.0, None, (104.0, 0, 1)))
    assert list(watching.advance(110.5)) == []  # it is disturbed, and B stands
    assert watching.next_s == math.inf
    watching.cleared((104.0, 0, 1), 120.0)
    assert watching.next_s == 125.0
    [raised] = watching.advance(126.0)
    assert raised.happened.raised_s == 125.0
