"""Devices as rows of a spreadsheet, out and in. What comes in goes through the actions that the pages call; with a fault in any
row, nothing is stored.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.devices import DEVICE_KINDS
from lantern.core.faults import Fault, Refused
from lantern.core.register.installed import switched_on
from lantern.formats.sheets import Row
from lantern.formats.text import with_point
from lantern.register.devices import add_device, change_device, set_retired
from lantern.register.documents import document_of
from lantern.register.tables import DeviceRow, register_of
from lantern.register.units import recheck
from lantern.sites.places import add_place
from lantern.sites.tables import PlaceRow, places_of

ABILITY = ("width", "height", "fps")
ADDRESS = {"url": "url", "host": "host", "modbus_port": "port", "unit": "unit"}  # column: key of the address
COLUMNS = (
    "code", "name", "place", "kind", "type", "firmware", "switch", "port", *ABILITY, *ADDRESS, "abilities", "retired",
)  # fmt: skip
TOLD = ("detectors", "cautions")  # go out, and are not read when they come in again
READ, NEEDED = (*COLUMNS, *TOLD), ("code",)  # of a file that comes in
SEPARATOR = ";"


@dataclass
class RowFault:
    """The faults of one row of the file."""

    line: int
    code: str
    where: str
    what: str
    expected: str


@dataclass
class Report:
    """What an import would do, or did: codes that are new, changed, or as they were; places that it made; every fault."""

    new: list[str] = field(default_factory=list)
    changed: list[str] = field(default_factory=list)
    same: list[str] = field(default_factory=list)
    places: list[str] = field(default_factory=list)
    faults: list[RowFault] = field(default_factory=list)

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


class _NotWantedError(Exception):
    """Nothing of this is to be stored."""


def take_rows(session: Session, site_id: int, rows: Sequence[Row], *, store: bool, user_id: int | None) -> Report:
    """Make and change devices as the rows have them, and say what that did. Nothing is stored unless `store`, nor with a fault."""
    report = Report()
    try:
        with session.begin_nested():
            _apply(session, site_id, rows, report, user_id)
            if report.faults or not store:
                raise _NotWantedError
    except _NotWantedError:
        session.expire_all()
    return report


def _apply(session: Session, site_id: int, rows: Sequence[Row], report: Report, user_id: int | None) -> None:
    places = {row.name: row for row in places_of(session, site_id)}
    kinds = {name: of.kind for name, of in register_of(session, site_id).items()}
    seen: dict[str, int] = {}
    switches = {cells.get("switch", "") for _, cells in rows}
    ordered = sorted(rows, key=lambda row: row[1].get("code", "") not in switches)  # what others hang on comes first
    before = {row.code: row for row in session.scalars(select(DeviceRow).where(DeviceRow.site_id == site_id))}
    for line, cells in ordered:
        code = cells["code"].strip()
        try:
            if code in seen:
                raise Refused([Fault("code", f"{code!r} comes in line {seen[code]} too", "each device once")])
            seen[code] = line
            place = _place(session, site_id, cells, before.get(code), places, report)
            with session.begin_nested():
                what = _row(session, cells, before.get(code), place, kinds, user_id)
        except Refused as refused:
            report.faults += [
                RowFault(line, code, f.where.removeprefix("device: "), f.what, f.expected) for f in refused.faults
            ]
        else:
            getattr(report, what).append(code)
    report.faults = _without_consequences(report.faults, {cells["code"].strip(): cells for _, cells in rows})
    report.faults.sort(key=lambda fault: fault.line)
    if not report.faults:
        recheck(session, site_id)


def _without_consequences(faults: list[RowFault], by_code: dict[str, dict[str, str]]) -> list[RowFault]:
    """A device is not there because its own row is at fault: that all that hangs on it cannot hang there is no fault of theirs."""
    at_fault = {fault.code for fault in faults if not fault.where.startswith("hangs_on")}
    return [
        fault
        for fault in faults
        if not (fault.where.startswith("hangs_on") and by_code[fault.code].get("switch", "").strip() in at_fault)
    ]


def _kind(cell: str) -> str:
    """The kind of device that a cell means: by its name, or as the pages call it."""
    said = cell.strip().lower()
    return next((kind.name for kind in DEVICE_KINDS.values() if said in (kind.name, kind.title.lower())), cell.strip())


def _place(
    session: Session,
    site_id: int,
    cells: dict[str, str],
    row: DeviceRow | None,
    places: dict[str, PlaceRow],
    report: Report,
) -> PlaceRow:
    name = cells.get("place", "").strip()
    if not name:
        if row is None:
            raise Refused([Fault("place", "is empty", "the name of a place: a new one is made")])
        return row.place
    if name not in places:
        places[name] = add_place(session, site_id, name)
        report.places.append(name)
    return places[name]


def _row(
    session: Session,
    cells: dict[str, str],
    row: DeviceRow | None,
    place: PlaceRow,
    kinds: dict[str, str],
    user_id: int | None,
) -> str:
    """Make or change one device; returns which: new, changed or same."""
    document = _document(cells, row)
    wanted = cells.get("retired", "").strip().lower()
    if wanted not in ("", "yes", "no"):
        raise Refused([Fault("retired", repr(wanted[:20]), "yes, no, or nothing")])
    if row is None:
        kind = _kind(cells.get("kind", "")) or kinds.get(cells.get("type", "").strip(), "")
        made = add_device(session, place, document | {"kind": kind}, user_id=user_id, checked=False)
        made.retired = wanted == "yes"
        return "new"
    kind = _kind(cells.get("kind", ""))
    if kind and kind != row.kind:
        raise Refused(
            [Fault("kind", f"{kind}, and {row.code} is a {row.kind}", "its own kind: replace it on its page")]
        )
    was, was_in = document_of(row), row.place_id
    change_device(session, row, document, place=place, user_id=user_id, checked=False)
    if wanted and (wanted == "yes") != row.retired:
        set_retired(session, row, retired=wanted == "yes", user_id=user_id, checked=False)
    return "same" if document_of(row) == was and row.place_id == was_in else "changed"


def _document(cells: dict[str, str], row: DeviceRow | None) -> dict[str, Any]:
    """Return what the row says; a column that is not there says nothing, an empty cell that there is none."""
    document: dict[str, Any] = {"code": cells["code"].strip()}
    if "name" in cells or row is None:
        document["name"] = cells.get("name", "").strip()
    for key in ("type", "firmware"):
        if key in cells:
            document[key] = cells[key].strip() or None
    if "switch" in cells or "port" in cells:
        document["hangs_on"] = {key: cells.get(key, "").strip() or None for key in ("switch", "port")}
    ability = {key: _number(key, cells[key]) for key in ABILITY if key in cells}
    if ability:
        document["ability"] = ability
    address = {key: _said(column, cells[column]) for column, key in ADDRESS.items() if cells.get(column, "").strip()}
    if any(column in cells for column in ADDRESS):
        document["address"] = address
    if "abilities" in cells:
        document["abilities"] = _abilities(cells["abilities"], row)
    return document


def _said(column: str, cell: str) -> Any:
    return cell.strip() if column in ("url", "host") else _number(column, cell)


def _number(column: str, cell: str) -> float | int | None:
    text = with_point(cell.strip())
    if not text:
        return None
    try:
        value = float(text)
    except ValueError:
        raise Refused([Fault(column, repr(cell[:20]), "a number, or nothing")]) from None
    return int(value) if value.is_integer() else value


def abilities_said(given: Any) -> str:
    """Return what is on, as a cell: `plates; people and vehicles @left; faces of V2`."""
    return f"{SEPARATOR} ".join(
        each.name + (f" of {each.of}" if each.of else f" @{each.channel}" if each.channel else "")
        for each in switched_on(given or ())
    )


def _abilities(cell: str, row: DeviceRow | None) -> list[dict[str, Any]]:
    """Return the abilities of a cell as `abilities_said` wrote it; what was on before keeps the picture that was set
    for it.
    """
    held = switched_on(row.extras.get("abilities", ())) if row is not None else []
    out = []
    for part in (each.strip() for each in cell.split(SEPARATOR)):
        if not part:
            continue
        name, _, of = part.partition(" of ")
        name, _, channel = name.partition("@") if not of else (name, "", "")
        key = (name.strip(), channel.strip() or None, of.strip() or None)
        known = next((each for each in held if (each.name, each.channel, each.of) == key), None)
        entry = {"name": key[0], "channel": key[1], "of": key[2]}
        out.append(entry if known is None else known.model_dump(mode="json"))
    return [{key: value for key, value in entry.items() if value is not None} for entry in out]
