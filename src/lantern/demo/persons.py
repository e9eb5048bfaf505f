"""Who stands behind the members of the demo's lists: made-up names and made-up faces, enrolled as a page would; pictures of looks."""

from __future__ import annotations

from datetime import datetime

import structlog
from sqlalchemy.orm import Session

from lantern.demo.skerrow import FACES
from lantern.formats.portraits import read_portrait
from lantern.persons.actions import Portrait, enrol, lists_of_people
from lantern.persons.captures import Capture, add_captures
from lantern.persons.keeping import set_keeping
from lantern.register.tables import device_by_code
from lantern.standins import visitors
from lantern.standins.doorface import picture_of
from lantern.standins.likeness import drawing

log = structlog.get_logger()
NAMES = (
    "Aro Tindemar", "Bel Osk", "Cyra Venn", "Dov Harral", "Eny Solbek", "Fen Marrow", "Gil Tassen", "Hara Quill",
    "Ivo Brandel", "Jory Lund", "Kes Amblin", "Lio Farrow", "Mab Corrin", "Ned Istell", "Ola Wrenfeld", "Pim Garrod",
    "Quin Hesper", "Rue Maddock", "Sal Tove", "Tam Ellery", "Una Brisk", "Vik Oram", "Wyn Keld", "Yara Pell",
    "Zeb Orrin", "Alo Crane", "Bry Dunmore", "Cass Hollow", "Dey Venn",
)  # fmt: skip
KEPT = {
    "crew at the door": ("Agreement of the works council on access, made up for the demo", 365),
    "barred people": ("House right of the operator, made up for the demo", 180),
}
WORTH_A_LOOK = 70.0  # score against the barred from which a look of a take has its picture


def add_persons(session: Session, site_id: int, user_id: int | None) -> None:
    """Enrol everybody, say how long they are kept, and store pictures of those looks of the takes that one will want to see."""
    for place, (member, name) in enumerate(zip(visitors.GALLERY, NAMES, strict=True)):
        portrait = Portrait(*read_portrait(drawing(visitors.enrolled()[place])))
        enrol(session, site_id, member=member, name=name, portrait=portrait, said=None, user_id=user_id)
    for row in lists_of_people(session, site_id):
        legal_basis, days = KEPT[row.name]
        set_keeping(session, row.id, legal_basis=legal_basis, keep_days=days)
    for number, (code, _, start) in FACES.items():
        device = device_by_code(session, site_id, code)
        if device is not None:
            stored = add_captures(session, device.id, _captures(number, datetime.fromisoformat(start).timestamp()))
            log.info("pictures of looks", day=number + 1, stored=stored)


def _captures(number: int, start_t: float) -> list[Capture]:
    day = visitors.day(number)
    barred = {visitors.GALLERY.index(name) for name in visitors.BARRED_NAMES}
    out = []
    for at, t in enumerate(day.looks.t_s.tolist()):
        rows = range(int(day.looks.first[at]), int(day.looks.first[at + 1]))
        best = max(rows, key=lambda row: float(day.looks.score[row]))
        near = max(float(day.looks.score[row]) for row in rows if int(day.looks.candidate.code[row]) in barred)
        if near >= WORTH_A_LOOK:
            match = day.looks.candidate.at(best) if float(day.looks.score[best]) >= 80.0 else None
            out.append(Capture(day.looks.probe[at], start_t + t, picture_of(day, at), match))
    return out
