"""Two detectors, or two revisions, side by side on the same takes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import HTMLResponse
from sqlalchemy.orm import Session

from lantern.benches.register import parts_drawn
from lantern.core.events import Detector
from lantern.core.kinds import detector_of, kind_of
from lantern.core.scoring.intervals import pairs_differ
from lantern.core.units import Scale
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.links.tables import armed_links
from lantern.people.tables import scale_of
from lantern.revisions import revision, revisions_of
from lantern.takes.tables import TakeRow, marks_of, takes_of_device
from lantern.tune import bench
from lantern.tune.actions import changed_keys
from lantern.tune.shown import changes_shown, get_detector, take_shown
from lantern.tune.tables import DetectorRow, detectors_of_site
from lantern.web.access import may, site_id_of
from lantern.web.door import user_id
from lantern.web.pages import render

router = APIRouter()


@dataclass(frozen=True)
class Side:
    """One of the two: a detector's row, the revision that is looked at, and its state."""

    row: DetectorRow
    number: int
    model: Detector

    @property
    def words(self) -> str:
        return f"{self.row.device.code} {self.row.name}, revision {self.number}"


@router.get("/compare", **may("viewer"))
def compare_page(
    request: Request,
    a: Id | None = None,
    b: Id | None = None,
    ra: Id | None = None,
    rb: Id | None = None,
    take: Id | None = None,
) -> HTMLResponse:
    """`a`, `b`: detectors (empty: to be chosen); `ra`, `rb`: their revisions (empty: the one in use); `take`: which take the
    axis shows.
    """
    with transaction() as session:
        if a is None or b is None:
            rows = detectors_of_site(session, site_id_of(request))
            first = next((row for row in rows if row.id in (a, b)), rows[0] if rows else None)
            return render(request, session, "compare_choose.html", stage="tune", rows=rows, first=first)
        one, other = _side(session, a, ra), _side(session, b, rb)
        if one.row.device_id != other.row.device_id:
            raise HTTPException(422, f"{one.words} and {other.words} look at different devices: they share no take.")
        if a == b and ra is None and rb is None and one.row.revision > 1:
            one = _side(session, a, one.row.revision - 1)
        signals = kind_of(one.row.kind).signals
        takes = [t for t in takes_of_device(session, one.row.device_id) if t.signal in signals]
        chosen = next((t for t in takes if t.id == take), takes[0] if takes else None)
        scale = scale_of(session, user_id(request))
        sides = [_judged(session, side, chosen, scale) for side in (one, other)] if chosen else []
        raising = all(kind_of(side.row.kind).raises for side in (one, other))
        only = bench.difference(sides[0], sides[1]) if sides and raising else None
        cards = [bench.cards(session, side.model, takes) for side in (one, other)]
        device = [
            row for row in detectors_of_site(session, one.row.device.site_id) if row.device_id == one.row.device_id
        ]
        return render(
            request,
            session,
            "compare.html",
            stage="tune",
            detector=other.row,
            sides=(one, other),
            cards=cards,
            takes=takes,
            take=chosen,
            options=[(row, [r.number for r in revisions_of(session, row.WHAT, [row.id])]) for row in device],
            changes=_changes(one, other, scale),
            only=only,
            paired=_paired(sides) if sides and raising else None,
            data={
                "take": take_shown(chosen, one.row.device.place.site.zone) if chosen else None,
                "sides": sides,
                "frames": [parts_drawn(side.row.kind) for side in (one, other)],
                "only": only,
                "marks": [m.as_dict() for m in marks_of(session, chosen.id)] if chosen else [],
                "scale": {"level": scale.level.as_dict(), "difference": scale.difference.as_dict()},
            },
        )


def _changes(one: Side, other: Side, scale: Scale) -> list[dict[str, str]]:
    """Return the dials that differ; none are named where the kinds differ, for their dials are not the same."""
    if one.row.kind != other.row.kind:
        return []
    before, after = (side.model.model_dump(mode="json") for side in (one, other))
    return changes_shown(changed_keys(before, after, one.row.kind), one.row.kind, scale)


def _side(session: Session, detector_id: int, number: int | None) -> Side:
    row = get_detector(session, detector_id)
    if number is None:
        return Side(row, row.revision, row.model)
    saved = revision(session, row.WHAT, row.id, number)
    if saved is None:
        raise HTTPException(404, f"{row.name} has revisions 1 to {row.revision}.")
    return Side(row, number, detector_of(saved.document))


def _judged(session: Session, side: Side, take: TakeRow, scale: Any) -> dict[str, Any]:
    links = armed_links(session, side.row.device.site_id, side.row.id)
    judged = bench.judged(session, side.model, take, links, scale)
    return judged | {"words": side.words, "readings": bench.drawn_readings(session, side.model, take, scale)}


def _paired(sides: list[dict[str, Any]]) -> dict[str, Any]:
    """The marks that only one of them catches, and how likely chance alone would part them so (exact McNemar test)."""
    missed = [set(side["missed"]) for side in sides]
    first, second = len(missed[1] - missed[0]), len(missed[0] - missed[1])
    return {"only_first": first, "only_second": second, "p": pairs_differ(first, second)}
