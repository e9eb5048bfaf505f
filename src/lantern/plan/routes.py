"""The plan: devices where they stand, what geometry promises of them, and what would cure what falls short."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from lantern.core.optics.mount import WIDEST_DEG
from lantern.core.promise.claims import claims
from lantern.core.promise.mounts import mount_model
from lantern.core.promise.plan import Point
from lantern.core.roles import suffices
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.plan.actions import (
    all_stood,
    around_of,
    focal_for,
    mount_device,
    outline_places,
    plan_model,
    read_plan,
    save_plan,
    stood_of,
    take_remedy,
)
from lantern.plan.drawing import drawn, side_view
from lantern.plan.facts import facts
from lantern.plan.grounds import picture_of
from lantern.plan.history import last_step, outlines_in, undo
from lantern.plan.page import plan_page, tried
from lantern.plan.tables import PlanRow, plan_of
from lantern.register.history import WHAT as DEVICE
from lantern.register.tables import DeviceRow, register_of
from lantern.revisions import RevisionRow, revision, revisions_of
from lantern.sites.tables import site_of
from lantern.tune.tables import detectors_of_device
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.pages import local, render

router = APIRouter()
CHANGED = "Changed."
Height = Annotated[float, Query(ge=0, le=10)]
Reason = Annotated[str, Query(max_length=400)]


class Mounted(BaseModel):
    model_config = ConfigDict(extra="forbid")

    mount: dict[str, Any] | None


class Tried(Mounted):
    """`field_deg`: how wide it should see, in place of its focal length."""

    field_deg: float | None = Field(default=None, gt=0, le=WIDEST_DEG)


class Remedied(BaseModel):
    model_config = ConfigDict(extra="forbid")

    name: str = Field(max_length=80)
    aim: str | None = Field(default=None, max_length=120)
    text: str = Field(max_length=1000)


class Drawing(BaseModel):
    """The plan with what is drawn beside it: outlines of places, by the places' numbers; None takes an outline away."""

    model_config = ConfigDict(extra="forbid")

    plan: dict[str, Any]
    places: dict[int, list[Point] | None] = Field(default_factory=dict)


@router.get("/plan", **may("viewer"))
def page(request: Request, height: Height = 0.0) -> HTMLResponse:
    """`height` in m above the ground: at which what cameras cover is drawn."""
    with transaction() as session:
        site_id = site_id_of(request)
        data = plan_page(session, site_id, edits=suffices(request.state.role, "engineer"), height_m=height)
        step = last_step(session, site_id, user_id(request)) if data["edits"] else None
        data["step"] = None if step is None else {"name": step.name, "reason": step.reason}
        return render(request, session, "plan.html", stage="survey", data=data)


@router.post("/plan/try", **may("viewer"))
def attempt_plan(
    request: Request,
    document: dict[str, Any] = Body(),
    height: Height = 0.0,
    dragged: bool = False,
    chosen: Id | None = None,
) -> Response:
    """Return what the mounted devices would give on another plan, while it is drawn; the chosen one from the
    side too.
    """
    plan = read_plan(document)
    with transaction() as session:
        told = tried(session, site_id_of(request), plan, height_m=height, dragged=dragged, chosen=chosen)
        return json_answer(told)


@router.post("/plan/devices/{device_id}/try", **may("viewer"))
def attempt(device_id: Id, asked: Tried, height: Height = 0.0) -> Response:
    """Return what a mount would give, while it is dragged, and the mount itself; nothing is kept, and no cure is looked
    for.
    """
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        mount = asked.mount or {}
        if asked.field_deg is not None:
            mount = mount | {"focal_mm": focal_for(row, mount, asked.field_deg)}
        return json_answer(_told(session, row, mount, cured=False, height_m=height) | {"mount": mount})


