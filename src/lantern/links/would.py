"""What a link would have done on the takes of its cause, each as it was recorded, by the rehearsal's own rules."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy.orm import Session

from lantern.core.linking.whole import Given, Rules, rehearsed
from lantern.links.evidence import evidence_of, names_in, raised_on
from lantern.links.tables import CompoundRow, LinkRow, MessageRow, rows_of, timetables_of
from lantern.register.tables import outputs_of
from lantern.tune.tables import detectors_of_site


def would(session: Session, row: LinkRow) -> list[dict[str, Any]]:
    """Return for each take how often the link's cause raised on it, and what would have become of the orders. The takes of a compound's
    parts lie on one clock, as they were recorded; an input has none.
    """
    what, name = row.model.of
    if what == "input":
        return []
    compounds = [each.model for each in rows_of(session, CompoundRow, row.site_id)]
    names = {name} if what == "detector" else names_in(next(c for c in compounds if c.name == name), compounds)
    detectors = [each for each in detectors_of_site(session, row.site_id) if each.name in names]
    held = [(take, raised_on(session, one, take)) for one, take in evidence_of(session, detectors)]
    if what == "detector":
        return [_judged(session, row, take.name, take.start, given) for take, given in held]
    if not held:
        return []
    begins = min(take.start for take, _ in held)
    given = [_later(each, (take.start - begins).total_seconds()) for take, some in held for each in some]
    return [_judged(session, row, "the takes of its parts", begins, given)]


def _later(given: Given, by_s: float) -> Given:
    cleared = None if given.cleared_s is None else round(given.cleared_s + by_s, 6)
    return replace(given, raised_s=round(given.raised_s + by_s, 6), cleared_s=cleared)


def _judged(session: Session, row: LinkRow, take: str, begins: datetime, given: Sequence[Given]) -> dict[str, Any]:
    what, name = row.model.of
    timetables = {each.name: each.model for each in timetables_of(session, row.site_id)}
    hours = {("output", out.name): out.timetable for _, out in outputs_of(session, row.site_id) if out.timetable}
    for each in detectors_of_site(session, row.site_id):
        if each.model.timetable:
            hours["detector", each.name] = each.model.timetable
    compounds = tuple(each.model for each in rows_of(session, CompoundRow, row.site_id))
    messages = {each.name: each.model for each in rows_of(session, MessageRow, row.site_id)}

    def is_on(timetable: str, t_s: float) -> bool:
        return timetables[timetable].is_active(begins + timedelta(seconds=t_s))

    lines = rehearsed(Rules((row.model,), compounds, messages, hours, is_on), given)
    shown = [line.shown for line in lines if line.shown is not None]
    results = Counter(line.said["result"] for line in lines if "do" in line.said)
    raised = sum((each.what, each.name) == (what, name) for each in shown)
    return {"take": take, "raised": raised, "results": dict(results)}
