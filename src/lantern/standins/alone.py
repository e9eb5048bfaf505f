"""One stand-in in a process of its own, for a site that has no hardware yet."""

from __future__ import annotations

import asyncio
from contextlib import suppress
from pathlib import Path

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import Response, StreamingResponse
from starlette.routing import Route

from lantern.core.faults import Fault, Refused
from lantern.serving import serve, server
from lantern.standins.app import reader_at, reel_of_scene, tracker_of_scene
from lantern.standins.camera import CameraStandIn
from lantern.standins.relay import COILS, WATCHDOG_REGISTER, RelayStandIn
from lantern.standins.tracker import CONTENT_TYPE
from lantern.standins.weighbridge import FRAME

SHOWS = {"camera": "V2", "counter": "C1"}  # which of the simulated views
HEAP = "T1"
LOOK_S = 0.1


def run_relay(port: int) -> None:
    """Until told to end. Raises `Refused` where the port is taken."""
    with suppress(KeyboardInterrupt):
        asyncio.run(_relay(port))


async def _relay(port: int) -> None:
    relay = RelayStandIn(port)
    try:
        await relay.start()
    except (OSError, RuntimeError) as error:
        raise Refused([Fault("--port", f"{port} cannot be had: {error}", "a port that nobody uses")]) from error
    print(f"A relay module with {COILS} coils speaks Modbus TCP at 127.0.0.1:{port}, unit 1.", flush=True)
    print(f"Its watchdog is holding register {WATCHDOG_REGISTER}, in tenths of a second.", flush=True)
    told = 0
    try:
        while True:
            for _, coil, on in relay.switched[told:]:
                print(f"coil {coil} {'on' if on else 'off'}", flush=True)
            told = len(relay.switched)
            await asyncio.sleep(LOOK_S)
    finally:
        await relay.stop()


def run_tracker(what: str, port: int, folder: Path) -> None:
    """A camera or counter, until told to end. `folder`: where its tracks are kept for the next start."""
    tracker = tracker_of_scene(SHOWS[what], folder)

    async def metadata(request: Request) -> Response:
        return StreamingResponse(tracker.stream(), media_type=CONTENT_TYPE)

    async def begin() -> None:
        tracker.start()
        while not hasattr(tracker, "tracks"):
            await asyncio.sleep(LOOK_S)
        width, height = tracker.size
        where = f"http://127.0.0.1:{port}/metadata"
        print(f"A {what} sends ONVIF metadata at {where}, {width} x {height} px, {tracker.fps:g} Hz.", flush=True)

    app = Starlette(routes=[Route("/metadata", metadata)])
    serve([server(app, "127.0.0.1", port)], begin=begin, finish=tracker.stop)


def run_reader(url: str, token: str) -> None:
    """A plate reader, until told to end; what nobody answered is sent again."""
    reader = reader_at("P1", url, token)
    width, height = FRAME
    print(f"A plate reader of {width} x {height} px posts what it reads to {url}.", flush=True)
    with suppress(KeyboardInterrupt):
        asyncio.run(reader.run())


def run_camera(url: str, token: str) -> None:
    """A thermal camera, until told to end; it tries again as long as nobody answers."""
    reel = reel_of_scene(HEAP)
    camera = CameraStandIn(HEAP, reel, url, token)
    print(
        f"A thermal camera of {reel.width} x {reel.height} px sends {reel.fps:g} pictures a second to {url}.",
        flush=True,
    )
    with suppress(KeyboardInterrupt):
        asyncio.run(camera.run())
