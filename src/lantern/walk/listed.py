"""The table of all live events: one query over events, their causes, orders and verdicts, and the columns that it shows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Select, String, case, cast, func, select
from sqlalchemy.orm import Session

from lantern.core.events import Detector, Raised
from lantern.core.kinds import kind_of
from lantern.core.rule import CLEARED_WORDS
from lantern.core.units import Scale
from lantern.live.tables import EventRow, OrderRow
from lantern.recordings.tables import LiveMarkRow
from lantern.register.tables import DeviceRow
from lantern.tune.tables import DetectorRow, detectors_of_site
from lantern.web.ledger import Column, Ledger

_outputs = select(func.string_agg(OrderRow.thing.distinct(), ", ")).where(OrderRow.event_id == EventRow.id)
LEDGER = Ledger(
    "events",
    (
        Column("at", "raised", EventRow.raised_at),
        Column("device", "device", DeviceRow.code, choices=True),
        Column("cause", "cause", func.coalesce(DetectorRow.name, EventRow.input, EventRow.compound), choices=True),
        Column("region", "region", EventRow.region),
        Column("reading", "reading", EventRow.reading),
        Column("said", "said", cast(EventRow.own, String)),
        Column("object", "object", EventRow.object),
        Column("repeat", "repeat", case((EventRow.repeat, "yes"), else_="no"), choices=True),
        Column("cleared", "cleared", EventRow.cleared_at),
        Column(
            "cleared_by",
            "ended by",
            case(CLEARED_WORDS, value=EventRow.cleared_by, else_=EventRow.cleared_by),
            choices=True,
        ),
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
    query = select(
        EventRow.id, EventRow.detector_id, EventRow.own, EventRow.direction, DeviceRow.id.label("device_id"), *columns
    )
    query = query.outerjoin(DetectorRow, DetectorRow.id == EventRow.detector_id)
    query = query.outerjoin(DeviceRow, DeviceRow.id == func.coalesce(EventRow.device_id, DetectorRow.device_id))
    query = query.outerjoin(LiveMarkRow, LiveMarkRow.event_id == EventRow.id)
    return query.where(func.coalesce(EventRow.site_id, DeviceRow.site_id) == site_id)


@dataclass(frozen=True)
class Sayer:
    """Says in words what each event was of, by its detector's kind; of an input nothing. Dials are read once a detector."""

    models: Mapping[int, Detector]
    scale: Scale

    def __call__(self, row: Any) -> str:
        detector = self.models.get(row.detector_id)
        if detector is None:
            return ""
        kind = kind_of(detector.kind)
        raised = Raised(row.reading, row.object, row.direction, row.own)
        return kind.raised_text(kind.read_dials(detector), raised, self.scale)


def sayer(session: Session, site_id: int, scale: Scale) -> Sayer:
    return Sayer({row.id: row.model for row in detectors_of_site(session, site_id, retired=True)}, scale)
