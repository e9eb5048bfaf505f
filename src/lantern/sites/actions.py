"""What can be done with sites: make, pause, remove; from a file and into one."""

from __future__ import annotations

import orjson
from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.site import Site
from lantern.db.belonging import remove_rows
from lantern.formats.site_files import Pictures, packed
from lantern.sites.parts import NOTHING, Brought, parts
from lantern.sites.tables import SiteRow

OF_SITE = ("expectations",)  # of the rehearsal, kept as they are
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


def add_site(session: Session, site: Site, *, user_id: int | None = None, pictures: Pictures = NOTHING) -> SiteRow:
    """The site with all that is there before any take: places, devices, types, plan.

    Raises `Refused` where the name is taken, or its names lead nowhere.
    """
    site.check()
    check_site_name(session, site.name)
    extras = {key: value for key, value in site.model_dump(mode="json", include=set(OF_SITE)).items() if value}
    row = SiteRow(name=site.name, zone=site.zone, extras=extras)
    session.add(row)
    session.flush()
    brought = Brought(site, user_id, pictures)
    for part in parts():
        if part.are_ground:
            part.take(session, row, brought)
    return row


def add_rest(session: Session, row: SiteRow, brought: Brought) -> None:
    """Add what comes once the takes may be there: detectors, which are scored on them, and what goes by them."""
    for part in parts():
        if not part.are_ground:
            part.take(session, row, brought)


def import_site(session: Session, site: Site, *, user_id: int | None, pictures: Pictures = NOTHING) -> SiteRow:
    """Return all of a site's file."""
    row = add_site(session, site, user_id=user_id, pictures=pictures)
    add_rest(session, row, Brought(site, user_id))
    return row


def check_site_name(session: Session, name: str, site_id: int | None = None) -> None:
    held = session.scalar(select(SiteRow.id).where(SiteRow.name == name))
    if held is not None and held != site_id:
        raise Refused(
            [Fault("site: name", f"{name!r} is taken", "a name of its own: import under another with --name")]
        )


# ---- into a file -----------------------------------------------------------------------------------------------------


def site_document(session: Session, row: SiteRow) -> Site:
    """The site as it stands, without what is not in a file: see `LEFT_OUT`."""
    held = {key: value for part in parts() for key, value in part.give(session, row).items()}
    extras = {key: value for key, value in row.extras.items() if key in OF_SITE}
    return Site(name=row.name, zone=row.zone, **held, **extras)


def site_file(site: Site) -> bytes:
    """Return the site's file as it is written: sorted keys, two spaces, nothing that is not set."""
    document = site.model_dump(mode="json", exclude_none=True)
    return orjson.dumps(document, option=orjson.OPT_INDENT_2 | orjson.OPT_SORT_KEYS | orjson.OPT_APPEND_NEWLINE)


def site_package(session: Session, row: SiteRow) -> bytes:
    """The site's file: the document alone, or a zip with what goes beside it."""
    beside = {name: data for part in parts() for name, data in part.files(session, row).items()}
    return packed(site_file(site_document(session, row)), beside)


# ---- removed ---------------------------------------------------------------------------------------------------------


def remove_site(session: Session, row: SiteRow, *, name: str) -> None:
    """Remove a site with all that is its own. `name`: typed by whoever removes it, to be sure. Raises `Refused`."""
    if name != row.name:
        raise Refused([Fault("name", repr(name[:80]), f"the site's own name, {row.name!r}, to be sure")])
    remove_rows(session, row.id)
