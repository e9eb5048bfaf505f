"""How a detector's bare detections are followed, tuned like dials: what each value would miss and raise falsely."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from typing import Any

from lantern.core.dials import read_dials
from lantern.core.faults import Fault, Refused
from lantern.core.radar.subject import RadarSubject, judge
from lantern.core.radar.tracking.dials import Tracking
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.scoring.tally import Counts
from lantern.core.tunable import Tunable
from lantern.core.tuning.measures import AnyYardstick
from lantern.core.tuning.rows import Row


@dataclass(frozen=True)
class Following(Tunable):
    """A detector held against a take of bare detections."""

    strip_values = 12  # everybody is followed anew for each
    none_exact = "none: whoever is followed otherwise is somebody else"

    subject: RadarSubject
    dials: Tracking

    @property
    def yardstick(self) -> AnyYardstick:
        return self.subject.yardstick

    @property
    def length_s(self) -> float:
        return self.subject.length_s

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

    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Counts:
        return self.subject.result(marks, slack)

    def exact_dials(self) -> Collection[str]:
        return ()

    def rows_exact(
        self, dial: str, marks: Sequence[Mark], low: float, high: float, slack: Slack = Slack(), *, whole: bool = False
    ) -> list[Row]:
        raise Refused([Fault(dial, "has no exact sweep", "values one by one")])


def following(subject: RadarSubject) -> Following:
    """Return how a take is followed. Raises `Refused` for one whose radar does so itself."""
    if not subject.raw.bare:
        raise Refused([Fault("take", "its radar follows targets itself", "a take of bare detections")])
    return Following(subject, subject.detector.tracking or Tracking())
