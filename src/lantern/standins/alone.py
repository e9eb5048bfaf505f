"""One stand-in in a process of its own, for a site that has no hardware yet."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import Response, StreamingResponse
from starlette.routing import Route

from lantern.core.faults import Fault, Refused
from lantern.serving import serve, server
from lantern.standins.app import door_at, radar_at, reader_at, reel_of_scene, tracker_of_scene
from lantern.standins.camera import CameraStandIn
from lantern.standins.panel import panel_routes
from lantern.standins.poster import PosterStandIn
from lantern.standins.probe import ProbeStandIn, Table
from lantern.standins.ptz.device import OVERVIEW, TURNED, PtzDevice
from lantern.standins.ptz.device import make_app as make_ptz
from lantern.standins.ptz.yard import painter
from lantern.standins.relay import COILS, WATCHDOG_REGISTER, RelayStandIn
from lantern.standins.speaker import SpeakerStandIn
from lantern.standins.speaker import make_app as make_speaker
from lantern.standins.tracker import CONTENT_TYPE
from lantern.standins.weighbridge import FRAME

SHOWS = {"camera": "V2", "counter": "C1"}  # which of the simulated views
HEAP = "T1"
LOOK_S = 0.1


def run_relay(port: int, panel: int | None) -> None:
    """Run a relay until it is told to end; `panel`: the port of a page on which its inputs are set. Raises `Refused`
    where a port is taken.
    """
    relay = RelayStandIn(port)
    if panel is None:
        with suppress(KeyboardInterrupt):
            asyncio.run(_relay(relay))
        return
    going: list[asyncio.Task[None]] = []

    async def begin() -> None:
        await _start(relay)
        print(f"Its inputs are set at http://127.0.0.1:{panel}/panel.", flush=True)
        going.append(asyncio.create_task(_tell(relay)))

    async def finish() -> None:
        for task in going:
            task.cancel()
        await relay.stop()

    serve([server(Starlette(routes=panel_routes(relay)), "127.0.0.1", panel)], begin=begin, finish=finish)


async def _relay(relay: RelayStandIn) -> None:
    await _start(relay)
    try:
        await _tell(relay)
    finally:
        await relay.stop()


async def _start(relay: RelayStandIn) -> None:
    try:
        await relay.start()
    except (OSError, RuntimeError) as error:
        what = f"{relay.port} cannot be had: {error}"
        raise Refused([Fault("--port", what, "a port that nobody uses")]) from error
    print(f"A relay module with {COILS} coils speaks Modbus TCP at 127.0.0.1:{relay.port}, unit 1.", flush=True)
    print(f"Contacts are discrete inputs 0 to {COILS - 1}, loops input registers 0 to {COILS - 1}.", flush=True)
    print(f"Its watchdog is holding register {WATCHDOG_REGISTER}, in tenths of a second.", flush=True)


async def _tell(relay: RelayStandIn) -> None:
    """Say what is switched, until told to end."""
    told = 0
    while True:
        for _, coil, on in relay.switched[told:]:
            print(f"coil {coil} {'on' if on else 'off'}", flush=True)
        told = len(relay.switched)
        await asyncio.sleep(LOOK_S)


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
    width, height = FRAME
    print(f"A plate reader of {width} x {height} px posts what it reads to {url}.", flush=True)
    _post(reader_at("P1", url, token))


def run_door(url: str, token: str) -> None:
    """A face camera without a gallery, until told to end; what nobody answered is sent again."""
    print(f"A face camera at a door posts whom it sees, with pictures, to {url}.", flush=True)
    _post(door_at("F1", url, token))


def run_radar(url: str, token: str) -> None:
    """A radar, until told to end; what nobody answered is sent again."""
    print(f"A radar at a quay posts its returns to {url}.", flush=True)
    _post(radar_at("R1", url, token))


def _post(player: PosterStandIn) -> None:
    with suppress(KeyboardInterrupt):
        asyncio.run(player.run())


def run_ptz(port: int, login: str, password: str, faults: Sequence[str]) -> None:
    """A PTZ with a second body that does not turn, until told to end."""
    device = PtzDevice(login, password, painter(time.monotonic))
    for name in faults:
        device.play(name, True)

    async def begin() -> None:
        print(f"A PTZ speaks ONVIF at http://127.0.0.1:{port}/onvif/device_service, log-in {login}.", flush=True)
        print(f"Its pictures are at /snapshot/{TURNED} and /snapshot/{OVERVIEW}.", flush=True)

    async def finish() -> None:
        device.body.halt()

    serve([server(make_ptz(device), "127.0.0.1", port)], begin=begin, finish=finish)


def run_speaker(port: int, folder: Path) -> None:
    """A speaker, until told to end. `folder`: where what it played is kept."""
    speaker = SpeakerStandIn(folder)

    async def begin() -> None:
        print(f"A speaker plays what is posted to http://127.0.0.1:{port}/play, and keeps it in {folder}.", flush=True)

    async def finish() -> None:
        speaker.stop()

    serve([server(make_speaker(speaker), "127.0.0.1", port)], begin=begin, finish=finish)


def run_probe(url: str, token: str, table: Table, speed: float) -> None:
    """A probe, until told to end; a row that nobody takes is sent again."""
    columns = ", ".join(f"{name} {table.units[name]}".rstrip() for name in table.columns)
    print(
        f"A probe posts {columns} to {url}: {table.t_s.size} rows over {table.t_s[-1]:.4g} s, again and again.",
        flush=True,
    )
    with suppress(KeyboardInterrupt):
        asyncio.run(ProbeStandIn(table, url, token, speed).run())


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
