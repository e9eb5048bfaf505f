"""The stand-ins as one process: cameras, the relay module, and a small HTTP control for both."""

from __future__ import annotations

import ssl
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse, Response, StreamingResponse
from starlette.routing import Mount, Route, Router

from lantern.standins import quay, slipway, visitors, weighbridge
from lantern.standins.camera import CameraStandIn, Reel
from lantern.standins.doorface import DoorStandIn
from lantern.standins.faults import FAULTS
from lantern.standins.gallery import Galleries, HeldGallery, gallery_routes
from lantern.standins.kept import kept
from lantern.standins.panel import panel_routes
from lantern.standins.places import CROWDS
from lantern.standins.player import Player
from lantern.standins.ptz.device import PtzDevice
from lantern.standins.ptz.device import make_app as make_ptz
from lantern.standins.reader import ReaderStandIn
from lantern.standins.relay import RelayStandIn
from lantern.standins.scanner import RadarStandIn
from lantern.standins.scene import OFFSET_C, SCALE
from lantern.standins.scenes import SCENES
from lantern.standins.speaker import SpeakerStandIn
from lantern.standins.speaker import make_app as make_speaker
from lantern.standins.tracker import CONTENT_TYPE, TrackerStandIn


def reel_of_scene(code: str) -> Reel:
    scene = SCENES[code]()
    return Reel(len(scene), scene.fps, scene.width, scene.height, SCALE, OFFSET_C, scene.recorded, scene.frame)


def tracker_of_scene(code: str, folder: Path, beside: Player | None = None) -> TrackerStandIn:
    """`folder`: where its tracks are kept for the next start; `beside`: who sees the same ground."""
    return TrackerStandIn(code, lambda: kept(folder, code, lambda: CROWDS[code]().tracks), beside)


def reader_at(code: str, url: str, token: str, encryption: ssl.SSLContext | None = None) -> ReaderStandIn:
    """The reader at the weighbridge, over its morning."""
    return ReaderStandIn(code, url, token, encryption=encryption, reads=weighbridge.morning()[0])


def door_at(
    code: str, url: str, token: str, encryption: ssl.SSLContext | None = None, *, folder: Path | None = None
) -> DoorStandIn:
    """The face camera at the control room door, over its first day, from shortly before the rush on. `folder`: where its gallery is
    kept for the next start.
    """
    gallery = HeldGallery(None if folder is None else folder / f"{code}.gallery.json")
    day = visitors.day(0)
    return DoorStandIn(code, url, token, encryption=encryption, day=day, gallery=gallery, at_s=visitors.BACKLIGHT_S[0])


def radar_at(code: str, url: str, token: str, encryption: ssl.SSLContext | None = None) -> RadarStandIn:
    """The radar at the quay edge, over its half an hour, from shortly before the first boat on."""
    returns = quay.half_an_hour().returns
    return RadarStandIn(code, url, token, encryption=encryption, returns=returns, at_s=quay.BOATS[0][0] - 20)


def slipway_at(code: str, url: str, token: str, encryption: ssl.SSLContext | None = None) -> RadarStandIn:
    """The radar at the slipway, over its ten minutes, from shortly before somebody comes up."""
    returns, length_s = slipway.ten_minutes().returns, slipway.LENGTH_S
    at_s = slipway.UP[0][0] - 15
    return RadarStandIn(
        code,
        url,
        token,
        encryption=encryption,
        returns=returns,
        length_s=length_s,
        scans_hz=slipway.SCANS_HZ,
        at_s=at_s,
    )


Cameras = dict[str, Player]


@dataclass(frozen=True)
class StandIns:
    """The demo's stand-ins, and their control."""

    cameras: Cameras
    relay: RelayStandIn
    app: Starlette
    heads: Router
    speakers: Router

    async def play(
        self,
        cameras: Mapping[str, Player],
        heads: Mapping[str, PtzDevice] | None = None,
        speakers: Mapping[str, SpeakerStandIn] | None = None,
    ) -> None:
        """These and the relay module from now on; none: there is nobody to play for. `heads` are at `/head/CODE`, `speakers` at
        `/speaker/CODE`.
        """
        self.heads.routes[:] = [Mount(f"/{code}", make_ptz(device)) for code, device in (heads or {}).items()]
        self.speakers.routes[:] = [Mount(f"/{code}", make_speaker(each)) for code, each in (speakers or {}).items()]
        await self.stop()
        self.cameras.clear()
        self.cameras.update(cameras)
        if cameras:
            await self.relay.start()
        for camera in cameras.values():
            camera.start()

    async def stop(self) -> None:
        for camera in self.cameras.values():
            await camera.stop()
        await self.relay.stop()


def make_standins(relay: RelayStandIn) -> StandIns:
    """Make the stand-ins; none plays yet."""
    cameras: Cameras = {}
    heads, speakers = Router([]), Router([])

    async def state(request: Request) -> Response:
        return JSONResponse(
            {
                "cameras": [camera.as_dict() for camera in cameras.values()],
                "relay": {
                    "running": relay.running,
                    "fault": relay.fault,
                    "faults": FAULTS,
                    "coils": relay.coils,
                    "contacts": relay.contacts,
                    "loops": relay.loops,
                    "switched": relay.switched[-50:],
                },
            }
        )

    async def camera(request: Request) -> Response:
        found = cameras.get(request.path_params["code"])
        if found is None:
            return JSONResponse({"message": "There is no such camera stand-in."}, 404)
        body: dict[str, Any] = await request.json() if await request.body() else {}
        what = request.path_params["what"]
        if what == "pause":
            found.pause()
        elif what == "shutter" and isinstance(found, CameraStandIn):
            found.close_shutter()
        else:
            try:
                found.play(from_s=body.get("from_s"), speed=body.get("speed"))
            except (ValueError, TypeError) as error:
                return JSONResponse({"message": str(error)}, 422)
        return JSONResponse(found.as_dict())

    async def metadata(request: Request) -> Response:
        found = cameras.get(request.path_params["code"])
        if not isinstance(found, TrackerStandIn):
            return JSONResponse({"message": "There is no such counter or camera stand-in."}, 404)
        return StreamingResponse(found.stream(), media_type=CONTENT_TYPE)

    async def cut(request: Request) -> Response:
        """Cut the relay off, bring it back, make it well, or have it play a fault."""
        what = request.path_params["what"]
        if what not in ("stop", "start", "well", *FAULTS):
            return JSONResponse({"message": f"There is no fault {what[:40]!r}: one of {', '.join(FAULTS)}."}, 404)
        if what == "stop":
            await relay.stop()
        elif what == "start":
            await relay.start()
        else:
            relay.play("" if what == "well" else what)
        return JSONResponse({"running": relay.running, "fault": relay.fault})

    def galleries() -> Galleries:
        doors = [each for each in cameras.values() if isinstance(each, DoorStandIn)]
        return {door.code: (door.gallery, door.token) for door in doors}

    routes = [
        Route("/state", state),
        Route("/metadata/{code}", metadata),
        Route("/camera/{code}/{what:str}", camera, methods=["POST"]),
        Route("/relay/{what:str}", cut, methods=["POST"]),
        *panel_routes(relay),
        *gallery_routes(galleries),
        Mount("/head", heads),
        Mount("/speaker", speakers),
    ]
    return StandIns(cameras, relay, Starlette(routes=routes), heads, speakers)
