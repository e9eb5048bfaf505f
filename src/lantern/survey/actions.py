"""What can be done with sites: make, pause, remove; from a file and into one."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from types import MappingProxyType

import orjson
from sqlalchemy import ColumnElement, delete, func, or_, select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.register.installed import HangsOn
from lantern.core.site import Device, Named, Place, Site, SiteDetector
from lantern.formats.site_files import Pictures, packed
from lantern.links.actions import save_link, save_timetable
from lantern.links.tables import Cause, InputCause, LinkRow, TimetableRow, timetables_of
from lantern.lists.actions import save_list
from lantern.lists.tables import ListRow, lists_of
from lantern.live.late import LateRow
from lantern.live.tables import DecisionRow, DeviceStateRow, EventRow, InputRow, OrderRow, OutputRow
from lantern.recordings.tables import LiveMarkRow, RecordingPlanRow, RecordingRow
from lantern.revisions import RevisionRow, keep
from lantern.survey.grounds import keep_pictures, pictures_of
from lantern.survey.register import recheck, save_type
from lantern.survey.tables import (
    DeviceRow,
    DeviceTypeRow,
    PlaceRow,
    PlanPictureRow,
    PlanRow,
    SiteRow,
    device_by_code,
    devices_of_site,
    plan_of,
    types_of,
)
from lantern.takes.tables import ImportRow, MarkRow, TakeRow, takes_of_site
from lantern.tune.actions import add_detector
from lantern.tune.tables import DetectorRow, JudgementRow, StudyRow, detectors_of_site
from lantern.walk.tables import WalkTestRow

OF_SITE = ("compounds", "expectations")  # subjects to come, kept as they are
FROM_FILE = "From the site's file."
OF_DEVICE = ("mount", "channels", "abilities", "inputs", "power")
LEFT_OUT = "takes with their marks, revisions but the one in use, events and effects, people, passwords and tokens"


def only_site(session: Session, name: str = "") -> SiteRow:
    """The site of that name, or the one there is. Raises `Refused`."""
    rows = list(session.scalars(select(SiteRow).order_by(SiteRow.name)))
    named = [row for row in rows if row.name == name] if name else rows
    if len(named) == 1:
        return named[0]
    told = ", ".join(repr(row.name) for row in rows) or "none yet: make one on the program's first page"
    raise Refused([Fault("site", f"{name!r}" if name else f"there are {len(rows)}", f"the name of one of: {told}")])


# ---- made, and from a file -------------------------------------------------------------------------------------------


def add_site(
    session: Session, site: Site, *, user_id: int | None = None, pictures: Pictures = MappingProxyType({})
) -> SiteRow:
    """Site, types, plan with its picture, places and devices. Raises `Refused` where the name is taken, or its names lead nowhere."""
    site.check()
    check_site_name(session, site.name)
    extras = {key: value for key, value in site.model_dump(mode="json", include=set(OF_SITE)).items() if value}
    row = SiteRow(name=site.name, zone=site.zone, extras=extras)
    session.add(row)
    session.flush()
    for each in site.types:
        body = each.model_dump(mode="json", exclude_none=True)
        save_type(session, row.id, body, type_id=None, reason=FROM_FILE, user_id=user_id)
    for position, place in enumerate(site.places):
        held = {} if place.polygon is None else {"polygon": [list(point) for point in place.polygon]}
        place_row = PlaceRow(site_id=row.id, name=place.name, position=position, extras=held)
        session.add(place_row)
        session.flush()
        for device in place.devices:
            session.add(device_row(device, site_id=row.id, place_id=place_row.id))
    if site.plan is not None:
        body = site.plan.model_dump(mode="json", exclude_none=True) | {"name": "plan"}
        keep(session, PlanRow(site_id=row.id, revision=0), body, reason=FROM_FILE, user_id=user_id)
        keep_pictures(session, row.id, site.plan, pictures)
    recheck(session, row.id)
    return row


def check_site_name(session: Session, name: str, site_id: int | None = None) -> None:
    held = session.scalar(select(SiteRow.id).where(SiteRow.name == name))
    if held is not None and held != site_id:
        raise Refused(
            [Fault("site: name", f"{name!r} is taken", "a name of its own: import under another with --name")]
        )


def device_row(device: Device, *, site_id: int, place_id: int) -> DeviceRow:
    """A row for a device of a document, with a token of its own."""
    body = device.model_dump(mode="json", exclude_none=True)
    return DeviceRow(
        site_id=site_id,
        place_id=place_id,
        code=device.code,
        name=device.name,
        kind=device.kind,
        ability=device.ability,
        address=device.address,
        outputs=body["outputs"],
        watchdog=body.get("watchdog"),
        retired=device.retired,
        type=device.type,
        firmware=device.firmware,
        switch=device.hangs_on.switch if device.hangs_on else None,
        port=device.hangs_on.port if device.hangs_on else None,
        extras={key: body[key] for key in OF_DEVICE if body.get(key)},
        token=new_token(),
    )


def new_token() -> str:
    return secrets.token_urlsafe(16)


def import_site(
    session: Session, site: Site, *, user_id: int | None, pictures: Pictures = MappingProxyType({})
) -> SiteRow:
    """All of a site's file: types, plan, places, devices, timetables, detectors, links."""
    row = add_site(session, site, user_id=user_id, pictures=pictures)
    add_detectors(session, row, site, user_id=user_id)
    return row


