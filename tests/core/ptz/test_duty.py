"""Who moves a PTZ when: by hand, and against a loop that follows the words second by second."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from commands import lantern
from lantern.core.faults import Refused
from lantern.core.modelled import read_model
from lantern.core.ptz.duty import Plan, duty

BASE: dict[str, Any] = {"from_s": 0, "to_s": 100, "release_s": 10, "idle_after_s": 20, "idle": "home"}


def stretches(**more: Any) -> list[tuple[float, float, str, str | None]]:
    return [tuple(each) for each in duty(read_model(Plan, BASE | more, where="D")).stretches]


def dropped(**more: Any) -> list[tuple[str, float]]:
    return [(each.dropped, each.at_s) for each in duty(read_model(Plan, BASE | more, where="D")).dropped]


def test_it_idles_once_nothing_has_held_for_long_enough() -> None:
    assert stretches() == [(0, 20, "none", None), (20, 100, "idle", "home")]
    assert stretches(idle=None) == [(0, 100, "none", None)]
    round_from_40 = [{"from_s": 40, "to_s": 60, "do": "round"}]
    assert stretches(timetable=round_from_40) == [
        (0, 20, "none", None),
        (20, 40, "idle", "home"),
        (40, 60, "timetable", "round"),
        (60, 80, "none", None),
        (80, 100, "idle", "home"),
    ]
    # what held before the plan begins counts from its beginning at the earliest
    assert stretches(timetable=[{"from_s": -50, "to_s": -5, "do": "round"}])[0] == (0, 20, "none", None)


def test_by_hand_it_is_held_until_it_is_released_and_calls_are_dropped() -> None:
    manual = [{"from_s": 10, "to_s": 20, "who": "Ada", "rank": 1}]
    calls = [{"at_s": 5, "for_s": 30, "do": "gate", "rank": 9}, {"at_s": 25, "for_s": 5, "do": "quay", "rank": 9}]
    assert stretches(manual=manual, calls=calls, idle=None) == [
        (0, 5, "none", None),
        (5, 10, "call", "gate"),
        (10, 30, "manual", "Ada"),
        (30, 100, "none", None),
    ]
    assert dropped(manual=manual, calls=calls) == [("quay", 25)]


def test_of_two_hands_the_greater_rank_holds_and_the_other_again_for_what_is_left() -> None:
    manual = [
        {"from_s": 0, "to_s": 50, "who": "guard", "rank": 1},
        {"from_s": 10, "to_s": 15, "who": "chief", "rank": 5},
        {"from_s": 40, "to_s": 55, "who": "second guard", "rank": 1},
    ]
    assert stretches(manual=manual, idle=None) == [
        (0, 10, "manual", "guard"),
        (10, 25, "manual", "chief"),
        (25, 60, "manual", "guard"),
        (60, 65, "manual", "second guard"),
        (65, 100, "none", None),
    ]


def test_a_call_of_greater_rank_replaces_and_equals_are_dropped() -> None:
    calls = [
        {"at_s": 10, "for_s": 40, "do": "gate", "rank": 2},
        {"at_s": 20, "for_s": 5, "do": "quay", "rank": 2},
        {"at_s": 30, "for_s": 5, "do": "fire", "rank": 7},
    ]
    assert stretches(calls=calls, idle=None)[1:3] == [(10, 30, "call", "gate"), (30, 35, "call", "fire")]
    assert dropped(calls=calls) == [("quay", 20)]


def by_the_second(  # noqa: PLR0912 - the words of the rule, one by one
    plan: dict[str, Any],
) -> tuple[list[tuple[str, str | None]], list[tuple[str, float]]]:
    """Second by second, with nothing of the program: whole numbers alone."""
    out, lost = [], []
    call: tuple[dict[str, Any], int] | None = None
    quiet_since = plan["from_s"]
    holder: tuple[int, dict[str, Any]] | None = None
    for t in range(-60, plan["to_s"]):
        hands = [(n, m) for n, m in enumerate(plan["manual"]) if m["from_s"] <= t < m["to_s"] + plan["release_s"]]
        if holder is not None and holder not in hands:
            holder = None
        if hands:
            best = max(m["rank"] for _, m in hands)
            if holder is None or holder[1]["rank"] < best:
                top = [each for each in hands if each[1]["rank"] == best]
                holder = min(top, key=lambda each: (each[1]["from_s"], each[0]))
        if call is not None and t >= call[1]:
            call = None
        for each in plan["calls"]:
            if each["at_s"] != t:
                continue
            if holder is not None or (call is not None and each["rank"] <= call[0]["rank"]):
                lost.append((each["do"], t))
            else:
                call = (each, t + each["for_s"])
        if holder is not None:
            call = None
        row = next((each for each in plan["timetable"] if each["from_s"] <= t < each["to_s"]), None)
        if holder is not None:
            now = ("manual", holder[1]["who"])
        elif call is not None:
            now = ("call", call[0]["do"])
        elif row is not None:
            now = ("timetable", row["do"])
        elif plan["idle"] is not None and t >= max(quiet_since, plan["from_s"]) + plan["idle_after_s"]:
            now = ("idle", plan["idle"])
        else:
            now = ("none", None)
        if now[0] in ("manual", "call", "timetable"):
            quiet_since = t + 1
        if t >= plan["from_s"]:
            out.append(now)
    return out, [each for each in lost if each[1] >= plan["from_s"]]


@pytest.mark.parametrize("seed", range(60))
def test_random_plans_are_what_the_words_say(seed: int) -> None:
    rng = np.random.default_rng(seed)

    def times(most: int) -> tuple[int, int]:
        start = int(rng.integers(-40, 110))
        return start, start + int(rng.integers(1, most))

    rows, at = [], -30
    for n in range(int(rng.integers(0, 4))):
        at += int(rng.integers(1, 25))
        rows.append({"from_s": at, "to_s": at + int(rng.integers(1, 25)), "do": f"round {n}"})
        at = rows[-1]["to_s"]
    manual = [
        dict(zip(("from_s", "to_s"), times(20), strict=True)) | {"who": f"m{n}", "rank": int(rng.integers(1, 4))}
        for n in range(int(rng.integers(0, 5)))
    ]
    calls = [
        {
            "at_s": int(rng.integers(-40, 110)),
            "for_s": int(rng.integers(1, 30)),
            "do": f"c{n}",
            "rank": int(rng.integers(1, 4)),
        }
        for n in range(int(rng.integers(0, 10)))
    ]
    plan = BASE | {
        "release_s": int(rng.integers(0, 8)),
        "idle_after_s": int(rng.integers(0, 15)),
        "timetable": rows,
        "manual": manual,
        "calls": calls,
    }
    found = duty(read_model(Plan, plan, where="D"))
    seconds = [(each.by, each.do) for each in found.stretches for _ in range(int(each.to_s - each.from_s))]
    expected, lost = by_the_second(plan)
    assert seconds == expected
    assert [(each.dropped, each.at_s) for each in found.dropped] == lost
    assert all(one[2:] != other[2:] for one, other in zip(found.stretches, found.stretches[1:], strict=False))


def test_what_makes_no_sense_is_refused() -> None:
    for wrong, said in (
        ({"to_s": 0}, "not after"),
        ({"release_s": -1}, "release_s"),
        ({"timetable": [{"from_s": 0, "to_s": 9, "do": "a"}, {"from_s": 5, "to_s": 12, "do": "b"}]}, "overlap"),
        ({"calls": [{"at_s": 1, "for_s": 0, "do": "a", "rank": 1}]}, "for_s"),
        ({"manual": [{"from_s": 9, "to_s": 3, "who": "a", "rank": 1}]}, "before"),
    ):
        with pytest.raises(Refused, match=said):
            stretches(**wrong)


def test_as_a_command(tmp_path: Path) -> None:
    path = tmp_path / "D.json"
    manual = [{"from_s": 10, "to_s": 20, "who": "Ada", "rank": 1}]
    path.write_text(json.dumps(BASE | {"manual": manual, "calls": [{"at_s": 12, "for_s": 5, "do": "gate", "rank": 1}]}))
    lines = [json.loads(each) for each in lantern("duty", "--plan", path).stdout.splitlines()]
    assert lines[1] == {"from_s": 10, "to_s": 30, "by": "manual", "do": "Ada"}
    assert (lines[-1]["dropped"], lines[-1]["at_s"]) == ("gate", 12)
    assert "Ada holds it" in lines[-1]["because"]
