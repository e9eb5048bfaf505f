"""A live detector that watches readings: the same `step` that tuning and rehearsal are proven against."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from lantern.core.baseline import LEAST_LEARNT
from lantern.core.decide import State, step
from lantern.core.kinds import SeriesKind, kind_of
from lantern.core.rule import LEAST_GAP_S, Rule
from lantern.formats.wire import FrameHeader
from lantern.live.recorder import Happening
from lantern.live.watch import Watch


@dataclass
class ReadingWatch(Watch):
    """Regions of a thermal picture, frame by frame."""

    states: dict[str, State] = field(default_factory=dict)
    readings: dict[str, float] = field(default_factory=dict)
    paused: bool = False  # the device looks at its shutter

    def __post_init__(self) -> None:
        kind = kind_of(self.model.kind)
        assert isinstance(kind, SeriesKind)
        self.kind = kind
        self.dials = self.kind.read_dials(self.model)
        self.reader = self.kind.reader(self.model.regions, self.dials)

    def rule(self, interval_s: float) -> Rule:
        """The decision; an empty `gap_s` means three intervals of this device, at least 1 s, as on takes."""
        rule: Rule = self.dials.rule(max(3 * interval_s, LEAST_GAP_S))
        return rule

    def take(self, header: FrameHeader, pixels: Any, interval_s: float) -> Iterator[Happening]:
        """One frame through every region. Yields what changed, region by region: one is stored before the next is looked at."""
        readings = self.reader.read(header.frames(pixels), header.t)
        rule = self.rule(interval_s)
        self.paused = not readings
        for name, (x, paused_s) in readings.items():
            before = self.states.get(name, State())
            after, changes = step(before, header.t, x, rule, paused_s)
            self.readings[name] = x
            self.states[name] = after
            if changes:
                at = datetime.now(UTC)
                why = {
                    "device_t": header.t,
                    "seq": header.seq,
                    "reading_c": round(x, 3),
                    "level": rule.level,
                    "sustain_s": rule.sustain_s,
                }
                what = (self.site_id, self.detector_id, self.revision, name, at, tuple(changes))
                yield Happening(*what, after, x, why)

    def resume(self, remembered: Mapping[str, tuple[int, dict[str, Any]]]) -> bool:
        for name, (revision, fields) in remembered.items():
            state = state_of(fields)
            self.states[name] = state if revision == self.revision else State(last_raise=state.last_raise)
        return any(state.raised for state in self.states.values())

    def inherit(self, held: Watch) -> None:
        if isinstance(held, ReadingWatch):
            self.states, self.readings = held.states, held.readings

    def shift(self, seconds: float) -> None:
        """The device's clock jumped (a restart, a set clock): carry the decision over to its new time."""
        self.states = {
            name: State(last_raise=None if s.last_raise is None else s.last_raise + seconds, learnt=s.learnt)
            for name, s in self.states.items()
        }
        self.reader = self.kind.reader(self.model.regions, self.dials)

    def standing(self, name: str, *, feed_live: bool) -> tuple[str, str]:
        """(raised, clear or unknown; why it is unknown). Unknown is not clear: nobody is looking."""
        state = self.states.get(name, State())
        if not feed_live:
            return "unknown", "no frames"
        if self.error:
            return "unknown", self.error
        if self.paused:
            return "unknown", "the device takes these frames out: its shutter, or a reading that is refused"
        if self.rule(0.0).learns and len(state.learnt) < LEAST_LEARNT:
            return "unknown", "still learning what is normal"
        return ("raised" if state.raised else "clear"), ""

    def as_dict(self, *, feed_live: bool) -> dict[str, Any]:
        rule = self.rule(0.0)
        standing = {name: self.standing(name, feed_live=feed_live) for name in self.readings}
        return {
            "id": self.detector_id,
            "name": self.model.name,
            "revision": self.revision,
            "error": self.error,
            "readings": {name: round(x, 2) for name, x in self.readings.items()},
            "unit": self.kind.unit(self.dials),
            "standing": {name: {"state": state, "why": why} for name, (state, why) in standing.items()},
            "level": None if rule.by_change or rule.learns else rule.level,
        }


def state_of(fields: dict[str, Any]) -> State:
    """A decision's memory as it was written."""
    window = tuple((float(t), float(x)) for t, x in fields.get("window", ()))
    learnt = tuple(float(x) for x in fields.get("learnt", ()))
    return State(**{**fields, "window": window, "learnt": learnt})
