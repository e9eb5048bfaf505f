"""A detector that watches readings, held against a take: thermal frames, or readings that were recorded as such."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Any, ClassVar

from lantern.core.dials import DialInfo, read_dials
from lantern.core.events import Event
from lantern.core.exact.sweep import counts_of, sweep_exact
from lantern.core.faults import Refused
from lantern.core.raising import Raising
from lantern.core.readings.heat.noise import noise_of
from lantern.core.readings.heat.reductions import Wanted, merged, reduce_frames
from lantern.core.readings.kind import AnySeriesKind
from lantern.core.readings.region import ReadingDetector, ReadingRegion
from lantern.core.reasons import Reason
from lantern.core.rule import Rule
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.scoring.tally import ALL, SHOWN, Counts
from lantern.core.signals import Frames, RecordedAs, Series
from lantern.core.silence import why_silent
from lantern.core.tuning.rows import Row
from lantern.core.units import CELSIUS, Scale
from lantern.core.watching import unknown_spans

Reread = Callable[[Sequence[ReadingRegion], Any], Mapping[str, Series]]  # regions and dials to readings
REMARKED = ("severity", "clipped", "saturated")
IN_UNITS_OF_NOISE = ("threshold_c", "delta_c", "hysteresis_c")


@dataclass(frozen=True)
class Subject(Raising):
    """One detector, its dials and its readings of one take. `reread` gives the readings under other dials."""

    none_exact: ClassVar[str] = "none while it learns a baseline"

    detector: ReadingDetector
    kind: AnySeriesKind
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

    def prepare(self, dial: str, values: Sequence[float]) -> None:
        """Reduce in one pass all that the values need of the frames, where it is kept; values that are refused need
        nothing.
        """
        if self.frames is None or self.frames.keep is None or len(values) < 2:
            return
        wanted: list[Wanted] = []
        for value in values:
            with suppress(Refused):
                dials = read_dials(self.kind.dials, self.dials.model_dump() | {dial: value})
                wanted += self.kind.wanted(self.frames, self.detector.regions, dials)
        reduce_frames(self.frames, merged(wanted))

    def with_region(self, name: str, **changes: Any) -> Subject:
        """The same detector with one region changed."""
        regions = tuple(r.model_copy(update=changes) if r.name == name else r for r in self.detector.regions)
        detector = self.detector.model_copy(update={"regions": regions})
        return replace(self, detector=detector, readings=self.reread(regions, self.dials))

    def decisions(self) -> dict[str, tuple[Series, Rule]]:
        """Return for each region its reading and the decision that watches it."""
        return {name: (series, self.kind.rule(series, self.dials)) for name, series in self.readings.items()}

    def events(self) -> list[Event]:
        events = self.kind.decide(self.detector.name, self.readings, self.dials)
        return (
            events if self.frames is None else self.kind.explain(events, self.frames, self.detector.regions, self.dials)
        )

    def remarks(self, event: Event) -> list[str]:
        """Return how grave it is, and what makes its peak less sure than it looks."""
        return [f"{key}: {event.why[key]}." for key in REMARKED if event.why.get(key)]

    def evaluated(self) -> list[Event]:
        if self.frames is None:
            return self.events()
        return self.kind.evaluate(self.frames, self.detector.name, self.detector.regions, self.dials)

    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Counts:
        return counts_of(self.decisions(), marks, slack)

    def exact_dials(self) -> list[str]:
        return list(self.kind.exact(self.dials))

    def rows_exact(
        self, dial: str, marks: Sequence[Mark], low: float, high: float, slack: Slack = Slack(), *, whole: bool = False
    ) -> list[Row]:
        swept = self.kind.exact(self.dials)[dial]
        return sweep_exact(
            self.decisions(), marks, swept, low=low, high=high, slack=slack, compared=ALL if whole else SHOWN
        )

    def why_silent(self, mark: Mark, slack: Slack = Slack(), scale: Scale = CELSIUS) -> Reason:
        return why_silent(mark, self.decisions(), slack, scale)

    def traces(self) -> Mapping[str, Series]:
        return self.readings

    def line(self) -> dict[str, Any] | None:
        _, rule = next(iter(self.decisions().values()))
        if rule.by_change or rule.learns:
            return None
        dial = next((name for name, swept in self.kind.exact(self.dials).items() if swept == "level"), None)
        clears = rule.level + (rule.hysteresis if rule.sense == "below" else -rule.hysteresis)
        return {"dial": dial, "level": rule.level, "clears": clears if rule.hysteresis else None}

    def unknown(self) -> list[tuple[float, float, str]]:
        return sorted({span for series, rule in self.decisions().values() for span in unknown_spans(series, rule)})

    def cautions(self) -> list[str]:
        recorded = RecordedAs() if self.frames is None else self.frames.recorded
        return [*self._doubtful_units(), *self.kind.cautions(recorded, self.detector.regions, self.dials)]

    def _doubtful_units(self) -> list[str]:
        """Dials are temperatures; a column may be something else, or nobody said what."""
        out = []
        for name, series in self.readings.items():
            if series.unit == "":
                out.append(f"Nobody said in which unit {name} is: its numbers are taken for °C")
            elif series.unit not in ("°C", "K"):
                out.append(f"{name} is in {series.unit}: where a dial says °C, it means {series.unit}")
        return out

    def noise(self, dial: str, marks: Sequence[Mark]) -> float | None:
        if dial not in IN_UNITS_OF_NOISE:
            return None
        found = [noise_of(series, marks) for series in self.readings.values()]
        return max((noise for noise in found if noise is not None), default=None)

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        """Temperatures around the readings; times as far as an event lasts now."""
        if info.unit == "°C" and not info.difference:
            readings = [series.x for series in self.readings.values()]
            least, most = min(float(x.min()) for x in readings), max(float(x.max()) for x in readings)
            span = max(most - least, 2.0)
            return least - 0.04 * span, most + 0.08 * span
        if info.name in ("emissivity", "transmittance"):
            return 0.3, 1.0
        if info.name not in ("sustain_s", "clear_s"):
            return 0.0
        lengths = [e.cleared_s - e.raised_s for e in self.events() if e.cleared_s is not None]
        longest: float = max(lengths, default=10.0) + self.dials.sustain_s
        return min(1.3 * longest, 600.0)


def judge(detector: ReadingDetector, kind: AnySeriesKind, signal: Frames | Mapping[str, Series]) -> Subject:
    """Return the detector held against thermal frames, or against columns that were recorded as readings."""
    dials = kind.read_dials(detector)
    frames = signal if isinstance(signal, Frames) else None

    def reread(regions: Sequence[ReadingRegion], changed: Any) -> Mapping[str, Series]:
        if isinstance(signal, Frames):
            return kind.readings(signal, regions, changed)
        return kind.readings_of_series(signal, regions, changed)

    return Subject(detector, kind, dials, reread(detector.regions, dials), reread, frames)