def add_detectors(
    session: Session,
    row: SiteRow,
    site: Site,
    *,
    user_id: int | None,
    reasons: Mapping[str, str] = MappingProxyType({}),
) -> None:
    """The file's timetables, detectors and links, for the devices that are there. `reasons`: for first revisions, by detector."""
    for timetable in site.timetables:
        save_timetable(
            session, row.id, timetable.model_dump(mode="json"), timetable_id=None, reason=FROM_FILE, user_id=user_id
        )
    for held in site.list_bodies.values():
        save_list(session, row.id, held, list_id=None, reason=FROM_FILE, user_id=user_id)
    detectors: dict[str, DetectorRow] = {}
    for detector in site.detectors:
        device = device_by_code(session, row.id, str(detector.device))
        assert device is not None  # the document was checked
        reason = reasons.get(detector.name, FROM_FILE)
        made = add_detector(
            session, device_id=device.id, detector=detector.plain, reason=reason, user_id=user_id, checked=False
        )
        made.enabled, made.retired = detector.enabled, detector.retired
        detectors[detector.name] = made
    for link in site.links:
        cause: Cause = detectors[link.detector] if link.detector is not None else InputCause(row.id, link.cause)
        body = link.model_dump(mode="json")
        save_link(session, cause, body, link_id=None, reason=FROM_FILE, user_id=user_id)
    recheck(session, row.id)


# ---- into a file -----------------------------------------------------------------------------------------------------


def site_document(session: Session, row: SiteRow) -> Site:
    """The site as it stands, without what is not in a file: see `LEFT_OUT`."""
    devices: dict[int, list[Device]] = {}
    for device in devices_of_site(session, row.id, retired=True):
        devices.setdefault(device.place_id, []).append(_device(device))
    places = [
        Place(name=place.name, devices=tuple(devices.get(place.id, ())), polygon=place.extras.get("polygon"))
        for place in row.places
    ]
    detectors = [
        SiteDetector.model_validate(found.body | {"enabled": found.enabled, "retired": found.retired})
        for found in detectors_of_site(session, row.id, retired=True)
    ]
    links = session.scalars(select(LinkRow).where(LinkRow.site_id == row.id).order_by(LinkRow.name))
    return Site(
        name=row.name,
        zone=row.zone,
        places=tuple(places),
        types=tuple(each.model for each in types_of(session, row.id)),
        plan=plan.model if (plan := plan_of(session, row.id)) is not None else None,
        detectors=tuple(detectors),
        timetables=tuple(found.model for found in timetables_of(session, row.id)),
        links=tuple(link.model for link in links),
        lists=tuple(Named.model_validate(held.body) for held in lists_of(session, row.id)),
        **row.extras,
    )


def _device(row: DeviceRow) -> Device:
    return Device(
        code=row.code,
        name=row.name,
        kind=row.kind,
        ability=row.ability,
        address=row.address,
        outputs=tuple(row.output_models),
        watchdog=row.watchdog_model,
        retired=row.retired,
        type=row.type,
        firmware=row.firmware,
        hangs_on=HangsOn(switch=row.switch, port=row.port) if row.switch and row.port else None,
        **row.extras,
    )


