"""A small door in the store: a face device, a lamp, two lists, a take of a day, a detector of both lists and its link."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from lantern.core.effects.switch.effect import Switch
from lantern.core.faces.looks import Column, Looks
from lantern.core.kinds import detector_of
from lantern.core.linking.links import LinkRule
from lantern.core.linking.outputs import Output
from lantern.core.scoring.marks import Mark
from lantern.core.site import Device, Place, Site
from lantern.db.base import transaction
from lantern.links.actions import save_link
from lantern.lists.actions import save_list
from lantern.people.tables import add_user
from lantern.register.tables import device_by_code
from lantern.signals.faces.table import write_faces
from lantern.sites.actions import add_site
from lantern.takes.actions import import_path
from lantern.takes.marking import add_marks
from lantern.takes.tables import TakeRow
from lantern.tune.actions import add_detector

SITE = Site(
    name="Door",
    zone="Europe/Amsterdam",
    places=(
        Place(
            name="Entry",
            devices=(
                Device(code="F1", name="Face camera", kind="face", ability={"width": 800, "height": 600}),
                Device(code="M1", name="Module", kind="io_module", outputs=(Output(name="lamp", coil=0),)),
            ),
        ),
    ),
)
CREW, BARRED = ("m1", "m2", "m3"), ("x1", "x2")
LISTS = (
    {"name": "crew", "colour": "green", "members": list(CREW)},
    {"name": "barred", "colour": "red", "members": list(BARRED)},
)
DOCUMENT = {
    "name": "at the door",
    "kind": "face",
    "device": "F1",
    "dials": {"threshold": 80.0, "holdoff_s": 60.0},
    "lists": ["crew", "barred"],
}
LINK = LinkRule(
    name="lights", detector="at the door", lists=("barred",), effects=(Switch(output="lamp", length_s=2.0),)
)
STRANGERS = 200


def day() -> Looks:
    """Each member twice, once seen well and once badly; strangers through the day, who score higher in the first half."""
    names = CREW + BARRED
    rows: list[tuple[float, str, list[float], list[int], str]] = []
    rng = np.random.default_rng(3)
    for n, name in enumerate(names):
        for at, own in ((1000.0 + 5000 * n, 92.0), (50_000.0 + 5000 * n, 78.0)):
            scores = rng.uniform(20, 60, len(names)).round(1)
            scores[n] = own
            rows.append((at, name, scores.tolist(), [int(k == n) for k in range(len(names))], "even"))
    for n in range(STRANGERS):
        t = 300.0 + 400 * n
        scores = rng.normal(48 if t < 40_000 else 40, 12, len(names)).clip(0, 79).round(1)
        rows.append((t, f"s{n}", scores.tolist(), [0] * len(names), "backlight" if t < 40_000 else "even"))
    rows.append((20_000.5, "s900", [81.5, 20.0, 20.0, 84.5, 20.0], [0] * 5, "backlight"))
    rows.sort()
    each = len(names)
    return Looks(
        t_s=np.array([row[0] for row in rows]),
        probe=tuple(f"p{at}" for at in range(len(rows))),
        first=np.arange(0, each * len(rows) + 1, each),
        score=np.array([score for row in rows for score in row[2]]),
        candidate=Column.of(list(names) * len(rows)),
        mated=np.array([mate for row in rows for mate in row[3]], dtype=np.int8),
        groups={
            "subject": Column.of([row[1] for row in rows for _ in names]),
            "light": Column.of([row[4] for row in rows for _ in names]),
        },
    )


@dataclass
class Door:
    site: int
    user: int
    camera: int
    token: str
    take: int
    detector: int
    lists: dict[str, int]


def door(folder: Path) -> Door:
    (folder / "looks.csv").write_text(write_faces(day()))
    sidecar = {
        "format": "lantern-take/1",
        "name": "A day",
        "kind": "faces",
        "device": "F1",
        "score_min": 0,
        "score_max": 100,
    }
    (folder / "looks.csv.json").write_text(json.dumps(sidecar | {"start": "2026-03-04T00:00:00+01:00"}))
    with transaction() as session:
        user = add_user(session, login="ida", name="Ida Test", password="open sesame", administrator=True).id
        site = add_site(session, SITE).id
        lists = {
            body["name"]: save_list(session, site, body, list_id=None, reason="Made.", user_id=user).id
            for body in LISTS
        }
    take_id = import_path(folder / "looks.csv", site_id=site)
    with transaction() as session:
        expected = [Mark(t - 1, t + 1, "expect") for n in range(5) for t in (1000.0 + 5000 * n, 50_000.0 + 5000 * n)]
        add_marks(session, session.get_one(TakeRow, take_id), expected)
        device = device_by_code(session, site, "F1")
        assert device is not None
        made = detector_of(DOCUMENT)
        detector = add_detector(session, device_id=device.id, detector=made, reason="first", user_id=user)
        save_link(session, detector, LINK.model_dump(mode="json"), link_id=None)
        return Door(site, user, device.id, device.token, take_id, detector.id, lists)
