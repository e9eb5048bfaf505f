"""The table of all devices: one query over devices, their places and their detectors, and the columns that it shows."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Float, Integer, Select, String, case, cast, func, select

from lantern.core.devices import DEVICE_KINDS
from lantern.register.tables import DeviceRow
from lantern.sites.tables import PlaceRow
from lantern.tune.tables import DetectorRow
from lantern.web.ledger import Column, Ledger

TITLES = {kind.name: kind.title for kind in DEVICE_KINDS.values()}
_counted = select(func.count(DetectorRow.id)).where(
    DetectorRow.device_id == DeviceRow.id, DetectorRow.retired.is_(False)
)
_amiss = select(func.count(DetectorRow.id)).where(DetectorRow.device_id == DeviceRow.id, DetectorRow.caution != "")
WRONG = _amiss.scalar_subquery() + func.jsonb_array_length(DeviceRow.cautions)


def _setting(column: Any, key: str, kind: Any = String) -> Any:
    return column[key].astext.cast(kind)


LEDGER = Ledger(
    "devices",
    (
        Column("code", "code", DeviceRow.code),
        Column("name", "name", DeviceRow.name),
        Column("place", "place", PlaceRow.name, choices=True),
        Column("kind", "kind", case(TITLES, value=DeviceRow.kind, else_=DeviceRow.kind), choices=True),
        Column("type", "type", DeviceRow.type, choices=True),
        Column("firmware", "firmware", DeviceRow.firmware),
        Column("switch", "hangs on", DeviceRow.switch, choices=True),
        Column("port", "port", DeviceRow.port),
        Column("width", "width", _setting(DeviceRow.ability, "width", Integer), num=True),
        Column("height", "height", _setting(DeviceRow.ability, "height", Integer), num=True),
        Column("fps", "Hz", _setting(DeviceRow.ability, "fps", Float), num=True),
        Column("url", "url", _setting(DeviceRow.address, "url")),
        Column("host", "host", _setting(DeviceRow.address, "host")),
        Column("modbus_port", "port", _setting(DeviceRow.address, "port", Integer)),
        Column("unit", "unit", _setting(DeviceRow.address, "unit", Integer)),
        Column("abilities", "on", cast(DeviceRow.extras["abilities"], String)),
        Column("retired", "retired", case((DeviceRow.retired, "yes"), else_="no"), choices=True),
        Column("detectors", "detectors", _counted.scalar_subquery(), num=True),
        Column("cautions", "cautions", WRONG),
    ),
    "code",
)
ON_PAGE = ("width", "height", "fps", "url", "host", "modbus_port", "unit", "abilities")  # left out there


def devices_query(site_id: int) -> Select[Any]:
    columns = [column.of.label(column.key) for column in LEDGER.columns]
    told = (DeviceRow.id, DeviceRow.cautions.label("wrong"), DeviceRow.extras["abilities"].label("on"))
    query = select(*told, *columns).join(PlaceRow, PlaceRow.id == DeviceRow.place_id)
    return query.where(DeviceRow.site_id == site_id)
