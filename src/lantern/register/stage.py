"""The register of devices and their types, as the application knows it."""

from __future__ import annotations

from sqlalchemy import select

from lantern.register.device_routes import router as devices
from lantern.register.table_routes import router as table
from lantern.register.tables import DeviceRow, DeviceTypeRow
from lantern.register.type_routes import router as types
from lantern.web.frame import Room

STAGE = Room(
    routers=(table, devices, types),
    owners={
        "device_id": (DeviceRow.id, select(DeviceRow.site_id)),
        "type_id": (DeviceTypeRow.id, select(DeviceTypeRow.site_id)),
    },
)
