"""Persons, galleries, keeping and erasures as their page shows them. Names only for whoever may see them."""

from __future__ import annotations

from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lantern.core.portraits import Measures, cautions
from lantern.core.roles import suffices
from lantern.persons.actions import HOLDING, lists_of_people, members_of, names_of
from lantern.persons.gallery import bound_to, client, difference, galleries_of, wanted_of
from lantern.persons.keeping import ends_of, keeping_of_lists, next_of
from lantern.persons.tables import (
    CaptureRow,
    GalleryStateRow,
    PersonRow,
    erasures_of,
    gallery_of,
    pending_at,
    persons_of,
    secrets_of,
    seen_of,
)

SEES_NAMES, ERASES = "operator", "lead"


def page_of(session: Session, site_id: int, role: str) -> dict[str, Any]:
    """Return all that the page shows to somebody of that role."""
    devices = galleries_of(session, site_id)
    shown = {
        "persons": persons_shown(session, site_id, role),
        "galleries": [gallery_shown(session, device) for device in devices],
        "lists": _lists(session, site_id, role),
        "keeping": next_of(session, site_id),
        "sees": suffices(role, SEES_NAMES),
        "leads": suffices(role, ERASES),
    }
    if not shown["leads"]:
        return shown
    return shown | {"erasures": _erasures(session, site_id), "seen": _seen(session, site_id)}


def persons_shown(session: Session, site_id: int, role: str) -> list[dict[str, Any]]:
    """Return everybody who is known, or on a list, by what devices call them."""
    persons = {row.member: row for row in persons_of(session, site_id)}
    on = members_of(session, site_id)
    names = names_of(session, list(persons.values())) if suffices(role, SEES_NAMES) else {}
    portraits = secrets_of(session, [row.id for row in persons.values()], "portrait")
    ends = {person.id: end for person, end, _ in ends_of(session, site_id)}
    counts = dict(
        session.execute(
            select(CaptureRow.person_id, func.count())
            .where(CaptureRow.person_id.in_([row.id for row in persons.values()]))
            .group_by(CaptureRow.person_id)
        ).all()
    )
    out = []
    for member in sorted({*on, *(name for name in persons if name is not None)}):
        row = persons.get(member)
        portrait = None if row is None else portraits.get(row.id)
        end = None if row is None else ends[row.id]
        out.append(
            {
                "id": None if row is None else row.id,
                "member": member,
                "name": None if row is None else names.get(row.id),
                "named": row is not None and row.id in names,
                "lists": [held.name for held in on.get(member, ())],
                "enrolled": row.enrolled.timestamp() if row is not None and row.enrolled else None,
                "goes": end.timestamp() if end else None,
                "captures": 0 if row is None else counts.get(row.id, 0),
                "portrait": None if portrait is None else _portrait(portrait.facts),
            }
        )
    return out


def _portrait(facts: dict[str, Any]) -> dict[str, Any]:
    measures = Measures(**facts["measures"])
    return {
        "digest": facts["digest"][:12],
        "measures": facts["measures"],
        "cautions": cautions(measures),
        "said": facts["said"],
    }


def gallery_shown(session: Session, device: Any) -> dict[str, Any]:
    """Return whom a device is to hold and whom it does, and what is left to do."""
    state, held = session.get(GalleryStateRow, device.id), gallery_of(session, device.id)
    todo, wanted = difference(session, device), wanted_of(session, device)
    bound = [row for row in lists_of_people(session, device.site_id) if bound_to(device, row.body)]
    without = sorted({member for row in bound for member in row.body[HOLDING]} - wanted.keys())
    return {
        "id": device.id,
        "code": device.code,
        "name": device.name,
        "reached": client(device) is not None,
        "at": None if state is None else state.at.timestamp(),
        "trouble": "" if state is None else state.trouble,
        "algorithm": "" if state is None else state.algorithm,
        "strange": [] if state is None else state.strange,
        "lists": [row.name for row in bound],
        "wanted": len(wanted),
        "held": sorted(member for member, row in held.items() if row.state == "held"),
        "refused": [[member, row.says] for member, row in sorted(held.items()) if row.state == "refused"],
        "given": list(todo.given),
        "let_go": sorted(set(todo.let_go)),
        "without": without,
    }


def _lists(session: Session, site_id: int, role: str) -> list[dict[str, Any]]:
    kept = keeping_of_lists(session, site_id)
    out = []
    for row in lists_of_people(session, site_id):
        own = kept.get(row.id)
        out.append(
            {
                "id": row.id,
                "name": row.name,
                "colour": row.body.get("colour"),
                "members": len(row.body[HOLDING]),
                "cameras": row.body.get("cameras") or [],
                "keep_days": None if own is None else own.keep_days,
                "legal_basis": "" if own is None or not suffices(role, SEES_NAMES) else own.legal_basis,
            }
        )
    return out


def _erasures(session: Session, site_id: int) -> list[dict[str, Any]]:
    """Return what was erased: when, by whom, why, and who of the devices is still to be told. Never who it was."""
    return [
        {
            "id": row.id,
            "at": row.created.timestamp(),
            "who": row.user.name if row.user else "the program",
            "why": row.why,
            "state": row.state,
            "open": row.open,
            "devices": row.devices,
            "pending": pending_at(session, row.id),
            "places": sum(row.counts.values()),
            "faults": row.faults,
        }
        for row in erasures_of(session, site_id)
    ]


def _seen(session: Session, site_id: int) -> list[dict[str, Any]]:
    rows = seen_of(session, site_id)
    persons = {
        row.uuid: row.member or "somebody who was erased"
        for row in session.scalars(select(PersonRow).where(PersonRow.site_id == site_id))
    }
    return [
        {
            "at": row.at.timestamp(),
            "who": row.user.name if row.user else "the program",
            "what": row.what,
            "of": persons.get(row.of, "") if row.of else "",
        }
        for row in rows
    ]
