"""A detector that follows, held against who moved over the plan on a take: stretches, measures, and why somebody was not seen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from lantern.core.dials import DialInfo, read_dials
from lantern.core.events import Event, in_order
from lantern.core.following.detector import FollowDetector, Ground, check_shapes
from lantern.core.following.dials import FollowDials
from lantern.core.following.measures import GLIMPSE_S, Measured, measured
from lantern.core.following.pictures import Loss
from lantern.core.following.simulation import STEP_S, Followed, Steps, Stretch, simulate, steps_of
from lantern.core.kind import Kind
from lantern.core.ptz.days import Course
from lantern.core.ptz.head import Head
from lantern.core.ptz.pointing import Direction
from lantern.core.ptz.standing import USUAL
from lantern.core.raising import Raising
from lantern.core.reasons import Reason
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.signals import Series
from lantern.core.tracks import Tracks
from lantern.core.tuning.measures import Card, Figures
from lantern.core.tuning.rows import Row
from lantern.core.units import CELSIUS, Scale
from lantern.core.watch import Aim

SHOWN_ZOOM = 12.0


@dataclass(frozen=True)
class FollowSubject(Raising):
    """One detector that follows, its dials, and the ground of one take."""

    detector: FollowDetector
    kind: Kind[FollowDials]
    dials: FollowDials
    ground: Ground

    @property
    def head(self) -> Head:
        return self.detector.head or self.ground.head or USUAL

    @property
    def length_s(self) -> float:
        return self.ground.tracks.length_s

    def with_dials(self, **changes: Any) -> FollowSubject:
        made = replace(self, dials=read_dials(FollowDials, self.dials.model_dump() | changes))
        made.__dict__["places"] = self.places
        return made

    @cached_property
    def places(self) -> Steps:
        """Return who was where, step by step; no dial changes it."""
        return steps_of(self.ground, self.detector)

    @property
    def home(self) -> Direction:
        """Return where it looks while there is nobody."""
        return self.ground.rest if self.detector.home_deg is None else Direction(*self.detector.home_deg)

    def courses(self) -> list[tuple[float, Course]]:
        """Return of each stretch how long it was, and where the head looked meanwhile, second by second."""
        done = self.done
        out = []
        for each in done.stretches:
            first, end = np.searchsorted(done.t_s, (each.from_s - 1e-6, each.until_s - 1e-6))
            rows = range(int(first), int(end), round(1 / STEP_S))
            course = tuple(
                (
                    float(done.t_s[row]) - each.from_s,
                    Aim(*(float(of[row]) for of in (done.pan_deg, done.tilt_deg, done.zoom))),
                )
                for row in rows
            )
            if course:
                out.append((each.until_s - each.from_s, course))
        return out

    @cached_property
    def done(self) -> Followed:
        return simulate(self.ground, self.dials, self.head, self.home, self.places)

    @cached_property
    def _wanted(self) -> np.ndarray:
        return np.array([place.may for place in self.places.places], dtype=np.bool_)

    # ---- what it comes to ----

    @cached_property
    def measured(self) -> Measured:
        return measured(self.done, self._wanted)

    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Any:
        return self.measured

    def card(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Card:  # type: ignore[override]
        """Marks play no part: who was there is known."""
        return Figures(self.yardstick.measures, tuple(self.measured))

    @property
    def sweep_columns(self) -> tuple[str, ...]:
        return Measured._fields

    def events(self) -> list[Event]:
        return in_order([self._event(each) for each in self.done.stretches])

    def _event(self, each: Stretch) -> Event:
        ended = each.by != "end"
        return Event(
            detector=self.detector.name,
            region=each.region,
            raised_s=each.from_s,
            cleared_s=each.until_s if ended else None,
            cleared_by=each.by,
            repeat=False,
            peak=round(each.share, 9),
            object=each.object,
            why={"ended": each.why, "in_picture": round(each.share, 4)},
        )

    def remarks(self, event: Event) -> list[str]:
        """Return how long it was in the picture, and where it was lost from it."""
        lost = [each for each in self.done.losses if each.object == event.object and self._within(event, each.t)]
        return [f"In the picture {100 * event.peak:.0f} % of the time.", *(self.lost_text(each) for each in lost)]

    @staticmethod
    def _within(event: Event, t: float) -> bool:
        return event.raised_s <= t and (event.cleared_s is None or t <= event.cleared_s)

    def lost_text(self, loss: Loss) -> str:
        """Return why somebody was lost from the picture, in words."""
        what = f"{loss.object} left the picture, {loss.away_m:.0f} m away at {loss.speed_mps:.1f} m/s: {loss.needed_deg_s:.0f}°/s"
        if loss.needed_deg_s > self.head.speed_deg_s:
            return f"{what}, the head turns {self.head.speed_deg_s:g}."
        return f"{what} in a picture {loss.field_deg:.1f}° high: it had zoomed in too far."

    # ---- along a dial ----

    def exact_dials(self) -> list[str]:
        return []

    def rows_exact(
        self, dial: str, marks: Sequence[Mark], low: float, high: float, slack: Slack = Slack(), *, whole: bool = False
    ) -> list[Row]:
        raise NotImplementedError  # no dial is exact: what is looked at changes with every value

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        return SHOWN_ZOOM if info.name == "ratio" else 0.0

    # ---- what a reader asks ----

    def why_silent(self, mark: Mark, slack: Slack = Slack(), scale: Scale = CELSIUS) -> Reason:
        """Return what became of whoever was there during a mark: not followed, or not seen."""
        start, end = mark.from_s - slack.early_s, mark.end_s + slack.late_s
        tracks = self.ground.tracks
        there = np.unique(tracks.object[(tracks.t_s >= start - 1e-6) & (tracks.t_s <= end + 1e-6)])
        if not there.size:
            return Reason("no_data", "Nobody was there: no place of anybody came.", {})
        said = [self.fate(int(each)) for each in there.tolist()]
        return min(said, key=lambda each: ORDER.index(each.code))

    def fate(self, target: int) -> Reason:
        """Return what became of a target over its whole life."""
        done, name = self.done, self.ground.tracks.ids[target]
        mine = done.who == target
        figures = {"object": name}
        if not self._wanted[mine].any():
            return Reason("outside", f"{name} never was where anybody is followed.", figures)
        if mine.sum() * STEP_S < GLIMPSE_S:
            return Reason("glimpse", f"{name} was there for {mine.sum() * STEP_S:.1f} s.", figures)
        share = float(done.inside[mine].mean())
        own = [each for each in done.stretches if each.object == name]
        first = done.first_s[target]
        if own:
            seen = f"first seen after {first:.1f} s" if first is not None else "never seen"
            ends = "; ".join(dict.fromkeys(each.why for each in own if each.why))
            text = f"{name} was followed {len(own)} times, in the picture {100 * share:.0f} % of its time, {seen}{'; ' + ends if ends else ''}."
            return Reason("followed", text.replace("followed 1 times", "followed once"), figures | {"share": share})
        begin, end = float(done.t_s[done.at[mine][0]]), float(done.t_s[done.at[mine][-1]])
        others = {str(each.object) for each in done.stretches if each.from_s < end and each.until_s > begin}
        whom = f": the head followed {', '.join(sorted(others))}" if others else ""
        return Reason("not_followed", f"{name} was never followed{whom}.", figures | {"share": share})

    def traces(self) -> Mapping[str, Series]:
        """Return how high the target that is followed stands in the picture, 0 where it is not in it and where nobody is followed."""
        done = self.done
        if not done.t_s.size:
            return {}
        high = np.zeros(round(self.length_s / STEP_S) + 1)
        mine = np.flatnonzero(done.who == done.target[done.at])
        step = np.round(done.t_s[done.at[mine]] / STEP_S).astype(np.intp)
        high[step] = done.height_px[mine]
        return {"target": Series((np.arange(high.size) * STEP_S).astype(np.float64), high, "px", "target")}

    def cautions(self) -> list[str]:
        if self.detector.head is None and self.ground.head is None:
            return ["Nobody says where the head stands and how it turns: it is taken to stand at 0, 0, 6 m high."]
        return []


ORDER = ("not_followed", "followed", "glimpse", "outside", "no_data")


def judge(detector: FollowDetector, kind: Kind[FollowDials], value: Tracks | Ground) -> FollowSubject:
    """Return the detector held against who moved over the plan."""
    check_shapes(detector)
    ground = value if isinstance(value, Ground) else Ground(value, None)
    return FollowSubject(detector, kind, kind.read_dials(detector), ground)
