"""The table of all takes: one query over takes, their devices and marks, and the columns that it shows."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Select, case, func, select

from lantern.register.tables import DeviceRow
from lantern.takes.tables import MarkRow, TakeRow
from lantern.web.ledger import Column, Ledger

_marks = select(func.count(MarkRow.id)).where(MarkRow.take_id == TakeRow.id)
LEDGER = Ledger(
    "takes",
    (
        Column("device", "device", DeviceRow.code, choices=True),
        Column("name", "take", TakeRow.name),
        Column("kind", "kind", TakeRow.signal, choices=True),
        Column("start", "began", TakeRow.stored_start),
        Column("length_s", "length", TakeRow.length_s, num=True),
        Column("samples", "samples", TakeRow.samples, num=True),
        Column("bytes", "stored", TakeRow.packed_bytes, num=True),
        Column("set_aside", "set aside", case((TakeRow.set_aside, "yes"), else_="no"), choices=True),
        Column("marks", "marks", _marks.scalar_subquery(), num=True),
    ),
    "device",
)


def takes_query(site_id: int) -> Select[Any]:
    columns = [column.of.label(column.key) for column in LEDGER.columns]
    return select(TakeRow.id, *columns).join(DeviceRow).where(DeviceRow.site_id == site_id)
