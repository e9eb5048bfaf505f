"""The parts that the program runs in, each a process: web, engine, worker, stand-ins."""

from __future__ import annotations

import asyncio
import gc
import os
import signal
import socket
import ssl
import sys

from lantern.serving import serve, server
from lantern.settings import settings

LAST_WORDS_S = 1.5
HAND_OVER_S = (
    0.001  # a dial's verdicts must not wait 5 ms for each array, at the end of which evidence holds the interpreter
)
RARELY = (50_000, 20, 50)  # a page of a large site makes thousands of objects that are gone with it
LOOPBACK = ("127.0.0.1", "::1", "localhost")


def import_parts() -> None:
    """Import all that the parts need, once for all of them."""
    import pymodbus.client  # noqa: F401

    import lantern.application.app
    import lantern.demo.cast
    import lantern.live.app
    import lantern.worker  # noqa: F401


def serve_web(host: str, port: int) -> None:
    """The pages."""
    from lantern.application.app import make_app

    app = make_app()
    gc.freeze()  # what is there for good is not looked through anew in the middle of a drag
    gc.set_threshold(*RARELY)
    sys.setswitchinterval(HAND_OVER_S)
    serve([server(app, host, port, encrypted=settings().certificate is not None)])


def serve_engine(port: int, ingest_host: str, ingest_port: int, listens: socket.socket | None = None) -> None:
    """The live engine: what devices send to, and what the web process asks, on loopback alone.

    `listens`: the socket for devices, if it is open already: they wait there while an engine that ended is started anew.
    """
    from lantern.live.app import make_app, make_ingest
    from lantern.live.engine import Engine

    engine = Engine()
    encrypted = ingest_is_encrypted(ingest_host)
    ingest = server(make_ingest(engine), ingest_host, ingest_port, encrypted=encrypted, listens=listens)
    serve([ingest, server(make_app(engine), "127.0.0.1", port)], begin=engine.start, finish=engine.stop)


def ingest_is_encrypted(host: str) -> bool:
    """Tokens that leave the machine do so encrypted, if there is a certificate."""
    return settings().certificate is not None and host not in LOOPBACK


def own_certificate() -> ssl.SSLContext:
    """Trust in this server's own certificate and no other, whatever name stands in it: for calls within the machine."""
    context = ssl.create_default_context(cafile=str(settings().certificate))
    context.check_hostname = False
    context.verify_flags |= ssl.VERIFY_X509_PARTIAL_CHAIN
    return context


def serve_standins(port: int, relay_port: int, ingest_url: str) -> None:
    """The demo site's cameras, counters and relay module, as long as there is a demo site."""
    from lantern.demo.cast import DemoCast
    from lantern.standins.app import make_standins
    from lantern.standins.relay import RelayStandIn

    encryption = own_certificate() if ingest_url.startswith("wss:") else None
    standins = make_standins(RelayStandIn(relay_port))
    folder = settings().state_dir / "standins"
    cast = DemoCast(standins, f"http://127.0.0.1:{port}", ingest_url, folder, encryption)
    serve([server(standins.app, "127.0.0.1", port)], begin=cast.start, finish=cast.stop)


def work() -> None:
    """Jobs, until told to end."""
    from lantern import worker

    async def until_told() -> None:
        stop, loop = asyncio.Event(), asyncio.get_running_loop()

        def end() -> None:
            stop.set()
            loop.call_later(LAST_WORDS_S, os._exit, 1)  # the database may be gone already, and with it a clean farewell

        loop.add_signal_handler(signal.SIGTERM, end)
        await worker.work(stop)

    asyncio.run(until_told())
