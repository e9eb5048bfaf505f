"""All sites of the program: chosen, made, brought in from a file, paused, removed."""

from __future__ import annotations

from functools import lru_cache, partial
from typing import Any
from zoneinfo import available_timezones

from fastapi import APIRouter, Body, HTTPException, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from starlette.concurrency import run_in_threadpool

from lantern.core.faults import Fault, Refused
from lantern.core.site import Site
from lantern.db.base import transaction
from lantern.db.belonging import counted
from lantern.db.numbers import Id
from lantern.formats.documents import read_model
from lantern.formats.site_files import ZIP, Pictures, site_in
from lantern.jobs import defer_demo
from lantern.people.roles import role_on, sites_of
from lantern.people.tables import User
from lantern.settings import settings
from lantern.sites import actions
from lantern.sites.tables import SiteJobRow, SiteRow
from lantern.web.access import SITE, may, site_id_of, tell
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.outside import read_outside
from lantern.web.pages import render_above

router = APIRouter()


class Named(BaseModel):
    model_config = ConfigDict(extra="forbid")

    name: str = Field(max_length=120)
    zone: str = Field(default="UTC", max_length=80)


@router.get("/", **may("known"))
def start(request: Request) -> Response:
    """Go to the site, where there is only one."""
    with transaction() as session:
        sites = sites_of(session, session.get_one(User, user_id(request)))
    return RedirectResponse(f"/sites/{sites[0].id}/survey" if len(sites) == 1 else "/sites", 303)


@router.get("/sites", **may("known"))
def sites_page(request: Request) -> HTMLResponse:
    with transaction() as session:
        user = session.get_one(User, user_id(request))
        rows = [
            {"row": site, "role": role_on(session, user, site.id), "counts": counted(session, site.id)}
            for site in sites_of(session, user)
        ]
        job = session.scalar(select(SiteJobRow).order_by(SiteJobRow.id.desc()).limit(1))
        data = {"job": None if job is None else job.as_dict(), "left_out": actions.LEFT_OUT}
        has_demo = session.scalar(select(SiteRow.id).where(SiteRow.demo)) is not None
        return render_above(
            request, session, "sites.html", here="sites", rows=rows, data=data, has_demo=has_demo, zones=_zones()
        )


@lru_cache
def _zones() -> list[str]:
    return sorted(name for name in available_timezones() if "/" in name and not name.startswith(("Etc/", "posix")))


@router.post("/sites", **may("administrator", "made a site"))
def make(request: Request, asked: Named) -> Response:
    with transaction() as session:
        site = read_model(Site, {"name": asked.name.strip(), "zone": asked.zone}, where="site")
        row = actions.add_site(session, site)
        tell(request, f"made the site {row.name}")
        return json_answer({"id": row.id})


@router.post("/sites/file", **may("administrator", "brought a site in from a file"))
async def bring_in(request: Request, name: str = "") -> Response:
    """The body is the file. `name`: another than the file's."""
    read = partial(site_in, limits=settings().limits, where="site file", name=name.strip())
    site, pictures = await read_outside(request, read, name="site file")
    return await run_in_threadpool(_bring_in, request, site, pictures)


def _bring_in(request: Request, site: Site, pictures: Pictures) -> Response:
    with transaction() as session:
        row = actions.import_site(session, site, user_id=user_id(request), pictures=pictures)
        tell(request, f"brought the site {row.name} in from a file")
        return json_answer({"id": row.id})


@router.get(f"{SITE}/site.json", **may("viewer"))
def file(request: Request) -> Response:
    """The site as one file: a document, or a zip where the plan has a ground picture."""
    with transaction() as session:
        row = session.get_one(SiteRow, site_id_of(request))
        data = actions.site_package(session, row)
        zipped = data.startswith(ZIP)
        media = "application/zip" if zipped else "application/json"
        return Response(data, 200, attachment(f"{row.name}.site.{'zip' if zipped else 'json'}"), media)


@router.put(SITE, **may("lead", "renamed the site, or set its zone"))
def change(request: Request, asked: Named) -> Response:
    with transaction() as session:
        row = session.get_one(SiteRow, site_id_of(request))
        checked = read_model(Site, {"name": asked.name.strip(), "zone": asked.zone}, where="site")
        actions.check_site_name(session, checked.name, row.id)
        row.name, row.zone = checked.name, checked.zone
        return json_answer({"id": row.id})


@router.put(f"{SITE}/lead", **may("engineer", "said how early a verdict may have begun"))
def set_lead(request: Request, lead_s: float = Body(embed=True, ge=0, le=3600, allow_inf_nan=False)) -> Response:
    """Set for verdicts from now on how long before an event that was right its cause may have begun."""
    with transaction() as session:
        session.get_one(SiteRow, site_id_of(request)).lead_s = lead_s
        return json_answer({"lead_s": lead_s})


@router.put(f"{SITE}/live", **may("engineer", "paused the site, or let it go on"))
def set_live(request: Request, live: bool = Body(embed=True)) -> Response:
    """Paused: the engine takes no frames of it and switches nothing; what is latched stays."""
    with transaction() as session:
        row = session.get_one(SiteRow, site_id_of(request))
        row.live = live
        tell(request, "let the site go on" if live else "paused the site")
        return json_answer({"id": row.id, "live": live})


@router.delete("/sites/{site_id}", **may("administrator", "removed a site"))
def remove(request: Request, site_id: Id, name: str) -> Response:
    """`name`: the site's own, typed to be sure."""
    with transaction() as session:
        row = session.get(SiteRow, site_id)
        if row is None:
            raise HTTPException(404, f"There is no site {site_id}.")
        tell(request, f"removed the site {row.name}")
        actions.remove_site(session, row, name=name)
        return json_answer({"removed": site_id})


# ---- the demo --------------------------------------------------------------------------------------------------------


@router.post("/sites/demo", **may("administrator", "asked for the demo site"))
def ask_demo(request: Request) -> Response:
    """Set the demo site up, in the background. It makes no account."""
    with transaction() as session:
        if session.scalar(select(SiteRow.id).where(SiteRow.demo)) is not None:
            raise Refused([Fault("demo", "is there already", "one demo site")])
        job = SiteJobRow(what="demo", state="waiting", faults=[])
        session.add(job)
        session.flush()
        answer = job.as_dict()
    defer_demo(answer["id"])
    return json_answer(answer)


@router.get("/sites/jobs/{job_id}", **may("administrator"))
def progress(job_id: Id) -> Response:
    with transaction() as session:
        return json_answer(_job(session, job_id).as_dict())


@router.post("/sites/jobs/{job_id}/cancel", **may("administrator"))
def cancel(job_id: Id) -> Response:
    with transaction() as session:
        job = _job(session, job_id)
        job.cancel = True
        if job.state == "waiting":
            job.state = "cancelled"
        return json_answer(job.as_dict())


def _job(session: Any, job_id: int) -> SiteJobRow:
    job = session.get(SiteJobRow, job_id)
    if job is None:
        raise HTTPException(404, f"There is no such work {job_id}.")
    return job  # type: ignore[no-any-return] # the session's own
