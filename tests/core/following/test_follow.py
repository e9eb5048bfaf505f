"""A head that follows: where it looks, whom it keeps and loses and why, what each dial changes; on takes and live the same."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest

from checks import check
from core.following.walks import HEAD, line, standing, subject, tracks
from lantern.core.faults import Refused
from lantern.core.following.dials import FollowDials
from lantern.core.following.follower import Follower, Place, Target
from lantern.core.following.simulation import STEP_S
from lantern.core.following.subject import FollowSubject
from lantern.core.following.turning import Turning
from lantern.core.kinds import detector_of, judge, watch
from lantern.core.ptz.head import Head
from lantern.core.ptz.pictured import in_picture
from lantern.core.ptz.pointing import Direction, towards
from lantern.core.scoring.marks import Mark
from lantern.core.smoothing import kalata
from lantern.core.tracks import Seen
from lantern.core.watch import Aim, Sample


def told(on: FollowSubject) -> list[tuple[Any, float, float | None, str]]:
    return [(e.object, e.raised_s, e.cleared_s, e.cleared_by) for e in on.events()]


def test_the_head_turns_as_the_formula_says() -> None:
    """From rest to rest in theta / omega + omega / alpha, or 2 sqrt(theta / alpha) (H12), within two steps."""
    given, expected = check("H12")
    head = Head.model_validate(
        HEAD | {"speed_deg_s": given["w_deg_s"], "acceleration_deg_s2": given["a_deg_s2"], "latency_s": 0}
    )
    for theta, takes_s in zip(given["theta_deg"], expected.expected, strict=True):
        turning, t = Turning(head, 0.0, 10.0), 0.0
        turning.command(0.0, theta, 10.0, 1.0)
        while abs(turning.pan_deg - theta) > 0.2 and t < 5:
            t = round(t + 0.02, 6)
            turning.advance(t, 0.02)
        assert t == pytest.approx(takes_s, abs=0.12)
        assert turning.pan_deg <= theta + 0.2


def test_it_looks_to_where_the_target_will_be_once_it_has_turned_there() -> None:
    """The fixed point of the slew (H16)."""
    given, expected = check("H16")
    head = Head.model_validate(
        HEAD
        | {
            "speed_deg_s": given["w_deg_s"],
            "acceleration_deg_s2": given["a_deg_s2"],
            "latency_s": given["L_s"],
            "settle_s": 0.0,
        }
        | {"height_m": 0.9}
    )
    follower = Follower(head, FollowDials(), Direction(0.0, 0.0))
    (x, y), (vx, vy) = given["p0_m"], given["v_m_s"]
    target = Target("a", x, y, 0.0, 0.0, "", may=True, vx=vx, vy=vy)
    to, ahead_s = follower._ahead(0.0, target, Aim(0.0, 0.0, 1.0))
    assert [ahead_s, to.pan_deg] == pytest.approx(expected.expected, abs=0.01)


def test_a_smoothed_place_lags_behind_an_acceleration_as_it_must() -> None:
    """a T^2 (1 - alpha) / beta in the steady state (H11's formula, with the gains that are used)."""
    dials = FollowDials(manoeuvre_mps2=2.0, place_error_m=0.3)
    follower = Follower(Head.model_validate(HEAD), dials, Direction(0.0, 0.0))
    for n in range(400):
        t = n / 10
        follower.take(round(t, 6), [Place("a", t * t, 20.0)], Aim(0.0, 0.0, 1.0))
    gains = kalata(2.0 * 0.01 / 0.3)
    assert 39.9**2 - follower.known["a"].x == pytest.approx(2.0 * 0.01 * (1 - gains.alpha) / gains.beta, rel=1e-3)


def test_the_picture_is_where_a_rotation_says() -> None:
    """By scipy's rotations: the axis turned by pan about the vertical and by tilt about its own right."""
    from scipy.spatial.transform import Rotation

    rng, head = np.random.default_rng(5), Head.model_validate(HEAD)
    looks = np.column_stack((rng.uniform(0, 360, 300), rng.uniform(-20, 89, 300), np.ones(300)))
    places = np.column_stack((rng.uniform(-40, 40, (300, 2)), rng.uniform(0, 3, 300)))
    wide, high = (np.full(300, math.tan(math.radians(half))) for half in (20, 12))
    found, away = in_picture(head, looks, places, wide, high)
    for (pan, tilt, _), place, inside, distance in zip(looks, places, found, away, strict=True):
        turn = Rotation.from_euler(
            "xz", [-tilt, -pan], degrees=True
        )  # of east, north, up: about its right, then about up
        right, ahead, up = turn.inv().apply(place - (0, 0, 6.0))
        expected = ahead > 0 and abs(right / ahead) <= wide[0] and abs(up / ahead) <= high[0]
        assert inside == expected
        assert distance == pytest.approx(np.linalg.norm(place - (0, 0, 6.0)))


def test_a_walker_stays_in_the_picture_at_the_share_that_is_asked_for() -> None:
    on = subject(
        [line(10, -20, 30, 20, 30, 1.4)], dials={"share_percent": 30.0, "arrive": "zoomed", "afterwards": "stay"}
    )
    [(who, begins, ends, by)] = told(on)
    assert (who, begins, by) == (0, 10.0, "lost")
    assert ends == pytest.approx(10 + 40 / 1.4 + 2.0, abs=0.2)
    measured = on.measured
    assert measured.in_percent > 95
    assert (measured.lost_from_picture, measured.never_seen) == (0, 0)
    assert measured.target_px == pytest.approx(0.3 * 720, rel=0.02)  # 30 % of 720 rows
    assert on.events()[0].peak > 0.95


def test_who_passes_too_near_is_lost_for_the_head_is_too_slow() -> None:
    """4 m/s at 6 m asks for v / r = 38 degrees a second (H07's formula); this head turns 30."""
    on = subject(
        [line(5, -30, 6, 30, 6, 4.0)],
        head={"speed_deg_s": 30.0},
        dials={"zoom_by": "ratio", "ratio": 3.0, "arrive": "zoomed"},
    )
    assert on.measured.lost_from_picture >= 1
    said = " ".join(on.remarks(on.events()[0]))
    rate = [float(word.split("°/s")[0]) for word in said.split() if "°/s" in word]
    assert "the head turns 30" in said
    assert max(rate) <= math.degrees(4.0 / 6.0) + 1
    faster = subject(
        [line(5, -30, 6, 30, 6, 4.0)],
        head={"speed_deg_s": 120.0},
        dials={"zoom_by": "ratio", "ratio": 3.0, "arrive": "zoomed"},
    )
    assert faster.measured.lost_from_picture == 0


def test_it_follows_no_longer_than_its_cap_and_leaves_it_alone_for_a_while() -> None:
    on = subject([standing(10, 20, 5, 100)], dials={"cap_s": 20.0, "again_s": 15.0, "lost_s": 2.0})
    assert told(on) == [(0, 5.0, 25.0, "time"), (0, 40.0, 60.0, "time"), (0, 75.0, 95.0, "time")]


def test_one_that_is_still_there_at_the_end_is_followed_to_the_end() -> None:
    on = subject([standing(10, 20, 100, 120)], dials={"cap_s": None})
    assert told(on) == [(0, 100.0, None, "end")]


def test_it_switches_to_one_that_is_better_by_far_and_not_at_once() -> None:
    ways = [standing(0, 40, 5, 100), standing(0, 30, 7, 100)]
    dials = {"cap_s": None, "dwell_s": 6.0, "switch_gain": 1.3}
    assert told(subject(ways, dials=dials)) == [(0, 5.0, 11.0, "switched"), (1, 11.0, 102.0, "lost")]
    assert told(subject(ways, dials=dials | {"switch_gain": 1.4}))[0] == (0, 5.0, 102.0, "lost")
    assert told(subject(ways, dials=dials | {"switch_gain": None}))[0] == (0, 5.0, 102.0, "lost")


def test_beyond_its_limits_and_in_what_is_masked_nobody_is_followed() -> None:
    walk = [line(0, -30, 30, 30, 30, 1.0)]
    limited = told(subject(walk, head={"limits": {"pan": [0, 90], "tilt": [-10, 90]}}, dials={"cap_s": None}))
    assert [(who, by) for who, _, _, by in limited] == [(0, "lost")]
    assert limited[0][1] == pytest.approx(30.0, abs=0.3)  # due north of it
    back = told(subject(walk, head={"limits": {"pan": [-90, 0], "tilt": [-10, 90]}}, dials={"cap_s": None}))
    assert [(who, by) for who, _, _, by in back] == [(0, "limit")]
    mask = {"name": "street", "shape": "box", "points": [[-40, 20], [0, 40]], "role": "mask"}
    masked = subject(walk, regions=[mask], dials={"cap_s": None})
    assert told(masked)[0][1] == pytest.approx(30.0, abs=0.3)
    gate = {"name": "gate", "shape": "polygon", "points": [[-5, 20], [5, 20], [5, 40], [-5, 40]]}
    assert subject(walk, regions=[gate], dials={"cap_s": None}).events()[0].region == "gate"
    with pytest.raises(Refused, match="a polygon or box"):
        subject(walk, regions=[{"name": "l", "shape": "line", "points": [[0, 0], [1, 1]]}])


def test_one_whom_nobody_followed_says_whom_the_head_followed() -> None:
    ways = [standing(0, 20, 5, 60), standing(60, 0, 10, 40)]
    on = subject(ways, dials={"cap_s": None, "zoom_by": "ratio", "ratio": 6.0})
    assert on.measured.never_seen == 1
    reason = on.why_silent(Mark(12, 30, "expect"))
    assert reason.code == "not_followed"
    assert "1 was never followed: the head followed 0" in reason.text
    assert on.why_silent(Mark(100, 110, "expect")).code == "no_data"


def test_a_strip_has_what_each_value_would_bring() -> None:
    on = subject([line(5, -30, 25, 30, 25, 2.0), line(50, 30, 40, -30, 40, 1.5)])
    rows = on.sweep("share_percent", [], low=10, high=90, step=40)
    heights = [row.result.target_px for row in rows]
    assert heights == sorted(heights)
    assert [row.value for row in rows] == [10, 50, 90]
    plain = on.with_dials(share_percent=50.0).measured
    assert rows[1].result == plain


def test_without_a_head_a_file_says_where_it_is_taken_to_stand() -> None:
    found = judge(detector_of({"name": "f", "kind": "follow"}), "plan-tracks", tracks([standing(10, 20, 5, 60)]))
    assert "taken to stand at 0, 0" in found.cautions()[0]
    assert [e.object for e in found.events()] == [0]


def test_live_is_what_the_take_said_if_the_head_answers_the_same() -> None:
    rng = np.random.default_rng(8)
    for _ in range(5):
        ways = [
            line(float(rng.uniform(0, 80)), *(float(v) for v in rng.uniform(-40, 40, 4)), float(rng.uniform(0.8, 4)))
            for _ in range(6)
        ]
        dials = {"cap_s": float(rng.uniform(5, 40)), "dwell_s": 2.0, "lost_s": 1.5}
        on = subject(ways, dials=dials)
        live = watch(on.detector, {})
        head = Turning(on.head, *on.ground.rest)
        by_step: dict[int, list[Seen]] = {}
        for row, t in enumerate(on.ground.tracks.t_s.tolist()):
            at = tuple(on.ground.tracks.box[row].tolist())
            by_step.setdefault(round(t / STEP_S), []).append(Seen(int(on.ground.tracks.object[row]), at))
        raised: list[tuple[str, str, float, str | None]] = []
        for step in range(round(on.length_s / STEP_S) + 1):
            t = round(step * STEP_S, 6)
            head.advance(t, STEP_S)
            live.looks(Aim(head.pan_deg, head.tilt_deg, head.zoom))
            for turn in live.step(Sample("plan-tracks", t, by_step.get(step, [])), STEP_S):
                raised += [(change.what, str(turn.object), change.t, change.cleared_by) for change in turn.changes]
            wanted = live.wanted()
            if wanted is not None:
                head.command(t, *wanted)
        expected = []
        for who, begins, ends, by in told(on):
            expected.append(("raise", str(who), begins, None))
            expected += [] if ends is None else [("clear", str(who), ends, by)]
        assert sorted(raised, key=str) == sorted(expected, key=str)
        assert towards(on.head, (1.0, 1.0, 0.0)).pan_deg == pytest.approx(45.0)
