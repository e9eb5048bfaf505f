"""Ground pictures of plans: brought, kept by their names, and out again with the site's file."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.apart import bounds_of_a_file, read_apart
from lantern.core.faults import Fault, Refused
from lantern.core.promise.plan import Plan
from lantern.formats.ground.ground import Ground
from lantern.formats.ground.picture import read_ground
from lantern.plan.tables import PlanPictureRow


def picture_of(session: Session, site_id: int, name: str | None) -> PlanPictureRow | None:
    """The site's ground picture of that name, if it was brought."""
    found = (PlanPictureRow.site_id == site_id, PlanPictureRow.name == name)
    return None if name is None else session.scalar(select(PlanPictureRow).where(*found))


def keep_picture(session: Session, site_id: int, ground: Ground) -> PlanPictureRow:
    """Keep what was read as a ground picture. It lies on no plan before a plan names it."""
    return _kept(session, site_id, ground, ground.name)


def keep_pictures(session: Session, site_id: int, plan: Plan | None, pictures: Mapping[str, bytes]) -> None:
    """Keep the picture that a site's file brought for its plan, under the name that the plan has for it. Raises `Refused`."""
    name = plan.picture if plan is not None else None
    if name is not None and name in pictures:
        read = partial(read_ground, name=name)
        _kept(session, site_id, read_apart(read, pictures[name], name=name, bounds=bounds_of_a_file()), name)


def pictures_of(session: Session, site_id: int, plan: Plan | None) -> dict[str, bytes]:
    """Return what goes beside the site's document in its file: the plan's picture, if it is there."""
    row = picture_of(session, site_id, plan.picture) if plan is not None else None
    return {} if row is None else {row.name: row.data}


def check_picture(session: Session, site_id: int, plan: Plan, *, before: Plan) -> None:
    """Raises `Refused` for a picture that was never brought; one that was missing before may stay so."""
    if (
        plan.picture is not None
        and plan.picture != before.picture
        and picture_of(session, site_id, plan.picture) is None
    ):
        raise Refused([Fault("plan: picture", f"{plan.picture!r} was not brought", "a picture that was, or none")])


def _kept(session: Session, site_id: int, ground: Ground, name: str) -> PlanPictureRow:
    row = picture_of(session, site_id, name)
    if row is None:
        row = PlanPictureRow(site_id=site_id, name=name)
        session.add(row)
    row.media, row.data = ground.media, ground.data
    row.width_px, row.height_px = ground.width_px, ground.height_px
    row.metres_per_px, row.paper_mm_per_px = ground.metres_per_px, ground.paper_mm_per_px
    session.flush()
    return row
