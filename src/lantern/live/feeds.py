"""A device's frames through its detectors: the same `step` that tuning and rehearsal are proven against."""

from __future__ import annotations

import time
from collections import deque
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from lantern.core.baseline import LEAST_LEARNT
from lantern.core.decide import State, step
from lantern.core.events import Detector, Region
from lantern.core.kinds import SeriesKind, kind_of
from lantern.core.rehearsal import Armed
from lantern.core.rule import LEAST_GAP_S, Rule
from lantern.formats.wire import FrameHeader
from lantern.live.recorder import Happening

KEPT_READINGS = 1200


@dataclass
class Watch:
    """One live detector: what it looks at, its decisions, its links."""

    detector_id: int
    site_id: int
    revision: int
    model: Detector
    links: list[Armed]
    states: dict[str, State] = field(default_factory=dict)
    readings: dict[str, float] = field(default_factory=dict)
    error: str = ""
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

    def take(self, header: FrameHeader, pixels: Any, interval_s: float) -> list[Happening]:
        """One frame through every region. Gives what changed; the states are taken over by the caller once stored."""
        readings = self.reader.read(header.frames(pixels), header.t)
        rule = self.rule(interval_s)
        self.paused = not readings
        out: list[Happening] = []
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
                out.append(
                    Happening(self.site_id, self.detector_id, self.revision, name, at, tuple(changes), after, x, why)
                )
        return out

    def resume(self, remembered: dict[str, tuple[int, State]]) -> None:
        """Go on where an earlier engine stopped. Under another revision only the re-arm time is carried over."""
        for name, (revision, state) in remembered.items():
            self.states[name] = state if revision == self.revision else State(last_raise=state.last_raise)

    def shift(self, seconds: float) -> None:
        """The device's clock jumped (a restart, a set clock): carry the decision over to its new time."""
        self.states = {
            name: State(last_raise=None if s.last_raise is None else s.last_raise + seconds, learnt=s.learnt)
            for name, s in self.states.items()
        }
        self.reader = self.kind.reader(self.model.regions, self.dials)

    def region(self, name: str) -> Region:
        return next(region for region in self.model.regions if region.name == name)

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


@dataclass
class Feed:
    """What is known of one camera: its last frame, its pace, and how its clock stands."""

    code: str
    device_id: int
    header: FrameHeader | None = None
    pixels: Any = None
    received: int = 0
    dropped: int = 0
    last_at: float = 0.0
    interval_s: float = 0.25
    waits_ms: deque[float] = field(default_factory=lambda: deque(maxlen=KEPT_READINGS))

    def accept(self, header: FrameHeader, pixels: Any) -> bool:
        """Take over a frame; one whose time does not follow the last is dropped and counted."""
        if self.header is not None:
            step_s = header.t - self.header.t
            if step_s <= 0:
                self.dropped += 1
                return False
            if step_s < 10 * self.interval_s + 1:
                self.interval_s += 0.1 * (step_s - self.interval_s)
        self.header, self.pixels = header, pixels
        self.received += 1
        self.last_at = time.time()
        return True

    @property
    def live(self) -> bool:
        return time.time() - self.last_at < max(3.0, 4 * self.interval_s)

    def as_dict(self) -> dict[str, Any]:
        if self.header is None:
            return {"code": self.code, "live": False, "received": 0}
        return {
            "code": self.code,
            "live": self.live,
            "received": self.received,
            "dropped": self.dropped,
            "seq": self.header.seq,
            "t": self.header.t,
            "fps": round(1 / self.interval_s, 2),
            "width": self.header.width,
            "height": self.header.height,
            "scale": self.header.scale,
            "offsetC": self.header.offset_c,
            "dtype": self.header.dtype,
            "clock_s": round(self.header.t - self.last_at, 2),
        }
