"""The stand-ins of the demo site: they play as long as there is one, with the tokens that its devices have now."""

from __future__ import annotations

import asyncio
import ssl
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

import structlog

from lantern.core.company import Stands
from lantern.core.devices import DEVICE_KINDS
from lantern.core.optics.feet import view_of
from lantern.core.optics.mount import View
from lantern.db.base import StoreAwayError, transaction
from lantern.db.changes import changes
from lantern.demo.skerrow import HEAD_LOGIN, HEAD_PASSWORD, HEAD_PRESETS
from lantern.live.tasks import Patience
from lantern.register.tables import demo_devices, pixels_of
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
from lantern.standins.ptz.device import Preset, PtzDevice
from lantern.standins.ptz.visitors import visitors
from lantern.standins.ptz.yard import painter
from lantern.standins.scenes import SCENES
from lantern.standins.speaker import SpeakerStandIn
from lantern.standins.tracker import TrackerStandIn

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
    _heard: list[str] = field(default_factory=list)  # the speakers
    _yard: View | None = None  # of the camera over the yard

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
            cameras = self._cast(tokens) if tokens else {}
            await self.standins.play(cameras, self._heads(cameras), self._speakers())
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

    def _heads(self, cameras: Cameras) -> dict[str, PtzDevice]:
        """The head on the mast sees whom the camera over the yard plays."""
        yard = cameras.get("V2")
        if not isinstance(yard, TrackerStandIn) or self._yard is None:
            return {}
        view = self._yard
        device = PtzDevice(HEAD_LOGIN, HEAD_PASSWORD, painter(time.monotonic, lambda: visitors(yard, view)))
        for token, (name, pan, tilt, zoom) in HEAD_PRESETS.items():
            device.presets[token] = Preset(name, pan, tilt, zoom)
        return {"Z1": device}

    def _speakers(self) -> dict[str, SpeakerStandIn]:
        """Return them by code; what each played is kept as WAV, in a folder of its own."""
        out = {}
        for code in self._heard:
            folder = self.folder / f"{code}.played"
            folder.mkdir(parents=True, exist_ok=True)
            out[code] = SpeakerStandIn(folder)
        return out

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
                elif DEVICE_KINDS[device.kind].reached == "steered":
                    device.address = {
                        "url": f"{self.control_url}/head/{device.code}/onvif/device_service",
                        "login": HEAD_LOGIN,
                    }
                elif DEVICE_KINDS[device.kind].reached == "played":
                    device.address = {"url": f"{self.control_url}/speaker/{device.code}"}
                elif DEVICE_KINDS[device.kind].has_gallery:
                    device.address = {"url": f"{self.control_url}/gallery/{device.code}"}
            yard = next((each for each in devices if each.code == "V2"), None)
            self._yard = None if yard is None else view_of(Stands(yard.extras.get("mount"), pixels_of(yard)), None)
            self._heard = [each.code for each in devices if DEVICE_KINDS[each.kind].reached == "played"]
            return {device.code: device.token for device in devices if DEVICE_KINDS[device.kind].reached == "sends"}
