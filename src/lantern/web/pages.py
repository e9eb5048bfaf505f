"""Rendering: one environment over the templates of all folders, within the frame that the application has installed."""

from __future__ import annotations

from datetime import datetime
from functools import cache
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import orjson
from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape
from markupsafe import Markup
from sqlalchemy.orm import Session

import lantern
import lantern.benches
from lantern.core.wording import many
from lantern.signals.register import SIGNALS
from lantern.web.frame import frame

FOLDERS = sorted(Path(lantern.__path__[0]).glob("*/templates"))
FOLDERS += sorted(room for path in lantern.benches.__path__ for room in Path(path).glob("*/templates"))

environment = Environment(
    loader=FileSystemLoader(FOLDERS),
    autoescape=select_autoescape(),
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
)


def _as_json(value: Any) -> Markup:
    """Return JSON for a `<script type="application/json">` block: nothing in it can end the block."""
    text = orjson.dumps(value, option=orjson.OPT_NON_STR_KEYS).decode()
    return Markup(text.replace("<", "\\u003c").replace("&", "\\u0026"))  # noqa: S704 - escaped just here


def local(at: datetime, zone: str, *, seconds: bool = False, day: bool = True) -> str:
    """Return an instant by the clocks of a zone, as every page writes it: 2026-03-04 05:12, with seconds where they tell something."""
    try:
        pattern = ("%Y-%m-%d " if day else "") + ("%H:%M:%S" if seconds else "%H:%M")
        return at.astimezone(ZoneInfo(zone)).strftime(pattern)
    except (OverflowError, ValueError, ZoneInfoNotFoundError):  # a row that nobody checked: shown as it is
        return f"{at.isoformat(sep=' ', timespec='seconds')}"


def _sized(size: float) -> str:
    for unit in ("B", "KiB", "MiB"):
        if size < 1024:
            return f"{size:.0f} {unit}"
        size /= 1024
    return f"{size:.1f} GiB"


@cache
def _glyph(kind: str) -> Markup:
    """A shape with a meaning: drawn hundreds of times on a page, so laid out once."""
    return Markup(environment.get_template("glyph.html").render(kind=kind).strip())  # noqa: S704 - a template of ours


environment.globals |= {"glyph": _glyph, "signals": SIGNALS}
environment.filters |= {"as_json": _as_json, "local": local, "sized": _sized, "counted": many}


def render(
    request: Request,
    session: Session,
    template: str,
    *,
    stage: str,
    detector: Any = None,
    status: int = 200,
    **context: Any,
) -> HTMLResponse:
    """A page of the site in the address, within the frame; `detector`: the one that it is about."""
    around = frame().of_site(request, session, detector)
    page = environment.get_template(template).render(stage=stage, detector=detector, **around, **context)
    return HTMLResponse(page, status)


def render_above(
    request: Request, session: Session, template: str, *, here: str, status: int = 200, **context: Any
) -> HTMLResponse:
    """A page of no site: sites, people, one's own account."""
    page = environment.get_template(template).render(here=here, **frame().above(request, session), **context)
    return HTMLResponse(page, status)


def offset_s(zone: str) -> float:
    """Return how far a site's clock is ahead of UTC just now, for pages that show times as they come."""
    offset = datetime.now(ZoneInfo(zone)).utcoffset()
    assert offset is not None
    return offset.total_seconds()
