"""The parts that the program runs in, each a process: web, engine, worker, and for the demo the stand-ins."""

from __future__ import annotations

import asyncio
import gc
import logging
import os
import signal
import sys
from pathlib import Path
from typing import Any

import structlog

LAST_WORDS_S = 5.0
HAND_OVER_S = (
    0.001  # a dial's verdicts must not wait 5 ms for each array, at the end of which evidence holds the interpreter
)


def import_parts() -> None:
    """All that the parts need, once for all of them."""
    import pymodbus.client  # noqa: F401
    import uvicorn  # noqa: F401

    import lantern.jobs
    import lantern.live.app
    import lantern.standins.app
    import lantern.web.app  # noqa: F401


def logs_to(path: Path) -> None:
    """Append to a file from here on, in this process and those it forks."""
    sink = path.open("a", buffering=1)
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.processors.format_exc_info,
            structlog.processors.KeyValueRenderer(key_order=["timestamp", "level", "event"]),
        ],
        logger_factory=structlog.WriteLoggerFactory(sink),
    )
    logging.basicConfig(stream=sink, level=logging.WARNING, format="%(asctime)s %(levelname)s %(name)s %(message)s")


def _uvicorn(app: Any, host: str, port: int) -> None:
    import uvicorn

    config = uvicorn.Config(
        app,
        host=host,
        port=port,
        log_config=None,
        access_log=False,
        timeout_graceful_shutdown=2,
        ws_max_size=64 * 2**20,
        ws_per_message_deflate=False,
        server_header=False,
    )
    uvicorn.Server(config).run()


def serve_web(host: str, port: int) -> None:
    """The pages."""
    from lantern.web.app import make_app

    app = make_app()
    gc.freeze()  # what is there for good is not looked through anew in the middle of a drag
    sys.setswitchinterval(HAND_OVER_S)
    _uvicorn(app, host, port)


def serve_engine(port: int) -> None:
    """The live engine."""
    from lantern.live.app import make_app

    _uvicorn(make_app(), "127.0.0.1", port)


def serve_standins(port: int, relay_port: int, engine_port: int, tokens: dict[str, str]) -> None:
    """The demo's cameras, counters and relay module."""
    from lantern.standins.app import make_app, reel_of_scene, tracker_of_scene
    from lantern.standins.camera import CameraStandIn
    from lantern.standins.places import CROWDS
    from lantern.standins.relay import RelayStandIn
    from lantern.standins.tracker import TrackerStandIn

    cameras: dict[str, CameraStandIn | TrackerStandIn] = {
        code: CameraStandIn(code, reel_of_scene(code), f"ws://127.0.0.1:{engine_port}/ingest/{code}", token)
        for code, token in tokens.items()
    }
    cameras |= {code: tracker_of_scene(code) for code in CROWDS}
    _uvicorn(make_app(cameras, RelayStandIn(relay_port)), "127.0.0.1", port)


def work() -> None:
    """Jobs, until told to end."""
    from lantern import jobs

    async def until_told() -> None:
        stop, loop = asyncio.Event(), asyncio.get_running_loop()

        def end() -> None:
            stop.set()
            loop.call_later(LAST_WORDS_S, os._exit, 1)  # the database may be gone already, and with it a clean farewell

        loop.add_signal_handler(signal.SIGTERM, end)
        await jobs.work(stop)

    asyncio.run(until_told())


def point_to_standins(relay_port: int, control_port: int) -> dict[str, str]:
    """The demo's modules, cameras and counters are at this start's stand-ins; gives the thermal cameras' tokens."""
    from sqlalchemy import select

    from lantern.db.base import transaction
    from lantern.survey.tables import DeviceRow

    with transaction() as session:
        devices = list(session.scalars(select(DeviceRow)))
        for device in devices:
            if device.kind == "io_module":
                device.address = {"host": "127.0.0.1", "port": relay_port, "unit": 1}
            elif device.kind in ("camera", "counter"):
                device.address = {"url": f"http://127.0.0.1:{control_port}/metadata/{device.code}"}
        return {device.code: device.token for device in devices if device.kind == "thermal"}
