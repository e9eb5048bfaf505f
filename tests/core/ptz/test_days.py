"""What places get of a head: by hand, against the handbook's cycle, and against a loop that goes second by second."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from checks import check
from lantern.core.faults import Refused
from lantern.core.modelled import read_model
from lantern.core.optics.coverage import Wall
from lantern.core.ptz.days import Asked, Day, Site, day_of, made_up
from lantern.core.ptz.duty import Entry, Manual
from lantern.core.ptz.gaps import DIALS, Spot, cures, got, px_per_m, who_had_it
from lantern.core.ptz.head import Head
from lantern.core.ptz.pointing import Direction, slew_s, towards
from lantern.core.ptz.rounds import Sheet, cycle_s, findings, steps_of
from lantern.core.watch import Aim

HEAD = Head(
    x_m=0, y_m=0, height_m=8, speed_deg_s=100, acceleration_deg_s2=200, settle_s=0.5, fov_wide_deg=28, zoom_max=30
)
SPOTS = {1: Spot("gate", 0, 40), 2: Spot("tank", 40, 0), 3: Spot("shed", -40, -5)}
LOOKS = {number: Aim(*towards(HEAD, (spot.x_m, spot.y_m, spot.up_m)), 3.0) for number, spot in SPOTS.items()}
SITE = Site(HEAD, LOOKS[1], LOOKS)
FRAME = (1280, 720)


def sheet(*stops: tuple[int, float], **more: Any) -> Sheet:
    held = {"name": "night", "stops": [{"preset": number, "stay_s": stay} for number, stay in stops]}
    return read_model(Sheet, {"rounds": [held] if stops else [], "idle": "night", "idle_after_s": 0} | more, where="s")


def day(held: Sheet, to_s: float, calls: Any = (), manual: Any = (), hours: Any = ()) -> Day:
    return day_of(held, SITE, hours, calls, manual, from_s=0, to_s=to_s)


def gained(found: Day) -> dict[str, Any]:
    spots = list(SPOTS.values())
    return {each.name: each for each in got(found, spots, px_per_m(spots, found.aims, HEAD, FRAME, ()))}


def test_a_cycle_is_its_stays_and_its_ways_and_the_worst_gap_all_but_its_own_stay() -> None:
    """H13 of the handbook table in the design's checks, by its formula; here with the ways of this head."""
    held = sheet((1, 20), (2, 20), (3, 30))
    steps = steps_of(held, "night", LOOKS, HEAD)
    ways = [slew_s(HEAD, Direction(*LOOKS[a][:2]), Direction(*LOOKS[b][:2])) for a, b in ((3, 1), (1, 2), (2, 3))]
    assert cycle_s(steps) == pytest.approx(70 + sum(ways))
    found = gained(day(held, 1000))
    assert found["tank"].longest_s == pytest.approx(cycle_s(steps) - 20)
    assert found["gate"].longest_s == pytest.approx(cycle_s(steps) - 20)
    assert found["gate"].share == pytest.approx(20 / cycle_s(steps), abs=0.02)


def test_h13_itself() -> None:
    given_, expected = check("H13")
    stays, moves, settle = (given_[key] for key in ("dwell_s", "move_s", "settle_s"))
    # the same through the program: steps that take as long
    steps = [step._replace(stay_s=stay, go_s=move + settle)
             for step, stay, move in zip(steps_of(sheet((1, 1), (2, 1), (3, 1)), "night", LOOKS, HEAD), stays, moves, strict=True)]  # fmt: skip
    assert [cycle_s(steps), cycle_s(steps) - stays[0]] == pytest.approx(expected)


def test_a_follow_that_lasts_starves_the_round_and_a_cap_gives_it_back() -> None:
    away = Aim(200.0, 10.0, 5.0)
    call = Asked(100.0, 300.0, "visitors", 6, ((0.0, away),))
    held = sheet((1, 10), (2, 10))
    long = gained(day(held, 1000, [call]))["gate"]
    assert long.longest_s > 300
    assert long.from_s <= 100
    assert long.to_s >= 400
    assert who_had_it(day(held, 1000, [call]), long.from_s, long.to_s)["call"] == pytest.approx(300)
    capped = gained(day(held.model_copy(update={"call_most_s": 30.0}), 1000, [call]))["gate"]
    assert 30 < capped.longest_s < 60
    strip = [
        (value, gained(day(DIALS["call_most_s"].change(held, value), 1000, [call]))["gate"].longest_s)
        for value in DIALS["call_most_s"].values
    ]
    [cure] = cures({"call_most_s": strip}, held, 100.0)
    assert cure.dial == "call_most_s"
    assert [value for value, gap in strip if gap <= 100][-1] == cure.value  # the longest that keeps it
    assert cure.longest_s <= 100


