"""What comes to the plan and goes from it as files: ground pictures, GeoJSON, paper, its own document."""

from __future__ import annotations

from functools import partial
from typing import Annotated, Any, Literal
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool

from lantern.core.faults import Fault, Refused
from lantern.core.promise.claims import claims
from lantern.core.promise.earth import geojson
from lantern.core.promise.ground import Lying
from lantern.core.promise.plan import Point
from lantern.db.base import now, transaction
from lantern.formats.geojson import things_in
from lantern.formats.ground.ground import Ground
from lantern.formats.ground.picture import read_ground
from lantern.formats.paper.sheet import MEDIA, Format
from lantern.plan.actions import all_stood, around_of, drawn_shapes, plan_model
from lantern.plan.drawing import areas
from lantern.plan.grounds import keep_picture, picture_of
from lantern.plan.paper import PlanPrint
from lantern.plan.tables import plan_of
from lantern.settings import settings
from lantern.sites.tables import SiteRow
from lantern.web.access import may, site_id_of, tell
from lantern.web.answers import attachment, json_answer
from lantern.web.outside import read_outside

router = APIRouter()


class Scaled(BaseModel):
    """How the ground picture lies, with two places on the plan and how far apart they are."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    lying: Lying
    points: tuple[Point, Point]
    length_m: float


class Fitted(BaseModel):
    """How the ground picture lies, its size in its own units, and whether nothing is drawn on the plan yet."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    lying: Lying
    width_px: float = Field(gt=0, le=1e6)
    height_px: float = Field(gt=0, le=1e6)
    free: bool


class Outlined(BaseModel):
    """How the ground picture lies, and outlines in its own units from its lower left corner."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    lying: Lying
    outlines: list[list[Point]] = Field(max_length=2000)


@router.post("/plan/pictures", **may("engineer", "brought a ground picture"))
async def bring(request: Request, name: str = "ground", page: int = 1) -> Response:
    """The body is the file. It lies on the plan once the plan names it."""
    read = partial(read_ground, name=name[:200], page=page, limits=settings().limits)
    return await run_in_threadpool(_bring, request, await read_outside(request, read, name=name[:200]))


def _bring(request: Request, ground: Ground) -> Response:
    with transaction() as session:
        row = keep_picture(session, site_id_of(request), ground)
        tell(request, f"brought the ground picture {row.name}")
        return json_answer(
            row.as_dict() | {"pages": ground.pages, "said": list(ground.said), "outlines": ground.outlines}
        )


@router.post("/plan/ground/scale", **may("engineer", ""))
def scale_ground(asked: Scaled) -> Response:
    """The ground picture put to scale by two of its points; nothing is kept."""
    one, other = asked.points
    return json_answer(asked.lying.stretched(one, other, asked.length_m).model_dump(mode="json"))


@router.post("/plan/ground/sheet", **may("engineer", ""))
def fit_sheet(asked: Fitted) -> Response:
    """The plan as large as its ground picture; nothing is kept."""
    lying, width_m, height_m = asked.lying.sheet(asked.width_px, asked.height_px, free=asked.free)
    return json_answer({"origin": lying.origin, "width_m": width_m, "height_m": height_m})


@router.post("/plan/ground/outlines", **may("engineer", ""))
def place_outlines(asked: Outlined) -> Response:
    """Outlines of the ground picture in metres of the plan; nothing is kept."""
    return json_answer({"outlines": [[asked.lying.metres(*corner) for corner in each] for each in asked.outlines]})


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
    """Return what is drawn on the plan and what every mounted device covers, as GeoJSON; refused where the plan does
    not say where on the earth it lies.
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
