"""Who is followed, and where the head should look: moment by moment, the same for takes and live.

Places are smoothed by an alpha-beta filter; the head looks to where its target will be once the command counts and it has turned there
(a fixed point: the farther it must turn, the later it comes).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from lantern.core.following.dials import FollowDials
from lantern.core.ptz.head import Head, shortest
from lantern.core.ptz.pointing import Direction, out_of_reach, slew_s, towards
from lantern.core.rule import TIME_TOLERANCE_S, ClearedBy
from lantern.core.smoothing import Gains, kalata
from lantern.core.watch import Aim

ROUNDS = 6  # of the fixed point; five to ten are enough
ZENITH_DEG = 85.0  # beyond it a pan means nothing, and is left as it is
MIDDLE = 0.25  # of the field: within so much of its middle a target is arrived at
LONGEST_STEP_S = 2.0  # a longer pause of a target's places says nothing of its speed


class Place(NamedTuple):
    """Somebody on the plan now; `region`: the watched area, empty: everywhere; `may`: be followed there."""

    name: int | str
    x: float
    y: float
    region: str = ""
    may: bool = True


@dataclass(slots=True)
class Target:
    """Somebody as smoothed; `since_s` it is known, `seen_s` last, `rests_s`: left alone until then."""

    name: int | str
    x: float
    y: float
    since_s: float
    seen_s: float
    region: str
    may: bool
    vx: float = 0.0
    vy: float = 0.0
    rests_s: float = -math.inf


class Turned(NamedTuple):
    """Who began to be followed, or is no more. `why`: in words, why it ended."""

    t: float
    target: Target
    begins: bool
    by: ClearedBy = "end"
    why: str = ""


@dataclass
class Follower:
    """`current`: whom it follows, `since_s` when; None: nobody."""

    head: Head
    dials: FollowDials
    home: Direction
    field_ratio: float = 16 / 9
    current: Target | None = None
    since_s: float = 0.0
    known: dict[int | str, Target] = field(default_factory=dict)
    _said_s: float = -math.inf
    _holds_until_s: float | None = None
    _arrived: bool = False
    _at_home: bool = True
    _gains: dict[float, Gains] = field(default_factory=dict)

    def __post_init__(self) -> None:
        limits = self.head.limits
        self._bounded = limits.pan is not None or limits.tilt[0] > -ZENITH_DEG or limits.tilt[1] < ZENITH_DEG

    def take(self, t: float, places: Sequence[Place], looks: Aim) -> tuple[list[Turned], Aim | None]:
        """One moment: who is where, and where the head looks. Returns who began and ended, and a command, if one is due."""
        for each in places:
            self._smooth(t, each)
        turned = self._decide(t)
        self._forget(t)
        return turned, self._command(t, looks)

    def end(self, t: float) -> list[Turned]:
        """Nothing more comes."""
        return [] if self.current is None else [Turned(t, self.current, begins=False)]

    # ---- who ----

    def _smooth(self, t: float, place: Place) -> None:
        held = self.known.get(place.name)
        if held is None:
            self.known[place.name] = Target(place.name, place.x, place.y, t, t, place.region, place.may)
            return
        dt = t - held.seen_s
        if dt <= TIME_TOLERANCE_S:
            return
        if not self.dials.lead or dt > LONGEST_STEP_S:
            held.x, held.y, held.vx, held.vy = place.x, place.y, 0.0, 0.0
        else:
            alpha, beta = self._gain(dt)
            x, y = held.x + held.vx * dt, held.y + held.vy * dt
            rx, ry = place.x - x, place.y - y
            held.x, held.y = x + alpha * rx, y + alpha * ry
            held.vx, held.vy = held.vx + beta * rx / dt, held.vy + beta * ry / dt
        held.seen_s, held.may = t, place.may
        if place.region:
            held.region = place.region

    def _gain(self, dt: float) -> Gains:
        key = round(dt, 3)
        found = self._gains.get(key)
        if found is None:
            index = self.dials.manoeuvre_mps2 * dt * dt / self.dials.place_error_m
            found = self._gains[key] = kalata(max(index, 1e-4))
        return found

    def _forget(self, t: float) -> None:
        gone = [
            name
            for name, each in self.known.items()
            if t - each.seen_s > self.dials.lost_s and each is not self.current
        ]
        for name in gone:
            if t > self.known[name].rests_s:
                del self.known[name]

    def _decide(self, t: float) -> list[Turned]:
        out: list[Turned] = []
        current = self.current
        if current is not None:
            ended = self._ended(t, current)
            if ended is not None:
                out.append(ended)
                self.current = None
                if ended.by == "time":
                    current.rests_s = t + self.dials.again_s
                self._holds_until_s = t + self.dials.still_s if ended.by == "lost" else t
        if self.current is not None and not self._may_switch(t):
            return out
        better = self._best(t)
        if self.current is not None and better is not None and better is not self.current and self._switches(t, better):
            why = f"{better.name} was better by {self.dials.switch_gain:g} times"
            out.append(Turned(t, self.current, begins=False, by="switched", why=why))
            self.current = None
        if self.current is None and better is not None:
            self.current, self.since_s, self._arrived = better, t, False
            self._said_s = -math.inf
            out.append(Turned(t, better, begins=True))
        return out

    def _ended(self, t: float, current: Target) -> Turned | None:
        dials = self.dials
        if t - current.seen_s >= dials.lost_s - TIME_TOLERANCE_S:
            return Turned(t, current, begins=False, by="lost", why=f"not seen for {dials.lost_s:g} s")
        if dials.cap_s is not None and t - self.since_s >= dials.cap_s - TIME_TOLERANCE_S:
            return Turned(t, current, begins=False, by="time", why=f"followed for {dials.cap_s:g} s, which is the most")
        why = self._out_of_reach(current) if current.may else "it went where nobody is followed"
        return Turned(t, current, begins=False, by="limit", why=why) if why else None

    def _best(self, t: float) -> Target | None:
        fresh = [
            each
            for each in self.known.values()
            if each.may
            and t >= each.rests_s
            and t - each.seen_s < self.dials.lost_s - TIME_TOLERANCE_S
            and not self._out_of_reach(each)
        ]
        return max(fresh, key=lambda each: (self._score(t, each), -each.since_s, str(each.name)), default=None)

    def _out_of_reach(self, each: Target) -> str:
        """Return why the head cannot look there; empty: it can. One without limits can look anywhere."""
        return out_of_reach(self.head, self._towards(each.x, each.y)) if self._bounded else ""

    def _score(self, t: float, each: Target) -> float:
        """How much it is worth to be followed: more than 0."""
        if self.dials.choose == "nearest":
            return 1 / max(math.hypot(each.x - self.head.x_m, each.y - self.head.y_m), 0.1)
        if self.dials.choose == "fastest":
            return 0.05 + math.hypot(each.vx, each.vy)
        since = 1.0 + t - each.since_s
        return since if self.dials.choose == "first" else 1 / since

    def _may_switch(self, t: float) -> bool:
        """Return whether there is anybody else, and it has stayed long enough with whom it follows."""
        stayed = t - self.since_s >= self.dials.dwell_s - TIME_TOLERANCE_S
        return self.dials.switch_gain is not None and stayed and len(self.known) > 1

    def _switches(self, t: float, other: Target) -> bool:
        assert self.current is not None
        assert self.dials.switch_gain is not None
        return self._score(t, other) > self.dials.switch_gain * self._score(t, self.current)

    # ---- where it looks ----

    def _towards(self, x: float, y: float) -> Direction:
        return towards(self.head, (x, y, self.dials.target_height_m / 2))

    def _command(self, t: float, looks: Aim) -> Aim | None:
        if t - self._said_s < self.dials.command_s - TIME_TOLERANCE_S:
            return None
        if self.current is None:
            return self._rest(t, looks)
        self._said_s, self._at_home = t, False
        to, ahead_s = self._ahead(t, self.current, looks)
        away = self._away(self.current.x + self.current.vx * ahead_s, self.current.y + self.current.vy * ahead_s)
        if to.tilt_deg > ZENITH_DEG:
            to = Direction(looks.pan_deg, to.tilt_deg)
        return Aim(to.pan_deg, to.tilt_deg, self._zoom(to, away, looks))

    def _ahead(self, t: float, target: Target, looks: Aim) -> tuple[Direction, float]:
        """Where it will be once the head has turned there."""
        since = t - target.seen_s
        ahead_s = since + (self.head.latency_s if self.dials.lead else 0.0)
        now = Direction(looks.pan_deg, looks.tilt_deg)
        to = self._towards(target.x + target.vx * ahead_s, target.y + target.vy * ahead_s)
        if not self.dials.lead:
            return to, ahead_s
        for _ in range(ROUNDS):
            turn_s = max(slew_s(self.head, now, to) - self.head.settle_s, 0.0)
            later_s = since + self.head.latency_s + turn_s
            to = self._towards(target.x + target.vx * later_s, target.y + target.vy * later_s)
            if abs(later_s - ahead_s) < 0.005:
                break
            ahead_s = later_s
        return to, ahead_s

    def _away(self, x: float, y: float) -> float:
        return math.dist((x, y, self.dials.target_height_m / 2), (self.head.x_m, self.head.y_m, self.head.height_m))

    def _zoom(self, to: Direction, away: float, looks: Aim) -> float:
        wanted = self._wanted_zoom(away)
        if self.dials.arrive == "wide" and not self._arrived:
            half = self.head.field_deg(max(looks.zoom, 1.0)) / 2
            off = max(
                abs(shortest(looks.pan_deg, to.pan_deg)) * math.cos(math.radians(to.tilt_deg)),
                abs(looks.tilt_deg - to.tilt_deg),
            )
            self._arrived = off <= MIDDLE * half * 2
            if not self._arrived:
                return min(wanted, 1.0)
        return wanted

    def _wanted_zoom(self, away: float) -> float:
        dials, tangent = self.dials, math.tan(math.radians(self.head.fov_wide_deg) / 2)
        if dials.zoom_by == "ratio":
            return min(max(dials.ratio, 1.0), self.head.zoom_max)
        wanted = 2 * away * tangent * dials.share_percent / 100 / dials.target_height_m
        return min(max(wanted, 1.0), self.head.zoom_max)

    def _rest(self, t: float, looks: Aim) -> Aim | None:
        """Nobody is there: it holds, and then goes home, if it does."""
        holds = self._holds_until_s is not None and t < self._holds_until_s
        if self._at_home or holds or self.dials.afterwards == "stay":
            return None
        self._at_home, self._said_s = True, t
        return Aim(self.home.pan_deg, self.home.tilt_deg, 1.0)
