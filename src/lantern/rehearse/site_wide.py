"""The whole site on one clock: all takes through all detectors, compounds, links and effects; what was expected, and what it asks of people."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from typing import Any, Literal

from sqlalchemy.orm import Session

from lantern.core.effects.register import EFFECTS
from lantern.core.linking.expectations import Expectation, judged
from lantern.core.linking.load import load
from lantern.core.linking.whole import Given, Line, rehearsed
from lantern.core.logic.timetable import zone_of
from lantern.core.raising import Raising
from lantern.core.scoring.marks import judge
from lantern.formats.whole_sites import rules_of
from lantern.links.evidence import evidence_of, raised_on
from lantern.sites.actions import site_document
from lantern.sites.tables import SiteRow
from lantern.takes.tables import TakeRow, marks_of
from lantern.tune.judging import subject
from lantern.tune.tables import DetectorRow, detectors_of_site

Laid = Literal["day", "recorded"]
TOLD = ("mail", "post", "show", "say", "switch")  # what somebody is to attend to


@dataclass(frozen=True)
class Heard:
    """A detector on a take: what it raised, by the take's clock, and how that stands against the marks there."""

    row: DetectorRow
    take: TakeRow
    events: tuple[Given, ...]
    verdicts: tuple[str, ...]
    marks: tuple[tuple[float, float, str, bool, str], ...]  # from, to, label, was hit, why not


def to_judge(session: Session, site_id: int) -> list[tuple[DetectorRow, TakeRow]]:
    """Return each detector that runs with each take that says something of it."""
    rows = [row for row in detectors_of_site(session, site_id) if row.enabled]
    return list(evidence_of(session, rows))


def heard(session: Session, row: DetectorRow, take: TakeRow) -> Heard:
    """Judge a detector on a take; once for each revision, as the bench does."""
    events = raised_on(session, row, take)
    held = subject(session, row.model, take)
    marks = [each.as_mark() for each in marks_of(session, take.id)]
    mine = [mark for mark in marks if mark.concerns(row.name)]
    found = judge([each.raised_s for each in events if not each.repeat], mine)
    verdicts = iter(found.verdicts)
    hit = {mark for mark in found.hit_marks if mark is not None}
    told = []
    for at, mark in enumerate(mine):
        was_hit = at in hit
        lost = mark.label == "expect" and not was_hit and isinstance(held, Raising)
        why = held.why_silent(mark).text if lost and isinstance(held, Raising) else ""
        told.append((mark.start_s, mark.end_s, mark.label, was_hit, why))
    words = tuple("repeat" if each.repeat else next(verdicts) for each in events)
    return Heard(row, take, tuple(events), words if mine else ("plain",) * len(events), tuple(told))


def played(session: Session, site_id: int, laid: Laid) -> dict[str, Any]:
    """Return the rehearsal as the page draws it. `laid`: each take where it was recorded, or at its time of one day."""
    site_row = session.get_one(SiteRow, site_id)
    site = site_document(session, site_row)
    heards = [heard(session, row, take) for row, take in to_judge(session, site_id)]
    begins, later = _laid(heards, site.zone, laid)
    given = [
        Given(
            each.what, each.name, round(each.raised_s + later[one.take.id], 6),
            None if each.cleared_s is None else round(each.cleared_s + later[one.take.id], 6),
            each.repeat, each.region, each.listed, {"verdict": verdict, "take": one.take.name}, one.take.name,
        )
        for one in heards
        for each, verdict in zip(one.events, one.verdicts, strict=True)
    ]  # fmt: skip
    lines = rehearsed(rules_of(site, begins), given)
    takes = {one.take.name: later[one.take.id] for one in heards}
    outcomes = judged(site.expectations, lines, takes)
    spans = sorted({(later[one.take.id], later[one.take.id] + one.take.length_s) for one in heards})
    return {
        "begins": begins.timestamp(),
        "zone": site.zone,
        "spans": spans,
        "takes": sorted(takes),
        "places": _places(site, heards, later, lines),
        "orders": [_order(line) for line in lines if "do" in line.said],
        "compounds": [
            line.said | {"key": _key(line.shown.place)}
            for line in lines
            if line.shown is not None and line.shown.what == "compound"
        ],
        "asleep": [line.said for line in lines if line.said.get("result") == "asleep" and "do" not in line.said],
        "lanes": _lanes(lines),
        "expectations": [
            each.as_dict() | {"sentence": _sentence(one)} for each, one in zip(outcomes, site.expectations, strict=True)
        ],
        "stations": _stations(lines, {link.of[1] for link in site.links if link.effects}),
        "load": _load(lines, sum(to - at for at, to in _merged(spans))),
    }


