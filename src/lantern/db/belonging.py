"""What belongs to a site: all rows that a foreign key leads from, by whatever way, to it. It goes with the site.

A key that is emptied when its row goes (`ON DELETE SET NULL`) only mentions; it makes nothing belong.
"""

from __future__ import annotations

from functools import cache

from sqlalchemy import ColumnElement, ForeignKey, Table, delete, false, func, or_, select
from sqlalchemy.orm import Session

from lantern.db import models
from lantern.db.base import Base

ROOT = "site"


@cache
def tables_of_site() -> tuple[Table, ...]:
    """Return the tables whose rows belong to sites, each before those that it leads to; the sites' own last."""
    models.load()
    belonging: list[Table] = []
    for table in Base.metadata.sorted_tables:
        if table.name == ROOT or any(key.column.table in belonging for key in _ties(table)):
            belonging.append(table)
    return tuple(belonging[::-1])


def rows_of_site(table: Table, site_id: int) -> ColumnElement[bool]:
    """The rows of a table that belong to a site."""
    if table.name == ROOT:
        return table.c.id == site_id
    direct = next((key.parent for key in _ties(table) if key.column.table.name == ROOT), None)
    if direct is not None and not direct.nullable:
        return direct == site_id
    above = [key for key in _ties(table) if key.column.table in tables_of_site() and key.column.table is not table]
    ways = [key.parent.in_(select(key.column).where(rows_of_site(key.column.table, site_id))) for key in above]
    return or_(false(), *ways)


def _ties(table: Table) -> list[ForeignKey]:
    keys = sorted(table.foreign_keys, key=lambda key: key.parent.name)
    return [key for key in keys if (key.ondelete or "").upper() != "SET NULL"]


def remove_rows(session: Session, site_id: int) -> None:
    """Delete a site with all that belongs to it."""
    session.flush()
    for table in tables_of_site():
        session.execute(delete(table).where(rows_of_site(table, site_id)))
    session.expire_all()


def counted(session: Session, site_id: int) -> dict[str, int]:
    """Return how many rows of those tables that tell a reader something (`told`) belong to a site, by that word."""
    out: dict[str, int] = {}
    for table in tables_of_site()[::-1]:
        told = table.info.get("told")
        if told:
            query = select(func.count()).select_from(table).where(rows_of_site(table, site_id))
            out[told] = session.scalar(query) or 0
    return out
