"""The plan: devices where they stand, what geometry promises of them, and what would cure what falls short."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, Query, Request
from fastapi.responses import HTMLResponse, Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.optics.grades import EDITIONS
from lantern.core.promise.claims import claims
from lantern.core.promise.earth import geojson
from lantern.core.promise.mounts import mount_model
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.survey.plan_drawing import areas, blind_share, drawn, side_view
from lantern.survey.planning import (
    all_stood,
    mount_device,
    pixels_of,
    plan_model,
    save_plan,
    stood_of,
    take_remedy,
)
from lantern.survey.tables import DeviceRow, devices_of_site, plan_of, site_of
from lantern.tune.tables import DetectorRow
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.pages import render

router = APIRouter()
CHANGED = "Changed."
Reason = Annotated[str, Query(max_length=400)]
AS_FIRST: dict[str, Any] = {
    "height_m": 4.0, "azimuth_deg": 0.0, "tilt_deg": 20.0, "focal_mm": 6.0, "sensor_width_mm": 5.37, "sector_deg": 100.0,
    "range_m": 30.0, "sensitivity_db": 100.0, "watts": 10.0, "angle_deg": 90.0, "pixels": [1280, 720],
}  # fmt: skip


class Mounted(BaseModel):
    model_config = ConfigDict(extra="forbid")

    mount: dict[str, Any] | None


class Remedied(BaseModel):
    model_config = ConfigDict(extra="forbid")

    name: str = Field(max_length=80)
    aim: str | None = Field(default=None, max_length=120)
    text: str = Field(max_length=1000)


@router.get("/plan", **may("viewer"))
def page(request: Request) -> HTMLResponse:
    with transaction() as session:
        site = site_of(session, site_id_of(request))
        plan, row = plan_model(session, site.id), plan_of(session, site.id)
        stood, wrong = all_stood(session, site.id)
        everyone = list(stood.values())
        devices = []
        for device in devices_of_site(session, site.id):
            model = mount_model(device.kind)
            found = stood.get(device.code)
            devices.append(
                {
                    "id": device.id,
                    "code": device.code,
                    "name": device.name,
                    "kind": device.kind,
                    "placed": "mount" in device.extras,
                    "mount": device.extras.get("mount"),
                    "fields": _fields(model),
                    "first": _first(device, model),
                    "wrong": wrong.get(device.code, ""),
                    "drawn": drawn(found, plan) if found else None,
                    "claims": [c.as_dict() for c in claims(found, plan, everyone, cured=False)] if found else [],
                }
            )
        data = {
            "plan": plan.model_dump(mode="json", exclude_none=True),
            "size": [plan.width_m, plan.height_m],
            "revision": row.revision if row else 0,
            "grades": EDITIONS[plan.edition].grades,
            "edition": plan.edition,
            "devices": devices,
            "blind": blind_share(everyone, plan),
            "edits": request.state.role in ("engineer", "lead"),
        }
        return render(request, session, "plan.html", stage="survey", data=data, plan=row)


def _fields(model: type[BaseModel] | None) -> list[dict[str, Any]]:
    """The numbers of a mount that a page offers, with their units."""
    if model is None:
        return []
    units = {"m": "m", "deg": "°", "mm": "mm", "db": "dB", "watts": "W", "mps": "m/s"}
    return [
        {"key": key, "label": key.rsplit("_", 1)[0].replace("_", " ").capitalize() if "_" in key else key.capitalize(),
         "unit": units.get(key.rsplit("_", 1)[-1], "")}
        for key in model.model_fields
        if key not in ("pixels", "min_speed_mps")
    ]  # fmt: skip


def _first(device: DeviceRow, model: type[BaseModel] | None) -> dict[str, Any]:
    """What a device that is put on the plan for the first time begins with."""
    if model is None:
        return {}
    document = {key: AS_FIRST[key] for key in model.model_fields if key in AS_FIRST}
    if "pixels" in document and pixels_of(device) is not None:
        del document["pixels"]
    return document


@router.post("/plan/devices/{device_id}/try", **may("viewer"))
def attempt(device_id: Id, asked: Mounted) -> Response:
    """What a mount would give, while it is dragged; nothing is kept, and no cure is looked for."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        return json_answer(_told(session, row, asked.mount or {}, cured=False))


@router.get("/plan/devices/{device_id}", **may("viewer"))
def device(device_id: Id) -> Response:
    """A device as it stands, with cures and the view from the side."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        mount = row.extras.get("mount")
        return json_answer({} if mount is None else _told(session, row, mount, cured=True))


def _told(session: Session, row: DeviceRow, mount: dict[str, Any], *, cured: bool) -> dict[str, Any]:
    if mount_model(row.kind) is None:
        return {"drawn": None, "claims": [], "side": None}
    plan = plan_model(session, row.site_id)
    detectors = list(session.scalars(select(DetectorRow).where(DetectorRow.device_id == row.id)))
    stood = stood_of(row, mount, detectors)
    others, _ = all_stood(session, row.site_id)
    found = claims(stood, plan, list(others.values()), cured=cured)
    return {"drawn": drawn(stood, plan), "claims": [c.as_dict() for c in found], "side": side_view(stood, plan)}


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
def change(request: Request, base: Count, document: dict[str, Any] = Body(), reason: Reason = CHANGED) -> Response:
    """`base`: the revision that was changed; refused where somebody else has changed it meanwhile."""
    with transaction() as session:
        row = save_plan(session, site_id_of(request), document, base=base, reason=reason, user_id=user_id(request))
        return json_answer({"revision": row.revision})


@router.get("/plan.geojson", **may("viewer"))
def coverage(request: Request) -> Response:
    """What every mounted device covers, as GeoJSON; refused where the plan does not say where on the earth it lies."""
    with transaction() as session:
        site_id = site_id_of(request)
        plan, (stood, _) = plan_model(session, site_id), all_stood(session, site_id)
        found = [area for each in stood.values() for area in areas(each, plan)]
        headers = attachment("coverage.geojson") | {"Content-Type": "application/geo+json"}
        return json_answer(geojson(plan, found), headers=headers)


@router.get("/plan.json", **may("viewer"))
def file(request: Request) -> Response:
    """The plan as it stands in the site's file."""
    with transaction() as session:
        plan = plan_model(session, site_id_of(request))
        return json_answer(plan.model_dump(mode="json", exclude_none=True), headers=attachment("plan.json"))
