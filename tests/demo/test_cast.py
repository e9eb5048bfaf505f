"""The demo's stand-ins: they play while there is a demo site, and whatever fails at first is tried again."""

from __future__ import annotations

import asyncio
import socket
from pathlib import Path
from typing import Any

import pytest

from lantern.cluster import free_port
from lantern.db.base import transaction
from lantern.demo.cast import DemoCast
from lantern.register.tables import DeviceRow
from lantern.sites.tables import SiteRow
from lantern.standins.app import make_standins
from lantern.standins.relay import RelayStandIn
from loops import in_a_loop
from seeded import Small


class Silent:
    """Stands in for a camera that plays."""

    playing = False

    def start(self) -> None:
        self.playing = True

    async def stop(self) -> None:
        self.playing = False


@pytest.fixture
def small(small: Small) -> Small:
    with transaction() as session:
        session.get_one(SiteRow, small.site).demo = True
    return small


async def until(holds: Any) -> None:
    async with asyncio.timeout(20):
        while not holds():
            await asyncio.sleep(0.05)


def test_a_port_that_is_taken_for_a_while_keeps_nobody_from_playing(
    small: Small, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async def run() -> None:
        port, camera = free_port(), Silent()
        standins = make_standins(RelayStandIn(port))
        cast = DemoCast(standins, "http://127.0.0.1:1", "ws://127.0.0.1:1", tmp_path)
        monkeypatch.setattr(cast, "_cast", lambda tokens: {"T1": camera})
        with socket.socket() as other:
            other.bind(("127.0.0.1", port))
            other.listen()
            await cast.start()
            await asyncio.sleep(1)
            assert not camera.playing
        await until(lambda: camera.playing and standins.relay.running)
        with transaction() as session:
            assert session.get_one(DeviceRow, small.module).address["port"] == port

        with transaction() as session:  # the demo goes, and with it whoever played
            session.get_one(SiteRow, small.site).demo = False
        await until(lambda: not camera.playing and not standins.relay.running)
        await cast.stop()

    in_a_loop(run)