def test_a_round_goes_on_where_it_was_taken_from() -> None:
    """Taken at 15 s, at its second stop: it goes on there, and not at the first again."""
    held = sheet((1, 10), (2, 10), (3, 10))
    found = day(held, 100, [Asked(15.0, 20.0, "c", 6, ((0.0, Aim(180.0, 10.0, 1.0)),))])
    after = found.aims[found.look[found.began_s > 35][0]]
    assert after.tolist() == pytest.approx(list(LOOKS[2]))


def test_by_hand_nobody_knows_where_it_looks_and_a_call_is_dropped() -> None:
    found = day(
        sheet((1, 10)),
        200,
        [Asked(50.0, 20.0, "c", 6, ((0.0, LOOKS[1]),))],
        [Manual(from_s=40, to_s=60, who="Ola", rank=5)],
    )
    assert gained(found)["gate"].longest_s == pytest.approx(
        40 + 0.5, abs=0.6
    )  # 20 s by hand and 20 s until it is let go
    assert [(each.at_s, each.because) for each in found.dropped] == [(50.0, "Ola holds it by hand")]


def test_walls_hide_and_the_picture_ends() -> None:
    spots = list(SPOTS.values())
    aims = np.array([LOOKS[1]])
    assert px_per_m(spots, aims, HEAD, FRAME, ())[0].tolist() == [pytest.approx(px(LOOKS[1], spots[0])), 0, 0]
    wall = Wall(((-5.0, 30.0), (5.0, 30.0)), 6.0)
    assert px_per_m(spots, aims, HEAD, FRAME, (wall,))[0, 0] == 0


def px(look: Aim, spot: Spot) -> float:
    """By the pinhole: half the rows over the tangent of half the field, a metre that far away."""
    tangent = np.tan(np.radians(28) / 2) / look.zoom
    return float(360 / tangent / np.sqrt(spot.x_m**2 + spot.y_m**2 + (8 - spot.up_m) ** 2))


@pytest.mark.parametrize(
    ("document", "told"),
    [
        ({"rounds": [{"name": "a", "stops": [{"preset": 9}]}]}, "there is no preset 9"),
        ({"rounds": [{"name": "a", "way": "chain", "rounds": ["a"]}]}, "leads back to itself"),
        ({"rounds": [{"name": "a", "stops": [{"preset": 1, "stay_s": 2}]}]}, "shorter than analytics take"),
        ({"rounds": [], "idle": "preset 7"}, "there is no preset 7"),
    ],
)
def test_findings(document: dict[str, Any], told: str) -> None:
    assert any(told in line for line in findings(read_model(Sheet, document, where="s"), LOOKS, HEAD))


@pytest.mark.parametrize(
    "document",
    [
        {"rounds": [{"name": "a"}]},
        {"rounds": [{"name": "a", "way": "to_and_fro", "stops": [{"preset": 1}]}]},
        {"rounds": [{"name": "a", "stops": [{"preset": 1}]}, {"name": "a", "stops": [{"preset": 1}]}]},
        {"rounds": [{"name": "a", "way": "driven", "driven": [[1, 0, 0, 1], [1, 5, 0, 1]]}]},
    ],
)
def test_rounds_that_are_none_are_refused(document: dict[str, Any]) -> None:
    with pytest.raises(Refused):
        read_model(Sheet, document, where="s")


