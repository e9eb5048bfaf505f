"""A detector of plates held against the reads of a take: events, passages, score card, sweeps."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar

import numpy as np

from lantern.core.dials import DialInfo, read_dials
from lantern.core.events import Event, in_order
from lantern.core.plates import dial_steps
from lantern.core.plates.attachment import NAMES
from lantern.core.plates.conditions.every import CONDITIONS
from lantern.core.plates.deciding import Raised, listed, why
from lantern.core.plates.decision import Decision
from lantern.core.plates.detector import PlateDetector
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.filters import places_of
from lantern.core.plates.keys import key_of
from lantern.core.plates.kind import PlateKind
from lantern.core.plates.lists import Nearest, Rolls
from lantern.core.plates.reads import Reads
from lantern.core.plates.verdicts import ORDER
from lantern.core.raising import Raising
from lantern.core.reasons import Reason
from lantern.core.scoring.marks import Mark, Slack, within
from lantern.core.scoring.tally import ALL, SHOWN, Counts, Tally
from lantern.core.signals import Series
from lantern.core.tuning.rows import Row
from lantern.core.units import CELSIUS, Scale
from lantern.core.watching import Indices

# Dials that the history of a passage does not depend on.
AFTER_HISTORY = {"when", *dial_steps.LISTS, "rearm_s"}.union(*(condition.dials for condition in CONDITIONS))


@dataclass(frozen=True)
class PlateSubject(Decision, Raising):
    """One detector of plates, its dials, and the reads of one take."""

    traces_as: ClassVar[str] = "stems"

    @property
    def length_s(self) -> float:
        return self.reads.length_s

    def with_dials(self, **changes: Any) -> PlateSubject:
        made = replace(self, dials=read_dials(PlateDials, self.dials.model_dump() | changes))
        if "history" in self.__dict__ and AFTER_HISTORY.issuperset(changes):
            made.__dict__["history"] = self.history
        return made

    # ---- what it comes to ----

    def events(self) -> list[Event]:
        places = places_of(self.reads.plate, self.detector.regions)
        return in_order([self._event(each, places) for each in self.kept])

    def _event(self, each: Raised, places: Indices) -> Event:
        place = int(places[self.history.read[each.row]])
        nearest = self.near(each.row)
        match = nearest.listed if listed(nearest, self.dials) else None
        return Event(
            detector=self.detector.name,
            region=self.detector.regions[place].name if place >= 0 else "",
            raised_s=each.t,
            cleared_s=float(self.passages.last_s[each.passage]),
            cleared_by="lost",
            repeat=False,
            peak=float(self.history.confidence[each.row]),
            object=self.passages.vehicle[each.passage],
            why=why(self.history, each.row, nearest, self.dials),
            own={
                "text": each.text,
                "match": match.entry.text if match else None,
                "list": match.list if match else None,
            },
        )

    def passage_lines(self) -> list[dict[str, Any]]:
        """A line for each passage, in order of its first read, from all its accepted reads."""
        counted, history, passages = self.counted(self.dials), self.history, self.passages
        kinds = history.seen.kinds(self.dials.wander)
        out = []
        for number, own in enumerate(passages.reads):
            row = history.last.get(number)
            truth = next((key for at in own.tolist() if (key := key_of(self.reads.truth[at]))), None)
            text = None if row is None else history.text[row]
            nearest = Nearest(None) if row is None else self.near(row)
            match = nearest.listed if listed(nearest, self.dials) else None
            out.append(
                {
                    "vehicle": passages.vehicle[number],
                    "first_s": float(passages.first_s[number]),
                    "last_s": float(passages.last_s[number]),
                    "reads": int(own.size),
                    "accepted": int(counted[own].sum()),
                    "text": text,
                    "confidence": 0.0 if row is None else float(history.confidence[row]),
                    "attached": NAMES[0 if row is None else int(kinds[row])],
                    "match": match.entry.text if match else None,
                    "list": match.list if match else None,
                    "truth": truth,
                    "correct": None if truth is None else text == truth,
                }
            )
        return out

    def refusals(self) -> list[tuple[float, str, Reason]]:
        lines = self.passage_lines()
        return [
            (line["first_s"], line["text"] or line["vehicle"], said)
            for line, said in zip(lines, self.verdicts, strict=True)
            if said.code != "raised"
        ]

    # ---- along a dial ----

    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Counts:
        tally = Tally(marks, slack)
        for each in self.kept:
            tally.add(each.t)
        return tally.counts()

    def exact_dials(self) -> list[str]:
        return dial_steps.exact_dials(self)

    def rows_exact(
        self, dial: str, marks: Sequence[Mark], low: float, high: float, slack: Slack = Slack(), *, whole: bool = False
    ) -> list[Row]:
        return dial_steps.rows_exact(
            self, dial, marks, low=low, high=high, slack=slack, compared=ALL if whole else SHOWN
        )

    # ---- what a reader asks ----

    def why_silent(self, mark: Mark, slack: Slack = Slack(), scale: Scale = CELSIUS) -> Reason:
        """Return the reason of the passage that came nearest, of those during the mark; with none, no vehicle
        was read.
        """
        start, end = mark.from_s - slack.early_s, mark.end_s + slack.late_s
        passages = self.passages
        there = np.flatnonzero((passages.last_s >= start - 1e-6) & (passages.first_s <= end + 1e-6)).tolist()
        if not there:
            return Reason("no_data", "No vehicle was read here.", {})
        best = min(there, key=lambda number: (ORDER.index(self.verdicts[number].code), number))
        said, vehicle = self.verdicts[best], passages.vehicle[best]
        raised = [each.t for each in self.kept if each.passage == best]
        if any(not within(t, start, end) for t in raised):
            return Reason("elsewhere", f"Vehicle {vehicle} raised at another time. {said.text}", {"object": vehicle})
        return Reason(said.code, f"Vehicle {vehicle}: {said.text}", said.figures | {"object": vehicle})

    def traces(self) -> Mapping[str, Series]:
        """Return how sure the vote of each passage was in the end, at the time of its last accepted read."""
        history = self.history
        rows = np.array(sorted(history.last.values(), key=lambda row: history.t_s[row]), dtype=np.intp)
        t_s = history.t_s[rows]
        keep = np.append(np.diff(t_s) > 0, True) if t_s.size else np.zeros(0, dtype=np.bool_)
        return {"passages": Series(t_s[keep], 100 * history.confidence[rows][keep], "%", "passages")}

    def cautions(self) -> list[str]:
        out = []
        if self.dials.when != "any" and not self.rolls.listed:
            out.append(
                "It has no list with an entry on it" + (": it never raises" if self.dials.when == "listed" else "")
            )
        plain = np.isnan(self.reads.plate[:, 0])
        needs_box = self.dials.min_height_px is not None or self.detector.regions
        if needs_box and plain.any():
            share = 100 * float(plain.mean())
            out.append(f"{share:.0f} % of the reads have no box of the plate, and do not count under these dials")
        if self.dials.vehicle != "any" and len(self.reads) and np.isnan(self.reads.car[:, 0]).all():
            out.append("No read has the box of a vehicle: whether a plate goes with one is never known")
        return out

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        """Return the range as far as this take has anything to tell apart."""
        if info.name == "min_height_px":
            known = self.reads.plate[:, 3][~np.isnan(self.reads.plate[:, 3])]
            return 0.0, float(np.ceil(known.max() * 1.1)) if known.size else 60.0
        return 0.0


def judge(detector: PlateDetector, kind: PlateKind, reads: Reads) -> PlateSubject:
    """Return the detector held against reads."""
    return PlateSubject(detector, kind, kind.read_dials(detector), reads, Rolls(detector.known_lists))
