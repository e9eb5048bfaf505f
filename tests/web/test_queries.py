"""The pages of a whole site ask the store a fixed number of queries, however large the site is."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from fastapi.testclient import TestClient
from sqlalchemy import event

from lantern.application.app import make_app
from lantern.core.events import Detector
from lantern.core.scoring.marks import Mark
from lantern.db.base import engine, transaction
from lantern.register.devices import add_device
from lantern.sites.places import add_place
from lantern.takes.actions import import_path
from lantern.takes.marking import add_marks
from lantern.takes.tables import TakeRow
from lantern.tune.actions import add_detector
from seeded import Small
from takes_on_disk import DETECTOR, pictures, raw, tiff_take
from web.test_access import log_in

PAGES = ("survey", "takes", "begin/tune", "links/1", "walk/1", "bench/1", "compare")
HTML = {"accept": "text/html"}


@contextmanager
def counted() -> Iterator[list[str]]:
    said: list[str] = []

    def note(connection: object, cursor: object, statement: str, *rest: object) -> None:
        said.append(statement)

    event.listen(engine(), "before_cursor_execute", note)
    try:
        yield said
    finally:
        event.remove(engine(), "before_cursor_execute", note)


def queries(client: TestClient) -> dict[str, int]:
    found = {}
    for page in PAGES:
        address = f"/sites/1/{page}"
        client.get(address, headers=HTML)  # what is worked out once is worked out
        with counted() as said:
            assert client.get(address, headers=HTML).status_code in (200, 303)
        found[page] = len(said)
    return found


def grow(small: Small, folder: Path, prefix: str, number: int) -> None:
    """As many devices more, each with a place, a take, a mark and a detector of its own."""
    folder.mkdir()
    with transaction() as session:
        for n in range(number):
            place = add_place(session, small.site, f"Place {prefix}{n}")
            size = {"width": 8, "height": 6}
            document = {"code": f"{prefix}{n}", "name": "More", "kind": "thermal", "ability": size}
            device = add_device(session, place, document)
            detector = Detector.model_validate(DETECTOR | {"name": f"hot {device.code}", "device": device.code})
            add_detector(session, device_id=device.id, detector=detector, reason="grown", user_id=None)
    for n in range(number):
        take_id = import_path(
            tiff_take(folder, raw(pictures()), name=f"{n}.tif", device=f"{prefix}{n}"), site_id=small.site
        )
        with transaction() as session:
            add_marks(session, session.get_one(TakeRow, take_id), [Mark(4, 9, "expect")])


def test_no_page_asks_more_of_a_larger_site(small: Small, tmp_path: Path) -> None:
    client = log_in(make_app(), "ida", "open sesame")
    grow(small, tmp_path / "few", "F", 2)
    before = queries(client)
    grow(small, tmp_path / "many", "G", 20)
    assert queries(client) == before
    assert max(before.values()) < 40, before
