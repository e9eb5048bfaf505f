"""A detector of a radar held against the returns of a take: events, score card, sweeps."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, ClassVar

import numpy as np

from lantern.core.dials import DialInfo, read_dials
from lantern.core.events import Event, in_order
from lantern.core.faults import Fault, Refused
from lantern.core.radar.beside import passing
from lantern.core.radar.deciding import Came, came, cleared, raised
from lantern.core.radar.dials import RadarDials
from lantern.core.radar.kind import RadarKind
from lantern.core.radar.life import Life, life_of
from lantern.core.radar.regions import RadarDetector, RadarRegion, check_shapes, inside
from lantern.core.radar.returns import Returns
from lantern.core.radar.runs import Kept, Runs, kept_of, runs_of
from lantern.core.radar.sweeps import rows_along
from lantern.core.radar.tracking.dials import Tracking
from lantern.core.radar.tracking.following import followed
from lantern.core.radar.verdicts import ORDER, of_target
from lantern.core.raising import Raising
from lantern.core.reasons import Reason
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.scoring.marks import judge as judge_raises
from lantern.core.scoring.tally import ALL, SHOWN, Counts, Tally
from lantern.core.signals import Series
from lantern.core.tuning.rows import Row
from lantern.core.units import CELSIUS, Scale
from lantern.core.watching import Bools, Indices

MOST_TRACE = 20_000  # points of a trace; a longer one is thinned
MOST_SHOWN_M = 20.0
RANK = ("hit", "false", "ignored", "none")  # of what became of a target: what is told first


@dataclass(frozen=True)
class RadarSubject(Raising):
    """One detector of a radar, its dials, and the returns of one take. `raw`: as the take has them, before anybody was followed."""

    traces_as: ClassVar[str] = "stems"

    detector: RadarDetector
    kind: RadarKind
    dials: RadarDials
    returns: Returns
    raw: Returns

    @property
    def length_s(self) -> float:
        return self.raw.length_s

    def with_dials(self, **changes: Any) -> RadarSubject:
        return replace(self, dials=read_dials(RadarDials, self.dials.model_dump() | changes))

    @cached_property
    def kept(self) -> Kept:
        return kept_of(self.returns, self.dials)

    def runs(self, region: RadarRegion | None) -> Runs:
        runs = runs_of(self.returns, region, self.dials)
        return runs if self.passes is None else replace(runs, passes=self.passes[self.kept.row[runs.at]])

    @cached_property
    def passes(self) -> Bools | None:
        """(n,): the returns at which a raise may come, by what stands beside the radar; None: anywhere."""
        beside, seen = self.detector.beside, self.returns.sighted
        if beside is None or seen is None:
            return None
        return self.returns.remember(("passes", beside, seen.frame), lambda: passing(self.returns, beside, seen))

    def _target_of(self, runs: Runs) -> Indices:
        """(runs,): whose each run is."""
        out: Indices = self.returns.target[self.kept.row[runs.at[runs.first[:-1]]]]
        return out

    # ---- what it comes to ----

    @cached_property
    def raises(self) -> list[tuple[RadarRegion | None, Runs, Came]]:
        """Return what raises in each region, in order of target and time."""
        out = []
        for region in self.detector.watched:
            runs = self.runs(region)
            t_s = self.kept.t_s[runs.at]
            out += [
                (region, runs, each)
                for each in raised(came(runs, self.dials), self._target_of(runs), t_s, self.dials.rearm_s)
            ]
        return out

    def events(self) -> list[Event]:
        return in_order([self._event(*each) for each in self.raises])

    def _event(self, region: RadarRegion | None, runs: Runs, each: Came) -> Event:
        returns, kept = self.returns, self.kept
        first, here = (int(kept.row[runs.at[at]]) for at in (runs.first[each.run], each.place))
        cleared_s, cleared_by = cleared(self.length_s, kept, runs, each.run, self.dials.gap_s)
        way = float(runs.way_m[each.place])
        return Event(
            detector=self.detector.name,
            region="" if region is None else region.name,
            raised_s=float(returns.t_s[here]),
            cleared_s=cleared_s,
            cleared_by=cleared_by,
            repeat=False,
            peak=way,
            object=returns.ids[int(returns.target[here])],
            direction="in" if returns.range_m[here] < returns.range_m[first] else "out",
            why={
                "way_m": way,
                "lasted_s": float(runs.lasted_s[each.place]),
                "range_m": float(returns.range_m[here]),
                "radial_speed_mps": float(returns.speed_mps[here]),
                "azimuth_deg": float(returns.azimuth_deg[here]),
                "rcs_dbsm": float(returns.rcs_dbsm[here]),
                **self._beside(here),
            },
        )

    def _beside(self, row: int) -> dict[str, str]:
        """What the camera beside it had to do with a raise."""
        beside, seen = self.detector.beside, self.returns.sighted
        if beside is None or seen is None:
            return {}
        known = bool(seen.is_known(self.returns.t_s[row : row + 1])[0])
        return {"beside": beside.said(known=known)}

    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Counts:
        tally = Tally(marks, slack)
        for _, runs, each in self.raises:
            tally.add(float(self.kept.t_s[runs.at[each.place]]))
        return tally.counts()

    # ---- along a dial ----

    def exact_dials(self) -> list[str]:
        return ["distance_m"]

    def rows_exact(
        self, dial: str, marks: Sequence[Mark], low: float, high: float, slack: Slack = Slack(), *, whole: bool = False
    ) -> list[Row]:
        regions = []
        for region in self.detector.watched:
            runs = self.runs(region)
            regions.append((runs, self._target_of(runs), self.kept.t_s[runs.at]))
        compared = ALL if whole else SHOWN
        return rows_along(regions, self.dials, Tally(marks, slack), low=low, high=high, compared=compared)

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        if info.name != "distance_m":
            return 0.0
        far = max(
            (float(runs.way_m.max()) for runs in map(self.runs, self.detector.watched) if runs.way_m.size), default=0.0
        )
        return min(max(far, 1.0), MOST_SHOWN_M)

    # ---- what a reader asks ----

    def why_silent(self, mark: Mark, slack: Slack = Slack(), scale: Scale = CELSIUS) -> Reason:
        """Return the reason of the target that came nearest to a raise during the mark."""
        start, end = mark.from_s - slack.early_s, mark.end_s + slack.late_s
        now = (self.returns.t_s >= start - 1e-6) & (self.returns.t_s <= end + 1e-6)
        if not now.any():
            return Reason("no_data", "The radar saw nothing here.", {})
        said = [
            self._reason(region, now, int(target))
            for region in self.detector.watched
            for target in np.unique(self.returns.target[now])
        ]
        return min(said, key=lambda each: (ORDER.index(each.code), -float(each.figures.get("way_m", 0.0))))

    def _reason(self, region: RadarRegion | None, now: Bools, target: int) -> Reason:
        returns = self.returns
        mine = now & (returns.target == target)
        there = inside(region, returns.range_m, returns.azimuth_deg, lambda: returns.places)
        return of_target(returns, self.kept, self.runs(region), self.dials, mine, there)

    def said_of(self, target: int) -> Reason:
        """Return what became of a target over its whole life: when and how it raised, or why it never did."""
        own = [
            (region, runs, each) for region, runs, each in self.raises if int(self._target_of(runs)[each.run]) == target
        ]
        if own:
            region, runs, each = own[0]
            event = self._event(region, runs, each)
            went = "nearer" if event.direction == "in" else "away"
            speed, lasted = event.why["radial_speed_mps"], event.why["lasted_s"]
            text = f"{event.object} had come {event.peak:.1f} m, {went}, {lasted:.1f} s after its run began, at {speed:+.1f} m/s: it raised."
            return Reason("raised", text, {"object": event.object, "raised_s": event.raised_s})
        always = np.ones(len(self.returns), dtype=np.bool_)
        said = [self._reason(region, always, target) for region in self.detector.watched]
        return min(said, key=lambda each: (ORDER.index(each.code), -float(each.figures.get("way_m", 0.0))))

    def life(self, target: int, region: RadarRegion | None) -> Life:
        """Return a target from its first return to its last, as one region sees it."""
        return life_of(self.returns, self.kept, self.runs(region), self.dials, region, target)

    def fates(self, marks: Sequence[Mark], slack: Slack = Slack()) -> list[str]:
        """Return by target what became of it: `hit` (a repeat of one too), `false`, `ignored`, or `none` where it never raised."""
        came_up = sorted(
            (float(self.kept.t_s[runs.at[each.place]]), int(self._target_of(runs)[each.run]))
            for _, runs, each in self.raises
        )
        verdicts = judge_raises([t for t, _ in came_up], marks, slack).verdicts
        out = ["none"] * len(self.returns.ids)
        for (_, target), verdict in zip(came_up, verdicts, strict=True):
            word = "hit" if verdict == "repeat" else verdict
            if RANK.index(word) < RANK.index(out[target]):
                out[target] = word
        return out

    def traces(self) -> Mapping[str, Series]:
        """Return by region how far whoever is in a run has come, at each moment the farthest."""
        out = {}
        for region in self.detector.watched:
            runs, name = self.runs(region), "everywhere" if region is None else region.name
            good = np.flatnonzero(np.isfinite(runs.way_m))
            if not good.size:
                continue
            t_s, way = self.kept.t_s[runs.at[good]], runs.way_m[good]
            moments, which = np.unique(t_s, return_inverse=True)
            farthest = np.zeros(moments.size)
            np.maximum.at(farthest, which, way)
            thin = slice(None, None, max(moments.size // MOST_TRACE, 1))
            out[name] = Series(moments[thin], farthest[thin], "m", name)
        return out

    def line(self) -> dict[str, Any] | None:
        return {"dial": "distance_m", "level": self.dials.distance_m, "clears": None}

    def cautions(self) -> list[str]:
        beside, seen = self.detector.beside, self.returns.sighted
        told = [] if beside is None or seen is None else seen.cautions(beside, self.length_s)
        return [*self.raw.told, *told]


def judge(detector: RadarDetector, kind: RadarKind, returns: Returns) -> RadarSubject:
    """Return the detector held against returns; bare detections are followed first."""
    check_shapes(detector)
    raw = returns
    if detector.beside is not None and raw.sighted is None:
        what = f"{detector.name} asks what {detector.beside.device} saw, and a take alone does not say"
        raise Refused([Fault("detector: beside", what, "the running program, or a detector without it")])
    if raw.bare:
        returns = followed(raw, detector.tracking or Tracking(), detector.clutter).returns
    return RadarSubject(detector, kind, kind.read_dials(detector), returns, raw)
