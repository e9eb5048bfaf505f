"""The table of all live events: one query over events, their causes, orders and verdicts, and the columns that it shows."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Select, case, func, select

from lantern.live.tables import EventRow, OrderRow
from lantern.recordings.tables import LiveMarkRow
from lantern.register.tables import DeviceRow
from lantern.tune.tables import DetectorRow
from lantern.web.ledger import Column, Ledger

_outputs = select(func.string_agg(OrderRow.thing.distinct(), ", ")).where(OrderRow.event_id == EventRow.id)
LEDGER = Ledger(
    "events",
    (
        Column("at", "raised", EventRow.raised_at),
        Column("device", "device", DeviceRow.code, choices=True),
        Column("cause", "detector or input", func.coalesce(DetectorRow.name, EventRow.input), choices=True),
        Column("region", "region", EventRow.region),
        Column("reading", "reading", EventRow.reading, num=True),
        Column("object", "object", EventRow.object),
        Column("repeat", "repeat", case((EventRow.repeat, "yes"), else_="no"), choices=True),
        Column("cleared", "cleared", EventRow.cleared_at),
        Column("cleared_by", "by", EventRow.cleared_by, choices=True),
        Column("outcome", "outcome", EventRow.outcome, choices=True),
        Column("because", "why", EventRow.because),
        Column("outputs", "outputs", _outputs.scalar_subquery()),
        Column("verdict", "verdict", LiveMarkRow.verdict, choices=True),
        Column("revision", "revision", EventRow.revision, num=True),
    ),
    "-at",
)


def events_query(site_id: int) -> Select[Any]:
    columns = [column.of.label(column.key) for column in LEDGER.columns]
    query = select(EventRow.id, EventRow.detector_id, DeviceRow.id.label("device_id"), *columns)
    query = query.outerjoin(DetectorRow, DetectorRow.id == EventRow.detector_id)
    query = query.join(DeviceRow, DeviceRow.id == func.coalesce(EventRow.device_id, DetectorRow.device_id))
    query = query.outerjoin(LiveMarkRow, LiveMarkRow.event_id == EventRow.id)
    return query.where(DeviceRow.site_id == site_id)
