"""A compound held against what its parts raised on their takes: each take from its own start, on one clock."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy.orm import Session

from lantern.core.events import Detector
from lantern.core.kinds import kind_of
from lantern.core.linking.whole import Given
from lantern.core.logic.causes import Happened, first_fit
from lantern.core.logic.compounds import Compound, Raised, worked_out
from lantern.links.tables import timetables_of
from lantern.takes.tables import TakeRow, evidence_of_device
from lantern.tune.judging import raised
from lantern.tune.tables import DetectorRow, detectors_of_site

STEPS = {
    "within_s": "s within which its parts come",
    "quiet_s": "s of quiet",
    "wait_s": "s that it waits",
    "rearm_s": "s to re-arm",
}
VALUES_S = (0.0, 0.5, 1.0, 2.0, 3.0, 5.0, 7.0, 10.0, 15.0, 20.0, 30.0, 45.0, 60.0, 90.0, 120.0, 180.0, 300.0, 600.0)
OF_KIND = {"any": ("rearm_s",), "all": ("within_s", "rearm_s"), "sequence": ("within_s", "rearm_s")}


@dataclass(frozen=True)
class OneClock:
    """What detectors raised on their takes, in order; `begins`: second 0; `spans`: when which take lies there, in s."""

    begins: datetime
    happened: tuple[Happened, ...]
    spans: tuple[tuple[str, float, float], ...]


def raised_on(session: Session, row: DetectorRow, take: TakeRow, detector: Detector | None = None) -> list[Given]:
    """Return what a detector raises on a take, in s from the take's start. `detector`: in another state than it is."""
    events = raised(session, detector or row.model, take)
    return [
        Given(
            "detector", row.name, e.raised_s, e.cleared_s, e.repeat, e.region or "", e.own.get("list"), take=take.name
        )
        for e in events
    ]


def evidence_of(session: Session, rows: Sequence[DetectorRow]) -> Iterator[tuple[DetectorRow, TakeRow]]:
    """Return each detector with each take that says something of it."""
    for row in rows:
        for take in evidence_of_device(session, row.device_id):
            if take.signal in kind_of(row.kind).signals:
                yield row, take


def on_one_clock(session: Session, site_id: int, names: set[str]) -> OneClock | None:
    """Return what detectors of these names raised; None: none of them has a take. What an own timetable puts to sleep is left out."""
    rows = [row for row in detectors_of_site(session, site_id) if row.name in names]
    hours = {each.name: each.model for each in timetables_of(session, site_id)}
    held = list(evidence_of(session, rows))
    if not held:
        return None
    begins = min(take.start for _, take in held)
    out: list[Happened] = []
    for row, take in held:
        later_s, own = (take.start - begins).total_seconds(), hours.get(row.model.timetable or "")
        for each in raised_on(session, row, take):
            at_s = round(each.raised_s + later_s, 6)
            if each.repeat or (own is not None and not own.is_active(begins + timedelta(seconds=at_s))):
                continue
            cleared = None if each.cleared_s is None else round(each.cleared_s + later_s, 6)
            out.append(Happened("detector", each.name, at_s, cleared, (at_s, 0, len(out)), each.region, each.listed))
    out.sort(key=lambda each: each.place)
    spans = {take.name: (take.start - begins).total_seconds() for _, take in held}
    lengths = {take.name: take.length_s for _, take in held}
    laid = tuple(
        (name, from_s, from_s + lengths[name]) for name, from_s in sorted(spans.items(), key=lambda each: each[1])
    )
    return OneClock(begins, tuple(out), laid)


@dataclass(frozen=True)
class Tried:
    """A compound, not kept yet, with those of the site that it may be made of."""

    compound: Compound
    others: tuple[Compound, ...]
    clock: OneClock
    hours: dict[str, Any]

    def raised(self, compound: Compound) -> list[Raised]:
        def is_on(name: str, t_s: float) -> bool:
            found = self.hours.get(name)
            return found is None or bool(found.is_active(self.clock.begins + timedelta(seconds=t_s)))

        return worked_out([*self.others, compound], self.clock.happened, is_on)[compound.name]

    def strips(self) -> dict[str, list[tuple[float, int]]]:
        """Return by number how often it raises with other values of it: exact, each is worked out."""
        now = self.compound
        out = {}
        for key in OF_KIND.get(now.kind, ("wait_s", "quiet_s", "rearm_s")):
            values = sorted({*VALUES_S, getattr(now, key)} - ({0.0} if key == "within_s" else set()))
            out[key] = [(value, len(self.raised(now.model_copy(update={key: value})))) for value in values]
        return out


def names_in(compound: Compound, others: Sequence[Compound]) -> set[str]:
    """Return the detectors that a compound is made of, through others too."""
    by_name = {each.name: each for each in others}
    found = {part.detector for part in compound.parts if part.detector}
    for part in compound.parts:
        if part.compound in by_name:
            found |= names_in(by_name[str(part.compound)], others)
    return found


def tried(session: Session, site_id: int, compound: Compound, others: Sequence[Compound]) -> Tried | None:
    """Return a compound over what its parts raised; None: none of them has a take."""
    clock = on_one_clock(session, site_id, names_in(compound, others))
    if clock is None:
        return None
    hours = {each.name: each.model for each in timetables_of(session, site_id)}
    return Tried(compound, tuple(each for each in others if each.name != compound.name), clock, hours)


def shown(held: Tried) -> dict[str, Any]:
    """Return it as the page draws it: a lane for each part, what it raised, and what became of each event of the first part."""
    raised = held.raised(held.compound)
    used = {each.place for one in raised for each in one.used}
    lanes = []
    for number, part in enumerate(held.compound.parts):
        events = [each for each in held.clock.happened if first_fit([part], each) is not None]
        name = part.detector or part.compound or part.input or ""
        told = [[each.raised_s, each.cleared_s, each.place in used] for each in events]
        lanes.append({"name": name, "first": number == 0, "events": told})
    return {
        "begins": held.clock.begins.timestamp(),
        "spans": [list(each) for each in held.clock.spans],
        "lanes": lanes,
        "raised": [[each.happened.raised_s, each.asleep] for each in raised],
        "strips": [
            {"key": key, "title": STEPS[key], "points": points, "now": getattr(held.compound, key)}
            for key, points in held.strips().items()
        ],
    }
