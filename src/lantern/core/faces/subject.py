"""A detector of faces held against the looks of a take: events, score card, sweeps."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar

import numpy as np

from lantern.core.dials import DialInfo, read_dials
from lantern.core.events import Event, in_order
from lantern.core.faces.deciding import Best, best_of
from lantern.core.faces.decision import FaceDecision, Raise
from lantern.core.faces.detector import FaceDetector
from lantern.core.faces.dials import MASK, MASKS, FaceDials
from lantern.core.faces.kind import FaceKind
from lantern.core.faces.looks import Looks
from lantern.core.faces.threshold_steps import rows_along
from lantern.core.faces.verdicts import ORDER, verdict
from lantern.core.raising import Raising
from lantern.core.reasons import Reason
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.scoring.tally import ALL, SHOWN, Counts, Tally
from lantern.core.signals import Series
from lantern.core.tuning.rows import Row
from lantern.core.units import CELSIUS, Scale

AROUND = 0.05  # of the scale, beyond its ends, that a strip shows


@dataclass(frozen=True)
class FaceSubject(FaceDecision, Raising):
    """One detector of faces, its dials, and the looks of one take."""

    traces_as: ClassVar[str] = "stems"

    @property
    def length_s(self) -> float:
        return self.looks.length_s

    def with_dials(self, **changes: Any) -> FaceSubject:
        return replace(self, dials=read_dials(FaceDials, self.dials.model_dump() | changes))

    def alone(self, place: int) -> FaceSubject:
        """Return the same with the dial as the threshold of one list alone: the others stay where they are."""
        lists = tuple(
            held.model_copy(update={"threshold": None if at == place else self.thresholds[at]})
            for at, held in enumerate(self.lists)
        )
        return replace(self.with_dials(threshold=self.thresholds[place]), lists=lists)

    # ---- what it comes to ----

    def events(self) -> list[Event]:
        return in_order([self._event(each) for each in self.raises])

    def _event(self, each: Raise) -> Event:
        t = float(self.looks.t_s[each.look])
        listed = each.place >= 0
        score = float(self.looks.score[each.row]) if listed else float(self.looks.greatest[each.look])
        return Event(
            detector=self.detector.name,
            region="",
            raised_s=t,
            cleared_s=t,
            cleared_by="reading",
            repeat=False,
            peak=score,
            object=self.looks.candidate.at(each.row) if listed else self.looks.probe[each.look],
            why=self._why(each, score),
            own={"list": self.lists[each.place].name if listed else None},
        )

    def _why(self, each: Raise, score: float) -> dict[str, Any]:
        out: dict[str, Any] = {"score": score, "probe": self.looks.probe[each.look]}
        if each.place >= 0:
            out["threshold"] = self.thresholds[each.place]
            out["looks"] = self.dials.min_looks
        return out | self.looks.group_of(each.look)

    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Counts:
        tally = Tally(marks, slack)
        for each in self.raises:
            tally.add(float(self.looks.t_s[each.look]))
        return tally.counts()

    # ---- along a dial ----

    def exact_dials(self) -> list[str]:
        return [] if self.dials.when in MASKS else ["threshold"]

    def rows_exact(
        self, dial: str, marks: Sequence[Mark], low: float, high: float, slack: Slack = Slack(), *, whole: bool = False
    ) -> list[Row]:
        moved = [place for place, held in enumerate(self.lists) if held.threshold is None]
        return rows_along(self, moved, marks, slack, low=low, high=high, compared=ALL if whole else SHOWN)

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        """Return of a threshold the scale of the scores, with a little beyond."""
        if info.name != "threshold":
            return 0.0
        low, high = self.looks.range
        beyond = (high - low) * AROUND or 1.0
        return low - beyond, high + beyond

    # ---- what a reader asks ----

    def refusals(self) -> list[tuple[float, str, Reason]]:
        said = [(look, verdict(self, look)) for look in range(len(self.looks))]
        return [
            (float(self.looks.t_s[look]), self.looks.probe[look], reason)
            for look, reason in said
            if reason.code != "raised"
        ]

    def why_silent(self, mark: Mark, slack: Slack = Slack(), scale: Scale = CELSIUS) -> Reason:
        """Return the reason of the look that came nearest to a raise, of those during the mark."""
        start, end = mark.from_s - slack.early_s, mark.end_s + slack.late_s
        there = np.flatnonzero((self.looks.t_s >= start - 1e-6) & (self.looks.t_s <= end + 1e-6)).tolist()
        if not there:
            return Reason("no_data", "The device saw no face here.", {})
        said = [(verdict(self, look), look) for look in there]
        reason, look = min(said, key=lambda pair: (ORDER.index(pair[0].code), -self._nearness(pair[1])))
        probe = self.looks.probe[look]
        return Reason(reason.code, f"Look {probe}: {reason.text}", reason.figures | {"object": probe})

    def _nearness(self, look: int) -> float:
        """Return by how much its best is above the threshold of its list (negative: below), of the nearest list."""
        pairs = zip(self.bests, self.thresholds, strict=True)
        return max((float(best.score[look]) - threshold for best, threshold in pairs), default=-np.inf)

    def traces(self) -> Mapping[str, Series]:
        """Return the best score of each look over all lists, at its time."""
        score = np.max([best.score for best in self.bests], axis=0) if self.bests else self.looks.greatest
        keep = np.isfinite(score) & np.append(np.diff(self.looks.t_s) > 0, True)
        return {"looks": Series(self.looks.t_s[keep], score[keep], "", "looks")} if keep.any() else {}

    def line(self) -> dict[str, Any] | None:
        return {"dial": "threshold", "level": self.dials.threshold, "clears": None}

    def cautions(self) -> list[str]:
        out = list(self.looks.told)
        if self.dials.when in MASKS:
            column = self.looks.groups.get(MASK)
            if column is None or not set(column.words) & set(MASKS.values()):
                words = " or ".join(sorted(MASKS.values()))
                out.append(f"The take has no column {MASK} that says {words}: it never raises")
            return out
        members = {member for held in self.lists for member in held.members}
        if not members:
            never = ": it never raises" if self.dials.when == "listed" else ": every look is on none"
            out.append(f"It has no list with a member on it{never}")
        known = set(self.looks.candidate.words)
        absent = sorted(members - known)
        if absent and members:
            few = ", ".join(absent[:3]) + (f" and {len(absent) - 3} more" if len(absent) > 3 else "")
            out.append(f"Nobody was compared with {few}: nothing here shows how they would be found")
        low, high = self.looks.range
        for held, threshold in zip(self.lists, self.thresholds, strict=True):
            if self.looks.scale is not None and not low <= threshold <= high:
                out.append(
                    f"The threshold of {held.name}, {threshold:g}, is not on the device's scale, {low:g} to {high:g}"
                )
        return out


def judge(detector: FaceDetector, kind: FaceKind, looks: Looks) -> FaceSubject:
    """Return the detector held against looks."""
    lists = detector.known_lists
    bests = tuple(_best(looks, held.members) for held in lists)
    return FaceSubject(detector, kind, kind.read_dials(detector), looks, lists, bests)


def _best(looks: Looks, members: tuple[str, ...]) -> Best:
    """A threshold that is dragged does not change it."""
    return looks.remember(("best", members), lambda: best_of(looks, members))
