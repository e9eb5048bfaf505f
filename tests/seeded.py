"""A small site in the store: one camera, one module, one take that is hot twice, one detector, one link."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from lantern.core.effects.switch.effect import Switch
from lantern.core.events import Detector
from lantern.core.linking.links import LinkRule
from lantern.core.linking.outputs import Output
from lantern.core.logic.timetable import Hours, Timetable
from lantern.core.scoring.marks import Mark
from lantern.core.site import Device, Place, Site
from lantern.db.base import transaction
from lantern.links.actions import save_link, save_timetable
from lantern.people.tables import add_user
from lantern.register.tables import device_by_code
from lantern.sites.actions import add_site
from lantern.takes.actions import import_path
from lantern.takes.marking import add_marks
from lantern.takes.tables import TakeRow
from lantern.tune.actions import add_detector
from takes_on_disk import DETECTOR, pictures, raw, tiff_take

SITE = Site(
    name="Test site",
    zone="Europe/Amsterdam",
    places=(
        Place(
            name="Shed",
            devices=(
                Device(code="T1", name="Camera", kind="thermal", ability={"width": 8, "height": 6, "fps": 2}),
                Device(
                    code="M1",
                    name="Module",
                    kind="io_module",
                    ability={"protocol": "Modbus TCP"},
                    outputs=(
                        Output(name="lamp", what="beacon", coil=0),
                        Output(name="stop", coil=1, contact="normally_closed"),
                    ),
                ),
            ),
        ),
    ),
)
ALWAYS = Timetable(
    name="always on", zone="Europe/Amsterdam", hours=tuple(Hours(day=d, start_min=0, end_min=1440) for d in range(7))
)
LINK = LinkRule(
    name="hot to lamp", detector="hot", timetable="always on", effects=(Switch(output="lamp", length_s=2.0),)
)


@dataclass
class Small:
    site: int
    user: int
    camera: int
    module: int
    take: int
    detector: int
    token: str


def small_site(folder: Path, *, link: LinkRule | None = LINK) -> Small:
    with transaction() as session:
        user = add_user(session, login="ida", name="Ida Test", password="open sesame", administrator=True)
        site = add_site(session, SITE)
    take_id = import_path(tiff_take(folder, raw(pictures())), site_id=site.id)
    with transaction() as session:
        take = session.get_one(TakeRow, take_id)
        add_marks(session, take, [Mark(4, 9, "expect"), Mark(12, 16, "quiet")])
        camera, module = device_by_code(session, site.id, "T1"), device_by_code(session, site.id, "M1")
        detector = add_detector(
            session, device_id=camera.id, detector=Detector.model_validate(DETECTOR), reason="first", user_id=user.id
        )
        save_timetable(session, site.id, ALWAYS.model_dump(mode="json"), timetable_id=None)
        if link is not None:
            save_link(session, detector, link.model_dump(mode="json"), link_id=None)
        return Small(site.id, user.id, camera.id, module.id, take_id, detector.id, camera.token)
