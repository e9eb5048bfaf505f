"""The plan: devices where they stand, what geometry promises of them, and what would cure what falls short."""

from __future__ import annotations

from typing import Annotated, Any, Literal
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from lantern.core.faults import Fault, Refused
from lantern.core.promise.claims import claims
from lantern.core.promise.earth import geojson
from lantern.core.promise.mounts import mount_model
from lantern.core.promise.plan import Point
from lantern.db.base import now, transaction
from lantern.db.numbers import Count, Id
from lantern.formats.geojson import things_in
from lantern.formats.paper.sheet import MEDIA, Format
from lantern.revisions import revision, revisions_of
from lantern.settings import settings
from lantern.survey.grounds import bring_picture, picture_of
from lantern.survey.plan_drawing import areas, drawn, side_view
from lantern.survey.plan_facts import facts
from lantern.survey.plan_page import plan_page, tried
from lantern.survey.plan_print import PlanPrint
from lantern.survey.planning import (
    all_stood,
    around_of,
    drawn_shapes,
    mount_device,
    outline_places,
    plan_model,
    read_plan,
    save_plan,
    stood_of,
    take_remedy,
)
from lantern.survey.tables import DeviceRow, PlanRow, SiteRow, plan_of
from lantern.tune.tables import DetectorRow
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.pages import render

router = APIRouter()
CHANGED = "Changed."
Height = Annotated[float, Query(ge=0, le=10)]
Reason = Annotated[str, Query(max_length=400)]


class Mounted(BaseModel):
    model_config = ConfigDict(extra="forbid")

    mount: dict[str, Any] | None


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
        data = plan_page(session, site_id, edits=request.state.role in ("engineer", "lead"), height_m=height)
        return render(request, session, "plan.html", stage="survey", data=data)


@router.post("/plan/try", **may("viewer"))
def attempt_plan(
    request: Request,
    document: dict[str, Any] = Body(),
    height: Height = 0.0,
    dragged: bool = False,
    chosen: Id | None = None,
) -> Response:
    """What the mounted devices would give on another plan, while it is drawn; the chosen one from the side too."""
    plan = read_plan(document)
    with transaction() as session:
        told = tried(session, site_id_of(request), plan, height_m=height, dragged=dragged, chosen=chosen)
        return json_answer(told)


@router.post("/plan/devices/{device_id}/try", **may("viewer"))
def attempt(device_id: Id, asked: Mounted, height: Height = 0.0) -> Response:
    """What a mount would give, while it is dragged; nothing is kept, and no cure is looked for."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        return json_answer(_told(session, row, asked.mount or {}, cured=False, height_m=height))


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
    detectors = list(session.scalars(select(DetectorRow).where(DetectorRow.device_id == row.id)))
    stood = stood_of(row, mount, detectors)
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
        row = save_plan(session, site_id, drawing.plan, base=base, reason=reason, user_id=user_id(request))
        outline_places(session, site_id, drawing.places)
        return json_answer({"revision": row.revision})


@router.get("/plan/states", **may("viewer"))
def states(request: Request) -> Response:
    """The plan's states, the newest first: number, when, who, why."""
    with transaction() as session:
        row = plan_of(session, site_id_of(request))
        saved = revisions_of(session, PlanRow.WHAT, [row.id]) if row else []
        told = [
            {
                "number": each.number,
                "at": each.at.isoformat(),
                "who": each.user.name if each.user else "",
                "reason": each.reason,
            }
            for each in saved
        ]
        return json_answer({"states": told})


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
            {"plan": plan.model_dump(mode="json", exclude_none=True), "picture": held.as_dict() if held else None}
        )


@router.post("/plan/pictures", **may("engineer", "brought a ground picture"))
async def bring(request: Request, name: str = "ground", page: int = 1) -> Response:
    """The body is the file. It lies on the plan once the plan names it."""
    return await run_in_threadpool(_bring, request, await request.body(), name[:200], page)


def _bring(request: Request, data: bytes, name: str, page: int) -> Response:
    with transaction() as session:
        site_id = site_id_of(request)
        row, ground = bring_picture(session, site_id, data, name=name, page=page, limits=settings().limits)
        tell(request, f"brought the ground picture {row.name}")
        return json_answer(
            row.as_dict() | {"pages": ground.pages, "said": list(ground.said), "outlines": ground.outlines}
        )


@router.get("/plan/pictures/{name}", **may("viewer"))
def picture(request: Request, name: str) -> Response:
    """A ground picture. Its name goes by what it holds, so that it never changes; as a page of its own it may run nothing."""
    with transaction() as session:
        row = picture_of(session, site_id_of(request), name)
        if row is None:
            raise HTTPException(404, f"There is no ground picture {name!r}.")
        headers = {
            "Cache-Control": "private, max-age=31536000, immutable",
            "Content-Security-Policy": "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox",
            "X-Content-Type-Options": "nosniff",
        }
        return Response(row.data, 200, headers, row.media)


@router.get("/plan/print", **may("viewer"))
def paper(
    request: Request,
    paper: Literal["A4", "A3", "A2", "A1"] = "A3",
    scale: Annotated[int | Literal[""], Query()] = "",
    format: Format = "pdf",
    device: str = "",
) -> Response:
    """The plan to scale on a sheet of paper, with all its devices or one. `scale`: 1 to so many; empty: the largest that fits."""
    with transaction() as session:
        site = session.get_one(SiteRow, site_id_of(request))
        plan, row, (stood, _) = plan_model(session, site.id), plan_of(session, site.id), all_stood(session, site.id)
        around = around_of(session, site.id, plan, stood)
        if device and device not in stood:
            raise Refused([Fault("device", f"{device!r} does not stand on the plan", "one that does, or none for all")])
        shown = [each for code, each in stood.items() if device in ("", code)]
        under = f"state {row.revision if row else 0}, printed {now().astimezone(ZoneInfo(site.zone)):%d.%m.%Y %H:%M}"
        promised = {each.code: claims(each, around, cured=False) for each in shown}
        sheet = PlanPrint(
            plan, site.name, under, shown, promised, picture_of(session, site.id, plan.picture), paper, scale or None
        ).drawn()
        name = f"{site.name}{f' {device}' if device else ''} plan.{format}"
        return Response(sheet.as_file(format), 200, attachment(name), MEDIA[format])


@router.get("/plan.geojson", **may("viewer"))
def coverage(request: Request) -> Response:
    """What is drawn on the plan and what every mounted device covers, as GeoJSON; refused where the plan does not say where on the
    earth it lies.
    """
    with transaction() as session:
        site_id = site_id_of(request)
        plan, (stood, _) = plan_model(session, site_id), all_stood(session, site_id)
        found = drawn_shapes(session, site_id, plan)
        found += [area for each in stood.values() for area in areas(each, plan)]
        headers = attachment("plan.geojson") | {"Content-Type": "application/geo+json"}
        return json_answer(geojson(plan, found), headers=headers)


@router.post("/plan/geojson", **may("engineer", ""))
def read_geojson(request: Request, document: dict[str, Any] = Body()) -> Response:
    """GeoJSON as things for the drawing, in metres from the origin of the plan that is saved; nothing is kept."""
    with transaction() as session:
        plan = plan_model(session, site_id_of(request))
        things, said = things_in(document, plan, where="GeoJSON")
        return json_answer({**things, "said": said})


@router.get("/plan.json", **may("viewer"))
def file(request: Request) -> Response:
    """The plan as it stands in the site's file."""
    with transaction() as session:
        plan = plan_model(session, site_id_of(request))
        return json_answer(plan.model_dump(mode="json", exclude_none=True), headers=attachment("plan.json"))
