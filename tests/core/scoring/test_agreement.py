"""Live and cold: worked by hand, and on every kind where the recording begins in the middle of what was live."""

from __future__ import annotations

import importlib
from typing import Any

import pytest

from examples import Example
from lantern.core.families import FAMILIES
from lantern.core.kinds import watch
from lantern.core.scoring.agreement import Raised, agreement

LIVE: list[Example] = [
    each for name in FAMILIES for each in importlib.import_module(f"core.{name}.examples").examples()
]


def test_what_is_alike_and_from_when() -> None:
    live = [Raised(1.0, "a"), Raised(2.0, "b", "7"), Raised(9.0, "a")]
    same = agreement(live, live)
    assert (same.same, same.moment, same.text) == (3, 0.0, "the same 3 raises as live")
    found = agreement(live, [Raised(3.0, "a"), Raised(2.0004, "b", "7"), Raised(9.0, "a")])
    assert (found.same, found.moment) == (2, 3.0)
    assert (
        found.text == "2 raises as live, and alike after 3.0 s; before that a at 1.0 s only live, a at 3.0 s only here"
    )
    assert agreement([], []).text == "no raise, as live"
    assert agreement([Raised(1.0, "a")], [Raised(1.1, "a")]).same == 0
    assert agreement([Raised(1.0, "a", "1")], [Raised(1.0, "a", "2")]).same == 0


def raises(one: Example, since: int) -> list[Raised]:
    live, out = watch(one.detector, one.facts), []
    for sample in one.samples[since:]:
        for turn in (each for first in live.step(sample, one.interval_s) for each in first.chain()):
            out += [Raised(c.t, turn.region, turn.object) for c in turn.changes if c.what != "clear"]
    return out


@pytest.mark.parametrize("one", LIVE, ids=lambda one: one.detector.kind)
def test_cold_and_live_differ_only_before_they_agree(one: Example) -> None:
    whole = raises(one, 0)
    every: dict[int, Any] = {}
    for since in range(0, len(one.samples), max(len(one.samples) // 12, 1)):
        begins = one.samples[since].t
        found = agreement([each for each in whole if each.t >= begins], raises(one, since))
        every[since] = found
        later = [each for each in whole if each.t > found.moment and each.t >= begins]
        assert [each for each in raises(one, since) if each.t > found.moment] == later
        assert (
            found.moment - begins <= 2.0
        )  # s: nothing in these examples remembers more than an object's way or a sustain time
    assert every[0].text == f"the same {len(whole)} raises as live"
