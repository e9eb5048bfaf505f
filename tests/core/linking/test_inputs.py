"""Inputs: the windows of supervised ones against the textbook divider, and what counts once it has held."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from checks import check
from lantern.core.faults import Refused
from lantern.core.linking.inputs import Debounced, Input, State, Supervised, raises
from lantern.core.modelled import read_model

LOOP = Supervised(register_address=0)


def test_the_divider_gives_the_textbook_ratios() -> None:
    """I11: short, normal R1, alarm R1 + R2, open, for 4.7 kΩ; I12: the boundary between the two windows."""
    inputs, expected = check("I11")
    r1, r2, rp = (inputs[f"{name}_ohm"] for name in ("R1", "R2", "Rp"))
    loop = Supervised(register_address=0, r1_ohm=r1, r2_ohm=r2, pull_up_ohm=rp)
    ratios = [loop.ratio(ohm) for ohm in (0.0, r1, r1 + r2, float("inf"))]
    assert ratios == expected
    assert [LOOP.state(ratio)[0] for ratio in ratios] == ["fault", "idle", "active", "fault"]
    _, (_, boundary) = check("I12")[0], check("I12")[1].expected
    assert loop.boundary == pytest.approx(boundary, rel=1e-4)


@pytest.mark.parametrize(
    ("ratio", "state", "told"),
    [
        (0.0, "fault", "shorted"),
        (0.05, "fault", "shorted"),
        (0.2, "fault", "in no window, nearest to idle"),
        (0.5, "idle", ""),
        # 4.7 kΩ of 5 %: the lowest normal is 4465 / (4465 + 4935) = 0.475, the highest 4935 / (4935 + 4465) = 0.525
        (0.4751, "idle", ""),
        (0.4749, "fault", "in no window, nearest to idle"),
        (0.5249, "idle", ""),
        (0.5251, "fault", "in no window, nearest to idle"),
        (0.5857, "fault", "in no window, nearest to idle"),
        (0.5859, "fault", "in no window, nearest to active"),
        # 9.4 kΩ: 8930 / (8930 + 4935) = 0.6441 to 9870 / (9870 + 4465) = 0.6885
        (0.6440, "fault", "in no window, nearest to active"),
        (0.6442, "active", ""),
        (0.6884, "active", ""),
        (0.6886, "fault", "in no window, nearest to active"),
        (0.95, "fault", "cut"),
        (1.0, "fault", "cut"),
    ],
)
def test_between_the_windows_is_a_fault(ratio: float, state: str, told: str) -> None:
    assert LOOP.state(ratio) == (state, told)


@pytest.mark.parametrize(
    ("parts", "told"),
    [
        ({"r2_ohm": 470}, "the windows meet"),
        ({"tolerance_percent": 20}, "the windows meet"),
        ({"r1_ohm": 100, "r2_ohm": 4700}, "a short"),
        ({"r2_ohm": 470_000}, "a cut"),
    ],
)
def test_resistors_that_cannot_be_told_apart_are_refused(parts: dict[str, float], told: str) -> None:
    with pytest.raises(Refused, match=told):
        read_model(Supervised, {"register_address": 0, **parts}, where="input")


def test_a_contact_is_open_or_closed_by_its_wiring() -> None:
    opened, closed = Input(name="a"), Input(name="b", contact="normally_closed")
    assert [opened.of_bit(False), opened.of_bit(True)] == ["idle", "active"]
    assert [closed.of_bit(True), closed.of_bit(False)] == ["idle", "active"]


def test_an_input_is_read_one_way() -> None:
    with pytest.raises(Refused, match="and not both"):
        read_model(Input, {"name": "a", "discrete": 1, "supervised": {"register_address": 0}}, where="input")
    assert not Input(name="not wired yet").wired


def settled(hold_s: float, steps: list[tuple[float, State]]) -> list[tuple[float, State]]:
    held = Debounced(hold_s)
    return [(t, new) for t, state in steps if (new := held.step(t, state)) is not None]


def test_a_bounce_does_not_count() -> None:
    """100 ms: the bounces at 0.2 to 0.24 s end with closed, which has held for 100 ms at 0.34 s."""
    bounces: list[tuple[float, State]] = [
        (0.0, "idle"), (0.1, "idle"), (0.2, "active"), (0.22, "idle"), (0.24, "active"), (0.3, "active"),
        (0.34, "active"), (0.4, "active"),
    ]  # fmt: skip
    assert settled(0.1, bounces) == [(0.1, "idle"), (0.34, "active")]


def test_a_silent_module_is_unknown_at_once_and_comes_back_slowly() -> None:
    steps: list[tuple[float, State]] = [
        (0.0, "active"), (0.1, "active"), (0.2, "unknown"), (0.3, "idle"), (0.35, "idle"), (0.4, "idle"),
    ]  # fmt: skip
    assert settled(0.1, steps) == [(0.1, "active"), (0.2, "unknown"), (0.4, "idle")]


@pytest.mark.parametrize(
    ("before", "now", "causes"),
    [
        (None, "active", False),  # the first look takes note
        ("idle", "active", True),
        ("active", "active", False),  # as it was when its module fell silent
        ("fault", "active", True),
        ("active", "fault", True),
        ("active", "idle", False),
        ("idle", "unknown", False),
    ],
)
def test_what_causes_something(before: State | None, now: State, causes: bool) -> None:
    assert raises(before, now) is causes


@given(
    st.lists(
        st.tuples(st.sampled_from([0.01, 0.03, 0.05, 0.2]), st.sampled_from(["idle", "active", "fault", "unknown"])),
        max_size=40,
    )
)
def test_what_settles_has_held(steps: list[tuple[float, State]]) -> None:
    """Against the plain rule: a state counts at the first look at which it was read at every look since one 100 ms before."""
    t, read = 0.0, []
    for pause, state in steps:
        t += pause
        read.append((t, state))
    found = settled(0.1, read)
    for at, state in found:
        if state != "unknown":
            back = [s for when, s in read if at - 0.1 - 1e-6 <= when <= at]
            assert set(back) == {state}
    assert all(one[1] != other[1] for one, other in pairwise(found))
