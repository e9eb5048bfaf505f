"""Seed the demo site: people, devices, simulated takes with marks, detectors, links. All in one transaction."""

from __future__ import annotations

import multiprocessing
import signal
from collections.abc import Iterator
from datetime import datetime
from functools import lru_cache
from typing import Any

import numpy as np
import structlog
from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from lantern.core.site import Site
from lantern.db.base import transaction
from lantern.demo.skerrow import CROWDS, LOGIN, OBSERVERS, PASSWORD, PERSON, SITE, TAKES
from lantern.links.actions import save_link, save_timetable
from lantern.people.tables import add_user
from lantern.settings import settings
from lantern.standins import places
from lantern.standins.crowd import Crowd
from lantern.standins.scene import OFFSET_C, SCALE, Scene
from lantern.standins.scenes import RECORDED
from lantern.survey.actions import add_site
from lantern.survey.tables import SiteRow, device_by_code
from lantern.takes.actions import add_marks
from lantern.takes.codec import pack
from lantern.takes.store import FRAMES_A_BLOCK, add_tracks, frames_in
from lantern.takes.tables import FrameBlockRow, HandCountRow, TakeRow
from lantern.tune.actions import add_detector

log = structlog.get_logger()
REASONS = {
    "Smoulder in the heap": "As found on site: 45 °C because the last site had 45.",
    "Busbar joint": "45 °C on the taped joint: 20 K over its neighbours at 80 % load; 20 s outlasts a walker's mirror image.",
    "Crew screening": "37.4 °C on the corners of the eyes, corrected by the 35 °C source: well above the crew's own spread.",
    "Boarding count": "As found on site: the line lies at the ship's side, where the gangway ends.",
    "Hall door": "At the door's frame; 40 is what the hall is let for, and 2 % of passages are known to be missed.",
    "Gate line": "As found on site: everything that comes over the painted line.",
    "Tank": "Somebody who stays at the tank for 6 s; whoever passes takes 4 s.",
    "Gate to tank": "From the gate to the tank within a minute, on foot.",
}
BLOCKS_A_TASK = 8


def seed_if_missing() -> bool:
    """Seed unless a site of that name is there; gives whether it did."""
    with transaction() as session:
        if session.scalar(select(SiteRow.id).where(SiteRow.name == SITE.name)) is not None:
            return False
        seed(session, SITE)
        return True


def seed(session: Session, site: Site) -> None:
    user = add_user(session, login=LOGIN, name=PERSON, password=PASSWORD)
    row = add_site(session, site)
    with multiprocessing.get_context("fork").Pool(2, initializer=_plain_signals) as pool:
        for scene, (code, name, start) in TAKES.items():
            add_scene(session, row.id, code, scene=scene, name=name, start=datetime.fromisoformat(start), pool=pool)
        for code, crowd in zip(CROWDS, pool.imap(_crowd, CROWDS), strict=True):
            add_crowd(session, row.id, code, crowd)
    for timetable in site.timetables:
        save_timetable(session, row.id, timetable.model_dump(mode="json"), timetable_id=None)
    detectors = {}
    for detector in site.detectors:
        device = device_by_code(session, row.id, str(detector.device))
        assert device is not None
        reason = REASONS[detector.name]
        detectors[detector.name] = add_detector(
            session, device_id=device.id, detector=detector, reason=reason, user_id=user.id
        )
    for link in site.links:
        save_link(session, detectors[link.detector], link.model_dump(mode="json"), link_id=None)


def _plain_signals() -> None:
    """The pool ends its workers by signal; they must not answer as the supervisor does, whose handlers they inherit."""
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, signal.SIG_DFL)


def add_scene(
    session: Session, site_id: int, code: str, *, scene: str, name: str, start: datetime, pool: Any
) -> TakeRow:
    """Simulate a camera's take in both processes and store its blocks as they come."""
    device = device_by_code(session, site_id, code)
    assert device is not None
    view = _scene(scene)
    count = int(len(view) * settings().demo_share)
    t_s = np.round(np.arange(count) / view.fps, 9)
    recorded = view.recorded
    take = TakeRow(
        device_id=device.id,
        name=name,
        kind="heat",
        start=start,
        samples=count,
        length_s=float(t_s[-1]),
        width=view.width,
        height=view.height,
        dtype="uint16",
        scale=SCALE,
        offset_c=OFFSET_C,
        recorded={field: getattr(recorded, field) for field in recorded.__dataclass_fields__},
        columns=[],
        packed_bytes=0,
        times=t_s.astype("<f8").tobytes(),
    )
    session.add(take)
    session.flush()
    for first, frames, data in _blocks(pool, scene, count):
        session.execute(insert(FrameBlockRow), {"take_id": take.id, "first": first, "count": frames, "data": data})
        take.packed_bytes += len(data)
    add_marks(session, take, [mark for mark in view.marks() if mark.end_s <= take.length_s + 1])
    log.info("simulated", take=name, frames=count, packed_mib=round(take.packed_bytes / 2**20, 1))
    return take


def _crowd(code: str) -> Crowd:
    return places.RECORDED[code]()


def add_crowd(session: Session, site_id: int, scene: str, crowd: Crowd) -> TakeRow:
    """Store a simulated take of tracks with its still, its marks, and the passages that two people counted."""
    code, name, start = CROWDS[scene]
    device = device_by_code(session, site_id, code)
    assert device is not None
    width, height = crowd.tracks.frame_px or (0, 0)
    take = TakeRow(
        device_id=device.id,
        name=name,
        kind="tracks",
        start=datetime.fromisoformat(start),
        samples=frames_in(crowd.tracks),
        length_s=crowd.tracks.length_s,
        width=width,
        height=height,
        recorded={},
        columns=[],
        packed_bytes=0,
        times=b"",
        still=crowd.still,
        still_type="image/png",
    )
    session.add(take)
    session.flush()
    add_tracks(session, take, crowd.tracks)
    add_marks(session, take, list(crowd.marks))
    if crowd.passages:
        careful, hasty = crowd.passages, [p for i, p in enumerate(crowd.passages) if i % 47 != 30]
        for who, passages in zip(OBSERVERS, (careful, hasty), strict=True):
            session.add(HandCountRow(take_id=take.id, who=who, passages=[list(p) for p in passages], intervals=[]))
    return take


def _blocks(pool: Any, code: str, count: int) -> Iterator[tuple[int, int, bytes]]:
    step = FRAMES_A_BLOCK * BLOCKS_A_TASK
    tasks = [(code, first, min(first + step, count)) for first in range(0, count, step)]
    for made in pool.imap(_simulate, tasks):
        yield from made


def _simulate(task: tuple[str, int, int]) -> list[tuple[int, int, bytes]]:
    code, first, stop = task
    scene = _scene(code)
    out = []
    for at in range(first, stop, FRAMES_A_BLOCK):
        block = np.stack([scene.frame(i) for i in range(at, min(at + FRAMES_A_BLOCK, stop))])
        out.append((at, block.shape[0], pack(block)))
    return out


@lru_cache
def _scene(code: str) -> Scene:
    return RECORDED[code]()
