"""From a frame received to the coil written: four cameras at nine frames a second, each raising again and again."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Iterator, Sequence

import numpy as np

from bench.figures import Figure, percentile, sized
from bench.store import store
from lantern.cluster import free_port
from lantern.core.site import Device

CAMERAS, FPS, SECONDS = 4, 9.0, sized(30.0, 1.5)
WIDTH, HEIGHT = 320, 240
HOT_EVERY = 18  # frames: two seconds


def run() -> Iterator[Figure]:
    with store():
        delays, waits, missed = asyncio.run(_drive())
    yield Figure(f"frame to coil, median of {len(delays)}", percentile(delays, 0.5), "ms")
    yield Figure("frame to coil, p99", percentile(delays, 0.99), "ms", 100.0)
    yield Figure("frame to stored decision, p99", percentile(waits, 0.99), "ms")
    yield Figure("raises without a coil", float(missed), "", 0.0)


async def _drive() -> tuple[list[float], list[float], int]:
    from websockets.asyncio.client import connect

    from lantern.live.app import make_ingest
    from lantern.live.engine import Engine
    from lantern.serving import server as server_of
    from lantern.signals.heat.wire import FrameHeader, pack_frame
    from lantern.standins.relay import RelayStandIn

    relay = RelayStandIn(free_port())
    await relay.start()
    tokens = site_of_cameras(relay_port=relay.port, cameras=CAMERAS)
    engine, port = Engine(), free_port()
    await engine.start()
    server = server_of(make_ingest(engine), "127.0.0.1", port)
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
    waits = [wait for feed in engine.feeds.values() for wait in feed.waits_ms]
    server.should_exit = True
    await serving
    await engine.stop()
    await relay.stop()
    delays, missed = [], 0
    for number, at in sent:
        on = next((t for t, coil, state in relay.switched if coil == number and state and at <= t < at + 1.5), None)
        if on is None:
            missed += 1
        else:
            delays.append((on - at) * 1000)
    return delays, waits, missed


def site_of_cameras(*, relay_port: int, cameras: int, others: Sequence[Device] = ()) -> list[str]:
    """A site of so many cameras, each with a detector that lights a lamp of its own, and others; returns the cameras' tokens."""
    from lantern.core.effects.switch.effect import Switch
    from lantern.core.events import Detector, Region
    from lantern.core.linking.links import LinkRule
    from lantern.core.linking.outputs import Output
    from lantern.core.site import Place, Site
    from lantern.db.base import transaction
    from lantern.links.actions import save_link
    from lantern.register.tables import device_by_code
    from lantern.sites.actions import add_site
    from lantern.tune.actions import add_detector

    devices = tuple(Device(code=f"C{n}", name=f"Camera {n}", kind="thermal") for n in range(cameras))
    outputs = tuple(Output(name=f"lamp {n}", what="beacon", coil=n) for n in range(cameras))
    module = Device(
        code="M1", name="Module", kind="io_module", outputs=outputs, address={"host": "127.0.0.1", "port": relay_port}
    )
    region = Region(name="r", shape="polygon", points=((20, 20), (300, 30), (280, 220), (30, 200)))
    dials = {"threshold_c": 50, "sustain_s": 0, "rearm_s": 0}
    with transaction() as session:
        site = add_site(session, Site(name="Bench", places=(Place(name="p", devices=(*devices, *others, module)),)))
        tokens = []
        for n in range(cameras):
            device = device_by_code(session, site.id, f"C{n}")
            assert device
            tokens.append(device.token)
            detector = Detector(name=f"hot {n}", kind="heat", regions=(region,), dials=dials)
            row = add_detector(session, device_id=device.id, detector=detector, reason="bench", user_id=None)
            rule = LinkRule(name=f"link {n}", detector=row.name, effects=(Switch(output=f"lamp {n}", length_s=0.7),))
            save_link(session, row, rule.model_dump(mode="json"), link_id=None, reason="bench", user_id=None)
        return tokens
