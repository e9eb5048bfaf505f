"""Lists of a site (of plates, of faces): what is on them is for the families that read them."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from sqlalchemy import UniqueConstraint, select
from sqlalchemy.orm import Session

from lantern.core.events import Detector
from lantern.core.kinds import kind_of
from lantern.db.base import Base
from lantern.revisions import Revised, RevisionRow


class ListRow(Revised, Base):
    """Its body is one of the `lists` of a site's file."""

    __tablename__ = "named_list"
    __table_args__ = (UniqueConstraint("site_id", "name"),)
    WHAT = "list"


def lists_of(session: Session, site_id: int, *, holding: str | None = None) -> list[ListRow]:
    """Return the lists of a site by name; `holding`: those whose body has that key, for a family knows its own by it."""
    rows = session.scalars(select(ListRow).where(ListRow.site_id == site_id).order_by(ListRow.name))
    return [row for row in rows if holding is None or holding in row.body]


def list_of(session: Session, list_id: int, *, holding: str) -> ListRow | None:
    """Return the list of that number, if its body has that key."""
    row = session.get(ListRow, list_id)
    return row if row is not None and holding in row.body else None


def saved_list(session: Session, revision_id: int, *, holding: str) -> RevisionRow | None:
    """Return a revision of a list, if its body has that key."""
    saved = session.get(RevisionRow, revision_id)
    return saved if saved is not None and saved.what == ListRow.WHAT and holding in (saved.body or {}) else None


def with_lists(session: Session, site_id: int, detector: Detector) -> Detector:
    """Return the detector with what is on the lists that it names. Raises `Refused` for one that the site does not have."""
    kind = kind_of(detector.kind)
    if not kind.lists.named(detector):
        return detector
    bodies: dict[str, dict[str, Any]] = {row.name: row.body for row in lists_of(session, site_id)}
    return kind.lists.filled(detector, bodies)


def lists_of_everywhere(session: Session) -> dict[int, dict[str, ListRow]]:
    """The lists of all sites, by site and name."""
    out: dict[int, dict[str, ListRow]] = defaultdict(dict)
    for row in session.scalars(select(ListRow)):
        out[row.site_id][row.name] = row
    return out
