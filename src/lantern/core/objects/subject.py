"""A detector of objects held against tracks: events, score card, sweeps. The counterpart of `core/subject.py` for tracks."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from lantern.core.dials import describe_dial, read_dials
from lantern.core.events import Detector, Event
from lantern.core.faults import Fault, Refused
from lantern.core.judged import Judged
from lantern.core.objects.dials import CountDials, CrossingDials, ObjectDials, PathDials, ZoneDials
from lantern.core.objects.kinds import events_of, filtered, inside, line_of
from lantern.core.objects.lines import distance
from lantern.core.objects.tracks import Tracks, stretch_of
from lantern.core.tuning.scoring import Mark, Slack
from lantern.core.tuning.sweep import MOST_VALUES, SHOWN, Row, value_inside, values_in
from lantern.core.tuning.tally import Counts, Tally

DIALS: dict[str, type[ObjectDials]] = {
    "crossing": CrossingDials,
    "zone": ZoneDials,
    "count": CountDials,
    "path": PathDials,
}
NARROWEST = 1e-6  # px or s; stretches narrower than this are no results


@dataclass(frozen=True)
class TrackSubject(Judged):
    """One detector of a kind in `DIALS`, its dials, and the tracks of one take."""

    detector: Detector
    dials: Any
    tracks: Tracks

    @property
    def length_s(self) -> float:
        return self.tracks.length_s

    def with_dials(self, **changes: Any) -> TrackSubject:
        return replace(self, dials=read_dials(type(self.dials), self.dials.model_dump() | changes))

    def events(self) -> list[Event]:
        return events_of(self.detector.kind, self.detector.name, self.tracks, self.detector.regions, self.dials)

    def counts(self, marks: Sequence[Mark], slack: Slack) -> Counts:
        tally = Tally(marks, slack)
        for event in self.events():
            tally.add(event.raised_s)
        return tally.counts()

    def sweep(
        self,
        dial: str,
        marks: Sequence[Mark],
        *,
        low: float | None = None,
        high: float | None = None,
        step: float | None = None,
        slack: Slack = Slack(),
    ) -> list[Row]:
        """Along a dial: exact over its range for the band and the dwell time, with `step` a row a value for any number."""
        info = describe_dial(type(self.dials), dial)
        if not info.numeric:
            raise Refused([Fault(f"dials.{dial}", "has no range to sweep", "a numeric dial")])
        own = self.own(marks)
        if step is not None:
            if low is None or high is None:
                raise Refused([Fault("--step", "given without a range", "--from and --to with it")])
            values = values_in(low, high, step)
            return [Row(v, v, v, self.with_dials(**{dial: v}).counts(own, slack)) for v in values]
        borders = self.borders().get(dial)
        if borders is None:
            exact = ", ".join(self.borders()) or "none here"
            raise Refused([Fault(f"dials.{dial}", "has no exact sweep", f"--from, --to and --step (exact: {exact})")])
        assert info.low is not None
        assert info.high is not None
        first, last = info.low if low is None else low, info.high if high is None else high
        for end in (first, last):
            self.with_dials(**{dial: end})
        return self._between(dial, borders(), first, last, own, slack)

    def borders(self) -> dict[str, Callable[[], list[float]]]:
        """The dials that sweep exactly, and at which of their values the result can change."""
        kind = self.detector.kind
        if kind in ("crossing", "count"):
            return {"band": self._distances}
        if kind == "zone" and self.dials.when == "inside":
            return {"dwell_s": self._stays}
        return {}

    def _distances(self) -> list[float]:
        """Each sample's distance to each line: a band passes over samples one by one."""
        points = filtered(self.tracks, self.dials).anchors(self.dials.anchor)
        return [abs(v) for region in self.detector.regions for v in distance(points, *line_of(region)).tolist()]

    def _stays(self) -> list[float]:
        """How long each object has been inside at each sample: a dwell time raises later, sample by sample, or not at all."""
        left = filtered(self.tracks, self.dials)
        starts = stretch_of(left, self.dials.gap_s)
        out: list[float] = []
        index = np.arange(len(left))
        for region in self.detector.regions:
            within = inside(left, self.dials, region)
            since = np.maximum(np.maximum.accumulate(np.where(within, -1, index)) + 1, starts)
            out += (left.t_s[within] - left.t_s[since[within]]).tolist()
        return out

    def _between(
        self, dial: str, borders: list[float], low: float, high: float, marks: Sequence[Mark], slack: Slack
    ) -> list[Row]:
        edges = [low]
        for border in sorted(b for b in borders if low < b < high):
            if border - edges[-1] > NARROWEST:
                edges.append(border)
        edges.append(high)
        if len(edges) > MOST_VALUES:
            what = f"{len(edges)} values at which the result can change"
            raise Refused([Fault(f"dials.{dial}", what, f"--from and --to around at most {MOST_VALUES} of them")])
        rows: list[Row] = []
        for start, stop in itertools.pairwise(edges):
            counts = self.with_dials(**{dial: (start + stop) / 2}).counts(marks, slack)
            if rows and rows[-1].counts[:SHOWN] == counts[:SHOWN]:
                rows[-1] = Row(rows[-1].start, stop, value_inside(rows[-1].start, stop), counts)
            else:
                rows.append(Row(start, stop, value_inside(start, stop), counts))
        return rows


def subject_of_tracks(detector: Detector, tracks: Tracks) -> TrackSubject:
    model = DIALS.get(detector.kind)
    if model is None:
        raise Refused(
            [Fault("take: kind", f"tracks are nothing a {detector.kind} detector reads", f"one of {', '.join(DIALS)}")]
        )
    names = [region.name for region in detector.regions]
    if len(set(names)) < len(names):
        raise Refused([Fault("regions", "two of one name", "a name of its own for each region")])
    return TrackSubject(detector, read_dials(model, detector.dials), tracks)