def test_to_and_fro_a_chain_a_sweep_and_a_driven_way() -> None:
    rounds = [
        {"name": "fro", "way": "to_and_fro", "stops": [{"preset": 1}, {"preset": 2}, {"preset": 3}]},
        {
            "name": "swept",
            "way": "sweep",
            "sweep": {"pan_from_deg": 350, "pan_to_deg": 10, "tilt_deg": 12, "speed_deg_s": 4},
        },
        {"name": "both", "way": "chain", "rounds": ["fro", "swept"]},
        {"name": "driven", "way": "driven", "driven": [[0, 0, 10, 1], [2, 30, 10, 1], [5, 60, 12, 2]]},
    ]
    held = read_model(Sheet, {"rounds": rounds}, where="s")
    names = [step.name for step in steps_of(held, "fro", LOOKS, HEAD)]
    assert names == ["preset 1", "preset 2", "preset 3", "preset 2"]
    swept = steps_of(held, "swept", LOOKS, HEAD)
    assert cycle_s(swept) == pytest.approx(2 * 20 / 4)
    assert {step.aim.tilt_deg for step in swept} == {12}
    assert len(steps_of(held, "both", LOOKS, HEAD)) == 4 + len(swept)
    assert [step.stay_s for step in steps_of(held, "driven", LOOKS, HEAD)] == [2, 3]


CALLS = st.lists(st.tuples(st.integers(0, 590), st.integers(1, 90), st.integers(1, 10)), max_size=6)
HOLDS = st.lists(st.tuples(st.integers(0, 590), st.integers(0, 40), st.integers(4, 6)), max_size=2)


@settings(max_examples=60, deadline=None)
@given(CALLS, HOLDS, st.sampled_from([None, 20.0]), st.integers(0, 30))
def test_gaps_are_those_that_a_loop_in_tenths_of_a_second_finds(
    calls: list[tuple[int, int, int]], holds: list[tuple[int, int, int]], call_most_s: float | None, release_s: int
) -> None:
    """The loop looks up who has it, and walks the round step by step; it shares nothing with the tables of looks."""
    held = sheet((1, 7), (2, 11), call_most_s=call_most_s, release_s=release_s)
    asked = [Asked(float(at), float(length), "c", rank, ((0.0, Aim(200.0, 10.0, 1.0)),)) for at, length, rank in calls]
    manual = [Manual(from_s=at, to_s=at + length, who="Ola", rank=rank) for at, length, rank in holds]
    found = day(held, 600, asked, manual)
    assume(min(np.subtract(found.ended_s, found.began_s), default=1.0) > 0.1)  # what is shorter falls between its steps
    steps = steps_of(held, "night", LOOKS, HEAD)
    last, at, where, seen = LOOKS[1], 0, "", np.zeros(6000, dtype=bool)
    arrives = leaves = 0.0
    for tick in range(6000):
        t = tick / 10
        now = next(each for each in found.stretches if each.from_s <= t + 1e-6 < each.to_s)
        key = f"{now.by} {now.from_s}"
        if now.by in ("manual", "call"):
            if now.by == "call":
                last = Aim(200.0, 10.0, 1.0)
            if where.startswith("idle") and leaves <= now.from_s + 1e-6:
                at = (at + 1) % 2
            where = key
            continue
        if key != where:
            go = slew_s(HEAD, Direction(*last[:2]), Direction(*steps[at].aim[:2])) if last != steps[at].aim else 0.0
            arrives, where = now.from_s + go, key
            leaves = arrives + steps[at].stay_s
        while t + 1e-6 >= leaves:
            at = (at + 1) % 2
            arrives = leaves + steps[at].go_s
            leaves = arrives + steps[at].stay_s
        if t + 1e-6 >= arrives:
            last = steps[at].aim
        seen[tick] = arrives <= t + 1e-6 and at == 0
    gap = best = 0
    for each in seen.tolist():
        gap = 0 if each else gap + 1
        best = max(best, gap)
    assert gained(found)["gate"].longest_s == pytest.approx(best / 10, abs=0.35)


def test_a_made_up_day_has_so_many_calls_and_is_the_same_each_time() -> None:
    courses = [((0.0, LOOKS[1]),), ((0.0, LOOKS[2]),)]
    per_hour = [12.0] * 6 + [0.0] * 18
    one, again = (made_up(courses, [10.0, 20.0], per_hour, do="v", rank=6, to_s=86400, seed=3) for _ in range(2))
    assert one == again
    assert 45 < len(one) < 100  # 72 in the mean; beyond three deviations else
    assert max(each.at_s for each in one) < 6 * 3600
    assert made_up([], [], per_hour, do="v", rank=6, to_s=86400, seed=3) == []


def test_hours_have_their_own_round() -> None:
    held = sheet((1, 10), idle=None)
    found = day(held, 100, hours=[Entry(from_s=20, to_s=60, do="night")])
    assert [each.by for each in found.stretches] == ["none", "timetable", "none"]