def site_file(site: Site) -> bytes:
    """As it is written: sorted keys, two spaces, nothing that is not set."""
    document = site.model_dump(mode="json", exclude_none=True)
    return orjson.dumps(document, option=orjson.OPT_INDENT_2 | orjson.OPT_SORT_KEYS | orjson.OPT_APPEND_NEWLINE)


def site_package(session: Session, row: SiteRow) -> bytes:
    """The site's file: the document alone, or a zip with the plan's ground picture beside it."""
    site = site_document(session, row)
    return packed(site_file(site), pictures_of(session, row.id, site.plan))


# ---- paused, removed -------------------------------------------------------------------------------------------------


def what_goes(session: Session, site_id: int) -> dict[str, int]:
    """How much goes with a site, in words and numbers."""
    counts = {
        "devices": select(func.count()).where(DeviceRow.site_id == site_id),
        "takes": select(func.count(TakeRow.id)).join(DeviceRow).where(DeviceRow.site_id == site_id),
        "marks": select(func.count(MarkRow.id)).join(TakeRow).join(DeviceRow).where(DeviceRow.site_id == site_id),
        "detectors": select(func.count()).where(DetectorRow.site_id == site_id),
        "revisions": select(func.count()).where(RevisionRow.site_id == site_id),
        "links": select(func.count()).where(LinkRow.site_id == site_id),
        "events": select(func.count()).where(_events_of(site_id)),
    }
    return {what: session.scalar(query) or 0 for what, query in counts.items()}


def _events_of(site_id: int) -> ColumnElement[bool]:
    detectors = select(DetectorRow.id).where(DetectorRow.site_id == site_id)
    devices = select(DeviceRow.id).where(DeviceRow.site_id == site_id)
    return or_(EventRow.detector_id.in_(detectors), EventRow.device_id.in_(devices))


def remove_site(session: Session, row: SiteRow, *, name: str) -> None:
    """With all that is its own. `name`: typed by whoever removes it, to be sure. Raises `Refused`."""
    if name != row.name:
        raise Refused([Fault("name", repr(name[:80]), f"the site's own name, {row.name!r}, to be sure")])
    devices = select(DeviceRow.id).where(DeviceRow.site_id == row.id)
    detectors = select(DetectorRow.id).where(DetectorRow.site_id == row.id)
    revisions = select(RevisionRow.id).where(RevisionRow.site_id == row.id)
    for take in takes_of_site(session, row.id):
        session.delete(take)
    session.flush()
    for statement in (
        delete(LiveMarkRow).where(LiveMarkRow.device_id.in_(devices)),
        delete(RecordingRow).where(RecordingRow.device_id.in_(devices)),
        delete(RecordingPlanRow).where(RecordingPlanRow.device_id.in_(devices)),
        delete(LateRow).where(LateRow.device_id.in_(devices)),
        delete(OrderRow).where(OrderRow.device_id.in_(devices)),
        delete(OutputRow).where(OutputRow.device_id.in_(devices)),
        delete(EventRow).where(_events_of(row.id)),
        delete(InputRow).where(InputRow.device_id.in_(devices)),
        delete(DecisionRow).where(DecisionRow.detector_id.in_(detectors)),
        delete(DeviceStateRow).where(DeviceStateRow.device_id.in_(devices)),
        delete(LinkRow).where(LinkRow.site_id == row.id),
        delete(TimetableRow).where(TimetableRow.site_id == row.id),
        delete(ListRow).where(ListRow.site_id == row.id),
        delete(DeviceTypeRow).where(DeviceTypeRow.site_id == row.id),
        delete(PlanRow).where(PlanRow.site_id == row.id),
        delete(PlanPictureRow).where(PlanPictureRow.site_id == row.id),
        delete(JudgementRow).where(JudgementRow.revision_id.in_(revisions)),
        delete(StudyRow).where(StudyRow.detector_id.in_(detectors)),
        delete(WalkTestRow).where(WalkTestRow.detector_id.in_(detectors)),
        delete(RevisionRow).where(RevisionRow.site_id == row.id),
        delete(DetectorRow).where(DetectorRow.site_id == row.id),
        delete(ImportRow).where(ImportRow.site_id == row.id),
        delete(DeviceRow).where(DeviceRow.site_id == row.id),
        delete(PlaceRow).where(PlaceRow.site_id == row.id),
        delete(SiteRow).where(SiteRow.id == row.id),
    ):
        session.execute(statement)
