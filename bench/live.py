"""From a frame received to the coil written: four cameras at nine frames a second, each raising again and again."""

from __future__ import annotations

import asyncio
import os
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from bench.figures import Figure, percentile
from lantern.cluster import Cluster, free_port

CAMERAS, FPS, SECONDS = 4, 9.0, 30.0
WIDTH, HEIGHT = 320, 240
HOT_EVERY = 18  # frames: two seconds


def run() -> Iterator[Figure]:
    with tempfile.TemporaryDirectory(prefix="lantern-bench-") as name:
        folder = Path(name)
        folder.chmod(0o755)
        cluster = Cluster(folder)  # durable, as in use
        cluster.start()
        os.environ |= {"LANTERN_DATABASE_URL": cluster.url, "LANTERN_STATE_DIR": name, "LANTERN_SECRET": "bench"}
        try:
            delays, waits, missed = asyncio.run(_drive())
        finally:
            cluster.stop()
    yield Figure(f"frame to coil, median of {len(delays)}", percentile(delays, 0.5), "ms")
    yield Figure("frame to coil, p99", percentile(delays, 0.99), "ms", 100.0)
    yield Figure("frame to stored decision, p99", percentile(waits, 0.99), "ms")
    yield Figure("raises without a coil", float(missed), "", 0.0)


async def _drive() -> tuple[list[float], list[float], int]:
    import uvicorn
    from websockets.asyncio.client import connect

    from lantern.db.migrate import migrate
    from lantern.formats.wire import FrameHeader, pack_frame
    from lantern.live.app import make_app
    from lantern.standins.relay import RelayStandIn

    migrate()
    relay = RelayStandIn(free_port())
    await relay.start()
    tokens = _site(relay.port)
    app, port = make_app(), free_port()
    server = uvicorn.Server(
        uvicorn.Config(app, port=port, log_config=None, ws_max_size=2**26, ws_per_message_deflate=False)
    )
    serving = asyncio.create_task(server.serve())
    while not server.started:
        await asyncio.sleep(0.05)
    cold = np.full((HEIGHT, WIDTH), 29_315, np.uint16)
    hot = cold.copy()
    hot[100:120, 100:120] = 34_315
    sent: list[tuple[int, float]] = []

    async def camera(number: int) -> None:
        async with connect(
            f"ws://127.0.0.1:{port}/ingest/C{number}?token={tokens[number]}", max_size=None, compression=None
        ) as socket:
            start, clock = time.monotonic() + number * 0.5, time.time()
            for i in range(int(SECONDS * FPS)):
                await asyncio.sleep(max(0.0, start + i / FPS - time.monotonic()))
                is_hot = i % HOT_EVERY == 9
                if is_hot:
                    sent.append((number, time.time()))
                header = FrameHeader(seq=i, t=clock + i / FPS, width=WIDTH, height=HEIGHT)
                await socket.send(pack_frame(header, hot if is_hot else cold))

    await asyncio.gather(*(camera(n) for n in range(CAMERAS)))
    await asyncio.sleep(1.5)
    waits = [wait for feed in app.state.engine.feeds.values() for wait in feed.waits_ms]
    server.should_exit = True
    await serving
    await relay.stop()
    delays, missed = [], 0
    for number, at in sent:
        on = next((t for t, coil, state in relay.switched if coil == number and state and at <= t < at + 1.5), None)
        if on is None:
            missed += 1
        else:
            delays.append((on - at) * 1000)
    return delays, waits, missed


def _site(relay_port: int) -> list[str]:
    from lantern.core.events import Detector, Region
    from lantern.core.linking.links import Effect, LinkRule, Output
    from lantern.core.site import Device, Place, Site
    from lantern.db.base import transaction
    from lantern.links.actions import save_link
    from lantern.survey.actions import add_site
    from lantern.survey.tables import device_by_code
    from lantern.tune.actions import add_detector

    cameras = tuple(Device(code=f"C{n}", name=f"Camera {n}", kind="thermal") for n in range(CAMERAS))
    outputs = tuple(Output(name=f"lamp {n}", what="beacon", coil=n) for n in range(CAMERAS))
    module = Device(
        code="M1", name="Module", kind="io_module", outputs=outputs, address={"host": "127.0.0.1", "port": relay_port}
    )
    region = Region(name="r", shape="polygon", points=((20, 20), (300, 30), (280, 220), (30, 200)))
    dials = {"threshold_c": 50, "sustain_s": 0, "rearm_s": 0}
    with transaction() as session:
        site = add_site(session, Site(name="Bench", places=(Place(name="p", devices=(*cameras, module)),)))
        tokens = []
        for n in range(CAMERAS):
            device = device_by_code(session, site.id, f"C{n}")
            assert device
            tokens.append(device.token)
            detector = Detector(name=f"hot {n}", kind="heat", regions=(region,), dials=dials)
            row = add_detector(session, device_id=device.id, detector=detector, reason="bench", user_id=None)
            rule = LinkRule(name=f"link {n}", detector=row.name, effects=(Effect(output=f"lamp {n}", length_s=0.7),))
            save_link(session, row, rule.model_dump(mode="json"), link_id=None)
        return tokens
