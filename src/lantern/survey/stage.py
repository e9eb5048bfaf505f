"""The first stage, as the frame of every page knows it."""

from __future__ import annotations

from sqlalchemy import select

from lantern.survey.tables import DeviceRow, DeviceTypeRow, PlaceRow
from lantern.web.frame import Stage

STAGE = Stage(
    key="survey",
    label="Survey",
    place=1,
    address="/plan",
    of_detector=False,
    owners={
        "place_id": (PlaceRow.id, select(PlaceRow.site_id)),
        "device_id": (DeviceRow.id, select(DeviceRow.site_id)),
        "type_id": (DeviceTypeRow.id, select(DeviceTypeRow.site_id)),
    },
)