def _laid(heards: list[Heard], zone: str, laid: Laid) -> tuple[datetime, dict[int, float]]:
    """Return second 0, and when each take begins."""
    takes = {one.take.id: one.take for one in heards}
    if not takes:
        return datetime.now(UTC), {}
    first = min(take.start for take in takes.values())
    if laid == "recorded":
        return first, {key: (take.start - first).total_seconds() for key, take in takes.items()}
    local = first.astimezone(zone_of(zone))
    midnight = datetime.combine(local.date(), time(), zone_of(zone))
    out = {}
    for key, take in takes.items():
        at = take.start.astimezone(zone_of(zone))
        out[key] = float(timedelta(hours=at.hour, minutes=at.minute, seconds=at.second).total_seconds())
    return midnight, out


def _places(site: Any, heards: list[Heard], later: dict[int, float], lines: list[Line]) -> list[dict[str, Any]]:
    events: dict[str, list[list[Any]]] = {}
    for line in lines:
        shown = line.shown
        if shown is not None and shown.what == "detector":
            said = line.said
            events.setdefault(shown.name, []).append(
                [said["index"], shown.raised_s, said["verdict"], shown.asleep, said["take"]]
            )
    marks: dict[str, list[list[Any]]] = {}
    for one in heards:
        at = later[one.take.id]
        told = [[from_s + at, to_s + at, label, was_hit, why] for from_s, to_s, label, was_hit, why in one.marks]
        marks.setdefault(one.row.name, []).extend(told)
    rows = {one.row.name: one.row for one in heards}
    out = []
    for place in site.places:
        codes = {device.code for device in place.devices}
        lanes = [
            {
                "id": row.id,
                "name": name,
                "code": row.device.code,
                "events": events.get(name, []),
                "marks": marks.get(name, []),
            }
            for name, row in rows.items()
            if row.device.code in codes
        ]
        if lanes:
            out.append({"name": place.name, "lanes": lanes})
    return out


def _lanes(lines: list[Line]) -> list[str]:
    """Return what orders are drawn beside, in the order in which they come first."""
    return list(dict.fromkeys(_lane(line.said) for line in lines if "do" in line.said))


def _lane(said: dict[str, Any]) -> str:
    return EFFECTS[said["do"]].lane(said["on"])


def _order(line: Line) -> dict[str, Any]:
    assert line.ordered_by is not None
    return line.said | {"lane": _lane(line.said), "by": _key(line.ordered_by)}


def _key(place: tuple[float, int, int]) -> str:
    """Return what an event is called by, of a detector or of a compound."""
    return " ".join(map(str, place))


def _sentence(expected: Expectation) -> str:
    """Return it as it is said: "Gate line: switch on Yard lights within 5 s"."""
    must = [f"{each.do.replace('_', ' ')} on {each.on} within {each.within_s:g} s" for each in expected.must]
    must += [f"no {each.do.replace('_', ' ')} on {each.on} within {each.within_s:g} s" for each in expected.must_not]
    return f"{expected.when.of[1]}: {', '.join(must)}"


def _stations(lines: list[Line], linked: set[str]) -> list[tuple[str, int]]:
    """Return how many events came to each station of the chain, and where they were lost."""
    shown = [line for line in lines if line.shown is not None]
    awake = [line for line in shown if line.shown is not None and not line.shown.asleep]
    heard_of = [line for line in awake if line.shown is not None and line.shown.name in linked]
    orders = [line.said for line in lines if "do" in line.said]
    by_result = Counter(said["result"] for said in orders)
    return [
        ("raised", len(shown)),
        ("asleep by their own hours", len(shown) - len(awake)),
        ("with no link", len(awake) - len(heard_of)),
        ("their link asleep", sum("do" not in line.said and line.said.get("result") == "asleep" for line in lines)),
        ("orders", len(orders)),
        *(
            (f"orders {word}", by_result[word])
            for word in ("done", "cut", "busy", "expired", "asleep")
            if by_result[word]
        ),
    ]


def _load(lines: list[Line], length_s: float) -> dict[str, Any]:
    """Return what it asks of people: a link that told somebody of an event is one alarm, however much it ordered."""
    alarms: dict[tuple[str, Any], tuple[float, str]] = {}
    for line in lines:
        said = line.said
        if said.get("do") in TOLD and said["result"] in ("done", "cut"):
            alarms.setdefault((said["link"], said["event"]), (said["at_s"], said["link"]))
    found = load(sorted(alarms.values()), length_s)
    return {
        "count": found.count, "per_10_min": found.per_10_min, "worst": found.worst, "worst_s": found.worst_s,
        "floods": len(found.floods), "first": found.first, "word": found.word, "length_s": length_s,
    }  # fmt: skip


def _merged(spans: list[tuple[float, float]]) -> list[tuple[float, float]]:
    out: list[tuple[float, float]] = []
    for from_s, to_s in spans:
        if out and from_s <= out[-1][1]:
            out[-1] = (out[-1][0], max(out[-1][1], to_s))
        else:
            out.append((from_s, to_s))
    return out
