"""A limit on a link: so many at once, then one in so long; in both rehearsals alike, and refused for what saves lives."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from checks import check
from lantern.core.effects.switch.effect import Switch
from lantern.core.faults import FaultList, Refused
from lantern.core.linking.arming import Armed, Arming, Heard
from lantern.core.linking.leads import Names
from lantern.core.linking.limit import Bucket
from lantern.core.linking.links import LinkRule
from lantern.core.linking.outputs import Output
from lantern.core.linking.whole import Given, Rules, rehearsed
from lantern.core.modelled import read_model

AT = datetime(2026, 3, 2, tzinfo=UTC)


def link(burst: int | None = 2, refill_s: float | None = 30.0, **more: Any) -> LinkRule:
    lamp = (Switch(output="lamp", length_s=1.0),)
    return LinkRule(name="l", detector="d", effects=lamp, limit_burst=burst, limit_refill_s=refill_s, **more)


def test_of_twenty_events_ten_seconds_apart_so_many_pass() -> None:
    inputs, expected = check("I05")
    bucket = Bucket(inputs["burst"], 1 / inputs["refill_per_s"])
    passed = sum(bucket.lets(n * inputs["step_s"]) for n in range(inputs["n"]))
    assert passed == expected
    assert bucket.held == inputs["n"] - expected


def test_exactly_when_it_has_filled_up_it_lets_one() -> None:
    bucket = Bucket(1, 10.0)
    assert [bucket.lets(t) for t in (0.0, 9.9, 10.0, 15.0, 20.0)] == [True, False, True, False, True]
    assert bucket.held == 2


@given(
    st.lists(st.integers(0, 400), min_size=1, max_size=60).map(sorted),
    st.integers(1, 6),
    st.sampled_from([1.0, 7.0, 20.0]),
)
def test_it_lets_what_a_plain_count_of_tokens_lets(times: list[int], burst: int, refill_s: float) -> None:
    """In whole numbers: `refill_s` parts make a token."""
    bucket = Bucket(burst, refill_s)
    parts, before = burst * int(refill_s), times[0]
    for t in times:
        parts = min(parts + t - before, burst * int(refill_s))
        before = t
        lets = parts >= int(refill_s)
        parts -= int(refill_s) if lets else 0
        assert bucket.lets(float(t)) == lets


def test_both_rehearsals_hold_the_same_back() -> None:
    times = [0.0, 5.0, 9.0, 40.0, 41.0, 100.0, 101.0, 102.0]
    arming = Arming([Armed(link(), None)], None, AT, AT)
    answers = [arming.answer(Heard("r"), AT + timedelta(seconds=t)) for t in times]
    one = [bool(fired) for fired, _ in answers]
    assert one == [True, True, False, True, False, True, True, False]  # by hand: 2 at once, then one in 30 s
    assert answers[2][1].code == "held_back"
    assert "l (at most 2 at once, then one in 30 s)" in answers[2][1].text
    rules = Rules((link(),), (), {}, {}, lambda name, t: True)
    events = [Given("detector", "d", t, t + 1, False, "r") for t in times]
    said = [line.said for line in rehearsed(rules, events) if line.shown is None]
    assert [each["result"] for each in said] == ["done" if lets else "held back" for lets in one]


def test_a_repeat_that_fires_nothing_takes_nothing() -> None:
    arming = Arming([Armed(link(1, 60.0, on_repeat=False), None)], None, AT, AT)
    assert arming.answer(Heard("r", repeat=True), AT)[1].code == "repeat"
    assert arming.answer(Heard("r"), AT)[1].code == "fired"


def test_what_is_no_limit_is_refused_and_none_is_not_written() -> None:
    for burst, refill_s, where in ((2, None, "beside limit_burst 2"), (None, 30.0, "limit_burst beside it")):
        with pytest.raises(Refused) as refused:
            read_model(
                LinkRule, {"name": "l", "detector": "d", "limit_burst": burst, "limit_refill_s": refill_s}, where="link"
            )
        [fault] = refused.value.faults
        assert (fault.where, fault.what) == ("link: limit_refill_s", str(refill_s))
        assert where in fault.expected
    with pytest.raises(ValidationError, match="limit_burst"):
        link(0, 3.0)
    assert not any(key.startswith("limit") for key in link(None, None).model_dump())
    assert link().model_dump()["limit_refill_s"] == 30.0


def test_nothing_may_hold_back_what_is_marked_life_safety() -> None:
    def faults(limited: LinkRule, *, life_safety: bool) -> list[str]:
        output = Output(name="lamp", coil=0, life_safety=life_safety)
        names = Names({"d"}, (), (), (), (), {"lamp": output}, {})
        found = FaultList()
        names.check_link("link", limited, found)
        return [fault.what for fault in found.faults]

    assert faults(link(), life_safety=True) == ["lamp is marked life safety, and the link has a limit"]
    assert faults(link(), life_safety=False) == []
    assert faults(link(None, None), life_safety=True) == []
