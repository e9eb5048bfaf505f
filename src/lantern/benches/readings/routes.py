"""What only a bench of readings asks for: what emissivity does to an alarm, the people of a screening."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.responses import Response

from lantern.benches.readings import physics
from lantern.core.faults import Fault, Refused
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.tune import evidence
from lantern.tune.drafts import Draft
from lantern.tune.shown import drafted
from lantern.web.access import may
from lantern.web.answers import json_answer

router = APIRouter()


class FanAsked(Draft):
    region: str
    material: str


@router.post("/bench/{detector_id}/people", **may("viewer"))
def people(request: Request, detector_id: Id, draft: Draft) -> Response:
    """Skin screening: everybody on the take, what was refused, and how well the temperature tells the marked ones."""
    with transaction() as session:
        _, take, detector = drafted(session, detector_id, draft)
        return json_answer(physics.people(session, take, detector))


@router.post("/bench/{detector_id}/fan", **may("viewer"))
def error_fan(detector_id: Id, asked: FanAsked) -> Response:
    """Return what a region's reading and alarms become over a material's range of emissivity."""
    with transaction() as session:
        _, take, detector = drafted(session, detector_id, asked)
        region = next((r for r in detector.regions if r.name == asked.region), None)
        if region is None:
            raise Refused(
                [Fault("region", repr(asked.region), f"one of {', '.join(r.name for r in detector.regions)}")]
            )
        [held] = evidence.hold(session, detector, [take])
        return json_answer(physics.error_fan(held, take, region, asked.material))
