"""What can be done with a site's plan: save it, mount devices on it, take a cure; and what it promises of each of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import shapely
from shapely.geometry.base import BaseGeometry
from sqlalchemy.orm import Session

from lantern.core.devices import DEVICE_KINDS
from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.optics.mount import Mount
from lantern.core.promise.claim import Around, Claim, Stood
from lantern.core.promise.claims import claims
from lantern.core.promise.mounts import mount_model, standing_of
from lantern.core.promise.plan import Plan, Point
from lantern.core.register.device_type import DeviceType
from lantern.formats.documents import read_model
from lantern.plan.grounds import check_picture
from lantern.plan.tables import PlanRow, plan_of
from lantern.register.devices import change_device
from lantern.register.heads import presets_of
from lantern.register.tables import DeviceRow, devices_of_site, pixels_of, register_of
from lantern.revisions import check_reason, hold, keep
from lantern.sites.tables import keep_place, place_state, places_of, site_of
from lantern.tune.tables import DetectorRow, detectors_by_device

MADE = "The first plan."


def plan_model(session: Session, site_id: int) -> Plan:
    """The site's plan; an empty one where it has none yet."""
    row = plan_of(session, site_id)
    return Plan() if row is None else row.model


def save_plan(
    session: Session,
    site_id: int,
    document: Mapping[str, Any],
    *,
    base: int,
    reason: str,
    user_id: int | None,
    facts: dict[str, Any] | None = None,
) -> PlanRow:
    """Keep the plan's next state, with the outlines that places have now. `base`: the revision that was changed, 0 for the first.

    Raises `StaleRevisionError` where that is not the one in use, `Refused` for what is wrong with it.
    """
    check_reason(reason)
    model = read_plan(document)
    row = plan_of(session, site_id)
    check_picture(session, site_id, model, before=Plan() if row is None else row.model)
    if row is None:
        row = PlanRow(site_id=site_id)
        row.revision = base
    else:
        hold(session, row, base)
    body = model.model_dump(mode="json", exclude_none=True) | {"name": "plan"}
    keep(
        session,
        row,
        body,
        reason=reason,
        user_id=user_id,
        facts={"places": outlines_of(session, site_id)} | (facts or {}),
    )
    return row


def outlines_of(session: Session, site_id: int) -> dict[str, Any]:
    """Return the outlines of places that are drawn, by the places' numbers: a state of the plan is known with them."""
    return {str(place.id): place.extras.get("polygon") for place in places_of(session, site_id)}


def read_plan(document: Mapping[str, Any]) -> Plan:
    """A plan's document as a model. Raises `Refused` with each key that is wrong."""
    return read_model(Plan, {key: value for key, value in document.items() if key != "name"}, where="plan")


def outline_places(
    session: Session, site_id: int, outlines: Mapping[int, Sequence[Point] | None], *, user_id: int | None = None
) -> None:
    """Draw places on the plan, by their numbers; None takes an outline away. Raises `Refused` for what is no outline."""
    rows = {row.id: row for row in places_of(session, site_id)}
    faults = FaultList()
    for number, points in outlines.items():
        if number not in rows:
            faults.add("places", f"there is none with number {number}", "places of this site")
        elif points is not None and (len(points) < 3 or not shapely.is_valid(shapely.Polygon(points))):
            what = "its outline crosses itself, or has less than three corners"
            faults.add(f"places: {rows[number].name}", what, "corners in their order round it")
    faults.refuse_if_any()
    for number, points in outlines.items():
        row = rows[number]
        before = place_state(row)
        kept = {key: value for key, value in row.extras.items() if key != "polygon"}
        row.extras = kept if points is None else kept | {"polygon": [list(point) for point in points]}
        why = "Its outline was taken off the plan." if points is None else "Drawn on the plan."
        keep_place(session, row, before=before, reason=why, user_id=user_id)


def drawn_shapes(session: Session, site_id: int, plan: Plan) -> list[tuple[dict[str, Any], BaseGeometry]]:
    """Return what is drawn on the plan, with what it is: places, occluders, outlines, aims."""
    out: list[tuple[dict[str, Any], BaseGeometry]] = []
    for place in places_of(session, site_id):
        if place.extras.get("polygon"):
            out.append(({"place": place.name}, shapely.Polygon(place.extras["polygon"])))
    for each in plan.occluders:
        told = {"name": each.name, "height_m": each.height_m, "material": each.material}
        out.append((told, each.wall.stands))
    for outline in plan.outlines:
        out.append(({"name": outline.name, "what": outline.what}, outline.stands))
    for aim in plan.aims:
        points = [point[:2] for point in aim.points]
        where = shapely.Point(points[0]) if len(points) == 1 else shapely.LineString(points)
        out.append(({"aim": aim.name, "device": aim.device, "of": aim.what}, where))
    return out


