"""The stand-ins of the demo site: they play as long as there is one, with the tokens that its devices have now."""

from __future__ import annotations

import asyncio
import ssl
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

import structlog

from lantern.core.devices import DEVICE_KINDS
from lantern.db.base import StoreAwayError, transaction
from lantern.db.changes import changes
from lantern.live.tasks import Patience
from lantern.register.tables import demo_devices
from lantern.standins.app import (
    Cameras,
    StandIns,
    door_at,
    radar_at,
    reader_at,
    reel_of_scene,
    slipway_at,
    tracker_of_scene,
)
from lantern.standins.camera import CameraStandIn
from lantern.standins.places import CROWDS
from lantern.standins.poster import PosterStandIn
from lantern.standins.scenes import SCENES

log = structlog.get_logger()


@dataclass
class DemoCast:
    """Follows the store: plays when a demo site comes, ends when it goes."""

    standins: StandIns
    control_url: str
    ingest_url: str
    folder: Path
    encryption: ssl.SSLContext | None = None
    _playing: dict[str, str] = field(default_factory=dict)
    _task: asyncio.Task[None] | None = None

    async def start(self) -> None:
        self._task = asyncio.create_task(self._follow())

    async def stop(self) -> None:
        if self._task is not None:
            self._task.cancel()
            await asyncio.gather(self._task, return_exceptions=True)
        await self.standins.stop()

    async def _follow(self) -> None:
        """Whatever fails, a port that is taken or the store that is away, is tried again."""
        patience = Patience()
        async for _ in changes():
            while True:
                try:
                    await self._adopt(await asyncio.to_thread(self._tokens))
                    patience.rest()
                    break
                except (StoreAwayError, OSError, RuntimeError) as error:
                    log.warning("the stand-ins begin anew", error=repr(error))
                    await asyncio.sleep(patience.lose())

    async def _adopt(self, tokens: dict[str, str]) -> None:
        if tokens != self._playing:
            await self.standins.play(self._cast(tokens) if tokens else {})
            self._playing = tokens

    def _cast(self, tokens: dict[str, str]) -> Cameras:
        posts = self.ingest_url.replace("ws", "http", 1)
        posting: dict[str, Callable[..., PosterStandIn]] = {
            "P1": reader_at,
            "F1": partial(door_at, folder=self.folder),
            "R1": radar_at,
            "R2": slipway_at,
        }
        cameras: Cameras = {
            code: CameraStandIn(code, reel_of_scene(code), f"{self.ingest_url}/ingest/{code}", token, self.encryption)
            if code in SCENES
            else posting[code](code, f"{posts}/ingest/{code}", token, self.encryption)
            for code, token in tokens.items()
            if code in SCENES or code in posting
        }
        beside = {"V3": cameras.get("R1")}
        return cameras | {code: tracker_of_scene(code, self.folder, beside.get(code)) for code in CROWDS}

    def _tokens(self) -> dict[str, str]:
        """The demo site's modules, cameras and counters are at this start's stand-ins, and no other site's ever; returns the
        tokens of those that send, by code.
        """
        with transaction() as session:
            devices = demo_devices(session)
            for device in devices:
                if device.kind == "io_module":
                    device.address = {"host": "127.0.0.1", "port": self.standins.relay.port, "unit": 1}
                elif device.kind in ("camera", "counter"):
                    device.address = {"url": f"{self.control_url}/metadata/{device.code}"}
                elif DEVICE_KINDS[device.kind].has_gallery:
                    device.address = {"url": f"{self.control_url}/gallery/{device.code}"}
            return {device.code: device.token for device in devices if DEVICE_KINDS[device.kind].reached == "sends"}
