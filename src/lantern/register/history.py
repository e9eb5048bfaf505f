"""What became of devices: each state that one had, with who, when and why; brought back, as a whole."""

from __future__ import annotations

from collections.abc import Mapping
from copy import deepcopy
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from lantern.register.documents import document_of
from lantern.register.tables import DeviceRow
from lantern.revisions import RevisionRow, Subject, keep_beside, revisions_of

WHAT = "device"
WORDS = {
    "code": "its code",
    "name": "its name",
    "kind": "its kind",
    "ability": "its picture and numbers",
    "address": "its address",
    "outputs": "its outputs",
    "inputs": "its inputs",
    "watchdog": "its watchdog",
    "retired": "whether it is there",
    "type": "its type",
    "firmware": "its firmware",
    "hangs_on": "what it hangs on",
    "mount": "where it stands",
    "registered": "its registration",
    "turned": "where it turns to",
    "duty": "what it does by itself",
    "channels": "settings of its channels",
    "abilities": "what is switched on",
    "power": "its power",
    "place_id": "its place",
}
NAMED = {"outputs": "coil", "inputs": "discrete"}  # by which one is known again whose name has changed


def state_of(row: DeviceRow) -> dict[str, Any]:
    """Return what is kept of a device: its document, and the place that it is in."""
    return deepcopy(document_of(row)) | {"place_id": row.place_id}


def keep_device(
    session: Session,
    row: DeviceRow,
    *,
    before: Mapping[str, Any] | None,
    reason: str = "",
    user_id: int | None,
    facts: dict[str, Any] | None = None,
) -> None:
    """Keep the state that a device now has. `before`: as `state_of` gave it; None: it is new. Without a reason it says what changed."""
    subject = Subject(WHAT, row.id, row.site_id, f"{row.code} {row.name}")
    after = state_of(row)
    said = reason or ("Made." if before is None else f"Changed: {', '.join(changed(before, after))}.")
    keep_beside(session, subject, after, before=before, reason=said, user_id=user_id, facts=facts)


def changed(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[str]:
    """Return in words what differs between two states."""
    return [WORDS.get(key, key) for key in sorted(before.keys() | after.keys()) if before.get(key) != after.get(key)]


def mount_when(session: Session, device: DeviceRow, moment: datetime) -> dict[str, Any] | None:
    """Return where a device stood at a moment: as its states say, the earliest of them for what was before; None: nowhere on the plan."""
    states = [each for each in revisions_of(session, WHAT, [device.id]) if each.body is not None]
    if not states:
        found: dict[str, Any] | None = device.extras.get("mount")
        return found
    held = next((each for each in states if each.at <= moment), states[-1])
    return held.document.get("mount")


def document_to_restore(row: DeviceRow, saved: RevisionRow) -> dict[str, Any]:
    """Return the document that brings an old state back: what it did not have is taken away, and what was renamed since is known by
    its coil or its address.
    """
    old = {key: value for key, value in saved.document.items() if key not in ("place_id", "retired")}
    now = document_of(row)
    document: dict[str, Any] = {key: None for key in now if key not in old and key not in ("retired", "kind")}
    document |= old
    document["ability"] = dict.fromkeys(now.get("ability", {})) | old.get("ability", {})
    for key, known_by in NAMED.items():
        names = {each[known_by]: each["name"] for each in now.get(key, ()) if each.get(known_by) is not None}
        document[key] = [
            {"timetable": None} | each | {"was": names.get(each.get(known_by))} for each in old.get(key, ())
        ]
    for key in ("channels", "abilities"):
        document[key] = old.get(key, [])
    return document
