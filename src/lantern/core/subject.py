"""A detector held against a take: events, score card, sweeps. Commands, pages and jobs all ask here."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from lantern.core.dials import DialInfo, describe_dial, read_dials
from lantern.core.events import Detector, Event, Region
from lantern.core.faults import Fault, Refused
from lantern.core.judged import Judged
from lantern.core.kinds import Kind, kind_of
from lantern.core.rule import Rule
from lantern.core.signals import Frames, RecordedAs, Series
from lantern.core.tuning.scoring import Mark, Slack
from lantern.core.tuning.sweep import Row, sweep_exact, sweep_values, values_in

Reread = Callable[[Sequence[Region], Any], Mapping[str, Series]]  # regions and dials to readings


@dataclass(frozen=True)
class Subject(Judged):
    """One detector, its dials and its readings of one take. `reread` gives the readings under other dials."""

    detector: Detector
    kind: Kind
    dials: Any
    readings: Mapping[str, Series]
    reread: Reread
    frames: Frames | None = None  # None: readings that were recorded as such

    @property
    def length_s(self) -> float:
        return next(iter(self.readings.values())).length_s

    def with_dials(self, **changes: Any) -> Subject:
        """The same detector with other dials; the readings are worked out again only if they depend on them."""
        dials = read_dials(self.kind.dials, self.dials.model_dump() | changes)
        same = self.kind.reading_key(dials) == self.kind.reading_key(self.dials)
        readings = self.readings if same else self.reread(self.detector.regions, dials)
        return replace(self, dials=dials, readings=readings)

    def with_region(self, name: str, **changes: Any) -> Subject:
        """The same detector with one region changed."""
        regions = tuple(r.model_copy(update=changes) if r.name == name else r for r in self.detector.regions)
        detector = self.detector.model_copy(update={"regions": regions})
        return replace(self, detector=detector, readings=self.reread(regions, self.dials))

    def decisions(self) -> dict[str, tuple[Series, Rule]]:
        """For each region its reading and the decision that watches it."""
        return {name: (series, self.kind.rule(series, self.dials)) for name, series in self.readings.items()}

    def events(self) -> list[Event]:
        events = self.kind.decide(self.detector.name, self.readings, self.dials)
        return (
            events if self.frames is None else self.kind.explain(events, self.frames, self.detector.regions, self.dials)
        )

    def cautions(self) -> list[str]:
        recorded = RecordedAs() if self.frames is None else self.frames.recorded
        return self.kind.cautions(recorded, self.detector.regions, self.dials)

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
        """Along a dial: exact over its whole range, or over `low` to `high`; with `step` a row a value."""
        info = describe_dial(self.kind.dials, dial)
        if not info.numeric:
            raise Refused([Fault(f"dials.{dial}", "has no range to sweep", "a numeric dial")])
        marks = self.own(marks)
        if step is None:
            return self._sweep_exact(dial, info, marks, low, high, slack)
        if low is None or high is None:
            raise Refused([Fault("--step", "given without a range", "--from and --to with it")])
        values = values_in(low, high, step)
        self._check_ends(dial, values[0], values[-1])
        return sweep_values(lambda v: self.with_dials(**{dial: v}).decisions(), marks, values, slack=slack)

    def _sweep_exact(
        self, dial: str, info: DialInfo, marks: Sequence[Mark], low: float | None, high: float | None, slack: Slack
    ) -> list[Row]:
        assert info.low is not None
        assert info.high is not None
        low = low if low is not None else info.low + info.step if info.low_excluded and info.step else info.low
        high = info.high if high is None else high
        self._check_ends(dial, low, high)
        if not self.kind.matters(dial, self.dials):  # one result for the whole range
            [row] = sweep_values(lambda _: self.decisions(), marks, [(low + high) / 2], slack=slack)
            return [Row(low, high, row.value, row.counts)]
        exact = self.kind.exact(self.dials)
        if dial not in exact:
            names = ", ".join(exact) or "none while it learns a baseline"
            remedy = f"--from, --to and --step (exact: {names})"
            raise Refused([Fault(f"dials.{dial}", "has no exact sweep", remedy)])
        return sweep_exact(self.decisions(), marks, exact[dial], low=low, high=high, slack=slack)

    def _check_ends(self, dial: str, low: float, high: float) -> None:
        """Both ends must be values that the dial allows."""
        for end in (low, high):
            read_dials(self.kind.dials, self.dials.model_dump() | {dial: end})
        if high < low:
            raise Refused([Fault("--to", f"{high:g} is below --from {low:g}", "a range that runs upwards")])


def subject_of_frames(detector: Detector, frames: Frames, **how: Any) -> Subject:
    """A detector on a thermal picture; `how` is passed to the kind's readings (a store that keeps reductions)."""
    kind, dials = _kind_and_dials(detector, "heat")

    def reread(regions: Sequence[Region], changed: Any) -> Mapping[str, Series]:
        return kind.readings(frames, regions, changed, **how)

    return Subject(detector, kind, dials, reread(detector.regions, dials), reread, frames)


def subject_of_series(detector: Detector, columns: Mapping[str, Series]) -> Subject:
    """A detector on readings that were recorded as such."""
    kind, dials = _kind_and_dials(detector, "series")

    def reread(regions: Sequence[Region], changed: Any) -> Mapping[str, Series]:
        return kind.readings_of_series(columns, regions, changed)

    return Subject(detector, kind, dials, reread(detector.regions, dials), reread)


def _kind_and_dials(detector: Detector, signal: str) -> tuple[Kind, Any]:
    kind = kind_of(detector.kind)
    dials = kind.read_dials(detector)
    if signal not in kind.signals:
        takes = " or ".join(kind.signals)
        raise Refused(
            [Fault("take: kind", f"{signal} is nothing a {kind.name} detector reads", f"a take of kind {takes}")]
        )
    names = [region.name for region in detector.regions]
    twice = sorted({name for name in names if names.count(name) > 1})
    if twice:
        raise Refused([Fault("regions", f"two regions named {', '.join(twice)}", "a name of its own for each region")])
    return kind, dials
