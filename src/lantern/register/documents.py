"""A device of a document as a row, and a row as a device of a document."""

from __future__ import annotations

import secrets
from typing import Any

from lantern.core.register.installed import HangsOn
from lantern.core.site import Device
from lantern.register.tables import DeviceRow

IN_EXTRAS = ("mount", "registered", "turned", "duty", "channels", "abilities", "inputs", "power")


def device_row(device: Device, *, site_id: int, place_id: int) -> DeviceRow:
    """A row for a device of a document, with a token of its own."""
    body = device.model_dump(mode="json", exclude_none=True)
    return DeviceRow(
        site_id=site_id,
        place_id=place_id,
        code=device.code,
        name=device.name,
        kind=device.kind,
        ability=device.ability,
        address=device.address,
        outputs=body["outputs"],
        watchdog=body.get("watchdog"),
        retired=device.retired,
        type=device.type,
        firmware=device.firmware,
        switch=device.hangs_on.switch if device.hangs_on else None,
        port=device.hangs_on.port if device.hangs_on else None,
        extras={key: body[key] for key in IN_EXTRAS if body.get(key)},
        token=new_token(),
    )


def new_token() -> str:
    return secrets.token_urlsafe(16)


def device_of(row: DeviceRow) -> Device:
    """The device as its site's file has it."""
    return Device(
        code=row.code,
        name=row.name,
        kind=row.kind,
        ability=row.ability,
        address=row.address,
        outputs=tuple(row.output_models),
        watchdog=row.watchdog_model,
        retired=row.retired,
        type=row.type,
        firmware=row.firmware,
        hangs_on=HangsOn(switch=row.switch, port=row.port) if row.switch and row.port else None,
        **row.extras,
    )


def document_of(row: DeviceRow) -> dict[str, Any]:
    """The device as its own document has it, without what is not set."""
    document = {
        "code": row.code, "name": row.name, "kind": row.kind, "ability": row.ability, "address": row.address,
        "outputs": row.outputs, "watchdog": row.watchdog, "retired": row.retired, "type": row.type,
        "firmware": row.firmware, "hangs_on": {"switch": row.switch, "port": row.port} if row.switch else None,
        **row.extras,
    }  # fmt: skip
    return {key: value for key, value in document.items() if value is not None}
