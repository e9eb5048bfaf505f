"""The table of all revisions of a site: one query over them and who saved them, and the columns that it shows."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Select, case, func, select

from lantern.people.tables import User
from lantern.revisions import RevisionRow
from lantern.web.ledger import Column, Ledger

LEDGER = Ledger(
    "revisions",
    (
        Column("at", "when", RevisionRow.at),
        Column("who", "who", func.coalesce(User.name, "the program"), choices=True),
        Column("what", "what", RevisionRow.what, choices=True),
        Column("name", "name", RevisionRow.name),
        Column("number", "no.", RevisionRow.number, num=True),
        Column("state", "state", case((RevisionRow.body.is_(None), "deleted"), else_="saved"), choices=True),
        Column("reason", "why", RevisionRow.reason),
    ),
    "-at",
)


def revisions_query(site_id: int) -> Select[Any]:
    columns = [column.of.label(column.key) for column in LEDGER.columns]
    query = select(RevisionRow.id, RevisionRow.subject_id, *columns).where(RevisionRow.site_id == site_id)
    return query.outerjoin(User, User.id == RevisionRow.user_id)
