"""Revisions of a detector: saved, restored, two side by side, and out as a file."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.kinds import kind_of
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.formats.documents import detector_in
from lantern.lists.tables import with_lists
from lantern.people.tables import scale_of
from lantern.revisions import RevisionRow, revisions_of
from lantern.sites.tables import site_of
from lantern.takes.tables import takes_of_device
from lantern.tune import bench
from lantern.tune.actions import changed_keys, merge_revision, restore_revision, save_revision
from lantern.tune.drafts import Saved
from lantern.tune.listed import LEDGER, revisions_query
from lantern.tune.shown import changes_shown, get_detector, merge_shown
from lantern.tune.tables import DetectorRow, judgements_of
from lantern.web.access import may, site_id_of
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.ledger import EXPORT
from lantern.web.pages import render

router = APIRouter()


@router.get("/revisions", **may("viewer"))
def ledger(request: Request) -> Response:
    """Every state that was saved on the site, the newest first; with `export=csv` or `xlsx` in the address, as a file."""
    asked = LEDGER.asked(request)
    with transaction() as session:
        site = site_of(session, site_id_of(request))
        query = revisions_query(site.id)
        form = request.query_params.get(EXPORT)
        if form:
            return LEDGER.export(session, query, asked, form, zone=site.zone)
        listed = LEDGER.read(session, query, asked)
        return render(request, session, "all_revisions.html", stage="tune", list=listed)


@router.post("/bench/{detector_id}/revisions", **may("engineer", "saved a revision"))
def save(request: Request, detector_id: Id, saved: Saved) -> Response:
    """409, with what each of the two has changed, where somebody saved another meanwhile; see `merge_revision`."""
    with transaction() as session:
        row = get_detector(session, detector_id)
        detector = detector_in(saved.detector, where="detector")
        if detector.kind != row.kind:
            raise Refused([Fault("detector: kind", repr(detector.kind), f"{row.kind!r}: a detector keeps its kind")])
        by = user_id(request)
        if saved.over is not None:
            made = merge_revision(
                session,
                row,
                detector,
                reason=saved.reason,
                user_id=by,
                base=saved.base,
                over=saved.over,
                choices=saved.choices,
            )
        elif row.revision > saved.base:  # somebody else was faster: nothing is overwritten, and nothing lost
            scale = scale_of(session, by)
            return json_answer(merge_shown(session, row, detector, base=saved.base, scale=scale), 409)
        else:
            made = save_revision(session, row, detector, reason=saved.reason, user_id=by, base=saved.base)
        return json_answer({"revision": made.number, "verdict": row.verdict})


@router.post("/bench/{detector_id}/restore/{number}", **may("engineer", "restored a revision"))
def restore(request: Request, detector_id: Id, number: Id, base: Count) -> Response:
    with transaction() as session:
        row = get_detector(session, detector_id)
        made = restore_revision(session, row, number, user_id=user_id(request), base=base)
        return json_answer({"revision": made.number})


@router.get("/bench/{detector_id}/revisions", **may("viewer"))
def revisions_page(request: Request, detector_id: Id, a: Id | None = None, b: Id | None = None) -> HTMLResponse:
    """Return all revisions, and two of them side by side."""
    with transaction() as session:
        row = get_detector(session, detector_id)
        rows = revisions_of(session, row.WHAT, [row.id])
        by_number = {r.number: r for r in rows}
        newer = by_number.get(b or row.revision)
        older = by_number.get(a or max(row.revision - 1, 1))
        if newer is None or older is None:
            raise HTTPException(404, f"{row.name} has revisions 1 to {row.revision}.")
        return render(
            request,
            session,
            "revisions.html",
            stage="tune",
            detector=row,
            revisions=rows,
            newer=newer,
            older=older,
            changes=changes_shown(
                changed_keys(older.document, newer.document, row.kind),
                row.kind,
                scale_of(session, user_id(request)),
            ),
            saved=_saved_cards(row.kind, older, newer),
            later=_later_cards(session, row, older, newer),
        )


def _saved_cards(kind_name: str, older: RevisionRow, newer: RevisionRow) -> list[dict[str, Any]]:
    """Return how both did on each take when they were saved."""
    before = {score["take"]: score["card"] for score in older.scores}
    return [
        {"name": score["name"]} | _two_cards(kind_name, before.get(score["take"]), score["card"])
        for score in newer.scores
    ]


def _later_cards(session: Session, row: DetectorRow, older: RevisionRow, newer: RevisionRow) -> list[dict[str, Any]]:
    """Return how both do on each take that came after the newer one was saved."""
    held, known = judgements_of(session, row.id), {score["take"] for score in newer.scores}
    return [
        {"name": take.name} | _two_cards(row.kind, held.get((older.id, take.id)), held[newer.id, take.id])
        for take in takes_of_device(session, row.device_id)
        if take.id not in known and (newer.id, take.id) in held
    ]


def _two_cards(kind_name: str, old: dict[str, Any] | None, new: dict[str, Any]) -> dict[str, Any]:
    card_of = kind_of(kind_name).yardstick.card_of
    return {"old": bench.card_shown(card_of(old)) if old else None, "new": bench.card_shown(card_of(new))}


@router.get("/bench/{detector_id}/detector.json", **may("viewer"))
def export(detector_id: Id) -> Response:
    """The detector as a lantern-detector/1 file, with what is on its lists."""
    with transaction() as session:
        row = get_detector(session, detector_id)
        name = "".join(c if c.isalnum() else "-" for c in row.name.lower())
        whole = with_lists(session, row.site_id, row.model)
        return json_answer(whole.model_dump(mode="json", by_alias=True), headers=attachment(f"{name}.json"))
