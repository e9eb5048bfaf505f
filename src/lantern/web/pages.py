"""Rendering: one environment over all stages' templates, and what every page has (rail, route, user)."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import orjson
from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape
from markupsafe import Markup
from sqlalchemy import func, select
from sqlalchemy.orm import Session

import lantern.benches
from lantern.core.devices import DEVICE_KINDS
from lantern.keeper import standing
from lantern.links.tables import LinkRow
from lantern.live.tables import DeviceStateRow
from lantern.people.roles import sites_of
from lantern.people.tables import User
from lantern.settings import settings
from lantern.survey.tables import DeviceRow, SiteRow
from lantern.takes.tables import TakeRow
from lantern.tune.tables import DetectorRow
from lantern.web.access import site_id_of
from lantern.web.door import token, user_id

PACKAGE = Path(__file__).resolve().parent.parent
STAGE_FOLDERS = ("web", "survey", "takes", "tune", "links", "rehearse", "walk", "people")
BENCH_FOLDERS = sorted(room for path in lantern.benches.__path__ for room in Path(path).glob("*/templates"))
ENGINE_SILENT_S = 15.0

environment = Environment(
    loader=FileSystemLoader([*(PACKAGE / folder / "templates" for folder in STAGE_FOLDERS), *BENCH_FOLDERS]),
    autoescape=select_autoescape(),
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
)


def _as_json(value: Any) -> Markup:
    """For a `<script type="application/json">` block: nothing in it can end the block."""
    text = orjson.dumps(value, option=orjson.OPT_NON_STR_KEYS).decode()
    return Markup(text.replace("<", "\\u003c").replace("&", "\\u0026"))  # noqa: S704 - escaped just here


def _local(at: datetime, zone: str, pattern: str = "%Y-%m-%d %H:%M:%S") -> str:
    try:
        return at.astimezone(ZoneInfo(zone)).strftime(pattern)
    except (OverflowError, ValueError, ZoneInfoNotFoundError):  # a row that nobody checked: shown as it is
        return f"{at.isoformat(sep=' ', timespec='seconds')}"


def _sized(size: float) -> str:
    for unit in ("B", "KiB", "MiB"):
        if size < 1024:
            return f"{size:.0f} {unit}"
        size /= 1024
    return f"{size:.1f} GiB"


environment.filters |= {"as_json": _as_json, "local": _local, "sized": _sized}

RAIL_GLYPHS = {"steady": "hit", "cries wolf": "false", "misses": "miss"}


def the_site(request: Request, session: Session) -> SiteRow:
    """The site of the address."""
    return session.get_one(SiteRow, site_id_of(request))


def render(
    request: Request,
    session: Session,
    template: str,
    *,
    stage: str,
    detector: DetectorRow | None = None,
    status: int = 200,
    **context: Any,
) -> HTMLResponse:
    """A page within the frame."""
    site = the_site(request, session)
    user = session.get_one(User, user_id(request))
    rows, devices = _detectors(session, site.id), _devices(session, site.id)
    current = detector.id if detector else rows[0].id if rows else None
    page = environment.get_template(template).render(
        request=request,
        csrf=token(request),
        stage=stage,
        site=site,
        root=f"/sites/{site.id}",
        role=request.state.role,
        sites=sites_of(session, user),
        user=user,
        detector=detector,
        route=_route(session, site, rows, current),
        rail=_rail(site, rows, devices),
        engine=_engine(session, site.id, devices),
        failing=[part for part in standing(settings().state_dir) if part["keeps_ending"]],
        **context,
    )
    return HTMLResponse(page, status)


def render_above(
    request: Request, session: Session, template: str, *, here: str, status: int = 200, **context: Any
) -> HTMLResponse:
    """A page of no site: sites, people, one's own account."""
    user = session.get_one(User, user_id(request))
    page = environment.get_template(template).render(
        request=request,
        csrf=token(request),
        here=here,
        root="",
        user=user,
        sites=sites_of(session, user),
        failing=[part for part in standing(settings().state_dir) if part["keeps_ending"]],
        **context,
    )
    return HTMLResponse(page, status)


Rows = Sequence[Any]  # of a query for a few columns: no page needs whole rows of all a site has


