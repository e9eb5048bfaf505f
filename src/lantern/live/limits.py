"""How full the buckets of links with a limit are, kept with the events that they let through: a restart holds back as before."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from lantern.core.linking.arming import Armed, buckets_of
from lantern.core.linking.limit import Bucket
from lantern.links.tables import LinkBucketRow, LinkRow


@contextmanager
def buckets(session: Session, site_id: int, links: Sequence[Armed]) -> Iterator[Mapping[str, Bucket]]:
    """Give the buckets of these links, by name; one transaction at a time has them, and what was taken is kept with it."""
    begun = buckets_of(each.link for each in links)
    if not begun:
        yield {}
        return
    query = select(LinkRow.name, LinkRow.id).where(LinkRow.site_id == site_id, LinkRow.name.in_(begun))
    rows = {name: _held(session, link_id) for name, link_id in session.execute(query.order_by(LinkRow.name))}
    for name, row in rows.items():
        if row.at is not None:
            begun[name].left, begun[name].at_s = row.left, row.at.timestamp()
        begun[name].held = row.held
    yield begun
    for name, row in rows.items():
        bucket = begun[name]
        row.left, row.held = bucket.left, bucket.held
        row.at = None if bucket.at_s is None else datetime.fromtimestamp(bucket.at_s, UTC)


def _held(session: Session, link_id: int) -> LinkBucketRow:
    made = insert(LinkBucketRow).values(link_id=link_id, left=0.0, at=None, held=0)
    session.execute(made.on_conflict_do_nothing())
    return session.get_one(LinkBucketRow, link_id, with_for_update=True)
