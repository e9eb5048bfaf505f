"""A live detector of a radar: the same decision as on takes, moment by moment."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import Any

import numpy as np

from lantern.core.decide import Change
from lantern.core.radar.approach import Approach
from lantern.core.radar.kind import RadarKind
from lantern.core.radar.onlooker import Onlooker
from lantern.core.radar.regions import EQUAL, RadarDetector, RadarRegion, check_shapes, inside
from lantern.core.radar.returns import Return
from lantern.core.radar.tracking.dials import Tracking
from lantern.core.radar.tracking.tracker import Tracker
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.watch import AnySample, AnyWatch, Sample, Standing, Turn, Watch

FORGET_S = 60.0  # after so long without a return, and its re-arm time, a target is let go


class RadarWatch(Watch[Sequence[Return]]):
    """A sample is all targets that the radar sees at one moment."""

    detector: RadarDetector
    kind: RadarKind

    def __init__(self, detector: RadarDetector, kind: RadarKind, facts: Mapping[str, Any]) -> None:
        super().__init__(detector, kind)
        check_shapes(detector)
        self.dials = kind.read_dials(detector)
        self.seen_s: dict[str, float] = {}  # when each target was last seen, of those of a size that counts
        self.ways: dict[str, dict[str, Approach]] = {_name(region): {} for region in detector.watched}
        self.nearest: Return | None = None
        self.seen_last: float | None = None  # when it last looked
        self.onlooker = None if detector.beside is None else Onlooker(detector.beside, facts["around"])
        self.tracker = Tracker(detector.tracking or Tracking(), detector.clutter, facts.get("noise_cells"))

    def step(self, sample: Sample[Sequence[Return]], interval_s: float) -> Iterator[Turn]:
        yield from self._lost(sample.t)
        value, self.seen_last = sample.value, sample.t
        if self.tracker.tracks or any(not each.target for each in value):
            value, _ = self.tracker.step(sample.t, value)  # bare detections
        self.nearest = min(value, key=lambda each: each.range_m, default=None)
        passes = [True] * len(value) if self.onlooker is None else self.onlooker.passing(sample.t, value).tolist()
        for seen, may in zip(value, passes, strict=True):
            if self._counts(seen):
                self.seen_s[seen.target] = sample.t
                for region in self.detector.watched:
                    yield from self._taken(region, seen, sample.t, passes=may)

    def accompany(self, code: str, t: float, sample: AnySample) -> Iterator[Turn]:
        """Nothing comes of it until the next scan."""
        if self.onlooker is not None and sample.signal == "tracks":
            self.onlooker.take(t, sample.value)
        yield from ()

    def _counts(self, seen: Return) -> bool:
        low, high = self.dials.min_rcs_dbsm, self.dials.max_rcs_dbsm
        return (low is None or seen.rcs_dbsm >= low - EQUAL) and (high is None or seen.rcs_dbsm <= high + EQUAL)

    def _taken(self, region: RadarRegion | None, seen: Return, t: float, *, passes: bool) -> Iterator[Turn]:
        name = _name(region)
        own = self.ways[name].setdefault(seen.target, Approach())
        away, bearing = np.array([seen.range_m]), np.array([seen.azimuth_deg])
        there = bool(inside(region, away, bearing, lambda: (np.array([seen.place[0]]), np.array([seen.place[1]])))[0])
        for what in own.take(t, seen, self.dials, there=there, passes=passes):
            change = Change("raise", t) if what == "raise" else Change("clear", t, "reading")
            why: dict[str, Any] = {
                "device_t": t,
                "way_m": own.way_m,
                "range_m": seen.range_m,
                "radial_speed_mps": seen.speed_mps,
            }
            if self.onlooker is not None and what == "raise":
                why["beside"] = self.onlooker.beside.said(known=self.onlooker.knows(t))
            yield Turn(name, (change,), None, own.way_m, why, seen.target, own.direction or None)

    def _lost(self, t: float) -> Iterator[Turn]:
        """Those who were not seen for longer than the gap begin anew; what they had raised is over since they were last seen."""
        for target in [name for name, last in self.seen_s.items() if t - last > self.dials.gap_s + TIME_TOLERANCE_S]:
            last = self.seen_s[target]
            for name, own in self.ways.items():
                approach = own.get(target)
                if approach is not None and approach.end():
                    yield Turn(name, (Change("clear", last, "lost"),), None, 0.0, {"device_t": t}, target)
            if t - last > self.dials.rearm_s + FORGET_S:
                del self.seen_s[target]
                for own in self.ways.values():
                    own.pop(target, None)

    def resume(self, remembered: Mapping[str, dict[str, Any]], outdated: Collection[str]) -> bool:
        """Targets begin anew, for a radar numbers them anew."""
        return False

    def inherit(self, held: AnyWatch) -> None:
        if isinstance(held, RadarWatch):
            self.seen_s, self.ways = held.seen_s, held.ways
            if held.tracker.dials == self.tracker.dials:
                self.tracker.inherit(held.tracker)
            if self.onlooker is not None and held.onlooker is not None:
                self.onlooker.inherit(held.onlooker)

    def shift(self, seconds: float) -> None:
        self.seen_s = {}
        self.ways = {name: {} for name in self.ways}
        self.tracker.forget()
        if self.onlooker is not None:
            self.onlooker.forget()

    def standing(self, *, trouble: str = "") -> Standing:
        ways = {
            name: max((each.way_m for each in own.values() if math.isfinite(each.way_m)), default=0.0)
            for name, own in self.ways.items()
        }
        raised = {name: any(each.raised for each in own.values()) for name, own in self.ways.items()}
        states = {
            name: ("unknown", trouble) if trouble else ("raised" if on else "clear", "") for name, on in raised.items()
        }
        also: dict[str, Any] = {}
        if self.nearest is not None:
            also = {"nearest": [self.nearest.target, self.nearest.range_m, self.nearest.speed_mps]}
        if self.onlooker is not None:
            away = "" if self.seen_last is None or self.onlooker.knows(self.seen_last) else "away: the radar by itself"
            also["beside"] = [self.onlooker.beside.device, self.onlooker.missing or away]
        return Standing(readings=ways, unit="m", states=states, level=self.dials.distance_m, also=also)


def _name(region: RadarRegion | None) -> str:
    return "" if region is None else region.name
