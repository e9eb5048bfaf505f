"""An import that asks: a file without a sidecar is looked at, and what it does not tell is answered by whoever brought it.

The answers become the sidecar. A device that the site does not have is chosen among those there are, or made from what the file shows.
"""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import orjson
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import delete
from sqlalchemy.orm import Session

from lantern.core.devices import DEVICE_KINDS
from lantern.core.faults import Fault, Refused
from lantern.db.numbers import Id
from lantern.formats.limits import LONGEST_S
from lantern.formats.sidecar import TakeInfo
from lantern.register.devices import add_device
from lantern.register.tables import DeviceRow, devices_of_site
from lantern.signals.register import signal_of
from lantern.signals.takes import read_info
from lantern.sites.places import add_place
from lantern.sites.tables import PlaceRow, SiteRow
from lantern.takes.tables import ImportRow, UploadPartRow

ASKING = "asking"


class NewDevice(BaseModel):
    model_config = ConfigDict(extra="forbid")

    code: str = Field(max_length=20)
    name: str = Field(default="", max_length=120)
    kind: str
    place_id: Id | None = None
    place: str = Field(default="", max_length=120)  # the name of a new one, where none is chosen


class Answers(BaseModel):
    """`info`: keys of the sidecar but for format, device and start; `start` is a local time in `zone`."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    info: dict[str, Any] = Field(default_factory=dict)
    start: str = ""
    zone: str = ""
    device_id: Id | None = None
    new_device: NewDevice | None = None


def ask(row: ImportRow, asked: dict[str, Any], faults: list[dict[str, Any]]) -> None:
    """The import waits for answers; what was uploaded is kept meanwhile."""
    row.state, row.asked, row.faults = ASKING, asked, faults


def choices(session: Session, row: ImportRow) -> dict[str, Any]:
    """Return what the page offers: devices that could have recorded it, kinds of device that do, and places."""
    site = session.get_one(SiteRow, row.site_id)
    kinds = set(row.asked.get("kinds", ()))
    suited = [kind for kind in DEVICE_KINDS.values() if kinds & set(kind.signals)]
    suited.sort(key=lambda kind: kind.signals[0] not in kinds)  # first those that give it before all else
    names = {kind.name for kind in suited}
    return {
        "zone": site.zone,
        "devices": [[d.id, f"{d.code} {d.name}"] for d in devices_of_site(session, site.id) if d.kind in names],
        "device_kinds": [[kind.name, kind.title] for kind in suited],
        "places": [[place.id, place.name] for place in site.places],
        "codes": {d.code: d.id for d in devices_of_site(session, site.id)},
    }


def preview(session: Session, row: ImportRow, answers: Answers) -> dict[str, Any]:
    """Return what the answers give: the sidecar, and lines that say what would be stored. Raises `Refused`."""
    _must_ask(row)
    code = _code(session, row, answers)
    info = _info(row, answers, code)
    return {"lines": [*_length(row.asked, info), *_values(row.asked, info)], "sidecar": _document(info)}


def answer(session: Session, row: ImportRow, answers: Answers) -> None:
    """Take the answers; the import goes on. A device that is to be made is made now. Raises `Refused`, and nothing has changed."""
    _must_ask(row)
    code = _code(session, row, answers)
    info = _info(row, answers, code) if row.asked["needs"] == "answers" else None
    device = _device(session, row, answers)
    if info is not None:
        row.answers = _document(info)
        data = orjson.dumps(row.answers, option=orjson.OPT_INDENT_2)
        session.merge(UploadPartRow(import_id=row.id, file=sidecar_name(row), part=0, data=data))
    row.device_id, row.state, row.faults, row.attempts = device.id, "waiting", [], 0


def sidecar_name(row: ImportRow) -> str:
    return f"{row.asked['file']}.json"


def take_back(session: Session, row: ImportRow) -> None:
    """The answers did not do: the sidecar that they made is no more, and they stand in the questions, to be mended."""
    given = {key: value for key, value in row.answers.items() if key not in ("format", "kind", "start")}
    if given:
        begins = row.asked.get("begins", {}) | {given.get("times", ""): row.answers["start"]}
        row.asked = row.asked | {"guess": row.asked["guess"] | given, "begins": begins}
    file = sidecar_name(row)
    session.execute(delete(UploadPartRow).where(UploadPartRow.import_id == row.id, UploadPartRow.file == file))
    row.device_id = None


def _must_ask(row: ImportRow) -> None:
    if row.state != ASKING:
        raise Refused([Fault("import", f"is {row.state}", "an import that asks")])


# ---- the sidecar -----------------------------------------------------------------------------------------------------


def _document(info: TakeInfo) -> dict[str, Any]:
    return info.model_dump(mode="json", exclude_none=True, exclude_defaults=True) | {"format": info.format}


def _info(row: ImportRow, answers: Answers, code: str) -> TakeInfo:
    """The sidecar that the answers make."""
    if row.asked["needs"] != "answers":
        return read_info(row.asked["info"] | {"device": code}, where="take.json")
    start = _start(answers.start, answers.zone)
    given = {key: value for key, value in answers.info.items() if value is not None and value != ""}
    for named in ("classes", "units"):
        if isinstance(given.get(named), dict):
            given[named] = {key: value for key, value in given[named].items() if value}
    document = {"format": "lantern-take/1", **given, "device": code, "start": start}
    return read_info(document, where="answers")


def _start(text: str, zone: str) -> str:
    """ISO 8601 with its offset, of a local time in a zone."""
    try:
        held = ZoneInfo(zone)
    except (ZoneInfoNotFoundError, ValueError) as error:
        raise Refused([Fault("answers: zone", repr(zone)[:60], "a time zone such as Europe/Lisbon, or UTC")]) from error
    if not text:
        raise Refused([Fault("answers: start", "is not said yet", "when it began, such as 2026-03-04 05:12:00")])
    try:
        at = datetime.fromisoformat(text)
    except ValueError as error:
        raise Refused(
            [Fault("answers: start", repr(text)[:60], "when it began, such as 2026-03-04 05:12:00")]
        ) from error
    return (at if at.tzinfo is not None else at.replace(tzinfo=held)).isoformat()


def _length(asked: dict[str, Any], info: TakeInfo) -> list[str]:
    """Over how long it runs, and when."""
    samples = asked["samples"]
    known = asked["length_s"].get(info.times or "")
    length_s = known if known is not None else (samples - 1) / info.fps if info.fps else None
    if length_s is None:
        return [f"{samples} samples; how long it runs is told by {info.times or 'the file'} when it is read"]
    if length_s > LONGEST_S:
        return [f"{samples} samples over {length_s:.3g} s: longer than {LONGEST_S / 86_400:.0f} days, which is refused"]
    end = info.start + timedelta(seconds=length_s)
    words = f"{length_s / 60:.1f} min" if length_s >= 600 else f"{length_s:.4g} s"
    ends = end.strftime("%H:%M:%S" if end.date() == info.start.date() else "%Y-%m-%d %H:%M:%S")
    return [f"{samples} samples over {words}: from {info.start:%Y-%m-%d %H:%M:%S} to {ends} ({info.start:%z})"]


def _values(asked: dict[str, Any], info: TakeInfo) -> list[str]:
    drawn = asked["drawn"].get(info.kind)
    return signal_of(info.kind).told(drawn, info) if drawn else []


# ---- the device ------------------------------------------------------------------------------------------------------


def _code(session: Session, row: ImportRow, answers: Answers) -> str:
    if answers.new_device is not None:
        code = answers.new_device.code.strip()
        if not code:
            raise Refused([Fault("answers: device code", "is not said yet", "a short code of its own, such as T1")])
        return code
    chosen = session.get(DeviceRow, answers.device_id) if answers.device_id is not None else None
    if chosen is None or chosen.site_id != row.site_id or chosen.retired:
        raise Refused([Fault("answers: device", "none is chosen", "a device of this site, or a new one")])
    return chosen.code


def _device(session: Session, row: ImportRow, answers: Answers) -> DeviceRow:
    """The one that was chosen, or a new one with the picture that the file has."""
    if answers.new_device is None:
        return session.get_one(DeviceRow, answers.device_id)
    asked = answers.new_device
    site = session.get_one(SiteRow, row.site_id)
    place = session.get(PlaceRow, asked.place_id) if asked.place_id is not None else None
    if place is None or place.site_id != site.id:
        if asked.place_id is not None or not asked.place.strip():
            raise Refused([Fault("answers: place", "none is chosen", "a place of this site, or the name of a new one")])
        place = add_place(session, site.id, asked.place)
    picture = {**row.asked.get("picture", {}), **answers.info}
    ability = {key: picture[key] for key in ("width", "height", "fps") if picture.get(key)}
    name = asked.name.strip() or asked.code.strip()
    document = {"code": asked.code.strip(), "name": name, "kind": asked.kind, "ability": ability}
    return add_device(session, place, document)