def mount_device(
    session: Session,
    row: DeviceRow,
    mount: Mapping[str, Any] | None,
    *,
    user_id: int | None,
    reason: str = "",
) -> None:
    """Set where a device stands from now on; None: nowhere yet. Raises `Refused` with each key that is wrong."""
    if mount is not None and mount_model(row.kind) is not None:
        standing_of(row.kind, mount, pixels=pixels_of(row))
    elif mount is not None and not {"x_m", "y_m"} <= mount.keys():
        raise Refused([Fault("mount", "has no x_m and y_m", "a place on the plan")])
    said = reason or ("Taken off the plan." if mount is None else "Placed on the plan.")
    document = {"mount": None if mount is None else dict(mount)}
    change_device(session, row, document, place=row.place, user_id=user_id, reason=said)


def focal_for(row: DeviceRow, mount: Mapping[str, Any], field_deg: float) -> float:
    """The focal length in mm by which a device sees so wide a field. Raises `Refused` for one that has no lens."""
    standing = standing_of(row.kind, mount, pixels=pixels_of(row))
    if not isinstance(standing, Mount):
        raise Refused([Fault("field_deg", f"{row.code} has no lens", "a camera")])
    return standing.focal_of(field_deg)


def stood_of(
    row: DeviceRow, mount: Mapping[str, Any], detectors: list[DetectorRow], types: Mapping[str, DeviceType]
) -> Stood:
    """A device on a mount, with the lines that its detectors watch, and what its type says of mounting. Raises `Refused`."""
    lines = {
        detector.name: region["points"]
        for detector in detectors
        if not detector.retired
        for region in detector.body.get("regions", ())
        if region["shape"] == "line" and region.get("role", "watch") == "watch"
    }
    fps = row.ability.get("fps")
    standing = standing_of(row.kind, mount, pixels=pixels_of(row), where=f"device {row.code}: mount")
    usual = DEVICE_KINDS[row.kind].usual_height_m
    of = types.get(row.type) if row.type else None
    behind = of.mounting.behind if of is not None and of.mounting is not None else None
    return Stood(row.code, standing, lines, float(fps) if fps else None, usual, behind, presets_of(row))


def all_stood(session: Session, site_id: int) -> tuple[dict[str, Stood], dict[str, str]]:
    """Every device that is mounted, by code, and what is wrong with the mounts that cannot be read. Three queries."""
    detectors, types = detectors_by_device(session, site_id), register_of(session, site_id)
    found: dict[str, Stood] = {}
    wrong: dict[str, str] = {}
    for row in devices_of_site(session, site_id):
        mount = row.extras.get("mount")
        if mount is None or mount_model(row.kind) is None:
            continue
        try:
            found[row.code] = stood_of(row, mount, detectors[row.id], types)
        except Refused as refused:
            wrong[row.code] = str(refused)
    return found, wrong


def promised(session: Session, site_id: int, *, only: str | None = None, cured: bool = False) -> dict[str, list[Claim]]:
    """Return what the plan promises of each mounted device (or of one), by code."""
    stood, _ = all_stood(session, site_id)
    around = around_of(session, site_id, plan_model(session, site_id), stood)
    asked = {code: each for code, each in stood.items() if only in (None, code)}
    return {code: claims(each, around, cured=cured) for code, each in asked.items()}


def around_of(session: Session, site_id: int, plan: Plan, stood: Mapping[str, Stood]) -> Around:
    """Return what the site's devices stand among, on this plan."""
    return Around(plan, list(stood.values()), site_of(session, site_id).zone)


def take_remedy(
    session: Session, row: DeviceRow, *, name: str, aim: str | None, text: str, user_id: int | None
) -> None:
    """Change the mount, or the plan's aim, as a remedy says that the page has shown. Raises `Refused` if it holds no more."""
    found = promised(session, row.site_id, only=row.code, cured=True).get(row.code, [])
    remedies = [
        r for claim in found if (claim.name, claim.aim) == (name, aim) for r in claim.remedies if r.text == text
    ]
    if not remedies or not (remedies[0].mount or remedies[0].aim):
        raise Refused(
            [Fault("remedy", "is none any more: something has changed meanwhile", "one that the page shows now")]
        )
    [remedy, *_] = remedies
    if remedy.mount:
        mount = row.extras["mount"] | dict(remedy.mount)
        mount_device(session, row, mount, user_id=user_id, reason=f"A cure: {text}")
    if remedy.aim:
        held = plan_of(session, row.site_id)
        assert held is not None  # the claim is of one of its aims
        aims = [each | dict(remedy.aim) if each["name"] == aim else each for each in held.body["aims"]]
        reason = f"{aim}: {text}"[:400]
        save_plan(session, row.site_id, held.body | {"aims": aims}, base=held.revision, reason=reason, user_id=user_id)