@router.get("/plan/devices/{device_id}", **may("viewer"))
def device(device_id: Id, height: Height = 0.0) -> Response:
    """A device as it stands, with cures and the view from the side."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        mount = row.extras.get("mount")
        return json_answer({} if mount is None else _told(session, row, mount, cured=True, height_m=height))


def _told(
    session: Session, row: DeviceRow, mount: dict[str, Any], *, cured: bool, height_m: float = 0.0
) -> dict[str, Any]:
    if mount_model(row.kind) is None:
        return {"drawn": None, "claims": [], "side": None, "facts": []}
    plan = plan_model(session, row.site_id)
    detectors = detectors_of_device(session, row.id)
    stood = stood_of(row, mount, detectors, register_of(session, row.site_id))
    others, _ = all_stood(session, row.site_id)
    found = claims(stood, around_of(session, row.site_id, plan, others), cured=cured)
    return {
        "drawn": drawn(stood, plan, height_m),
        "claims": [c.as_dict() for c in found],
        "side": side_view(stood, plan),
        "facts": facts(stood.mount, plan.edition),
    }


@router.put("/plan/devices/{device_id}", **may("engineer", "mounted a device"))
def mount(request: Request, device_id: Id, asked: Mounted) -> Response:
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        mount_device(session, row, asked.mount, user_id=user_id(request))
        tell(request, f"mounted {row.code} on the plan" if asked.mount else f"took {row.code} off the plan")
        return json_answer(_told(session, row, asked.mount, cured=True) if asked.mount else {})


@router.post("/plan/devices/{device_id}/remedies", **may("engineer", "took a cure"))
def remedy(request: Request, device_id: Id, asked: Remedied) -> Response:
    """Take a cure that the page has shown, by its words."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        take_remedy(session, row, name=asked.name, aim=asked.aim, text=asked.text, user_id=user_id(request))
        tell(request, f"took a cure for {row.code}: {asked.text}")
        return json_answer({"id": row.id})


@router.put("/plan", **may("engineer", "changed the plan"))
def change(request: Request, base: Count, drawing: Drawing, reason: Reason = CHANGED) -> Response:
    """`base`: the revision that was changed; refused where somebody else has changed it meanwhile."""
    with transaction() as session:
        site_id = site_id_of(request)
        outline_places(session, site_id, drawing.places, user_id=user_id(request))
        row = save_plan(session, site_id, drawing.plan, base=base, reason=reason, user_id=user_id(request))
        return json_answer({"revision": row.revision})


@router.post("/plan/undo", **may("engineer", "took a step on the plan back"))
def take_back(request: Request) -> Response:
    """Take back the last that whoever asks did on the plan: a device placed or cured, the drawing saved."""
    with transaction() as session:
        step = undo(session, site_id_of(request), user_id(request))
        tell(request, f"took back, on the plan: {step.reason}")
        return json_answer({"name": step.name, "reason": step.reason})


@router.get("/plan/states", **may("viewer"))
def states(request: Request) -> Response:
    """The plan's states, the newest first: number, when by the site's clocks, who, why."""
    with transaction() as session:
        site = site_of(session, site_id_of(request))
        row = plan_of(session, site.id)
        saved = revisions_of(session, PlanRow.WHAT, [row.id]) if row else []
        return json_answer({"states": [_state(each, site.zone) for each in saved]})


@router.get("/plan/devices/{device_id}/states", **may("viewer"))
def states_of_device(device_id: Id) -> Response:
    """A device's states, the newest first, as those of the plan."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        saved = revisions_of(session, DEVICE, [row.id])
        return json_answer({"states": [_state(each, row.place.site.zone) for each in saved]})


def _state(saved: RevisionRow, zone: str) -> dict[str, Any]:
    return {
        "number": saved.number,
        "at": local(saved.at, zone),
        "who": saved.user.name if saved.user else "",
        "reason": saved.reason,
    }


@router.get("/plan/states/{number}", **may("viewer"))
def state(request: Request, number: Id) -> Response:
    """One state of the plan, with the ground picture that it names; a page draws it, and may save it anew."""
    with transaction() as session:
        site_id = site_id_of(request)
        row = plan_of(session, site_id)
        saved = revision(session, PlanRow.WHAT, row.id, number) if row else None
        if saved is None:
            raise HTTPException(404, f"The plan has no state {number}.")
        plan = read_plan(saved.document)
        held = picture_of(session, site_id, plan.picture)
        return json_answer(
            {
                "plan": plan.model_dump(mode="json", exclude_none=True),
                "picture": held.as_dict() if held else None,
                "places": outlines_in(saved),
            }
        )
