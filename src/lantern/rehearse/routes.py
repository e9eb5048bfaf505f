"""Rehearsal of one take: everything on one clock, and why."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from lantern.benches.register import parts_drawn
from lantern.core.kinds import kind_of
from lantern.core.raising import Raising
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.links.tables import armed_links
from lantern.people.tables import scale_of
from lantern.takes.tables import marks_of
from lantern.tune import bench
from lantern.tune.judging import subject
from lantern.tune.shown import get_detector, judgeable, render_without_evidence, take_for, take_shown
from lantern.web.access import may
from lantern.web.door import user_id
from lantern.web.pages import render

router = APIRouter()


@router.get("/rehearse/{detector_id}", **may("viewer"))
def rehearse_page(request: Request, detector_id: Id, take: Id | None = None) -> HTMLResponse:
    with transaction() as session:
        row = get_detector(session, detector_id)
        chosen = take_for(session, row, take)
        if chosen is None:
            return render_without_evidence(request, session, row, stage="rehearse")
        kind = kind_of(row.kind)
        if not kind.raises:
            return render(request, session, "raises_nothing.html", stage="rehearse", detector=row)
        links = armed_links(session, row.device.site_id, row.id)
        scale = scale_of(session, user_id(request))
        held = subject(session, row.model, chosen)
        assert isinstance(held, Raising)  # as its kind says
        data = {
            "take": take_shown(chosen, row.device.place.site.zone),
            "marks": [m.as_dict() for m in marks_of(session, chosen.id) if m.as_mark().concerns(row.name)],
            "judged": bench.judged(session, row.model, chosen, links, scale),
            "readings": bench.drawn_readings(session, row.model, chosen, scale),
            "refusals": [{"t": t, "what": what, "why": why.text} for t, what, why in held.refusals()],
            "detector": row.body,
            "frame": parts_drawn(row.kind),
            "scale": {"level": scale.level.as_dict(), "difference": scale.difference.as_dict()},
            "links": [
                {
                    "name": armed.link.name,
                    "timetable": armed.timetable.name if armed.timetable else None,
                    "summary": armed.timetable.summary if armed.timetable else "always: no timetable",
                    "outputs": [effect.lane(thing) for effect in armed.link.effects for thing in effect.things],
                }
                for armed in links
            ],
        }
        takes = judgeable(session, row)
        return render(
            request, session, "rehearse.html", stage="rehearse", detector=row, take=chosen, takes=takes, data=data
        )
