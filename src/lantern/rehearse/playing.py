"""A site played on one clock: its takes through its detectors as they are, or as somebody supposes, then compounds, links and effects."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from typing import Literal

from sqlalchemy.orm import Session

from lantern.core.events import Detector
from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.kinds import detector_of
from lantern.core.linking.days import DAY_S, Piece, made_up_day
from lantern.core.linking.expectations import Outcome, judged
from lantern.core.linking.supposed import Suppose
from lantern.core.linking.whole import Given, Line, rehearsed
from lantern.core.logic.timetable import zone_of
from lantern.core.scoring.marks import judge
from lantern.core.site import Site
from lantern.formats.whole_sites import rules_of
from lantern.links.evidence import evidence_of, raised_on
from lantern.revisions import revision
from lantern.sites.actions import site_document
from lantern.sites.tables import SiteRow
from lantern.takes.tables import TakeRow, marks_of
from lantern.tune.judging import why_silent
from lantern.tune.tables import DetectorRow, detectors_of_site

Laid = Literal["day", "recorded", "made up"]
AS_IT_IS = Suppose()


@dataclass(frozen=True)
class Heard:
    """A detector on a take: what it raised, by the take's clock, and how that stands against the marks there."""

    row: DetectorRow
    take: TakeRow
    events: tuple[Given, ...]
    verdicts: tuple[str, ...]
    marks: tuple[tuple[float, float, str, bool, str], ...]  # from, to, label, was hit, why not


@dataclass(frozen=True)
class Played:
    """A run of a site, until `ends_s`. `later`: when each take begins, by its id, in s from `begins`; again and again on a made-up day. `unknown`: by device,
    the hours of that of which no take tells.
    """

    site: Site
    suppose: Suppose
    begins: datetime
    ends_s: float
    later: Mapping[int, tuple[float, ...]]
    unknown: Mapping[str, tuple[int, ...]]
    heards: tuple[Heard, ...]
    lines: list[Line]
    outcomes: list[Outcome]


def to_judge(session: Session, site_id: int) -> list[tuple[DetectorRow, TakeRow]]:
    """Return each detector that runs with each take that says something of it."""
    rows = [row for row in detectors_of_site(session, site_id) if row.enabled]
    return list(evidence_of(session, rows))


def heard(session: Session, row: DetectorRow, take: TakeRow, detector: Detector | None = None) -> Heard:
    """Judge a detector on a take; once for each revision, as the bench does. `detector`: another state of it."""
    model = detector or row.model
    events = raised_on(session, row, take, model)
    marks = [each.as_mark() for each in marks_of(session, take.id)]
    mine = [mark for mark in marks if mark.concerns(row.name)]
    found = judge([each.raised_s for each in events if not each.repeat], mine)
    verdicts = iter(found.verdicts)
    hit = {mark for mark in found.hit_marks if mark is not None}
    told = []
    for at, mark in enumerate(mine):
        was_hit = at in hit
        lost = mark.label == "expect" and not was_hit
        why = why_silent(session, model, take, mark) if lost else ""
        told.append((mark.start_s, mark.end_s, mark.label, was_hit, why))
    words = tuple("repeat" if each.repeat else next(verdicts) for each in events)
    return Heard(row, take, tuple(events), words if mine else ("plain",) * len(events), tuple(told))


def played(session: Session, site_id: int, laid: Laid, suppose: Suppose = AS_IT_IS, seed: int = 1) -> Played:
    """Play the site. `laid`: each take where it was recorded, or at its time of one day, or a day made up of them by chance from a seed.
    Raises `Refused` for devices and revisions that are supposed, and not there.
    """
    site = site_document(session, session.get_one(SiteRow, site_id))
    _check(site, suppose)
    others = _other_states(session, site_id, suppose)
    heards = tuple(heard(session, row, take, others.get(row.name)) for row, take in to_judge(session, site_id))
    begins, later, unknown = _laid(heards, site.zone, laid, seed)
    begins += timedelta(hours=suppose.later_h)
    given = [
        Given(
            each.what, each.name, round(each.raised_s + at_s, 6),
            None if each.cleared_s is None else round(each.cleared_s + at_s, 6),
            each.repeat, each.region, each.listed, {"verdict": verdict, "take": one.take.name}, one.take.name,
        )
        for one in heards
        for at_s in later.get(one.take.id, ())
        for each, verdict in zip(one.events, one.verdicts, strict=True)
    ]  # fmt: skip
    sources = {("detector", one.row.name): one.row.device.code for one in heards}
    ends_s = DAY_S if laid == "made up" else math.inf  # what is laid over its midnight is of another day
    length_s = max((at + one.take.length_s for one in heards for at in later.get(one.take.id, ())), default=0.0)
    supposed = suppose.of_run(begins, zone_of(site.zone), length_s)
    lines = rehearsed(rules_of(site, begins), supposed.heard(given, sources), until_s=ends_s)
    lines = supposed.delivered(lines, _reached(site))
    takes = {one.take.name: later.get(one.take.id, ()) or (0.0,) for one in heards}
    return Played(site, suppose, begins, ends_s, later, unknown, heards, lines, judged(site.expectations, lines, takes))


def _check(site: Site, suppose: Suppose) -> None:
    faults, there = FaultList(), {device.code for device in site.devices}
    for code in sorted(suppose.devices - there):
        faults.add("suppose", f"there is no device {code[:40]!r}", "the code of a device of this site")
    faults.refuse_if_any()


def _other_states(session: Session, site_id: int, suppose: Suppose) -> dict[str, Detector]:
    """Return the detectors that are supposed to be of another revision."""
    rows = {row.name: row for row in detectors_of_site(session, site_id)} if suppose.revisions else {}
    out = {}
    for name, number in suppose.revisions.items():
        row = rows.get(name)
        held = None if row is None else revision(session, row.WHAT, row.id, number)
        if held is None or held.body is None:
            raise Refused([Fault("suppose", f"{name[:80]!r} has no revision {number}", "one of its revisions")])
        out[name] = detector_of(held.body)
    return out


def _reached(site: Site) -> dict[str, str]:
    """Return by what orders are done to, the device that does it."""
    out = {device.code: device.code for device in site.devices}
    return out | {output.name: device.code for device in site.devices for output in device.outputs}


def _laid(
    heards: tuple[Heard, ...], zone: str, laid: Laid, seed: int
) -> tuple[datetime, Mapping[int, tuple[float, ...]], Mapping[str, tuple[int, ...]]]:
    """Return second 0, when each take begins, and which hours of a made-up day no take tells of, by device."""
    takes = {one.take.id: one.take for one in heards}
    if not takes:
        return datetime.now(UTC), {}, {}
    first = min(take.start for take in takes.values())
    if laid == "recorded":
        return first, {key: ((take.start - first).total_seconds(),) for key, take in takes.items()}, {}
    midnight = datetime.combine(first.astimezone(zone_of(zone)).date(), time(), zone_of(zone))
    of_day = {key: _of_day(take.start, zone) for key, take in takes.items()}
    if laid == "day":
        return midnight, {key: (at_s,) for key, at_s in of_day.items()}, {}
    pieces = [Piece(key, take.device.code, of_day[key], take.length_s) for key, take in takes.items()]
    made = made_up_day(pieces, seed)
    return midnight, made.begins, made.unknown


def _of_day(start: datetime, zone: str) -> float:
    at = start.astimezone(zone_of(zone))
    return float(timedelta(hours=at.hour, minutes=at.minute, seconds=at.second).total_seconds())
