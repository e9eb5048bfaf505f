"""Persons as files: one of them with all that is known, for whoever has the right to it; a list as CSV with a folder of pictures."""

from __future__ import annotations

import csv
import io
import json
import tempfile
import zipfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from lantern.core.faults import FaultList, Refused
from lantern.formats.archive import members_of as files_in
from lantern.formats.border import border
from lantern.formats.limits import MIB, Limits
from lantern.formats.pictures import picture_type
from lantern.formats.portraits import read_portrait
from lantern.formats.tables import guarded, unguarded
from lantern.formats.text import Source, name, shown
from lantern.lists.tables import ListRow
from lantern.live.tables import events_named
from lantern.persons.actions import HOLDING, Portrait, members_of, names_of, portrait_of, secret_of, unsealed
from lantern.persons.keeping import keeping_of_lists
from lantern.persons.tables import PersonRow, captures_of, person_named

COLUMNS = ("member", "name", "picture")
TABLE, FOLDER = "people.csv", "pictures"
MOST_PERSONS = 5000
ENDINGS = {"image/jpeg": "jpg", "image/png": "png"}
LIMITS = Limits(unpacked_bytes=512 * MIB, files=2 * MOST_PERSONS)


# ---- one person ------------------------------------------------------------------------------------------------------


def exported(session: Session, person: PersonRow) -> bytes:
    """Return a zip of all that is stored of somebody. Raises `KeyGoneError`."""
    assert person.member is not None
    on, kept = members_of(session, person.site_id).get(person.member, []), keeping_of_lists(session, person.site_id)
    features = secret_of(session, person, "features")
    events = events_named(session, person.site_id, person.member)
    document = {
        "format": "lantern-person/1",
        "called": person.member,
        "name": names_of(session, [person]).get(person.id),
        "known_since": person.made.isoformat(),
        "enrolled": person.enrolled.isoformat() if person.enrolled else None,
        "lists": [_list(row, kept) for row in on],
        "events": [
            {"raised": each.raised_at.isoformat(), "score": each.reading, "list": each.own.get("list")}
            for each in events
        ],
        "features_bytes": 0 if features is None else len(features),
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("person.json", json.dumps(document, indent=1, ensure_ascii=False))
        portrait = portrait_of(session, person)
        if portrait is not None:
            archive.writestr(f"portrait.{ENDINGS[portrait.kind]}", portrait.data)
        if features is not None:
            archive.writestr("features.bin", features)
        rows = captures_of(session, person.id)
        plain = unsealed(list(rows))
        for row in rows:
            if row.id in plain:
                at = row.at.strftime("%Y%m%dT%H%M%S.%f")[:-3]
                archive.writestr(f"looks/{at}.{ENDINGS[picture_type(plain[row.id])]}", plain[row.id])
    return out.getvalue()


def _list(row: ListRow, kept: Any) -> dict[str, Any]:
    own = kept.get(row.id)
    return {
        "name": row.name,
        "purpose": row.body.get("purpose"),
        "needed_until": row.body.get("ends"),
        "legal_basis": None if own is None else own.legal_basis,
        "kept_days_after_enrolment": None if own is None else own.keep_days,
    }


# ---- a list ----------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Line:
    """Somebody in a file: by which name devices have them (empty: a new one), their own, and their picture."""

    member: str
    name: str
    portrait: Portrait | None


def list_as_zip(session: Session, row: ListRow) -> bytes:
    """Return the members of a list with names and pictures. Raises `KeyGoneError`."""
    out, table = io.BytesIO(), io.StringIO(newline="")
    writer = csv.writer(table, lineterminator="\n")
    writer.writerow(COLUMNS)
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for number, member in enumerate(row.body[HOLDING], 1):
            person = person_named(session, row.site_id, member)
            portrait = None if person is None else portrait_of(session, person)
            called = "" if person is None else names_of(session, [person]).get(person.id) or ""
            picture = "" if portrait is None else f"{FOLDER}/{number:04d}.{ENDINGS[portrait.kind]}"
            if portrait is not None:
                archive.writestr(picture, portrait.data)
            writer.writerow([guarded(member), guarded(called), picture])
        archive.writestr(TABLE, table.getvalue())
    return out.getvalue()


def read_list(content: bytes) -> list[Line]:
    """Return whoever is in a zip as `list_as_zip` makes it. Raises `Refused` with each row and picture that is wrong."""
    with border("the zip", "a zip that is whole"), tempfile.NamedTemporaryFile(suffix=".zip") as held:
        held.write(content)
        held.flush()
        path = Path(held.name)
        files = {each.filename for each in files_in(path, LIMITS)[0]}
        with zipfile.ZipFile(path) as archive:
            if TABLE not in files:
                return _refused("the zip", f"has no {TABLE}", f"{TABLE} with {','.join(COLUMNS)}, and its pictures")
            return _lines(archive, files, archive.read(TABLE))


def _refused(where: str, what: str, wanted: str) -> list[Line]:
    faults = FaultList()
    faults.add(where, what, wanted)
    faults.refuse_if_any()
    return []


def _lines(archive: zipfile.ZipFile, files: set[str], table: bytes) -> list[Line]:
    faults, used = FaultList(), dict[str, int]()
    out: list[Line] = []
    rows = Source(table, TABLE).rows(faults)
    _, header = next(rows, (1, []))
    if tuple(header) != COLUMNS:
        return _refused(f"{TABLE}, line 1", f"header {shown(','.join(header))}", ",".join(COLUMNS))
    for line, cells in rows:
        place = f"{TABLE}, line {line}"
        if len(cells) != len(COLUMNS) or len(out) >= MOST_PERSONS:
            faults.add(place, f"{len(cells)} columns", f"{len(COLUMNS)}, in at most {MOST_PERSONS} rows")
            break
        member, called = (
            name(unguarded(cell), faults, where=f"{place}, {column}")
            for cell, column in zip(cells, COLUMNS[:2], strict=False)
        )
        if member and member in used:
            faults.add(f"{place}, member", f"stands in line {used[member]} too", "each member once")
        used.setdefault(member, line)
        if not member and not called:
            faults.add(place, "names nobody", "what devices call the member, or a name, or both")
        out.append(Line(member, called, _picture(archive, files, cells[2].strip(), place, faults)))
    for left in sorted(files - {TABLE} - {row[2].strip() for _, row in Source(table, TABLE).rows(FaultList())}):
        faults.add(left, "belongs to no row", f"only pictures that {TABLE} names")
    faults.refuse_if_any()
    return out


def _picture(archive: zipfile.ZipFile, files: set[str], named: str, place: str, faults: FaultList) -> Portrait | None:
    if not named:
        return None
    if named not in files:
        faults.add(f"{place}, picture", f"{shown(named)} is not in the zip", "a picture beside the table, or none")
        return None
    try:
        data, kind, measures = read_portrait(archive.read(named))
    except Refused as error:
        for fault in error.faults:
            faults.add(named, fault.what, fault.expected)
        return None
    return Portrait(data, kind, measures)
