"""Rehearsals of a site that are kept in figures: each against the one before it, with what was changed in between."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.linking.runs import differences
from lantern.rehearse.site_wide import run_of
from lantern.rehearse.tables import RunRow
from lantern.revisions import RevisionRow, newest_of_site

MOST_CHANGES = 20


def kept(session: Session, site_id: int, laid: str, told: dict[str, Any]) -> dict[str, Any]:
    """Keep a run unless it is the last one again. Returns how it differs from the last that was another, and what was changed since."""
    run, state, takes = run_of(told), newest_of_site(session, site_id), list(told["takes"])
    query = select(RunRow).where(RunRow.site_id == site_id, RunRow.laid == laid).order_by(RunRow.id.desc())
    last, *earlier = [*session.scalars(query.limit(2)), None]
    is_again = last is not None and (last.run, last.state, last.takes) == (run, state, takes)
    if not is_again:
        document = run.model_dump(mode="json")
        session.add(RunRow(site_id=site_id, laid=laid, state=state, takes=takes, figures=document))
        session.flush()
    before = earlier[0] if is_again else last
    if before is None:
        return {"before": None, "differences": [], "changes": [], "takes": []}
    changes = select(RevisionRow).where(RevisionRow.site_id == site_id, RevisionRow.id > before.state)
    rows = session.scalars(changes.order_by(RevisionRow.id.desc()).limit(MOST_CHANGES))
    return {
        "before": before.at.timestamp(),
        "differences": [each._asdict() for each in differences(before.run, run)],
        "changes": [
            {"what": row.what, "name": row.name, "number": row.number, "why": row.reason, "deleted": row.body is None}
            for row in rows
        ],
        "takes": sorted(set(takes) ^ set(before.takes)),
    }
