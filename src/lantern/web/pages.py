"""Rendering: one environment over all stages' templates, and what every page has (rail, route, user)."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import orjson
from fastapi import HTTPException, Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape
from markupsafe import Markup
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lantern.links.tables import LinkRow
from lantern.live.tables import DeviceStateRow
from lantern.people.tables import User
from lantern.survey.tables import DeviceRow, SiteRow, get_site
from lantern.takes.tables import TakeRow
from lantern.tune.tables import DetectorRow, detectors_of_site
from lantern.web.security import token

PACKAGE = Path(__file__).resolve().parent.parent
STAGE_FOLDERS = ("web", "survey", "takes", "tune", "links", "rehearse", "walk", "people")
ENGINE_SILENT_S = 15.0

environment = Environment(
    loader=FileSystemLoader([PACKAGE / folder / "templates" for folder in STAGE_FOLDERS]),
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
    return at.astimezone(ZoneInfo(zone)).strftime(pattern)


def _sized(size: float) -> str:
    for unit in ("B", "KiB", "MiB"):
        if size < 1024:
            return f"{size:.0f} {unit}"
        size /= 1024
    return f"{size:.1f} GiB"


environment.filters |= {"as_json": _as_json, "local": _local, "sized": _sized}

RAIL_GLYPHS = {"steady": "hit", "cries wolf": "false", "misses": "miss"}


def the_site(session: Session) -> SiteRow:
    site = get_site(session)
    if site is None:
        raise HTTPException(404, "There is no site yet. Start with ./lantern demo, or import one.")
    return site


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
    site = the_site(session)
    user = session.get(User, request.session["user_id"])
    rows = detectors_of_site(session, site.id)
    current = detector or (rows[0] if rows else None)
    page = environment.get_template(template).render(
        request=request,
        csrf=token(request),
        stage=stage,
        site=site,
        user=user,
        detector=detector,
        route=_route(session, rows, current),
        rail=_rail(site, rows),
        engine=_engine(session, site.id),
        **context,
    )
    return HTMLResponse(page, status)


def _route(session: Session, rows: list[DetectorRow], current: DetectorRow | None) -> list[dict[str, Any]]:
    """The stages with what is open in each."""
    linked = set(session.scalars(select(LinkRow.detector_id).distinct()))
    restless = sum(row.verdict in ("cries wolf", "misses") for row in rows)
    at = current.id if current else 0
    takes = session.scalar(select(func.count()).select_from(TakeRow)) or 0
    return [
        {"key": "survey", "label": "Survey", "href": "/survey", "open": 0, "why": ""},
        {"key": "takes", "label": "Takes", "href": "/takes", "open": 0, "why": f"{takes} takes"},
        {
            "key": "tune",
            "label": "Tune",
            "href": f"/bench/{at}",
            "open": restless,
            "why": f"{restless} detectors miss or cry wolf",
        },
        {
            "key": "link",
            "label": "Link",
            "href": f"/links/{at}",
            "open": sum(r.id not in linked for r in rows),
            "why": "detectors tied to no output",
        },
        {"key": "rehearse", "label": "Rehearse", "href": f"/rehearse/{at}", "open": 0, "why": ""},
        {"key": "walk", "label": "Walk", "href": f"/walk/{at}", "open": 0, "why": ""},
    ]


def _rail(site: SiteRow, rows: list[DetectorRow]) -> list[dict[str, Any]]:
    out = []
    for place in site.places:
        lines = []
        for device in place.devices:
            mine = [row for row in rows if row.device_id == device.id]
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
                word = "outputs" if device.kind == "io_module" else "no detector"
                lines.append({"code": device.code, "name": device.name, "word": word, "glyph": "none", "id": None})
        out.append({"name": place.name, "lines": lines})
    return out


def _engine(session: Session, site_id: int) -> dict[str, Any]:
    """How many devices answer, as the engine last wrote it."""
    devices = list(session.scalars(select(DeviceRow).where(DeviceRow.site_id == site_id)))
    states = {row.device_id: row for row in session.scalars(select(DeviceStateRow))}
    live = sum(1 for d in devices if d.id in states and states[d.id].reachable)
    beat = max((row.said.get("at", 0.0) for row in states.values()), default=0.0)
    silent = datetime.now(UTC).timestamp() - beat > ENGINE_SILENT_S
    return {"live": live, "devices": len(devices), "silent": silent}
