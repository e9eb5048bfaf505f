"""A small gate in the store: a reader, a barrier, two lists, a take of three passages, a detector and its link."""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

import numpy as np

from lantern.core.effects.switch.effect import Switch
from lantern.core.kinds import detector_of
from lantern.core.linking.links import LinkRule
from lantern.core.linking.outputs import Output
from lantern.core.plates.reads import Reads
from lantern.core.scoring.marks import Mark
from lantern.core.site import Device, Place, Site
from lantern.db.base import transaction
from lantern.links.actions import save_link
from lantern.lists.actions import save_list
from lantern.people.tables import add_user
from lantern.register.tables import device_by_code
from lantern.signals.plates.table import write_plates
from lantern.sites.actions import add_site
from lantern.takes.actions import import_path
from lantern.takes.marking import add_marks
from lantern.takes.tables import TakeRow
from lantern.tune.actions import add_detector

START = "2026-03-04T12:00:00+01:00"
SITE = Site(
    name="Gate",
    zone="Europe/Amsterdam",
    places=(
        Place(
            name="Lane",
            devices=(
                Device(code="P1", name="Reader", kind="reader", ability={"width": 800, "height": 600}),
                Device(code="M1", name="Module", kind="io_module", outputs=(Output(name="barrier", coil=0),)),
            ),
        ),
    ),
)
LISTS = (
    {"name": "crews", "colour": "green", "entries": [{"text": "AB12 CDE", "note": "the blue van", "id": "one"}]},
    {"name": "barred", "colour": "red", "entries": [{"text": "XY99ZZZ", "id": "two"}]},
)
DOCUMENT = {
    "name": "in",
    "kind": "plate",
    "device": "P1",
    "dials": {"min_reads": 2, "min_vote": 0.5, "tempering": 1.0, "rearm_s": 5.0},
    "lists": ["crews", "barred"],
}
LINK = LinkRule(
    name="opens", detector="in", lists=("crews",), effects=(Switch(output="barrier", length_s=2.0),), on_repeat=False
)


def three() -> Reads:
    """A listed one, one that is barred, one that is nobody's; four reads each, a tenth of the lens nearer each time."""
    rows = [
        (start + k / 2, vehicle, text, k)
        for start, vehicle, text in ((10.0, "v1", "AB12CDE"), (30.0, "v2", "XY99ZZZ"), (50.0, "v3", "GH34JKL"))
        for k in range(4)
    ]
    size = [60.0 * (1 + k / 10) for *_, k in rows]
    return Reads(
        t_s=np.array([row[0] for row in rows]),
        vehicle=tuple(row[1] for row in rows),
        text=tuple(row[2] for row in rows),
        confidence=np.full(len(rows), 0.95),
        chars=((0.95,) * 7,) * len(rows),
        plate=np.array([(100.0, 100.0, w, w * 111 / 520) for w in size]),
        car=np.array([(50.0 + 40 * k, 20.0, 200.0, 150.0) for *_, k in rows]),
        truth=("",) * len(rows),
        start=datetime.fromisoformat(START),
    )


@dataclass
class Gate:
    site: int
    user: int
    reader: int
    token: str
    take: int
    detector: int
    lists: dict[str, int]


def gate(folder: Path, reads: Reads | None = None) -> Gate:
    reads = three() if reads is None else replace(reads)
    (folder / "reads.csv").write_text(write_plates(reads))
    sidecar = {"format": "lantern-take/1", "name": "Noon", "kind": "plates", "device": "P1", "start": START}
    (folder / "reads.csv.json").write_text(json.dumps(sidecar | {"width": 800, "height": 600, "light": "day"}))
    with transaction() as session:
        user = add_user(session, login="ida", name="Ida Test", password="open sesame", administrator=True).id
        site = add_site(session, SITE).id
        lists = {
            body["name"]: save_list(session, site, body, list_id=None, reason="Made.", user_id=user).id
            for body in LISTS
        }
    take_id = import_path(folder / "reads.csv", site_id=site)
    with transaction() as session:
        add_marks(
            session,
            session.get_one(TakeRow, take_id),
            [Mark(9, 13, "expect", note="AB12CDE"), Mark(70, 74, "expect", note="MN56PQR")],
        )
        device = device_by_code(session, site, "P1")
        assert device is not None
        made = detector_of(DOCUMENT)
        detector = add_detector(session, device_id=device.id, detector=made, reason="first", user_id=user)
        save_link(session, detector, LINK.model_dump(mode="json"), link_id=None)
        return Gate(site, user, device.id, device.token, take_id, detector.id, lists)
