"""A live detector that watches readings: the same `step` that tuning and rehearsal are proven against."""

from __future__ import annotations

from collections import deque
from collections.abc import Collection, Iterator, Mapping
from statistics import median
from typing import Any

from lantern.core.baseline import LEAST_LEARNT
from lantern.core.decide import State, step
from lantern.core.readings.kind import AnySeriesKind
from lantern.core.readings.region import ReadingDetector
from lantern.core.rule import GAP_IN_MEDIAN_INTERVALS, LEAST_GAP_S, Rule
from lantern.core.signals import Frames, Series
from lantern.core.watch import AnyWatch, Sample, Standing, Turn, Watch

QUIET_SAMPLES, LEAST_QUIET = 600, 10
STANDS_OUT = 6.0  # times the median deviation, some four standard deviations; common practice, no source
TAKEN_OUT = "the device takes these frames out: its shutter, or a reading that is refused"


class ReadingWatch(Watch[Frames | Mapping[str, Series]]):
    """Regions of a thermal picture, frame by frame; or columns of readings, moment by moment."""

    detector: ReadingDetector
    kind: AnySeriesKind

    def __init__(self, detector: ReadingDetector, kind: AnySeriesKind, facts: Mapping[str, Any]) -> None:
        super().__init__(detector, kind)
        self.dials = kind.read_dials(detector)
        self.reader = kind.reader(detector.regions, self.dials)
        self.states: dict[str, State] = {}
        self.readings: dict[str, float] = {}
        self.paused = False  # the device looks at its shutter
        self.quiet: dict[str, deque[float]] = {}  # readings of late, for what is usual

    def rule(self, interval_s: float) -> Rule:
        """Return the decision; an empty `gap_s` means three intervals of this device, at least 1 s, as on takes."""
        rule: Rule = self.dials.rule(max(GAP_IN_MEDIAN_INTERVALS * interval_s, LEAST_GAP_S))
        return rule

    def step(self, sample: Sample[Frames | Mapping[str, Series]], interval_s: float) -> Iterator[Turn]:
        readings = self._read(sample)
        rule = self.rule(interval_s)
        self.paused = not readings
        for name, (x, paused_s) in readings.items():
            before = self.states.get(name, State())
            after, changes = step(before, sample.t, x, rule, paused_s)
            self.readings[name] = x
            self.states[name] = after
            if changes:
                why = {
                    "device_t": sample.t,
                    "reading_c": round(x, 3),
                    "level": rule.level,
                    "sustain_s": rule.sustain_s,
                }
                yield Turn(name, tuple(changes), after, x, why)

    def _read(self, sample: Sample[Frames | Mapping[str, Series]]) -> dict[str, tuple[float, float]]:
        """(reading, seconds taken out before it) of each watched region. Raises `Refused` where a column is missing."""
        if isinstance(sample.value, Frames):
            return self.reader.read(sample.value, sample.t)
        found = self.kind.readings_of_series(sample.value, self.detector.regions, self.dials)
        return {name: (float(series.x[0]), 0.0) for name, series in found.items()}

    def has_activity(self, sample: Sample[Frames | Mapping[str, Series]]) -> bool:
        """Return whether a reading is past halfway from its quiet median to the level; of a rise or a learnt level, whether any stands out."""
        rule, active = self.rule(0.0), False
        for name, x in self.readings.items():
            quiet = self.quiet.setdefault(name, deque(maxlen=QUIET_SAMPLES))
            usual = median(quiet) if len(quiet) >= LEAST_QUIET else x
            if rule.by_change or rule.learns:
                spread = median(abs(each - usual) for each in quiet) if len(quiet) >= LEAST_QUIET else 0.0
                active |= abs(x - usual) > STANDS_OUT * spread > 0
            else:
                half = (usual + rule.level) / 2
                active |= x < half if rule.sense == "below" else x > half
            quiet.append(x)
        return active

    def resume(self, remembered: Mapping[str, dict[str, Any]], outdated: Collection[str]) -> bool:
        for name, fields in remembered.items():
            state = state_of(fields)
            self.states[name] = State(last_raise=state.last_raise) if name in outdated else state
        return any(state.raised for state in self.states.values())

    def inherit(self, held: AnyWatch) -> None:
        if isinstance(held, ReadingWatch):
            self.states, self.readings = held.states, held.readings

    def shift(self, seconds: float) -> None:
        self.states = {
            name: State(last_raise=None if s.last_raise is None else s.last_raise + seconds, learnt=s.learnt)
            for name, s in self.states.items()
        }
        self.reader = self.kind.reader(self.detector.regions, self.dials)

    def standing(self, *, trouble: str = "") -> Standing:
        rule = self.rule(0.0)
        return Standing(
            readings={name: round(x, 2) for name, x in self.readings.items()},
            unit=self.kind.unit(self.dials),
            states={name: self._state(name, rule, trouble) for name in self.readings},
            level=None if rule.by_change or rule.learns else rule.level,
        )

    def _state(self, name: str, rule: Rule, trouble: str) -> tuple[str, str]:
        """Unknown is not clear: nobody is looking."""
        state = self.states.get(name, State())
        if trouble or self.paused:
            return "unknown", trouble or TAKEN_OUT
        if rule.learns and len(state.learnt) < LEAST_LEARNT:
            return "unknown", "still learning what is normal"
        return ("raised" if state.raised else "clear"), ""


def state_of(fields: Mapping[str, Any]) -> State:
    """Return a decision's memory as it was written."""
    window = tuple((float(t), float(x)) for t, x in fields.get("window", ()))
    learnt = tuple(float(x) for x in fields.get("learnt", ()))
    return State(**{**fields, "window": window, "learnt": learnt})
