"""A door with a gallery that answers over HTTP, and what persons' tests ask of it."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

import numpy as np
import uvicorn
from starlette.applications import Starlette

from benches.faces.door import Door
from lantern.cluster import free_port
from lantern.db.base import transaction
from lantern.formats.portraits import read_portrait
from lantern.lists.actions import save_list
from lantern.lists.tables import ListRow
from lantern.persons.actions import Portrait, enrol
from lantern.register.tables import DeviceRow
from lantern.standins.gallery import HeldGallery, gallery_routes
from lantern.standins.likeness import drawing

NAME = "Zinnober Quastel"  # nothing else in the program has it


def face(number: int) -> np.ndarray:
    """A made-up face (32,)."""
    made = np.random.default_rng(number).normal(size=32)
    return made / np.linalg.norm(made)


def portrait(number: int) -> Portrait:
    return Portrait(*read_portrait(drawing(face(number))))


@dataclass
class Served:
    """`away`: it does not answer just now."""

    gallery: HeldGallery
    url: str
    away: bool = False


@contextmanager
def served(token: str) -> Iterator[Served]:
    held = Served(HeldGallery(), "")
    app = Starlette(routes=gallery_routes(lambda: {} if held.away else {"F1": (held.gallery, token)}))
    port = free_port()
    server = uvicorn.Server(uvicorn.Config(app, port=port, log_level="error"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    held.url = f"http://127.0.0.1:{port}/gallery/F1"
    try:
        yield held
    finally:
        server.should_exit = True
        thread.join(10)


def bound(at: Door, url: str) -> None:
    """The barred are held by F1, whose gallery is there."""
    with transaction() as session:
        session.get_one(DeviceRow, at.camera).address = {"url": url}
        row = session.get_one(ListRow, at.lists["barred"])
        body = row.body | {"cameras": ["F1"]}
        save_list(session, at.site, body, list_id=row.id, base=row.revision, reason="Held by F1.", user_id=at.user)


def enrolled(at: Door, member: str = "x1", *, name: str | None = NAME, number: int = 1) -> int:
    with transaction() as session:
        row = session.get_one(ListRow, at.lists["barred"])
        person = enrol(
            session,
            at.site,
            member=member,
            name=name,
            portrait=portrait(number),
            said=None,
            lists=[row],
            user_id=at.user,
        )
        return person.id
