"""How full the buckets of links with a limit are, kept with the events that they let through: a restart holds back as before."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime

from sqlalchemy.orm import Session

from lantern.core.linking.arming import Armed, buckets_of
from lantern.core.linking.limit import Bucket
from lantern.links.tables import bucket_rows


@contextmanager
def buckets(session: Session, site_id: int, links: Sequence[Armed]) -> Iterator[Mapping[str, Bucket]]:
    """Give the buckets of these links, by name; one transaction at a time has them, and what was taken is kept with it."""
    begun = buckets_of(each.link for each in links)
    if not begun:
        yield {}
        return
    rows = bucket_rows(session, site_id, begun)
    for name, row in rows.items():
        if row.at is not None:
            begun[name].left, begun[name].at_s = row.left, row.at.timestamp()
        begun[name].held = row.held
    yield begun
    for name, row in rows.items():
        bucket = begun[name]
        row.left, row.held = bucket.left, bucket.held
        row.at = None if bucket.at_s is None else datetime.fromtimestamp(bucket.at_s, UTC)
