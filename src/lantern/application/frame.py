"""The frame of every page, assembled of what the stages tell: the site, who looks at it, the route, the rail, the engine."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from fastapi import Request
from markupsafe import Markup
from sqlalchemy.orm import Session

from lantern.application.rooms import STAGES
from lantern.benches.register import BENCHES
from lantern.core.devices import DEVICE_KINDS
from lantern.core.roles import ROLES, suffices
from lantern.live.tables import standing_of_site
from lantern.people.roles import sites_of
from lantern.people.tables import User
from lantern.processes import standing
from lantern.register.tables import listed_devices
from lantern.settings import settings
from lantern.sites.tables import SiteRow
from lantern.web.door import token, user_id
from lantern.web.frame import RailLine

ENGINE_SILENT_S = 15.0
LIST_PAGES = [page for bench in BENCHES.values() for page in bench.lists]
NOT_HEARD = ("unconnected", "steered", "played")  # the engine hears nothing of them by itself
_BARE = {  # what a device that nothing can be detected on is for, in a word
    kind.name: "outputs" if kind.reached == "written" else "no signal"
    for kind in DEVICE_KINDS.values()
    if not kind.signals
}


Rows = Sequence[Any]  # of a query for a few columns: no page needs whole rows of all a site has
Lines = Mapping[int, list[RailLine]]  # by device


class AssembledFrame:
    """What `web/pages.py` asks for. A fixed number of queries, however large the site."""

    def of_site(self, request: Request, session: Session, detector: Any) -> dict[str, Any]:
        site = session.get_one(SiteRow, request.state.site_id)
        user = session.get_one(User, user_id(request))
        devices, lines = listed_devices(session, site.id), _lines(session, site.id)
        role = request.state.role
        first = next((line.id for device in devices for line in lines[device.id] if line.id is not None), None)
        return self._of(request, session, user) | {
            "site": site,
            "root": Markup(f"/sites/{site.id}"),  # noqa: S704 - a number; it stands in each line of a page
            "role": role,
            "roles_held": [each for each in ROLES if suffices(role, each)],
            "edits": suffices(role, "engineer"),
            "may_mark": suffices(role, "operator"),
            "route": _route(session, site.id, detector.id if detector else first),
            "rail": _rail(site, devices, lines, _flags(session, site.id)),
            "engine": _engine(session, site.id, devices),
            "list_pages": LIST_PAGES,
        }

    def above(self, request: Request, session: Session) -> dict[str, Any]:
        return self._of(request, session, session.get_one(User, user_id(request))) | {"root": ""}

    def _of(self, request: Request, session: Session, user: User) -> dict[str, Any]:
        failing = [part for part in standing(settings().state_dir) if part["keeps_ending"]]
        sites = sites_of(session, user)
        return {"request": request, "csrf": token(request), "user": user, "sites": sites, "failing": failing}


def _lines(session: Session, site_id: int) -> Lines:
    """Return what all stages have on the rail, by device."""
    lines: dict[int, list[RailLine]] = defaultdict(list)
    for stage in STAGES:
        for device_id, own in (stage.rail(session, site_id) if stage.rail else {}).items():
            lines[device_id] += own
    return lines


def _route(session: Session, site_id: int, current: int | None) -> list[dict[str, Any]]:
    """The stages with what is open in each."""
    out, root = [], f"/sites/{site_id}"
    for stage in STAGES:
        count, why = stage.count(session, site_id)
        href = f"{root}{stage.address}"
        if stage.of_detector:
            href = f"{root}{stage.address}/{current}" if current else f"{root}/begin/{stage.key}"
        out.append({"key": stage.key, "label": stage.label, "href": href, "open": count, "why": why})
    return out


def _flags(session: Session, site_id: int) -> Counter[str]:
    """Return how much is open at each device, by its code, over all stages that count there."""
    counted: Counter[str] = Counter()
    for stage in STAGES:
        counted.update(stage.flags(session, site_id) if stage.flags else {})
    return counted


def _rail(site: SiteRow, devices: Rows, lines: Lines, flags: Mapping[str, int]) -> list[dict[str, Any]]:
    """Places with their devices and what hangs on them; what is open at a device stands at its first line."""
    by_place = defaultdict(list)
    for device in devices:
        by_place[device.place_id].append(device)
    out = []
    for place in site.places:
        held: list[dict[str, Any]] = []
        for device in by_place[place.id]:
            bare = RailLine(name=device.name, word=_BARE.get(device.kind, "no detector"))
            wrong = "; ".join(device.cautions)
            for n, each in enumerate(lines[device.id] or [bare]):
                caution = each.caution or wrong
                word, glyph = each.word, each.glyph
                if caution and glyph != "caution":  # it has no word of its own for what is wrong
                    word = glyph = "caution"
                line = {"code": device.code, "name": each.name, "word": word, "glyph": glyph, "id": each.id}
                held.append(line | {"caution": caution, "device": device.id, "flags": 0 if n else flags[device.code]})
        out.append({"name": place.name, "lines": held})
    return out


def _engine(session: Session, site_id: int, devices: Rows) -> dict[str, Any]:
    """Return how many devices answer, as the engine last wrote it."""
    states = standing_of_site(session, site_id)
    reachable = {device_id for device_id, answers, _ in states if answers}
    beat = max((at for *_, at in states if at is not None), default=0.0)
    silent = datetime.now(UTC).timestamp() - beat > ENGINE_SILENT_S
    spoken = [device for device in devices if DEVICE_KINDS[device.kind].reached not in NOT_HEARD]
    return {"live": sum(d.id in reachable for d in spoken), "devices": len(spoken), "silent": silent}
