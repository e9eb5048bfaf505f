"""The demo site, set up by the same actions as a site of one's own: its file, its takes with their marks. All of it or nothing."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import structlog
from sqlalchemy.orm import Session

from lantern.core.counted import CountedByHand
from lantern.core.faults import Fault, Refused
from lantern.db.base import transaction
from lantern.db.work import Record, carry_out, teller
from lantern.demo.persons import add_persons
from lantern.demo.simulated import counted, simulated
from lantern.demo.skerrow import HEAD_PASSWORD, LAID, LOGIN, PASSWORD, PERSON, REASONS, skerrow
from lantern.formats.progress import beat
from lantern.people.accounts import nobody_yet
from lantern.people.tables import add_user, first_administrator
from lantern.register.passwords import keep_password
from lantern.register.tables import device_by_code
from lantern.settings import settings
from lantern.sites.actions import add_rest, add_site
from lantern.sites.parts import Brought
from lantern.sites.tables import SiteJobRow, SiteRow, demo_site, other_sites
from lantern.takes.marking import add_marks, import_counts
from lantern.takes.onplan import lay_on_plan
from lantern.takes.store import add_take
from lantern.takes.tables import takes_of_device

log = structlog.get_logger()
PARTS = 100  # of a take, in what is told of the progress


def seed_if_missing() -> bool:
    """Set the demo up, unless it is there; the first account of an empty program is the demo's own. Returns whether it did.

    Raises `Refused` in a folder that holds other sites: the demo's account, whose password everybody knows, would open them.
    """
    with transaction() as session:
        others = other_sites(session)
        if others:
            what = f"it holds {', '.join(repr(name) for name in others)}"
            raise Refused([Fault("this folder", what, "./lantern up; the demo needs a folder of its own")])
        if nobody_yet(session):
            add_user(session, login=LOGIN, name=PERSON, password=PASSWORD, administrator=True)
        if demo_site(session) is not None:
            return False
        seed(session)
        return True


def run_demo(job_id: int, folder: Path) -> None:
    """Seed the demo as the page asked for it: in the same way as the command, without an account."""

    def work(row: SiteJobRow) -> Record[SiteJobRow]:
        with transaction() as session:
            site_id = seed(session, tell=teller(SiteJobRow, job_id)).id

        def record(held: SiteJobRow) -> None:
            held.site_id = site_id

        return record

    carry_out(SiteJobRow, job_id, work)


def seed(session: Session, tell: Callable[[int, int], None] = lambda done, total: None) -> SiteRow:
    user_id = first_administrator(session)
    site = skerrow()
    row = add_site(session, site)
    row.demo = True
    total = counted() * PARTS
    for number, made in enumerate(simulated(settings().demo_share)):
        device = device_by_code(session, row.id, made.take.info.device)
        assert device is not None

        def told(done: int, of: int, number: int = number) -> None:
            beat()
            tell(number * PARTS + done * PARTS // of, total)

        take = add_take(session, made.take, device_id=device.id, progress=told)
        add_marks(session, take, list(made.marks))
        for who, passages in made.tallies:
            import_counts(session, take, [CountedByHand(who, tuple((t, way) for t, way in passages))])
        told(1, 1)
        log.info("simulated", take=take.name, samples=take.samples, packed_mib=round(take.packed_bytes / 2**20, 1))
    for code, name, onto in LAID:
        camera, head = (device_by_code(session, row.id, each) for each in (code, onto))
        assert camera is not None
        assert head is not None
        lay_on_plan(session, next(take for take in takes_of_device(session, camera.id) if take.name == name), head)
    add_rest(session, row, Brought(site, user_id, reasons=REASONS))  # now there are takes to score them on
    add_persons(session, row.id, user_id)
    head = device_by_code(session, row.id, "Z1")
    assert head is not None
    keep_password(session, head, HEAD_PASSWORD)
    return row
