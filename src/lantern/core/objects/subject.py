"""A detector of objects held against the tracks of a take: events, score card, sweeps."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from lantern.core.dials import DialInfo, read_dials
from lantern.core.events import Event
from lantern.core.kind import Truth
from lantern.core.objects import dials
from lantern.core.objects.counting.audit import audit
from lantern.core.objects.counting.occupancy import running, with_capacity
from lantern.core.objects.dials import CountDials, CrossingDials, ZoneDials
from lantern.core.objects.exact.raisers import rows_of
from lantern.core.objects.exact.steps import band_steps, dwell_steps
from lantern.core.objects.filters import filtered
from lantern.core.objects.kind import AnyTrackKind
from lantern.core.objects.kinds import event_of, in_order, kept_of
from lantern.core.objects.placement import placement_cautions
from lantern.core.objects.region import ObjectDetector
from lantern.core.objects.shapes import watched_regions
from lantern.core.objects.verdicts.letting_go import verdicts
from lantern.core.objects.verdicts.sighted import Sighted, Verdict
from lantern.core.raising import Raising
from lantern.core.reasons import Reason
from lantern.core.scoring.marks import Mark, Slack, within
from lantern.core.scoring.tally import ALL, SHOWN, Counts, Tally
from lantern.core.signals import Floats, Series
from lantern.core.tracks import Tracks, stretch_of
from lantern.core.tuning.rows import Row
from lantern.core.tuning.wanted import still_wanted
from lantern.core.units import CELSIUS, Scale

MOST_POINTS = 4000  # of a trace
AFTER = frozenset(
    ("rearm_s", "rearm_extends", "start_inside", "capacity", "clear_percent", "missed_percent")
)  # dials of what comes last
BEFORE_REARM = frozenset(name for model in dials.MODELS for name in model.model_fields) - AFTER


@dataclass(frozen=True)
class TrackSubject(Raising):
    """One detector of a `AnyTrackKind`, its dials, and the tracks of one take."""

    detector: ObjectDetector
    kind: AnyTrackKind
    dials: Any
    tracks: Tracks

    @property
    def length_s(self) -> float:
        return self.tracks.length_s

    def with_dials(self, **changes: Any) -> TrackSubject:
        made = replace(self, dials=read_dials(self.kind.dials, self.dials.model_dump() | changes))
        if "_raw" in self.__dict__ and not BEFORE_REARM.intersection(changes):  # no changed dial plays a part in it
            made.__dict__["_raw"] = self._raw
        return made

    @cached_property
    def left(self) -> Tracks:
        """The samples that count."""
        return filtered(self.tracks, self.detector.regions, self.dials)

    @cached_property
    def _raw(self) -> list[Event]:
        """Before the re-arm time."""
        starts = stretch_of(self.left, self.dials.gap_s)
        found = self.kind.find(self.left, starts, watched_regions(self.detector.regions), self.dials)
        still_wanted()
        return [event_of(self.detector.name, self.left, each) for each in found]

    @cached_property
    def _events(self) -> list[Event]:
        events = in_order(kept_of(self._raw, self.dials))
        return with_capacity(events, self.dials, self.detector.name) if isinstance(self.dials, CountDials) else events

    def events(self) -> list[Event]:
        return list(self._events)

    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Counts:
        tally = Tally(marks, slack)
        for event in self._events:
            tally.add(event.raised_s)
        return tally.counts()

    def exact_dials(self) -> list[str]:
        """A band passes over samples one by one; a dwell time raises later, sample by sample, or not at all."""
        dials = self.dials
        if isinstance(dials, CountDials) and dials.capacity is not None:
            return []  # occupancy depends on all passages at once
        if isinstance(dials, CrossingDials | CountDials):
            return ["band"] if dials.across_percent == 0 else []
        return ["dwell_s"] if isinstance(dials, ZoneDials) and dials.when == "inside" else []

    def rows_exact(
        self, dial: str, marks: Sequence[Mark], low: float, high: float, slack: Slack = Slack(), *, whole: bool = False
    ) -> list[Row]:
        regions = watched_regions(self.detector.regions)
        if dial == "band":
            raisers = [band_steps(self.left, region, self.dials, marks, low, slack) for region in regions]
        else:
            raisers = [dwell_steps(self.left, region, self.dials, marks, slack) for region in regions]
        return rows_of(raisers, marks, low, high, slack, ALL if whole else SHOWN)

    def verdicts(self) -> list[Verdict]:
        """Return what became of each object, in the order of `tracks.ids`."""
        return self._verdicts

    @cached_property
    def _verdicts(self) -> list[Verdict]:
        events, raw = tuple(self._events), tuple(self._raw)
        return verdicts(Sighted(self.detector, self.dials, self.tracks, events, raw, self.kind.find))

    def why_silent(self, mark: Mark, slack: Slack = Slack(), scale: Scale = CELSIUS) -> Reason:
        """Return the reason of the object that came nearest, of those in view during the mark; with none, the mark
        stands over an empty scene.
        """
        start, end = mark.from_s - slack.early_s, mark.end_s + slack.late_s
        there = np.unique(self.tracks.object[(self.tracks.t_s >= start - 1e-6) & (self.tracks.t_s <= end + 1e-6)])
        if there.size == 0:
            return Reason("no_data", "Nothing was in view here: no object was tracked.", {})
        judged = self.verdicts()
        order = self.kind.nearness
        best = min(there.tolist(), key=lambda i: (order.index(judged[i].code), i))
        name, said = self.tracks.ids[best], judged[best]
        own = [event.raised_s for event in self._events if event.object == name] if said.code == "raised" else []
        if any(not within(t, start, end) for t in own):
            text = f"Object {name} raised at another time. {said.text}"
            return Reason("elsewhere", text, {"object": name})
        return Reason(said.code, f"Object {name}: {said.text}", {"object": name, "in_view": int(there.size)})

    def against(self, truth: Truth, said: Sequence[Any]) -> dict[str, Any]:
        """Return the audit of what was counted, where the kind counts and `said` are counts by hand."""
        counts = truth == "counts" and truth in self.kind.truth
        return audit(self.events(), said) if counts else super().against(truth, said)

    def traces(self) -> Mapping[str, Series]:
        """Return how many are in view; for counts how many are inside."""
        if isinstance(self.dials, CountDials):
            passages = [e for e in self._events if e.direction is not None]
            inside = [float(self.dials.start_inside), *(float(o.inside) for o in running(passages, self.dials))]
            at = np.array([0.0, *(e.raised_s for e in passages)])
            keep = np.append(np.diff(at) > 0, True)
            return {"inside": Series(at[keep], np.array(inside)[keep], "people", "inside")}
        return {"in view": self._in_view()}

    def _in_view(self) -> Series:
        """Return how many are in view on the take's own frames, those that show nobody among them."""
        tracks = self.tracks
        if len(tracks) == 0:
            return Series(np.zeros(1), np.zeros(1), "objects", "in view")
        if tracks.fps is None:
            t_s, counts = np.unique(tracks.t_s, return_counts=True)
            return _stepped(t_s, counts.astype(np.float64))
        frame = np.round(tracks.t_s * tracks.fps).astype(np.intp)
        counts = np.bincount(frame, minlength=round(tracks.length_s * tracks.fps) + 1)
        return _stepped(np.arange(counts.size) / tracks.fps, counts.astype(np.float64))

    def cautions(self) -> list[str]:
        out = []
        if self.tracks.height_m is None and (self.dials.min_height_m, self.dials.max_height_m) != (None, None):
            out.append("This take tells no heights in metres: the limits set in metres leave nobody out")
        if isinstance(self.dials, CrossingDials | CountDials):
            out += placement_cautions(self.left, watched_regions(self.detector.regions), self.dials)
        return out

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        """Sizes, confidences and distances as far as this take has them; times as far as anything lasts."""
        tracks = self.tracks
        if len(tracks) == 0:
            return 0.0
        if info.name == "min_confidence":
            least, most = float(tracks.confidence.min()), float(tracks.confidence.max())
            return min(least, 0.0), max(most, least + 0.1)
        lasts = tracks.t_s[tracks.spans[1:] - 1] - tracks.t_s[tracks.spans[:-1]]
        highest = float(np.ceil(tracks.box[:, 3].max() * 1.1)) or 1.0
        ends = {
            "min_height_px": highest,
            "max_height_px": highest,
            "min_height_m": self._tallest(),
            "max_height_m": self._tallest(),
            "band": max(0.12 * max(tracks.frame_px or (400, 400)), 2 * getattr(self.dials, "band", 0.0)),
            "dwell_s": max(float(np.quantile(lasts, 0.98)) * 1.1, 2 * getattr(self.dials, "dwell_s", 0.0)),
        }
        return (0.0, ends[info.name]) if info.name in ends else 0.0

    def _tallest(self) -> float:
        tall = self.tracks.height_m
        return 2.2 if tall is None else float(np.ceil(np.nanmax(tall) * 11) / 10)


def _stepped(t_s: Floats, x: Floats) -> Series:
    """Return at most so many points, the greatest of each stretch kept."""
    if t_s.size > MOST_POINTS:
        edges = np.unique(np.linspace(0, t_s.size, MOST_POINTS + 1).astype(np.intp))[:-1]
        t_s, x = t_s[edges], np.maximum.reduceat(x, edges)
    return Series(t_s, x, "objects", "in view")


def judge(detector: ObjectDetector, kind: AnyTrackKind, tracks: Tracks) -> TrackSubject:
    """Return the detector held against tracks."""
    return TrackSubject(detector, kind, kind.read_dials(detector), tracks)
