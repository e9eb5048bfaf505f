"""How a detector's bare detections are followed, tuned like dials: what each value would miss and raise falsely."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from lantern.core.dials import read_dials
from lantern.core.faults import Fault, Refused
from lantern.core.radar.retuned import Retuned
from lantern.core.radar.subject import RadarSubject, judge
from lantern.core.radar.tracking.dials import Tracking


@dataclass(frozen=True)
class Following(Retuned):
    """A detector held against a take of bare detections."""

    strip_values = 12  # everybody is followed anew for each

    subject: RadarSubject
    dials: Tracking

    def matters(self, dial: str) -> bool:
        """Thresholds play a part where the take has what they are compared with."""
        raw = self.subject.raw
        known = {
            "min_snr_db": raw.snr_db is not None,
            "false_alarm_exponent": raw.snr_db is not None and raw.noise_cells is not None,
            "clutter_db": self.subject.detector.clutter is not None,
        }
        return known.get(dial, True)

    def with_dials(self, **changes: Any) -> Following:
        dials = read_dials(Tracking, self.dials.model_dump() | changes)
        detector = self.subject.detector.model_copy(update={"tracking": dials})
        return replace(self, subject=judge(detector, self.subject.kind, self.subject.raw), dials=dials)


def following(subject: RadarSubject) -> Following:
    """Return how a take is followed. Raises `Refused` for one whose radar does so itself."""
    if not subject.raw.bare:
        raise Refused([Fault("take", "its radar follows targets itself", "a take of bare detections")])
    return Following(subject, subject.detector.tracking or Tracking())
