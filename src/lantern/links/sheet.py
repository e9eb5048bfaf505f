"""The link sheet of a site in the store: as its page has it, and as a table that comes in again."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from typing import Any
from urllib.parse import quote

from sqlalchemy.orm import Session

from lantern.core.faults import Refused
from lantern.core.kinds import kind_of
from lantern.core.linking.links import LinkRule, Sort
from lantern.core.linking.sheet import CauseLine, Sheet, sheet_of
from lantern.core.linking.table import CellFault, Written, faults_of, read_rows
from lantern.db.base import now
from lantern.formats.sheets import Row
from lantern.links.actions import save_link_of
from lantern.links.history import changed
from lantern.links.tables import CompoundRow, LinkRow, links_of_site, rows_of, timetables_of
from lantern.register.tables import inputs_of, outputs_of
from lantern.revisions import StaleRevisionError
from lantern.tune.tables import detectors_of_site


def causes_of(session: Session, site_id: int, links: Sequence[LinkRow]) -> list[CauseLine]:
    """Return the causes of a site by place and device: what is in use, and what is not and still has links."""
    linked = {row.detector_id for row in links}
    found = [
        ((row.device.place.name, row.device.code, row.name), CauseLine("detector", row.name, row.device.place.name, row.device.code))
        for row in detectors_of_site(session, site_id, retired=True)
        if row.id in linked or (kind_of(row.kind).raises and not row.retired and not row.device.retired)
    ]  # fmt: skip
    found += [
        ((device.place.name, device.code, each.name), CauseLine("input", each.name, device.place.name, device.code))
        for device, each in inputs_of(session, site_id)
    ]
    compounds = [CauseLine("compound", row.name) for row in rows_of(session, CompoundRow, site_id)]
    return [line for _, line in sorted(found, key=lambda each: each[0])] + compounds


def sheet_shown(session: Session, site_id: int) -> dict[str, Any]:
    """Return the sheet as the page draws it."""
    rows, outputs = links_of_site(session, site_id), outputs_of(session, site_id)
    by_name = {row.name: row for row in rows}
    sheet = sheet_of(causes_of(session, site_id, rows), [out.name for _, out in outputs], [row.model for row in rows])
    pages = _pages(session, site_id)
    devices = {out.name: device.code for device, out in outputs}
    heard: dict[tuple[str, str], list[str]] = defaultdict(list)  # which compounds listen to a cause
    for row in rows_of(session, CompoundRow, site_id):
        for part in row.model.parts:
            heard[part.of].append(row.name)
    spans = {
        row.name: [[span.start_min, span.end_min] for span in row.model.of_week(now().date())]
        for row in timetables_of(session, site_id)
    }
    return {
        "columns": _columns(sheet, devices),
        "rows": [
            asdict(row.cause)
            | {
                "page": pages.get((row.cause.what, row.cause.name), ""),
                "heard": heard[row.cause.what, row.cause.name],
                "link": None if row.link is None else _linked(by_name[row.link.name], row.link),
                "cells": [{"at": cell.at, "column": cell.column, "ink": cell.ink} for cell in row.cells],
            }
            for row in sheet.rows
        ],
        "spans": spans,
    }


def _pages(session: Session, site_id: int) -> dict[tuple[Sort, str], str]:
    """Return where the links of each cause are, beneath the site's address."""
    out: dict[tuple[Sort, str], str] = {
        ("detector", row.name): f"/links/{row.id}" for row in detectors_of_site(session, site_id, retired=True)
    }
    for device, each in inputs_of(session, site_id):
        out["input", each.name] = f"/input-links/{device.id}?input={quote(each.name)}"
    for row in rows_of(session, CompoundRow, site_id):
        out["compound", row.name] = f"/compounds?compound={row.id}"
    return out


def _columns(sheet: Sheet, devices: dict[str, str]) -> list[dict[str, Any]]:
    pairs = enumerate(zip(sheet.columns, sheet.titles, strict=True))
    return [
        {"do": thing.do, "on": thing.on, "title": title, "device": devices.get(thing.on, ""), "used": at not in sheet.unused}
        for at, (thing, title) in pairs
    ]  # fmt: skip


def _linked(row: LinkRow, link: LinkRule) -> dict[str, Any]:
    return {"id": row.id, "revision": row.revision, **link.model_dump(mode="json")}


# ---- as a table ------------------------------------------------------------------------------------------------------


@dataclass
class Report:
    """What a table would do, or did: names of links that are new, as they were, or not in it (these stay); what changes in each other;
    every fault by its cell.
    """

    new: list[str] = field(default_factory=list)
    changed: list[dict[str, Any]] = field(default_factory=list)
    same: list[str] = field(default_factory=list)
    stay: list[str] = field(default_factory=list)
    faults: list[CellFault] = field(default_factory=list)

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


class _NotWantedError(Exception):
    """Nothing of this is to be stored."""


def take_table(
    session: Session, site_id: int, rows: Sequence[Row], *, store: bool, reason: str, user_id: int | None
) -> Report:
    """Make and change links as a table has them, and say what that did. Nothing is stored unless `store`, nor with a fault."""
    report = Report()
    written, report.faults = read_rows(rows)
    at_fault = {fault.line for fault in report.faults}
    names = {each.name for each in written}
    held = {row.name: row for row in links_of_site(session, site_id)}
    report.stay = [name for name in held if name not in names]
    try:
        with session.begin_nested():
            for each in written:
                if not at_fault & {each.line, *each.lines}:
                    _take(session, site_id, each, held.get(each.name), report, reason, user_id)
            if report.faults or not store:
                raise _NotWantedError
    except _NotWantedError:
        session.expire_all()
    report.faults.sort(key=lambda fault: fault.line)
    return report


def _take(
    session: Session,
    site_id: int,
    each: Written,
    held: LinkRow | None,
    report: Report,
    reason: str,
    user_id: int | None,
) -> None:
    before = None if held is None else held.body
    try:
        with session.begin_nested() as nested:
            row = save_link_of(
                session,
                site_id,
                each.document,
                link_id=None if held is None else held.id,
                base=0 if held is None else held.revision,
                reason=reason,
                user_id=user_id,
            )
            if before is None:
                report.new.append(each.name)
            elif row.body == before:
                nested.rollback()
                report.same.append(each.name)
            else:
                report.changed.append({"name": each.name, "changes": changed(before, row.body)})
    except Refused as refused:
        report.faults += faults_of(each, refused)
    except StaleRevisionError as stale:
        report.faults.append(CellFault(each.line, "link", str(stale), "the page read anew"))
