"""The stand-ins as one process: cameras, the relay module, and a small HTTP control for both."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from contextlib import asynccontextmanager
from typing import Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse, Response, StreamingResponse
from starlette.routing import Route

from lantern.standins.camera import CameraStandIn, Reel
from lantern.standins.places import CROWDS
from lantern.standins.relay import RelayStandIn
from lantern.standins.scene import OFFSET_C, SCALE
from lantern.standins.scenes import SCENES
from lantern.standins.tracker import CONTENT_TYPE, TrackerStandIn


def reel_of_scene(code: str) -> Reel:
    scene = SCENES[code]()
    return Reel(len(scene), scene.fps, scene.width, scene.height, SCALE, OFFSET_C, scene.recorded, scene.frame)


def tracker_of_scene(code: str) -> TrackerStandIn:
    return TrackerStandIn(code, lambda: CROWDS[code]().tracks)


def make_app(cameras: Mapping[str, CameraStandIn | TrackerStandIn], relay: RelayStandIn) -> Starlette:
    @asynccontextmanager
    async def lifespan(app: Starlette) -> AsyncIterator[None]:
        await relay.start()
        for camera in cameras.values():
            camera.start()
        yield
        for camera in cameras.values():
            await camera.stop()
        await relay.stop()

    async def state(request: Request) -> Response:
        return JSONResponse(
            {
                "cameras": [camera.as_dict() for camera in cameras.values()],
                "relay": {"running": relay.running, "coils": relay.coils, "switched": relay.switched[-50:]},
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
        if request.path_params["what"] == "stop":
            await relay.stop()
        else:
            await relay.start()
        return JSONResponse({"running": relay.running})

    return Starlette(
        routes=[
            Route("/state", state),
            Route("/metadata/{code}", metadata),
            Route("/camera/{code}/{what:str}", camera, methods=["POST"]),
            Route("/relay/{what:str}", cut, methods=["POST"]),
        ],
        lifespan=lifespan,
    )