def _detectors(session: Session, site_id: int) -> Rows:
    """(id, device_id, name, verdict) of those in use, by their devices' codes and their names."""
    query = select(DetectorRow.id, DetectorRow.device_id, DetectorRow.name, DetectorRow.verdict).join(
        DetectorRow.device
    )
    in_use = (DetectorRow.site_id == site_id, DetectorRow.retired.is_(False), DeviceRow.retired.is_(False))
    return session.execute(query.where(*in_use).order_by(DeviceRow.code, DetectorRow.name)).all()


def _devices(session: Session, site_id: int) -> Rows:
    """(id, place_id, code, name, kind) of those in use, by their codes."""
    query = select(DeviceRow.id, DeviceRow.place_id, DeviceRow.code, DeviceRow.name, DeviceRow.kind)
    in_use = (DeviceRow.site_id == site_id, DeviceRow.retired.is_(False))
    return session.execute(query.where(*in_use).order_by(DeviceRow.code)).all()


def _route(session: Session, site: SiteRow, rows: Rows, current: int | None) -> list[dict[str, Any]]:
    """The stages with what is open in each."""
    linked = set(session.scalars(select(LinkRow.detector_id).where(LinkRow.site_id == site.id).distinct()))
    restless = sum(row.verdict in ("cries wolf", "misses") for row in rows)

    def of(stage: str, address: str) -> str:
        return f"{root}{address}/{current}" if current else f"{root}/begin/{stage}"

    mine = select(func.count(TakeRow.id)).join(DeviceRow).where(DeviceRow.site_id == site.id)
    takes, root = session.scalar(mine) or 0, f"/sites/{site.id}"
    return [
        {"key": "survey", "label": "Survey", "href": f"{root}/survey", "open": 0, "why": ""},
        {"key": "takes", "label": "Takes", "href": f"{root}/takes", "open": 0, "why": f"{takes} takes"},
        {
            "key": "tune",
            "label": "Tune",
            "href": of("tune", "/bench"),
            "open": restless,
            "why": f"{restless} detectors miss or cry wolf",
        },
        {
            "key": "link",
            "label": "Link",
            "href": of("link", "/links"),
            "open": sum(r.id not in linked for r in rows),
            "why": "detectors tied to no output",
        },
        {"key": "rehearse", "label": "Rehearse", "href": of("rehearse", "/rehearse"), "open": 0, "why": ""},
        {"key": "walk", "label": "Walk", "href": of("walk", "/walk"), "open": 0, "why": ""},
    ]


def _rail(site: SiteRow, rows: Rows, devices: Rows) -> list[dict[str, Any]]:
    """Places with their devices and detectors."""
    by_device, by_place = defaultdict(list), defaultdict(list)
    for row in rows:
        by_device[row.device_id].append(row)
    for device in devices:
        by_place[device.place_id].append(device)
    out = []
    for place in site.places:
        lines = []
        for device in by_place[place.id]:
            mine = by_device[device.id]
            lines += [
                {
                    "code": device.code,
                    "name": row.name,
                    "word": row.verdict,
                    "glyph": RAIL_GLYPHS.get(row.verdict, "none"),
                    "id": row.id,
                }
                for row in mine
            ]
            if not mine:
                word = "no detector" if DEVICE_KINDS[device.kind].signals else "outputs"
                lines.append({"code": device.code, "name": device.name, "word": word, "glyph": "none", "id": None})
        out.append({"name": place.name, "lines": lines})
    return out


def _engine(session: Session, site_id: int, devices: Rows) -> dict[str, Any]:
    """How many devices answer, as the engine last wrote it."""
    query = select(DeviceStateRow.device_id, DeviceStateRow.reachable, DeviceStateRow.said["at"].as_float())
    states = session.execute(query.join(DeviceRow).where(DeviceRow.site_id == site_id)).all()
    reachable = {device_id for device_id, answers, _ in states if answers}
    beat = max((at for *_, at in states if at is not None), default=0.0)
    silent = datetime.now(UTC).timestamp() - beat > ENGINE_SILENT_S
    return {"live": sum(d.id in reachable for d in devices), "devices": len(devices), "silent": silent}
