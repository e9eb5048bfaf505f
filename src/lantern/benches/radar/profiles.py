"""Every profile on the take in one row, those of the site among them; one kept by name, or let go."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Body, HTTPException, Request
from fastapi.responses import Response

from lantern.benches.bench import Trial
from lantern.benches.radar.scene import judged
from lantern.core.radar.dials import PROFILES
from lantern.core.radar.named import HOLDING, read_profile
from lantern.core.radar.regions import RadarDetector
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.lists.actions import delete_list, save_list
from lantern.lists.tables import list_of, lists_of
from lantern.revisions import hold
from lantern.takes.tables import marks_of
from lantern.tune.bench import card_shown
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import json_answer
from lantern.web.door import user_id

router = APIRouter()


def profiles_shown(trial: Trial[RadarDetector]) -> list[dict[str, Any]]:
    """Return how each does on the take: the four with the other dials as they are, the site's own with theirs."""
    held = judged(trial)
    marks = held.own([row.as_mark() for row in marks_of(trial.session, trial.take.id)])
    tried: list[tuple[dict[str, Any], dict[str, Any]]] = [({"name": name}, {"profile": name}) for name in PROFILES]
    for row in lists_of(trial.session, trial.row.site_id, holding=HOLDING):
        tried.append(({"name": row.name, "id": row.id, "revision": row.revision}, row.body[HOLDING]))
    return [
        told | {"dials": dials, "card": card_shown(held.with_dials(**dials).card(marks), marked=bool(marks))}
        for told, dials in tried
    ]


@router.post("/radar-profiles", **may("engineer", "kept a profile of radars"))
def keep_profile(request: Request, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        site_id, by = site_id_of(request), user_id(request)
        body = read_profile(document)
        row = save_list(session, site_id, body, list_id=None, reason="Kept from a bench.", user_id=by)
        tell(request, f"kept the profile {row.name}")
        return json_answer({"id": row.id, "revision": row.revision})


@router.delete("/radar-profiles/{list_id}", **may("engineer", "let a profile of radars go"))
def remove_profile(request: Request, list_id: Id, base: Count) -> Response:
    """Detectors keep the dials that they took of it."""
    with transaction() as session:
        row = list_of(session, list_id, holding=HOLDING)
        if row is None:
            raise HTTPException(404, f"There is no profile {list_id}.")
        hold(session, row, base)
        delete_list(session, row, reason="Let go.", user_id=user_id(request))
        tell(request, f"let the profile {row.name} go")
        return json_answer({"deleted": list_id})
